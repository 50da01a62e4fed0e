"""Paper beside patch: what differs per unit and field, taking either side, and what a new revision
changed.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from msgspec.structs import replace

from isthmus.patch.add import with_profile
from isthmus.patch.addresses import blocks_at, patches_for
from isthmus.patch.edits import change_units, renumber, set_mode, set_text
from isthmus.patch.index import index_of
from isthmus.patch.models import Library, plain
from isthmus.patch.replace import replace_type
from isthmus.profiles import ProfileSet
from isthmus.show.address import write_address
from isthmus.show.records import Gel, Paper, PaperRow, Show, Unit, new_id

KEPT_PAPERS = 8
FIELDS = {
    "number": "number",
    "type": "model",
    "mode": "mode",
    "address": "address",
    "hangs_on": "position",
    "gel": "gel",
    "purpose": "purpose",
    "name": "name",
}
MISSING, EXTRA = "missing", "extra"  # on the paper only; in the patch only


@dataclass(frozen=True)
class Difference:
    """One field of one unit in which paper and patch differ; `unit` is empty for one that is not
    patched.
    """

    number: int
    unit: str
    field: str
    paper: str
    patch: str
    takeable: bool = True

    @property
    def plain(self) -> str:
        return FIELDS.get(self.field, "unit")


@dataclass(frozen=True)
class RowChange:
    """What a newer revision of the paper has otherwise."""

    number: int
    field: str  # one of FIELDS, or missing (gone) or extra (new)
    before: str
    after: str


def paper_address(row: PaperRow) -> str:
    return write_address(row.universe, row.address) if row.universe else ""


def patch_address(unit: Unit) -> str:
    return write_address(unit.patch[0].universe, unit.patch[0].address) if unit.patch else ""


def model_of(unit: Unit, profiles: ProfileSet) -> str:
    profile = profiles.profiles.get(unit.profile)
    return profile.name if profile else unit.profile


def same_gel(a: str, b: str, gels: Sequence[Gel] = ()) -> bool:
    """Whether two texts name the same gels, one with its swatch book and one without, or
    both open.
    """

    def meant(text: str) -> list[set[tuple[str, str]]]:
        parts = [" ".join(part.split()).lower() for part in text.split("+")]
        kept = [part for part in parts if part not in OPEN]
        return [
            {
                (g.book, g.code)
                for g in gels
                if part in (g.code.lower(), f"{g.book} {g.code}".lower())
            }
            | {("", part)}
            for part in kept
        ]

    one, other = meant(a), meant(b)
    return len(one) == len(other) and all(x & y for x, y in zip(one, other, strict=True))


OPEN = ("", "open", "none", "no colour", "nc", "clear", "-", "–")


def differences_of(
    row: PaperRow, unit: Unit, profiles: ProfileSet, gels: Sequence[Gel] = (), gelled: bool = False
) -> list[Difference]:
    """Fields the paper fills in and the patch has otherwise. A model that differs says nothing of
    its mode.

    `gels` are those of the show; with `gelled` the paper has gels, so that a blank on it says that
    there is none.
    """
    found = []

    def note(field: str, paper: str, patch: str, takeable: bool = True) -> None:
        found.append(Difference(unit.number, unit.id, field, paper, patch, takeable))

    model = model_of(unit, profiles)
    if row.type and plain(row.type) != plain(model):
        profile = profiles.profiles.get(unit.profile)
        if not profile or plain(row.type) not in (
            plain(f"{profile.maker} {profile.name}"),
            plain(profile.long_name),
        ):
            known = any(
                plain(row.type) == plain(p.name) and (not row.mode or p.mode(row.mode))
                for p in profiles.profiles.values()
            )
            note("type", row.type, model, known)
    elif row.mode and row.mode != unit.mode:
        held = profiles.profiles.get(unit.profile)
        note("mode", row.mode, unit.mode, bool(held and held.mode(row.mode)))
    if row.universe and paper_address(row) != patch_address(unit):
        note("address", paper_address(row), patch_address(unit), not unit.locked)
    if (row.gel or gelled) and not same_gel(row.gel, unit.gel, gels):
        note("gel", row.gel, unit.gel)
    for name in ("hangs_on", "purpose"):
        paper, mine = getattr(row, name), getattr(unit, name)
        if paper and paper != mine:
            note(name, paper, mine)
    return found


def differences(show: Show) -> list[Difference]:
    """All of them, by number; units on one side only first in their place."""
    index = index_of(show)
    found = []
    on_paper = {row.number for row in show.paper.rows}
    gelled = any(row.gel for row in show.paper.rows)
    extra = [u for u in show.units if show.paper.rows and u.number not in on_paper]
    by_spot = {
        (plain(model_of(u, index.profiles)), u.mode, patch_address(u)): u for u in extra if u.patch
    }
    renumbered: set[str] = set()
    for row in show.paper.rows:
        ids = index.numbers.get(row.number, ())
        same = by_spot.get((plain(row.type), row.mode, paper_address(row))) if not ids else None
        if (
            same is not None and same.id not in renumbered
        ):  # the same unit in the same place, under another number
            renumbered.add(same.id)
            found.append(
                Difference(same.number, same.id, "number", str(row.number), str(same.number))
            )
        elif not ids:
            found.append(
                Difference(row.number, "", MISSING, f"{row.type} {row.mode}".strip(), "", False)
            )
        for unit_id in ids:
            found.extend(
                differences_of(row, index.by_id[unit_id], index.profiles, show.gels, gelled)
            )
    for unit in extra:
        if unit.id not in renumbered:
            found.append(
                Difference(
                    unit.number, unit.id, EXTRA, "", f"{model_of(unit, index.profiles)} {unit.mode}"
                )
            )
    return sorted(found, key=lambda d: d.number)


def take_paper_side(
    show: Show, found: Iterable[Difference], library: Library | None = None
) -> Show:
    """The patch takes what the paper has; addresses of one go are given as a whole. What cannot be
    taken stays.

    Raises EntryFault when an address runs past its universe.
    """
    units = index_of(show).by_id
    rows = {row.number: row for row in show.paper.rows}
    found = [d for d in found if d.unit in units]
    show = renumber(show, {d.unit: int(d.paper) for d in found if d.field == "number"})
    chosen = [d for d in found if d.number in rows]
    for difference in chosen:
        show = _taken(show, difference, rows[difference.number], library)
    spots = {d.unit: rows[d.number] for d in chosen if d.field == "address" and d.takeable}
    profiles = index_of(show).profiles

    def address(unit: Unit) -> Unit:
        row = spots[unit.id]
        return replace(
            unit, patch=patches_for(unit, profiles.mode_of(unit), [(row.universe, row.address)])
        )

    return change_units(show, spots, address)


def _taken(show: Show, difference: Difference, row: PaperRow, library: Library | None) -> Show:
    """One field of one unit as the paper has it; numbers and addresses are not given singly."""
    field, unit = difference.field, [difference.unit]
    if field == "type":
        return _type_taken(show, difference.unit, row, library or Library.of(show.profiles))
    if field == "mode" and difference.takeable:
        return set_mode(show, unit, row.mode)
    if field in ("gel", "hangs_on", "purpose"):
        return set_text(show, unit, field, getattr(row, field))
    return show


def _type_taken(show: Show, unit: str, row: PaperRow, shelf: Library) -> Show:
    match = shelf.match(row.type)
    if not match:
        return show
    key, profile = match
    mode = profile.mode(row.mode) or (profile.modes[0] if len(profile.modes) == 1 else None)
    return replace_type(show, [unit], shelf.stored[key], mode.name).show if mode else show


def take_patch_side(show: Show, found: Iterable[Difference]) -> Show:
    """The paper is corrected to what the patch has; a unit only on one side is struck from it or
    written on it.
    """
    index = index_of(show)
    rows = {row.number: row for row in show.paper.rows}
    for difference in found:
        unit = index.by_id.get(difference.unit)
        if difference.field == "number" and unit is not None:
            row = rows.pop(int(difference.paper), None)
            rows |= {unit.number: replace(row, number=unit.number)} if row else {}
        elif difference.field == MISSING:
            rows.pop(difference.number, None)
        elif unit is not None and difference.field == EXTRA:
            rows[unit.number] = row_of(
                unit, index.profiles, max((r.line for r in rows.values()), default=0) + 1
            )
        elif unit is not None and difference.number in rows:
            mine = row_of(unit, index.profiles, 0)
            changes = (
                {difference.field: getattr(mine, difference.field)}
                if difference.field not in ("address", "type")
                else {}
            )
            if difference.field == "address":
                changes = {"universe": mine.universe, "address": mine.address}
            elif difference.field == "type":
                changes = {"type": mine.type, "mode": mine.mode}
            rows[difference.number] = replace(rows[difference.number], **changes)
    made = tuple(rows.values())
    return show if made == show.paper.rows else replace(show, paper=replace(show.paper, rows=made))


def row_of(unit: Unit, profiles: ProfileSet, line: int) -> PaperRow:
    """A unit as a line of paper."""
    return PaperRow(
        line=line,
        number=unit.number,
        fixture_id=unit.fixture_id,
        name=unit.name,
        type=model_of(unit, profiles),
        mode=unit.mode,
        universe=unit.patch[0].universe if unit.patch else 0,
        address=unit.patch[0].address if unit.patch else 0,
        hangs_on=unit.hangs_on,
        purpose=unit.purpose,
        gel=unit.gel,
    )


def new_revision(show: Show, paper: Paper) -> Show:
    """Put a paper in the place of the one there is, which is kept among the earlier ones."""
    if not show.paper.rows:
        return replace(show, paper=paper)
    if not paper.revision:
        paper = replace(paper, revision=next_revision(show.paper.revision))
    return replace(
        show, paper=paper, earlier_papers=(*show.earlier_papers, show.paper)[-KEPT_PAPERS:]
    )


def take_paper(show: Show, paper: Paper, library: Library) -> Show:
    """Keep the paper beside the patch, and add its units that are not patched yet. Units with that
    number stay as they are.

    A paper that was there is kept among the earlier ones.
    """
    paper = with_free_numbers(show, paper)
    have = {unit.number for unit in show.units}
    units: list[Unit] = []
    for row in paper.rows:
        match = library.match(row.type)
        if match is None or row.number in have:
            continue
        key, profile = match
        mode = profile.mode(row.mode)
        if mode is None:
            continue
        show = with_profile(show, library.stored[key])
        units.append(
            Unit(
                id=new_id(),
                number=row.number,
                fixture_id=row.fixture_id,
                name=row.name or f"{profile.name} {row.fixture_id or row.number}",
                profile=key,
                mode=row.mode,
                patch=blocks_at(profile, mode, row.universe, row.address) if row.universe else (),
                hangs_on=row.hangs_on,
                purpose=row.purpose,
                gel=row.gel,
            )
        )
    return replace(new_revision(show, paper), units=(*show.units, *units))


def with_free_numbers(show: Show, paper: Paper) -> Paper:
    """A paper whose units that are only named have the numbers they have in the show, or free ones:
    those it proposes, else the next.
    """
    known = {unit.fixture_id: unit.number for unit in show.units if unit.fixture_id}
    taken = {unit.number for unit in show.units}
    taken |= {row.number for row in paper.rows if not row.fixture_id}
    following = itertools.count(1)
    rows: list[PaperRow] = []
    for row in paper.rows:
        number = row.number
        if row.fixture_id in known and row.fixture_id:
            number = known[row.fixture_id]
        elif row.fixture_id and number in taken:
            number = next(n for n in following if n not in taken)
        taken.add(number)
        rows.append(replace(row, number=number) if number != row.number else row)
    return replace(paper, rows=tuple(rows))


def added_to(old: Paper, more: Paper) -> Paper:
    """A paper with the lines of another beside its own; a number that is on both reads as the other
    has it.
    """
    numbers = {row.number for row in more.rows}
    rows = (*(row for row in old.rows if row.number not in numbers), *more.rows)
    return replace(more, rows=rows, unread=(*old.unread, *more.unread))


def next_revision(text: str) -> str:
    """The one after: C → D, 3 → 4, anything else gets a 2."""
    if text.isdigit():
        return str(int(text) + 1)
    if len(text) == 1 and text.isalpha() and text.lower() != "z":
        return chr(ord(text) + 1)
    return f"{text} 2".strip()


def changes_between(old: Paper, new: Paper) -> list[RowChange]:
    """What a newer paper changed, by number."""
    before, after = {r.number: r for r in old.rows}, {r.number: r for r in new.rows}
    found: list[RowChange] = []
    for number in sorted(before.keys() | after.keys()):
        a, b = before.get(number), after.get(number)
        if a is None or b is None:
            only = a or b
            assert only
            words = f"{only.type} {only.mode} {paper_address(only)}".strip()
            found.append(
                RowChange(
                    number, MISSING if b is None else EXTRA, words if a else "", words if b else ""
                )
            )
            continue
        for field in FIELDS:
            was, now = (
                (paper_address(a), paper_address(b))
                if field == "address"
                else (getattr(a, field), getattr(b, field))
            )
            if was != now:
                found.append(RowChange(number, field, was, now))
    return found


def units_of(found: Sequence[Difference]) -> list[str]:
    """The units concerned, each once."""
    return list(dict.fromkeys(d.unit for d in found if d.unit))
