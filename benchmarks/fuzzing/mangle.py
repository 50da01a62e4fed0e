"""Good input made bad: bytes, values and stretches changed; the same for the same number."""

from __future__ import annotations

import io
import random
import re
import struct
import zipfile
import zlib

FIGURES = (b"0", b"-1", b"1e308", b"-1e308", b"1e999", b"nan", b"9" * 400, b"0x7f", b"2147483648")
PIECES = (
    b"", b"\x00", b"\xff\xfe", b"\xef\xbb\xbf", b"\xc3\x28", b'"', b"'", b",", b";", b"\t", b"\n",
    b"{", b"}", b"[", b"]", b"<", b">", b"&x;", b"null", b"true", b"../../etc/passwd",
    b"[" * 3000, b'{"a":' * 3000, b"x" * 70000, b"\xed\xa0\x80", b"%s%n", b"=1+1",
    b"<!ENTITY a 'b'>", *FIGURES,
)  # fmt: skip
_VALUES = (
    b"", b"-1", b"9" * 40, b"0/9", b"255/1s", b"None", b"nan", b"Base", b"Cell", b"1,2",
    b"1,1,1,1,1", b"{}", b"\xc3\xa9", b"&#x41;", b"<", b"0/1",
)  # fmt: skip
_WORDS = (
    "-", "…", "255", "0-9", "%", "0x", "FFh", "\t", "  ", "|", ";", "CH", "1", "16 bit", "fine",
    "Kanal", "–", "\u200b", "²", "(", "1e9", "999999", ",",
)  # fmt: skip


def mangled_bytes(rng: random.Random, good: bytes, most: int = 1 << 20) -> bytes:
    """Any file or packet: bytes, figures and stretches changed; sometimes cut, or made long."""
    data = bytearray(good)
    for _ in range(rng.choice((1, 1, 2, 4, 12))):
        at, kind = rng.randrange(len(data) + 1), rng.random()
        if kind < 0.35 and at < len(data):
            data[at] = rng.choice((0, 1, 0x7F, 0x80, 0xFF, rng.randrange(256)))
        elif kind < 0.5:
            data[at : at + rng.choice((1, 2, 4, 8))] = rng.choice(
                (b"\xff\xff\xff\xff", b"\x00\x00\x00\x80", b"\xff\xff\xff\x7f", bytes(8))
            )
        elif kind < 0.7:
            data[at : at + rng.randint(0, 20)] = rng.choice(PIECES)
        elif kind < 0.8:
            found = list(re.finditer(rb"-?\d+(\.\d+)?", data[at : at + 4000]))
            if found:
                one = rng.choice(found)
                data[at + one.start() : at + one.end()] = rng.choice(FIGURES)
        elif kind < 0.9:
            other = rng.randrange(len(data) + 1)
            data[at:at] = data[other : other + rng.randint(1, 400)] * rng.choice((1, 2, 40))
        else:
            del data[at : at + rng.randint(1, 200)]
    if rng.random() < 0.1:
        del data[rng.randrange(len(data) + 1) :]
    return bytes(data[:most])


def mangled_png(rng: random.Random, good: bytes) -> bytes:
    """Chunks changed and their sums made right again, so that it is not refused at the door."""
    out, at = bytearray(good[:8]), 8
    while at + 12 <= len(good):
        (size,) = struct.unpack_from(">I", good, at)
        kind, body = good[at + 4 : at + 8], good[at + 8 : at + 8 + size]
        if rng.random() < 0.4:
            body = mangled_bytes(rng, body)
        if kind == b"IHDR" and rng.random() < 0.5:
            sizes = (1, 9, 4000, 60_000, 2**31 - 1)
            body = struct.pack(">II", rng.choice(sizes), rng.choice(sizes)) + body[8:]
        out += struct.pack(">I", len(body)) + kind + body
        out += struct.pack(">I", zlib.crc32(kind + body))
        at += 12 + size
    return bytes(out)


def mangled_gdtf(rng: random.Random, good: bytes) -> bytes:
    """A description with values, marks or stretches changed, packed; sometimes the archive itself
    is cut.
    """
    text = bytearray(good)
    for _ in range(rng.randint(1, 8)):
        at = rng.randrange(len(text))
        opens = text.find(b'="', at)
        closes = text.find(b'"', opens + 2)
        kind = rng.random()
        if kind < 0.6 and 0 < opens < closes:
            text[opens + 2 : closes] = rng.choice(_VALUES)
        elif kind < 0.8:
            stretch = bytes(text[at : at + rng.randint(1, 200)])
            text[at:at] = stretch * rng.randint(1, 4)
        else:
            text[at : at + rng.randint(0, 20)] = rng.randbytes(rng.randint(0, 6))
    data = packed({"description.xml": bytes(text)})
    return data[: rng.randrange(len(data))] if rng.random() < 0.05 else data


def packed(members: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return out.getvalue()


def mangled_chart(rng: random.Random, good: str) -> str:
    """A chart's text with pieces swapped, doubled, dropped or strewn with what manuals hold."""
    text = good
    for _ in range(rng.randint(1, 10)):
        at = rng.randrange(len(text) + 1)
        kind = rng.random()
        if kind < 0.4:
            text = text[:at] + rng.choice(_WORDS) + text[at:]
        elif kind < 0.6:
            text = text[:at] + text[at + rng.randint(1, 30) :]
        elif kind < 0.8:
            other = rng.randrange(len(text) + 1)
            text = text[:at] + text[other : other + rng.randint(1, 200)] + text[at:]
        else:
            text = re.sub(
                re.escape(rng.choice("\t -0123456789\n")),
                rng.choice(_WORDS),
                text,
                count=rng.randint(1, 40),
            )
    return text[:200_000]
