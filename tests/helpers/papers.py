"""A manual's chart as text and as PDF, written by hand."""

from __future__ import annotations

import zlib

UNIT = [
    ((1, 2), "Pan", "Pan", []),
    ((3, 4), "Tilt", "Tilt", []),
    ((5,), "Dimmer", "Dimmer", []),
    (
        (6,),
        "Shutter",
        "Shutter1",
        [(0, 15, "Closed"), (16, 239, "Strobe slow to fast"), (240, 255, "Open")],
    ),
    ((7,), "Cyan", "ColorSub_C", []),
    ((8,), "Colour wheel", "Color1", [(0, 31, "Open"), (32, 63, "Red"), (64, 255, "Rainbow")]),
    ((9,), "Zoom", "Zoom", []),
]


def written(
    cell: str,
    dash: str = "-",
    pad: int = 0,
    hexed: bool = False,
    percent: bool = False,
    pairs: str = "",
    head: bool = True,
) -> str:
    """The unit's chart as a manual prints it."""

    def value(number: int, end: bool = False) -> str:
        if percent:
            return f"{(number + (1 if end else 0)) / 2.56:.1f}%"
        return f"{number:02X}h" if hexed else f"{number:0{pad}d}"

    rows = [cell.join(("Channel", "Value", "Function", "Meaning"))] if head else []
    for slots, name, _, ranges in UNIT:
        full = f"{value(0)}{dash}{value(255, True)}"
        if len(slots) == 2 and pairs:
            rows.append(cell.join((f"{slots[0]}{pairs}{slots[1]}", f"0{dash}65535", name, "")))
            continue
        first = ranges[0] if ranges else None
        span = f"{value(first[0])}{dash}{value(first[1], True)}" if first else full
        rows.append(cell.join((str(slots[0]), span, name, first[2] if first else "")))
        rows += [
            cell.join(("", f"{value(low)}{dash}{value(high, True)}", "", words))
            for low, high, words in ranges[1:]
        ]
        if len(slots) == 2:
            rows.append(cell.join((str(slots[1]), full, f"{name} fine", "")))
    return "\n".join(rows)


def pdf(*pages: list[str]) -> bytes:
    """A PDF written by hand: one line of Courier text for each line given."""
    bodies = []
    for lines in pages:
        texts = " ".join(f"({line.replace('(', ' ').replace(')', ' ')}) Tj T*" for line in lines)
        bodies.append(f"BT /F1 10 Tf 12 TL 40 780 Td {texts} ET".encode("latin-1", "replace"))
    return pdf_of(bodies)


def pdf_of(bodies: list[bytes]) -> bytes:
    """A PDF with a page for each stream of drawing."""
    objects = [
        b"<< /Type /Catalog /Pages 2 0 R >>",
        b"",
        b"<< /Type /Font /Subtype /Type1 /BaseFont /Courier >>",
    ]
    kids = []
    for body in bodies:
        packed = zlib.compress(body)
        objects.append(
            b"<< /Length %d /Filter /FlateDecode >>\nstream\n%b\nendstream" % (len(packed), packed)
        )
        objects.append(
            f"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents {len(objects)} 0 R /Resources << /Font << /F1 3 0 R >> >> >>".encode()
        )
        kids.append(f"{len(objects)} 0 R")
    objects[1] = f"<< /Type /Pages /Kids [{' '.join(kids)}] /Count {len(kids)} >>".encode()
    out, offsets = b"%PDF-1.4\n", []
    for number, data in enumerate(objects, 1):
        offsets.append(len(out))
        out += b"%d 0 obj\n%b\nendobj\n" % (number, data)
    start = len(out)
    out += f"xref\n0 {len(objects) + 1}\n0000000000 65535 f \n".encode() + b"".join(
        b"%010d 00000 n \n" % offset for offset in offsets
    )
    return (
        out
        + f"trailer << /Size {len(objects) + 1} /Root 1 0 R >>\nstartxref\n{start}\n%%EOF".encode()
    )
