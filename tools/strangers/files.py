"""Rows of text as files of the kinds people send: text tables, spreadsheets, printed pages."""

from __future__ import annotations

import csv
import io
import zipfile
from xml.sax.saxutils import escape

from tools.strangers.habits import Habits
from tools.strangers.typed import Page


def written(page: Page, habits: Habits) -> tuple[bytes, str, dict[int, int]]:
    """The file, its ending, and the physical line (or sheet row) of each row; none for print."""
    if habits.file == "xlsx":
        return _xlsx(page), "xlsx", {n: n + 1 for n in range(len(page.rows))}
    if habits.file == "ods":
        return _ods(page), "ods", {n: n + 1 for n in range(len(page.rows))}
    if habits.file.startswith("pdf"):
        return _pdf(page, habits.file == "pdf"), "pdf", {}
    text, lines = _fixed(page) if habits.file == "fixed" else _marked(page, habits.mark)
    return text.replace("\n", habits.ends).encode(habits.coding, "replace"), "txt", lines


def _marked(page: Page, mark: str) -> tuple[str, dict[int, int]]:
    out, lines, line = io.StringIO(), {}, 1
    for n, row in enumerate(page.rows):
        lines[n] = line
        if mark == "|":
            made = " | ".join(row).rstrip() + "\n"
        elif mark == "\t":
            made = "\t".join(row).rstrip("\t") + "\n"
        else:
            one = io.StringIO()
            csv.writer(one, delimiter=mark, lineterminator="\n").writerow(row)
            made = one.getvalue()
        out.write(made)
        line += made.count("\n")
    return out.getvalue(), lines


def _fixed(page: Page) -> tuple[str, dict[int, int]]:
    rows = [row for row in page.rows if sum(bool(cell) for cell in row) > 1]
    wide = [max((len(row[at]) for row in rows), default=0) + 2 for at in range(len(page.rows[0]))]
    made = []
    for row in page.rows:
        alone = sum(bool(cell) for cell in row) <= 1
        made.append(
            row[0] if alone else "".join(c.ljust(w) for c, w in zip(row, wide, strict=False)).rstrip()
        )
    return "\n".join(made) + "\n", {n: n + 1 for n in range(len(made))}


