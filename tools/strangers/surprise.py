"""Clerks by chance: habits thrown together that nobody planned for."""

from __future__ import annotations

import random

from tools.strangers.habits import ALL_SLIPS, Habits

SOME = ("position", "purpose", "gel", "weight", "watts", "note", "circuit", "length", "row", "name")


def surprising(seed: int) -> Habits:
    """A clerk nobody has met; what contradicts itself is put right."""
    rng = random.Random(f"surprise {seed}")
    tongue = rng.choice(["en", "en", "de", "fr", "es", "it", "nl"])
    name = rng.choice(["number", "number", "channel"])
    address = rng.choice(
        ["dotted", "slash", "dash", "colon", "space", "comma", "U A", "U dotted", "in universe",
         "in universe", "flat"]
    )  # fmt: skip
    mode = rng.choice(["name", "name", "name feet", "feet", "in type"])
    sections = rng.choice(["", "", "", "position"])
    columns = [name, "type", "address", *rng.sample(SOME, rng.randint(1, 6))]
    if mode != "in type":
        columns.append("mode")
    if address == "in universe":
        if rng.random() < 0.3:
            sections = "universe"
        else:
            columns.append("universe")
    if sections == "position" and "position" in columns:
        columns.remove("position")
    if rng.random() < 0.6:
        rng.shuffle(columns)
    mark = rng.choice([",", ";", "\t", "|"])
    if address == "comma":
        mark = rng.choice([";", "\t"])
    file = rng.choice(["csv", "csv", "csv", "fixed", "xlsx", "ods"])
    if file == "fixed" and address == "space":
        address = "slash"
    if sections and columns[0] in ("weight", "watts", "note"):
        columns.remove(name)
        columns.insert(0, name)
    once = [role for role in ("type", "mode", "position") if role in columns]
    way = rng.choice(["", "", "ditto", "merged"])
    return Habits(
        f"surprise {seed}",
        tongue,
        tuple(columns),
        address=address,
        number="plain" if rng.random() < 0.8 else rng.choice(["position", "suffix"]),
        mode=mode,
        model=rng.choice(["model", "model", "maker model", "short", "typo"]),
        file=file,
        mark=mark,
        coding=rng.choice(["utf-8", "utf-8", "cp1252", "utf-16", "utf-16-le", "mac-roman"]),
        ends=rng.choice(["\n", "\r\n"]),
        heads=rng.randrange(8),
        titles=rng.choice([0, 0, 1, 2]),
        blanks=rng.choice([0.0, 0.0, 0.2]),
        repeat=rng.choice([0, 0, 25]),
        sections=sections,
        totals=rng.random() < 0.2,
        comments=rng.random() < 0.1,
        spares=rng.choice([0.0, 0.0, 0.04]),
        later=rng.choice([0.0, 0.0, 0.05]),
        ditto=rng.choice(['"', "''", "do.", "idem"]) if way == "ditto" else "",
        merged=tuple(once) if way == "merged" else (),
        slips=ALL_SLIPS if rng.random() < 0.3 and not way else (),
        shout=rng.random() < 0.1,
    )
