"""Edits of a show as people make them, by name."""

from __future__ import annotations

import random
from collections.abc import Callable

from isthmus.check import mark
from isthmus.demo import EXTRA_LIST, shipped_profiles
from isthmus.hanglist import read_hang_list
from isthmus.layout import hang_by_name, move_units, set_out
from isthmus.library.at_hand import at_hand
from isthmus.patch import Add, edits, preview_add, take_paper
from isthmus.profiles import profiles_of
from isthmus.routes import add_output, change_output, propose, remove_outputs
from isthmus.show import Show

Edit = Callable[[Show, random.Random], Show]


def some(show: Show, rng: random.Random) -> list[str]:
    return rng.sample([u.id for u in show.units], min(len(show.units), rng.randint(1, 4)))


def added(show: Show, rng: random.Random) -> Show:
    stored = rng.choice(shipped_profiles())
    profile = profiles_of(Show(profiles=(stored,))).profiles[stored.key]
    wish = Add(
        stored,
        rng.choice(profile.modes).name,
        rng.randint(1, 6),
        None,
        rng.choice([None, (rng.randint(1, 5), rng.randint(1, 512))]),
    )
    return preview_add(show, wish).show


EDITS: dict[str, Edit] = {
    "add": added,
    "remove": lambda s, r: edits.remove_units(s, set(some(s, r))),
    "address": lambda s, r: edits.set_address(s, some(s, r), (r.randint(1, 6), r.randint(1, 512))),
    "unpatch": lambda s, r: edits.set_address(s, some(s, r), None),
    "next free": lambda s, r: edits.address_next_free(s, some(s, r)),
    "mode": lambda s, r: edits.set_mode(
        s, some(s, r)[:1], r.choice(["Wide", "Short", "Full", "Seven", "Three"])
    ),
    "number": lambda s, r: edits.set_number(s, some(s, r)[0], r.randint(1, 700)),
    "name": lambda s, r: edits.set_text(
        s, some(s, r), r.choice(edits.TEXT_FIELDS), r.choice(["", "Reed", "Bow rail", "Marl 34"])
    ),
    "move": lambda s, r: move_units(s, some(s, r), (r.uniform(-3, 3), r.uniform(-3, 3), 0.5)),
    "place": lambda s, r: set_out(s, some(s, r)),
    "hang": lambda s, r: hang_by_name(s, some(s, r)),
    "route": lambda s, r: add_output(
        s, r.randint(1, 6), f"127.0.0.{r.randint(2, 9)}", r.randint(0, 40)
    ),
    "retarget": lambda s, r: change_output(
        s,
        r.choice(s.outputs).id if s.outputs else "",
        universe=r.randint(1, 6),
        enabled=r.random() < 0.7,
    ),
    "unroute": lambda s, r: remove_outputs(s, {r.choice(s.outputs).id} if s.outputs else set()),
    "propose": lambda s, r: propose(s),
    "paper": lambda s, r: take_paper(s, read_hang_list(EXTRA_LIST, at_hand(s)).paper, at_hand(s)),
    "verdict": lambda s, r: mark(s, some(s, r)[0], r.choice(["works", "wrong", "silent"]), "seen"),
}