def _letter(at: int) -> str:
    return chr(65 + at) if at < 26 else chr(64 + at // 26) + chr(65 + at % 26)


def _xlsx(page: Page) -> bytes:
    """The least a spreadsheet needs; whole numbers as numbers, as typing them makes them."""
    body = []
    for n, row in enumerate(page.rows, 1):
        cells = []
        for at, text in enumerate(row):
            if not text:
                continue
            if text.isdigit():
                cells.append(f'<c r="{_letter(at)}{n}"><v>{text}</v></c>')
            else:
                cells.append(
                    f'<c r="{_letter(at)}{n}" t="inlineStr"><is><t>{escape(text)}</t></is></c>'
                )
        body.append(f'<row r="{n}">{"".join(cells)}</row>')
    merges = "".join(
        f'<mergeCell ref="{_letter(at)}{first + 1}:{_letter(at)}{last + 1}"/>'
        for at, first, last in page.merges
    )
    merged = f'<mergeCells count="{len(page.merges)}">{merges}</mergeCells>' if merges else ""
    main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
    rel = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    pack = "http://schemas.openxmlformats.org/package/2006"
    kind = "application/vnd.openxmlformats-officedocument.spreadsheetml"
    parts = {
        "[Content_Types].xml": f'<Types xmlns="{pack}/content-types">'
        '<Default Extension="rels" ContentType='
        '"application/vnd.openxmlformats-package.relationships+xml"/>'
        f'<Override PartName="/xl/workbook.xml" ContentType="{kind}.sheet.main+xml"/>'
        f'<Override PartName="/xl/worksheets/sheet1.xml" ContentType="{kind}.worksheet+xml"/>'
        f'<Override PartName="/xl/worksheets/sheet2.xml" ContentType="{kind}.worksheet+xml"/>'
        "</Types>",
        "_rels/.rels": f'<Relationships xmlns="{pack}/relationships"><Relationship Id="r1" '
        f'Type="{rel}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
        "xl/workbook.xml": f'<workbook xmlns="{main}" xmlns:r="{rel}"><sheets>'
        '<sheet name="Cover" sheetId="1" r:id="r1"/><sheet name="Rig" sheetId="2" r:id="r2"/>'
        "</sheets></workbook>",
        "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{pack}/relationships">'
        f'<Relationship Id="r1" Type="{rel}/worksheet" Target="worksheets/sheet1.xml"/>'
        f'<Relationship Id="r2" Type="{rel}/worksheet" Target="worksheets/sheet2.xml"/>'
        "</Relationships>",
        "xl/worksheets/sheet1.xml": f'<worksheet xmlns="{main}"><sheetData><row r="1">'
        '<c r="A1" t="inlineStr"><is><t>Lantern Tide</t></is></c></row></sheetData></worksheet>',
        "xl/worksheets/sheet2.xml": f'<worksheet xmlns="{main}"><sheetData>{"".join(body)}'
        f"</sheetData>{merged}</worksheet>",
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, text in parts.items():
            made.writestr(name, f'<?xml version="1.0" encoding="UTF-8"?>{text}')
    return out.getvalue()


def _ods(page: Page) -> bytes:
    space = "urn:oasis:names:tc:opendocument:xmlns"
    rows = []
    for row in page.rows:
        cells = "".join(
            f'<table:table-cell office:value-type="float" office:value="{text}">'
            f"<text:p>{text}</text:p></table:table-cell>"
            if text.isdigit()
            else '<table:table-cell office:value-type="string">'
            f"<text:p>{escape(text)}</text:p></table:table-cell>"
            if text
            else "<table:table-cell/>"
            for text in row
        )
        rows.append(f"<table:table-row>{cells}</table:table-row>")
    body = (
        f'<office:document-content xmlns:office="{space}:office:1.0" '
        f'xmlns:table="{space}:table:1.0" xmlns:text="{space}:text:1.0" office:version="1.3">'
        f'<office:body><office:spreadsheet><table:table table:name="Rig">{"".join(rows)}'
        "</table:table></office:spreadsheet></office:body></office:document-content>"
    )
    kind = "application/vnd.oasis.opendocument.spreadsheet"
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as made:
        made.writestr("mimetype", kind)
        made.writestr(
            "META-INF/manifest.xml",
            f'<manifest:manifest xmlns:manifest="{space}:manifest:1.0" manifest:version="1.3">'
            f'<manifest:file-entry manifest:full-path="/" manifest:media-type="{kind}"/>'
            '<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/>'
            "</manifest:manifest>",
        )
        made.writestr("content.xml", f'<?xml version="1.0" encoding="UTF-8"?>{body}')
    return out.getvalue()


def _pdf(page: Page, ruled: bool) -> bytes:
    from reportlab.lib.pagesizes import A4, landscape
    from reportlab.pdfgen.canvas import Canvas

    out = io.BytesIO()
    width, height = landscape(A4)
    canvas = Canvas(out, (width, height))
    columns = len(page.rows[0])
    step = (width - 60) / columns
    y = height - 40
    for row in page.rows:
        if y < 40:
            canvas.showPage()
            y = height - 40
        alone = sum(bool(cell) for cell in row) <= 1
        for at, text in enumerate(row):
            wide = canvas.stringWidth(text, "Helvetica", 8)
            canvas.setFont("Helvetica", 8 if alone or wide < step - 8 else 8 * (step - 8) / wide)
            canvas.drawString(34 + at * step, y, text.replace("–", "-"))
            if ruled:
                canvas.rect(30 + at * step, y - 4, step, 13)
        y -= 13
    canvas.save()
    return out.getvalue()
