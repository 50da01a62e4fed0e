"""What the index keeps of a profile: enough to find, rank and explain it without opening its file
again.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterable, Sequence
from typing import Annotated, Any, Literal

import msgspec

from isthmus.profiles.channel_table import Band, ChannelLine, ChannelTable, make_sheet
from isthmus.profiles.chart import Chart, lay_flat
from isthmus.profiles.gdtf import Gdtf, body_file
from isthmus.profiles.manual.naming import propose_band
from isthmus.profiles.records import Model, Profile
from isthmus.show.records import StoredProfile

# bounds for facts that come from elsewhere; what is made here keeps within them
MOST = 65535
Small = Annotated[int, msgspec.Meta(ge=0, le=MOST)]
Coarse = Annotated[int, msgspec.Meta(ge=0, le=255)]
Body = Literal["mesh", "shapes", "stand-in"]
MAX_LINES = 2048  # a longer chart is indexed as far as this
MESH: Body = "mesh"
SHAPES: Body = "shapes"
STAND_IN: Body = "stand-in"


class ModeFacts(msgspec.Struct, frozen=True, array_like=True):
    """`lines` are (attribute, slots, cell, ranges as pairs 0 … 255) in the order of the chart."""

    name: str
    footprint: Small
    blocks: Small
    cells: Small
    wheel: bool
    ranges: bool
    lines: list[tuple[str, list[Small], Small, list[tuple[Coarse, Coarse]], Small]]
    functions: list[
        tuple[str, Small]
    ] = []  # what channels do besides what they are called by, and on which channel


def functions_of(
    items: Iterable[tuple[str, int, Iterable[str], Iterable[str]]],
) -> list[tuple[str, int]]:
    """From (attribute, first slot, attributes of its functions, names of its sets) of each channel:
    all else it does.

    A set called “strobe, slow to fast” among those of a shutter strobes, though no function says
    so.
    """
    found: dict[tuple[str, int], None] = {}
    for attribute, slot, functions, sets in items:
        for other in (
            *functions,
            *(propose_band(name, attribute) for name in dict.fromkeys(sets) if name.strip()),
        ):
            if other and other != attribute and len(found) < MAX_LINES:
                found.setdefault((other, slot))
    return list(found)


class Facts(msgspec.Struct, frozen=True, array_like=True):
    ident: str
    maker: str
    model: str
    long_name: str
    description: str
    revision: str
    body: Body
    borrowed: str  # the profile this one was derived from; empty for most
    refers_to: str
    modes: list[ModeFacts]


def body_mark_of(models: Sequence[Model], members: frozenset[str]) -> Body:
    """Whether a profile shows a body of its own: meshes, simple shapes, or none so that a stand-in
    is drawn.
    """
    if any(body_file(model, members) for model in models):
        return MESH
    return (
        SHAPES
        if any(model.length * model.width * model.height > 0 for model in models)
        else STAND_IN
    )


BODY_WORDS = {
    MESH: "3-D body with meshes",
    SHAPES: "3-D body of simple shapes",
    STAND_IN: "no 3-D body; a stand-in is drawn",
}


def body_words(profile: Profile, stored: StoredProfile) -> str:
    """The body mark of a profile at hand, in words, and whose profile it is when borrowed."""
    try:
        with zipfile.ZipFile(io.BytesIO(stored.data)) as archive:
            members = frozenset(archive.namelist())
    except zipfile.BadZipFile:
        members = frozenset()
    borrowed = f"; derived from {profile.borrowed}" if profile.borrowed else ""
    return BODY_WORDS[body_mark_of(profile.models, members)] + borrowed


def described(pairs: Sequence[tuple[int, int]]) -> bool:
    """Whether the ranges of a channel say more than that it goes from one end to the other."""
    return len(pairs) > 1 or (len(pairs) == 1 and tuple(pairs[0]) != (0, 255))


def _functions(lay: Chart) -> list[tuple[str, int]]:
    return functions_of(
        (
            item.attribute,
            min(item.slots[0][1], MOST) if item.slots and item.slots[0][0] == 1 else 0,
            [f.attribute for part in item.channel.logical for f in part.functions],
            [s.name for part in item.channel.logical for f in part.functions for s in f.sets],
        )
        for item in lay.channels[:MAX_LINES]
    )


def _mode(chart: ChannelTable, name: str, lay: Chart) -> ModeFacts:
    lines = []
    for line in chart.lines[:MAX_LINES]:
        pairs = [
            (line.coarse(band.start), line.coarse(min(band.end, line.top)))
            for band in line.bands[:64]
        ]
        slots = [min(slot, MOST) for slot in line.slots]
        lines.append(
            (
                line.attribute,
                slots,
                min(line.cell, MOST),
                pairs if described(pairs) else [],
                min(line.block, MOST),
            )
        )
    attributes = {line.attribute for line in chart.lines}
    return ModeFacts(
        name,
        min(chart.footprint, MOST),
        len({line.block for line in chart.lines}),
        min(chart.cells, MOST),
        any(a.startswith("Color") and a[5:].isdigit() for a in attributes),
        any(pairs for _, _, _, pairs, _ in lines),
        lines,
        _functions(lay),
    )


def facts_of(read: Gdtf) -> Facts:
    """The facts of a profile that was read."""
    p = read.profile
    lays = [(mode, lay_flat(p, mode)) for mode in p.modes[:256]]
    modes = [_mode(make_sheet(p, mode, lay), mode.name, lay) for mode, lay in lays]
    return Facts(
        p.id,
        p.maker,
        p.name,
        p.long_name,
        p.description[:400],
        p.revision,
        body_mark_of(p.models, frozenset(read.members)),
        p.borrowed,
        p.refers_to,
        modes,
    )


def unpack(data: bytes) -> Facts:
    return msgspec.msgpack.decode(data, type=Facts)


def sheet_of(title: str, lines: list[Any]) -> ChannelTable:
    """The chart again from a mode's lines: attributes, places and ranges, without the names of
    ranges.
    """
    made = []
    for attribute, slots, cell, pairs, block in lines:
        shift = 8 * (max(1, len(slots)) - 1)
        bands = tuple(Band(low << shift, ((high + 1) << shift) - 1) for low, high in pairs)
        made.append(ChannelLine(tuple(slots), attribute, "", bands, None, block, cell))
    return ChannelTable(title, tuple(made))
