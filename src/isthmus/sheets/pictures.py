"""Drawings that come from outside, to lie beneath a sheet: PNG, JPEG, one page of a PDF, SVG.
Bounded, nothing fetched.
"""

from __future__ import annotations

import hashlib
import io
import re
from collections.abc import Callable
from functools import lru_cache

from isthmus.apart import run_apart
from isthmus.errors import FileFault
from isthmus.pictures import plain_picture, small_picture
from isthmus.show.records import StoredFile

MAX_FILE = 48 * 1024 * 1024
DEEPEST, MOST_PARTS = 200, 500_000  # of an SVG
LONGEST = 5000  # pixels a kept picture measures at most
_SVG_REFERENCE = re.compile(r"^(#|data:image/(png|jpe?g);base64,)", re.IGNORECASE)


def kind_of(data: bytes) -> str:
    """png, jpeg, pdf, svg, or empty when it is none of them; by its first bytes, never by
    its name.
    """
    if data.startswith(b"\x89PNG\r\n\x1a\n"):
        return "png"
    if data.startswith(b"\xff\xd8\xff"):
        return "jpeg"
    if data.lstrip()[:5] == b"%PDF-":
        return "pdf"
    head = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n").lower()
    return (
        "svg"
        if head.startswith((b"<?xml", b"<svg", b"<!--", b"<!doctype svg"))
        and b"<svg" in data[:65536].lower()
        else ""
    )


def take_picture(
    data: bytes, where: str, page: int = 1, told: Callable[[], object] = lambda: None
) -> tuple[StoredFile, float]:
    """A PNG, JPEG or PDF page as it is kept in a show, and its height over its width. `told` is
    called meanwhile, and may raise. Raises FileFault.
    """
    kind = kind_of(data)
    if len(data) > MAX_FILE:
        raise FileFault(
            f"it is larger than {MAX_FILE // 2**20} MB.", where=where, do="Export it smaller."
        )
    if kind == "pdf":
        data = run_apart("isthmus.sheets.pdf_process", data, where, str(page), told=told)
    elif kind not in ("png", "jpeg"):
        raise FileFault(
            "this is not a PNG, JPEG, SVG or PDF.",
            where=where,
            do="Export the drawing as one of them.",
        )
    picture = small_picture(data, LONGEST, where=where)
    wide, high = picture.size
    if min(wide, high) < 2:
        raise FileFault(
            f"it measures {wide} by {high} pixels.", where=where, do="Export it larger."
        )
    if not plain_picture(data, LONGEST):
        data = _png(picture)
    ending = "jpg" if kind_of(data) == "jpeg" else "png"
    return StoredFile(
        name=f"{hashlib.sha256(data).hexdigest()[:16]}.{ending}", data=data
    ), high / wide


def _png(picture) -> bytes:
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


def clean_svg(data: bytes, where: str) -> bytes:
    """An SVG with everything that leads outside taken out: references to files and addresses,
    scripts, style imports.

    Raises FileFault when it is not an SVG, or holds entities.
    """
    from defusedxml import ElementTree
    from defusedxml.common import DefusedXmlException

    if len(data) > MAX_FILE:
        raise FileFault(
            f"it is larger than {MAX_FILE // 2**20} MB.", where=where, do="Export it smaller."
        )
    try:
        root = ElementTree.fromstring(data, forbid_dtd=False)
    except DefusedXmlException as error:
        raise FileFault(
            "the SVG declares entities.", where=where, do="Export it again as plain SVG."
        ) from error
    except (ElementTree.ParseError, ValueError, LookupError, RecursionError) as error:
        raise FileFault(
            f"the SVG cannot be read: {str(error)[:120]}.", where=where, do="Export it again."
        ) from error
    if _bare(root.tag) != "svg":
        raise FileFault("this is XML, but no SVG.", where=where)
    parents = [(root, child, 1) for child in root]
    count = 0
    while parents:
        parent, child, depth = parents.pop()
        count += 1
        if depth > DEEPEST or count > MOST_PARTS:
            raise FileFault(
                f"the SVG has more than {DEEPEST} parts in one another, or {MOST_PARTS} in all.",
                where=where,
                do="Export it as PNG.",
            )
        style = (
            f"{child.get('style', '')} {child.text if _bare(child.tag) == 'style' else ''}".lower()
        )
        leads_out = any(
            _bare(k) == "href" and not _SVG_REFERENCE.match(v.strip())
            for k, v in child.attrib.items()
        )
        if (
            _bare(child.tag) in ("script", "foreignObject")
            or "@import" in style
            or re.search(r"url\(\s*['\"]?(?!#)", style)
            or leads_out
        ):
            parent.remove(child)
            continue
        for name in [n for n in child.attrib if _bare(n).lower().startswith("on")]:
            del child.attrib[name]
        parents += [(child, inner, depth + 1) for inner in child]
    import xml.etree.ElementTree as Plain

    return Plain.tostring(root)


def _bare(name: object) -> str:
    return str(name).rsplit("}", 1)[-1]


@lru_cache(maxsize=8)
def as_png(data: bytes, crop: tuple[float, float, float, float]) -> bytes:
    """A kept picture as PNG, with shares of its left, top, right and bottom cut away to
    transparent: the size stays.

    Raises FileFault when it cannot be read.
    """
    picture = small_picture(data, LONGEST, where="the background drawing").convert("RGBA")
    wide, high = picture.size
    left, right = round(crop[0] * wide), round((1 - crop[2]) * wide)
    up, down = round(crop[1] * high), round((1 - crop[3]) * high)
    for box in (
        (0, 0, left, high),
        (right, 0, wide, high),
        (0, 0, wide, up),
        (0, down, wide, high),
    ):
        picture.paste((255, 255, 255, 0), box)
    return _png(picture)
