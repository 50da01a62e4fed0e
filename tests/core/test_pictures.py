"""Pictures and drawings from outside: scaled within bounds, or read by a process that may die."""

from __future__ import annotations

import io
import struct
import subprocess
import sys
import zlib
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from isthmus.apart import run_apart
from isthmus.errors import Cancelled, FileFault
from isthmus.pictures import small_picture
from isthmus.sheets.pictures import take_picture


def _flat_png(wide: int, high: int, bits: int, colour: int) -> bytes:
    """A PNG of nothing but noughts, made by hand after the standard: tiny, however large it says it is."""
    line = bytes(1 + -(-wide * bits * {0: 1, 6: 4}[colour] // 8))
    packer, body = zlib.compressobj(9), b""
    for _ in range(high):
        body += packer.compress(line)
    body += packer.flush()

    def chunk(kind: bytes, data: bytes) -> bytes:
        return (
            struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
        )

    head = struct.pack(">IIBBBBB", wide, high, bits, colour, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", body) + chunk(b"IEND", b"")


GROWTH = """
import resource, sys
from isthmus.errors import FileFault
from isthmus.pictures import small_picture
import PIL.Image, PIL.PngImagePlugin
small_picture(open(sys.argv[1], "rb").read(), 500)
was = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
for name in sys.argv[2:]:
    try:
        print(small_picture(open(name, "rb").read(), 5000).size)
    except FileFault as fault:
        print(fault.what)
print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - was) // 1024)
"""  # fmt: skip


def test_pictures_are_scaled_within_bounds_and_bombs_are_not_unpacked(tmp_path: Path) -> None:
    small, large, bomb = (tmp_path / f"{name}.png" for name in ("small", "large", "bomb"))
    small.write_bytes(_flat_png(8, 8, 8, 6))
    large.write_bytes(_flat_png(6200, 6200, 8, 6))  # 154 MB unpacked, 40 kB here
    bomb.write_bytes(_flat_png(30000, 3000, 1, 0))
    command = [sys.executable, "-c", GROWTH, str(small), str(large), str(bomb)]
    told = subprocess.run(command, capture_output=True, text=True, check=True).stdout.splitlines()
    assert told[:2] == ["(5000, 5000)", "the picture measures 30000 by 3000 pixels."]
    assert int(told[2]) < 300
    rng = np.random.default_rng(3)
    for shape in (96, 160, 4), (96, 160, 3), (96, 160):
        codes = rng.integers(0, 256, shape, np.uint8)
        codes[..., 3:] = 255
        out = io.BytesIO()
        Image.fromarray(codes).save(out, "PNG")
        made = np.asarray(small_picture(out.getvalue(), 40), np.float64)
        means = codes.reshape(24, 4, 40, 4, -1).mean((1, 3))
        assert np.abs(made - means).max() < 1.01
    photo = Image.new("RGB", (60, 40), (200, 20, 20))
    photo.paste((20, 20, 200), (0, 0, 30, 40))  # its left half is blue
    exif = photo.getexif()
    exif[0x0112], exif[0x010E] = 6, "taken at the quay"  # to be turned clockwise by a quarter
    out = io.BytesIO()
    photo.save(out, "JPEG", exif=exif)
    upright = small_picture(out.getvalue(), 30)
    above, below = np.asarray(upright)[[4, 26], 10]
    assert upright.size == (20, 30) and above[2] > 150 > above[0] and below[0] > 150 > below[2]
    assert b"quay" in out.getvalue() and b"quay" not in take_picture(out.getvalue(), "a")[0].data
    sixteen = Image.fromarray(np.full((4, 4), 0x80FF, np.uint16))
    out = io.BytesIO()
    sixteen.save(out, "PNG")
    assert np.asarray(small_picture(out.getvalue(), 9))[1, 1].tolist() == [128, 128, 128]


def test_foreign_drawings_are_read_by_a_process_that_may_die(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    svg = "isthmus.app.canvas.svg_process"
    head = '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">'
    deep = f"{head}{'<g>' * 300}{'</g>' * 300}</svg>"
    with pytest.raises(FileFault, match="parts in one another"):
        run_apart(svg, deep.encode(), "deep.svg")
    uses = "".join(
        f'<g id="a{n}">' + f'<use href="#a{n - 1}"/>' * 12 + "</g>" for n in range(1, 12)
    )
    lots = f'{head}<g id="a0"><circle r="4"/></g>{uses}<use href="#a11"/></svg>'
    with monkeypatch.context() as hasty, pytest.raises(FileFault, match="not drawn within 3 s"):
        hasty.setattr("isthmus.apart.SECONDS", 3)
        run_apart(svg, lots.encode(), "lots.svg")
    fine = run_apart(
        svg, f'{head}<rect width="9" height="9" fill="#204060"/></svg>'.encode(), "a.svg"
    )
    assert Image.open(io.BytesIO(fine)).convert("RGB").getpixel((40, 40)) == (0x20, 0x40, 0x60)
    with pytest.raises(FileFault, match="the PDF cannot be read"):
        take_picture(b"%PDF-1.7\n" + bytes(200), "a.pdf")
    with pytest.raises(Cancelled):
        run_apart(svg, lots.encode(), "lots.svg", told=lambda: (_ for _ in ()).throw(Cancelled()))
