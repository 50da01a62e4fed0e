"""The record of roll call: who saw what and when, unit by unit and round by round, as CSV and PDF;
and the snag list.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from html import escape

from isthmus.check.findings.told import FindingTold
from isthmus.check.verdicts import by_place, holds, say, tally, tally_words
from isthmus.patch.cells import addresses
from isthmus.profiles import profiles_of
from isthmus.sheets.files import register_fonts
from isthmus.sheets.widths import FACES
from isthmus.show.records import Show, Unit, Verdict

PLAIN, BOLD = FACES[False, False], FACES[True, False]
HEAD = (
    "Unit",
    "Name",
    "Position",
    "Address",
    "Type",
    "Mode",
    "Round",
    "Verdict",
    "What",
    "Lit instead or too",
    "Note",
    "By",
    "At",
    "Holds",
)


def rows(show: Show) -> list[tuple[str, ...]]:
    """One line for each unit and round, the present round last; a unit no one called has one line
    without a verdict.
    """
    by_id = {u.id: u for u in show.units}
    rounds: list[tuple[str, dict[str, Verdict]]] = [
        (r.name, {v.unit: v for v in r.verdicts}) for r in show.rounds
    ]
    rounds.append(("now", {v.unit: v for v in show.verdicts}))
    out = []
    for unit in sorted(show.units, key=lambda u: u.number):
        found = profiles_of(show).mode_of(unit)
        head = (
            str(unit.number),
            unit.name,
            unit.hangs_on,
            addresses(unit),
            found[0].label if found else "",
            unit.mode,
        )
        mine = [(name, verdicts[unit.id]) for name, verdicts in rounds if unit.id in verdicts]
        for name, v in mine:
            others = " ".join(str(by_id[u].number) for u in v.others if u in by_id)
            fresh = ("yes" if holds(show, v) else "out of date") if name == "now" else ""
            out.append(
                (*head, name, v.result, ", ".join(v.what), others, v.note, v.by, v.at, fresh)
            )
        if not mine:
            out.append((*head, "now", "", "", "", "", "", "", ""))
    return out


def as_csv(show: Show) -> bytes:
    """UTF-8 with a mark at its head, so that spreadsheets read it; cells that look like formulas
    are kept from being one.
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(HEAD)
    for row in rows(show):
        writer.writerow(
            [
                f"'{cell}"
                if cell[:1] in ("=", "+", "@", "-") and not cell.lstrip("-+").isdigit()
                else cell
                for cell in row
            ]
        )
    return b"\xef\xbb\xbf" + out.getvalue().encode()


def open_faults(show: Show) -> list[tuple[str, list[tuple[Unit, str]]]]:
    """By position, in order: units that are wrong, silent, or not proven, each with what is
    known.
    """
    held = {v.unit: v for v in show.verdicts}
    out: dict[str, list[tuple[Unit, str]]] = {}
    for unit in sorted(show.units, key=lambda u: (u.hangs_on, u.number)):
        verdict = held.get(unit.id)
        if verdict is None or verdict.result == "works":
            continue
        words = say(show, verdict) + ("" if holds(show, verdict) else " (out of date)")
        out.setdefault(unit.hangs_on or "nowhere yet", []).append((unit, words))
    return list(out.items())


