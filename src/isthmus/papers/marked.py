"""A paper as one file of HTML that needs nothing else: read on a phone, printed from a browser."""

from __future__ import annotations

import re
from html import escape

from isthmus.papers.since import GONE, NEW
from isthmus.papers.table import Group, Mark, Paper

STYLE = """
body { font: 14px/1.4 system-ui, sans-serif; margin: 24px; color: #111; background: #fff; }
h1 { font-size: 20px; margin: 0 0 4px; } h2 { font-size: 15px; margin: 20px 0 2px; }
p { margin: 0 0 8px; color: #444; }
table { border-collapse: collapse; width: 100%; }
th { text-align: left; border-bottom: 1.5px solid #111; }
th, td { padding: 3px 8px 3px 0; vertical-align: top; }
td { border-bottom: 1px solid #ccc; }
.patch { display: inline-block; width: 3em; height: 1em; border: 1px solid #888; }
.figures { text-align: right; font-variant-numeric: tabular-nums; white-space: nowrap; }
mark { background: #ffe08a; } tr.gone td { text-decoration: line-through; color: #777; }
@media print { body { margin: 0; font-size: 10px; } thead { display: table-header-group; }
  tr { break-inside: avoid; } h2 { break-after: avoid; } }
"""


def as_html(paper: Paper) -> str:
    """Rows that are new or other are marked, those that are gone struck through."""
    title = escape(paper.title)
    parts = [
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{title}</title>',
        '<meta name="viewport" content="width=device-width">',
        f"<style>{STYLE}</style></head><body><h1>{title}</h1><p>{escape(paper.about)}</p>",
    ]
    for group in paper.groups:
        parts += _group(paper, group)
    return "".join([*parts, "</body></html>\n"])


def _group(paper: Paper, group: Group) -> list[str]:
    parts = [f"<h2>{escape(group.title)}</h2>"] if group.title else []
    parts += [f"<p>{escape(group.about)}</p>"] if group.about else []
    if not group.rows:
        return parts
    kinds = [' class="figures"' if column.figures else "" for column in paper.columns]
    heads = "".join(
        f"<th{kind}>{escape(column.words)}</th>"
        for column, kind in zip(paper.columns, kinds, strict=True)
    )
    parts.append(f"<table><thead><tr>{heads}</tr></thead><tbody>")
    for at, row in enumerate(group.rows):
        mark = group.marks.get(at, Mark())
        cells = "".join(
            f"<td{kind}>{_patch(words)}</td>"
            if paper.columns[column].patch
            else f"<td{kind}>{_cell(words, mark, column)}</td>"
            for column, (words, kind) in enumerate(zip(row, kinds, strict=True))
        )
        gone = ' class="gone"' if mark.how == GONE else ""
        parts.append(f"<tr{gone}>{cells}</tr>")
    return [*parts, "</tbody></table>"]


def _patch(colour: str) -> str:
    """A colour, shown."""
    if not re.fullmatch(r"#[0-9a-f]{6}", colour):
        return ""
    return f'<span class="patch" style="background:{colour}" title="{colour}"></span>'


def _cell(words: str, mark: Mark, column: int) -> str:
    text = escape(words)
    return f"<mark>{text}</mark>" if mark.how == NEW or column in mark.columns else text
