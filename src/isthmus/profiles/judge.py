"""What a chart leaves open: channels with no ranges, gaps, overlaps, names that say nothing; and
what to ask the maker.
"""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass
from typing import Literal

from isthmus.profiles.channel_table import ChannelLine, ChannelTable

Kind = Literal[
    "no ranges",
    "gap",
    "overlap",
    "reversed",
    "past the end",
    "says nothing",
    "no attribute",
    "doubled",
    "shared slot",
    "missing channel",
]
# attributes that go from one end to the other; for the rest, 0–255 without ranges tells nothing
_STEADY = re.compile(
    r"(Dimmer|Pan|Tilt|Zoom|Iris|Focus\d*|ColorAdd_|ColorSub_|CT[OBC]|HSB_|Tint|Blade|Shaper|Haze|Fog|Fan|Blower|Pan.*|Tilt.*|PositionMSpeed"
    r"|Gobo\d+Pos$|Prism\d+Pos$|XYZ_|Scale|ColorRGB_|Frost|Effects\d+(Rate|Fade)|NoFeature)"
)
_NOTHING = re.compile(
    r"(|[-–—?.*/ ]+|n/?a|tbd|t\.b\.d\.?|function( "
    r"\d+)?|effect|macro|mode|range|value|other|misc\.?|see (manual|below|above)|\d+)",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class Finding:
    kind: Kind
    line: ChannelLine | None
    text: str
    ask: str = ""  # the question to the maker; empty when it is not theirs to answer


def judge(sheet: ChannelTable) -> list[Finding]:
    """Every finding in the order of the chart."""
    found: list[Finding] = []
    owners: dict[tuple[int, int], list[ChannelLine]] = {}
    for line in sheet.lines:
        found.extend(_line(line))
        for slot in line.slots:
            owners.setdefault((line.block, slot), []).append(line)
    for (_, slot), lines in sorted(owners.items()):
        if len(lines) > 1:
            text = f"Channel {slot} is claimed by {' and '.join(line.words for line in lines[:3])}."
            found.append(
                Finding(
                    "shared slot",
                    lines[1],
                    text,
                    f"Which one is channel {slot}: "
                    f"{' or '.join(line.words for line in lines[:3])}?",
                )
            )
    for each in sorted({line.block for line in sheet.lines}):
        slots = {slot for at, slot in owners if at == each}
        for first, last in _runs(set(range(1, max(slots, default=0))) - slots):
            which = f"channel {first}" if first == last else f"channels {first} to {last}"
            found.append(
                Finding(
                    "missing channel",
                    None,
                    f"Nothing is said of {which}.",
                    f"What do {which} do?" if first != last else f"What does {which} do?",
                )
            )
    counts = Counter(
        (line.attribute, line.cell)
        for line in sheet.lines
        if line.attribute and line.attribute != "NoFeature"
    )
    for line in sheet.lines:
        if counts.pop((line.attribute, line.cell), 0) > 1:
            found.append(
                Finding(
                    "doubled",
                    line,
                    f"{line.words.capitalize()} stands on several "
                    f"channels{f' of cell {line.cell}' if line.cell else ''}.",
                )
            )
    return found


def _line(line: ChannelLine) -> list[Finding]:
    name = f"{line.words.capitalize()} (channel {line.where()})"
    bands = sorted((band for band in line.bands if not band.when), key=lambda band: band.start)
    if not line.attribute:
        return [
            Finding(
                "no attribute",
                line,
                f"{line.name or 'A channel without a name'} (channel {line.where()}) has no "
                "attribute yet.",
                f"What does channel {line.where()} do?",
            )
        ]
    if len(bands) <= 1 and not line.bands[1:] and not _STEADY.match(line.attribute):
        return [
            Finding(
                "no ranges",
                line,
                f"{name} has no ranges.",
                f"Which values of channel {line.where()} ({line.words}) do what?",
            )
        ]
    found: list[Finding] = []
    at = 0
    for band in bands:
        if band.end < band.start:
            found.append(
                Finding(
                    "reversed", line, f"{name}: the range {band.start}–{band.end} runs backwards."
                )
            )
            continue
        if band.start > at:
            found.append(
                Finding(
                    "gap",
                    line,
                    f"{name}: {at}–{band.start - 1} is not described.",
                    f"What does channel {line.where()} do from {at} to {band.start - 1}?",
                )
            )
        elif band.start < at:
            stop = min(at - 1, band.end)
            found.append(
                Finding(
                    "overlap",
                    line,
                    f"{name}: {band.start}–{stop} is described twice.",
                    f"Which holds for channel {line.where()} from {band.start} to {stop}?",
                )
            )
        if band.end > line.top:
            found.append(Finding("past the end", line, f"{name}: {band.end} is past {line.top}."))
        at = max(at, band.end + 1)
        if len(bands) > 1 and _NOTHING.fullmatch(band.name.strip()):
            found.append(
                Finding(
                    "says nothing",
                    line,
                    f"{name}: {band.start}–{band.end} is called “{band.name}”, which says nothing.",
                    f"What happens on channel {line.where()} from {band.start} to {band.end}?",
                )
            )
    if bands and at <= line.top:
        found.append(
            Finding(
                "gap",
                line,
                f"{name}: {at}–{line.top} is not described.",
                f"What does channel {line.where()} do from {at} to {line.top}?",
            )
        )
    return found


def _runs(numbers: set[int]) -> list[tuple[int, int]]:
    runs: list[tuple[int, int]] = []
    for number in sorted(numbers):
        if runs and number == runs[-1][1] + 1:
            runs[-1] = (runs[-1][0], number)
        else:
            runs.append((number, number))
    return runs


def note_to_maker(
    sheet: ChannelTable, findings: list[Finding], maker: str = "", model: str = ""
) -> str:
    """A letter ready to send; empty when the chart leaves nothing open."""
    questions = list(dict.fromkeys(finding.ask for finding in findings if finding.ask))
    if not questions:
        return ""
    unit = f"{maker} {model}".strip() or sheet.title or "your unit"
    lines = [
        f"Subject: DMX chart of {unit}",
        "",
        f"Dear {maker or 'maker'},",
        "",
        (
            f"we are preparing a show with {unit} and are writing its profile from the chart "
            "in the manual"
            f"{f' ({sheet.title})' if sheet.title and sheet.title != unit else ''}. The "
            "chart leaves these questions open:"
        ),
        "",
        *(f"{number}. {question}" for number, question in enumerate(questions, 1)),
        "",
        (
            "A GDTF file (DIN SPEC 15800) of the unit would answer all of them. If there is one, "
            "please send it to us."
        ),
        "",
        "Thank you.",
    ]
    return "\n".join(lines)