def as_pdf(show: Show, findings: Sequence[FindingTold] = (), snags_only: bool = False) -> bytes:
    """The record on A4, or the snag list alone: open faults by position with the likely cause, a
    box to tick.
    """
    from reportlab.lib.pagesizes import A4, landscape
    from reportlab.lib.styles import getSampleStyleSheet
    from reportlab.lib.utils import ImageReader
    from reportlab.pdfbase.pdfmetrics import registerFontFamily
    from reportlab.platypus import Image, Paragraph, SimpleDocTemplate, Spacer, Table

    buffer = io.BytesIO()
    title = f"{show.name}: {'snag list' if snags_only else 'record of roll call'}"
    doc = SimpleDocTemplate(
        buffer,
        pagesize=landscape(A4),
        title=title,
        author="Isthmus",
        leftMargin=36,
        rightMargin=36,
        topMargin=40,
        bottomMargin=40,
    )
    register_fonts((PLAIN, BOLD))  # ReportLab's own know no Łuk and no Θάλασσα
    for face in (PLAIN, BOLD):
        registerFontFamily(face, face, face, face, face)
    styles = getSampleStyleSheet()
    for name, face in (("BodyText", PLAIN), ("Title", BOLD), ("Heading2", BOLD)):
        styles[name].fontName = face
    small = styles["BodyText"].clone("small", fontSize=8, leading=10)
    bold = small.clone("bold", fontName=BOLD)

    def cell(words: str) -> Paragraph:
        return Paragraph(escape(words), small)

    count = tally(show)
    told = f"{tally_words(count)}, {count['left']} not proven."
    last = max((v.at for v in show.verdicts), default="")
    story: list = [
        Paragraph(escape(title), styles["Title"]),
        Paragraph(escape(f"{show.venue or ''} {last[:16].replace('T', ' ')}  {told}"), small),
    ]
    causes = {u: f.words for f in findings for u in f.units}
    files = {f.name: f.data for f in show.files}

    def seen(words: str, picture: str) -> object:
        """What was seen, with the picture taken of it."""
        try:
            taken = ImageReader(io.BytesIO(files.get(picture, b"")))
        except OSError:  # none, or one that cannot be read
            return cell(words)
        wide, high = taken.getSize()
        scale = min(150 / wide, 110 / high)
        return [cell(words), Image(io.BytesIO(files[picture]), wide * scale, high * scale)]

    for place, units in open_faults(show):
        story += [Spacer(1, 8), Paragraph(escape(place), styles["Heading2"])]
        lines = [["", "Unit", "Name", "Address", "Seen", "Likely cause", "By, at"]]
        for unit, words in units:
            verdict = next(v for v in show.verdicts if v.unit == unit.id)
            who = f"{verdict.by} {verdict.at[11:16]}".strip()
            texts = (str(unit.number), unit.name, addresses(unit))
            last_two = (causes.get(unit.id, ""), who)
            row = ["[  ]", *map(cell, texts), seen(words, verdict.picture), *map(cell, last_two)]
            lines.append(row)  # type: ignore[arg-type]
        story.append(
            Table(lines, colWidths=(24, 44, 120, 60, 210, 220, 80), repeatRows=1, style=_LINES)
        )
    if not open_faults(show):
        story.append(Paragraph("No open faults among the units called.", styles["BodyText"]))
    if not snags_only:
        story += [Spacer(1, 12), Paragraph("By position", styles["Heading2"])]
        lines = [["Position", "Works", "Wrong", "Silent", "Left"]]
        lines += [
            [place, *(str(c[k]) for k in ("works", "wrong", "silent", "left"))]
            for place, c in by_place(show)
        ]
        story.append(
            Table(lines, colWidths=(240, 60, 60, 60, 60), repeatRows=1, style=_LINES, hAlign="LEFT")
        )
        story += [Spacer(1, 12), Paragraph("Unit by unit", styles["Heading2"])]
        pick = (0, 1, 2, 3, 6, 7, 8, 9, 10, 11, 12)
        body = [
            [cell(row[i][:16].replace("T", " ") if HEAD[i] == "At" else row[i]) for i in pick]
            for row in rows(show)
        ]
        widths = (34, 106, 104, 52, 50, 44, 90, 66, 116, 50, 80)
        story.append(
            Table(
                [[Paragraph(HEAD[i], bold) for i in pick], *body],
                colWidths=widths,
                repeatRows=1,
                style=_LINES,
            )
        )
    doc.build(story)
    return buffer.getvalue()


_LINES = [
    ("FONTSIZE", (0, 0), (-1, -1), 8),
    ("VALIGN", (0, 0), (-1, -1), "TOP"),
    ("LINEBELOW", (0, 0), (-1, -1), 0.25, "#888888"),
    ("FONTNAME", (0, 0), (-1, -1), PLAIN),
    ("FONTNAME", (0, 0), (-1, 0), BOLD),
]
