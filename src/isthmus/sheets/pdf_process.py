"""One page of a PDF as PNG: `python -m isthmus.sheets.pdf_process PAGE`, a process apart."""

from __future__ import annotations

import io
import sys

from isthmus.apart import answer
from isthmus.errors import FileFault
from isthmus.plural import many

LONGEST, FINEST = 4200, 3.0  # pixels, and pixels a point


def page_of(data: bytes, page: int) -> bytes:
    """Raises FileFault."""
    import pypdfium2

    try:
        document = pypdfium2.PdfDocument(data)
        count = len(document)
        if not 1 <= page <= count:
            raise FileFault(
                f"it has {many(count, 'page')}, and no page {page}.", do=f"Choose 1 to {count}."
            )
        sheet = document[page - 1]
        wide, high = sheet.get_size()
        if not (1 <= wide <= 20000 and 1 <= high <= 20000):
            raise FileFault(f"its page measures {wide:g} by {high:g} points.")
        picture = sheet.render(scale=min(FINEST, LONGEST / max(wide, high))).to_pil()
    except FileFault:
        raise
    except Exception as error:  # pdfium raises its own kinds
        raise FileFault(
            f"the PDF cannot be read: {str(error)[:120]}.", do="Export the page as PNG."
        ) from error
    out = io.BytesIO()
    picture.convert("RGB").save(out, "PNG")
    return out.getvalue()


if __name__ == "__main__":
    sys.exit(answer(lambda data: page_of(data, int(sys.argv[1]))))
