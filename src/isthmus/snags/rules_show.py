"""Rules that look at the show as a whole."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from isthmus.errors import IsthmusError
from isthmus.library.at_hand import stored_at_hand
from isthmus.patch import add, edits
from isthmus.plural import many
from isthmus.profiles.records import Profile
from isthmus.profiles.store import read_stored
from isthmus.snags.context import Context
from isthmus.snags.records import ATTENTION, FAULT, NOTE, Fix, Snag
from isthmus.snags.rules_looks import GROUND, LOOK_RULES
from isthmus.snags.rules_place import on_one_spot
from isthmus.snags.rules_routes import ROUTE_RULES

ShowRule = Callable[[Context], Iterator[Snag]]
NAMED = 6  # units named in a sentence


def unreadable_profiles(at: Context) -> Iterator[Snag]:
    for key, error in at.profiles.faults.items():
        units = tuple(u.id for u in at.show.units if u.profile == key)
        yield Snag(
            "profile-unreadable",
            FAULT,
            f"The profile {key} cannot be read: {error.what}",
            "Patch",
            units,
            "profile",
        )


def profiles_elsewhere(at: Context) -> Iterator[Snag]:
    """A profile the library lacks, or has otherwise than the show: a person has changed it since it
    was patched.
    """
    try:
        shelf = stored_at_hand([stored.key for stored in at.show.profiles])
    except IsthmusError:
        return
    for stored in at.show.profiles:
        mine, theirs = read_stored(stored), shelf.get(stored.key)
        if isinstance(mine, Profile) and theirs is None:
            text = (
                f"{mine.label} is neither among the shipped nor your own profiles: only this "
                "show has it."
            )
            yield Snag(
                "profile-here-only",
                NOTE,
                text,
                "Profiles",
                tuple(u.id for u in at.show.units if u.profile == stored.key),
            )
        if isinstance(mine, Profile) and theirs is not None and theirs.data != stored.data:
            other = read_stored(theirs)
            if (
                isinstance(other, Profile)
                and other.id == mine.id
                and (other.revision, other.modes) != (mine.revision, mine.modes)
            ):
                here, there = mine.revision[:10] or "no revision", other.revision[:10] or "none"
                text = (
                    f"{mine.label} has been changed in the library since it was patched: {here} "
                    f"here, {there} there."
                )
                yield Snag(
                    "profile-changed",
                    NOTE,
                    text,
                    "Profiles",
                    tuple(u.id for u in at.show.units if u.profile == stored.key),
                )


def no_address(at: Context) -> Iterator[Snag]:
    ids = [u.id for u in at.show.units if not u.patch and at.profiles.mode_of(u)]
    if not ids:
        return
    told = _named(at, ids)
    text = (
        f"Unit {told} has no address yet."
        if len(ids) == 1
        else f"Units {told} have no address yet."
    )
    fix = Fix(
        "Patch at the next free address" if len(ids) == 1 else "Patch them in order",
        lambda s: edits.address_next_free(s, ids),
    )
    yield Snag("no-address", ATTENTION, text, "Patch", tuple(ids), "address", fix)


def no_hang_position(at: Context) -> Iterator[Snag]:
    ids = [u.id for u in at.show.units if not u.hangs_on]
    if ids:
        units, has = ("Unit", "has no position") if len(ids) == 1 else ("Units", "have no position")
        yield Snag("no-position", NOTE, f"{units} {_named(at, ids)} {has}.", "Patch", tuple(ids))


def _named(at: Context, ids: list[str]) -> str:
    return ", ".join(str(at.index.by_id[i].number) for i in ids[:NAMED]) + (
        " …" if len(ids) > NAMED else ""
    )


def doubled_numbers(at: Context) -> Iterator[Snag]:
    for number in sorted(at.index.doubled):
        ids = at.index.numbers[number]
        free, last = add.next_number(at.show), ids[-1]
        fix = Fix(f"Make the last one {free}", lambda s, i=last, n=free: edits.set_number(s, i, n))
        yield Snag(
            "double-number",
            FAULT,
            f"{many(len(ids), 'unit')} have the number {number}.",
            "Patch",
            ids,
            "profile",
            fix,
        )


def network(at: Context) -> Iterator[Snag]:
    """The rules about the network, brought in when a person looks at it: a start without that is
    sooner there.
    """
    if at.network is not None:
        from isthmus.snags.rules_network import NETWORK_RULES

        for rule in NETWORK_RULES:
            yield from rule(at)


def pixels(at: Context) -> Iterator[Snag]:
    """The rules about grids and layers, brought in where there are any."""
    if at.show.grids or at.show.layer_sets:
        from isthmus.snags.rules_pixels import PIXEL_RULES

        for rule in PIXEL_RULES:
            yield from rule(at)


def on_paper_only(at: Context) -> Iterator[Snag]:
    missing = [number for number in at.rows if number not in at.index.numbers]
    if missing:
        more = " …" if len(missing) > NAMED else ""
        text = f"On the hang list and not patched: {', '.join(map(str, missing[:NAMED]))}{more}."
        yield Snag("paper-missing", ATTENTION, text, "Patch")


PIXELS = ("grids", "layer_sets", "media", "units", "profiles", "outputs")
# each with what it rests on: members of the show, in which a change has it asked again
SHOW_RULES: tuple[tuple[ShowRule, tuple[str, ...]], ...] = (
    (unreadable_profiles, ("profiles", "units")),
    (profiles_elsewhere, ("profiles",)),
    (no_address, ("profiles", "units")),
    (no_hang_position, ("units",)),
    (doubled_numbers, ("units",)),
    (on_one_spot, ("units",)),
    *((rule, ("outputs", "nodes")) for rule in ROUTE_RULES),
    (network, ("outputs", "nodes", "units", "network")),
    (on_paper_only, ("paper", "units")),
    *((rule, GROUND) for rule in LOOK_RULES),
    (pixels, PIXELS),
)
