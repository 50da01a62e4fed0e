"""Drawings that come from outside, to lie beneath a sheet: PNG, JPEG, one page of a PDF, SVG.
Bounded, nothing fetched.
"""

from __future__ import annotations

import hashlib
import io
import re
from functools import lru_cache

from isthmus.errors import FileFault
from isthmus.plural import many
from isthmus.show.records import StoredFile

MAX_FILE = 48 * 1024 * 1024
MAX_PIXELS = 60_000_000
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


def take_picture(data: bytes, where: str, page: int = 1) -> tuple[StoredFile, float]:
    """A PNG, JPEG or PDF page as it is kept in a show, and its height over its width. Raises
    FileFault.
    """
    kind = kind_of(data)
    if len(data) > MAX_FILE:
        raise FileFault(
            f"it is larger than {MAX_FILE // 2**20} MB.", where=where, do="Export it smaller."
        )
    if kind == "pdf":
        data = _pdf_page(data, where, page)
    elif kind not in ("png", "jpeg"):
        raise FileFault(
            "this is not a PNG, JPEG, SVG or PDF.",
            where=where,
            do="Export the drawing as one of them.",
        )
    from PIL import Image

    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as picture:
            wide, high = picture.size
            if wide * high > MAX_PIXELS or wide < 2 or high < 2:
                raise FileFault(
                    f"it measures {wide} by {high} pixels.",
                    where=where,
                    do="Export it with 2 to 7000 pixels a side.",
                )
            picture.load()
            if max(wide, high) > LONGEST:
                picture.thumbnail((LONGEST, LONGEST))
                data = _png(picture)
            elif kind_of(data) == "jpeg" and picture.mode not in ("RGB", "L"):
                data = _png(picture.convert("RGB"))
    except FileFault:
        raise
    except Exception as error:  # Pillow raises whatever a broken file leads to
        raise FileFault(
            f"the picture cannot be read: {str(error)[:120]}.", where=where, do="Export it again."
        ) from error
    ending = "jpg" if kind_of(data) == "jpeg" else "png"
    return StoredFile(
        name=f"{hashlib.sha256(data).hexdigest()[:16]}.{ending}", data=data
    ), high / wide


def _png(picture) -> bytes:
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


def _pdf_page(data: bytes, where: str, page: int) -> bytes:
    import pypdfium2

    try:
        document = pypdfium2.PdfDocument(data)
        count = len(document)
        if not 1 <= page <= count:
            raise FileFault(
                f"it has {many(count, 'page')}, and no page {page}.",
                where=where,
                do=f"Choose 1 to {count}.",
            )
        sheet = document[page - 1]
        wide, high = sheet.get_size()
        if not (1 <= wide <= 20000 and 1 <= high <= 20000):
            raise FileFault(f"its page measures {wide:g} by {high:g} points.", where=where)
        picture = sheet.render(scale=min(3.0, 4200 / max(wide, high))).to_pil()
    except FileFault:
        raise
    except Exception as error:  # pdfium raises its own kinds
        raise FileFault(
            f"the PDF cannot be read: {str(error)[:120]}.",
            where=where,
            do="Export the page as PNG.",
        ) from error
    return _png(picture.convert("RGB"))


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
    parents = [(root, child) for child in root]
    while parents:
        parent, child = parents.pop()
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
        parents += [(child, inner) for inner in child]
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
    from PIL import Image

    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as opened:
            picture = opened.convert("RGBA")
    except (
        OSError,
        ValueError,
        SyntaxError,
        Image.DecompressionBombError,
    ) as error:  # Pillow has no one kind of its own
        raise FileFault(
            "the picture beneath the sheet cannot be read.", do="Choose the drawing again."
        ) from error
    if any(crop):
        wide, high = picture.size
        left, top, right, bottom = crop
        box = (
            round(left * wide),
            round(top * high),
            round((1 - right) * wide),
            round((1 - bottom) * high),
        )
        clear = Image.new("RGBA", picture.size, (255, 255, 255, 0))
        clear.paste(picture.crop(box), box[:2])
        picture = clear
    return _png(picture)
