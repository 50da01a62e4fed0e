"""Tables whose columns are kept apart by spaces alone."""

from __future__ import annotations

import re

import numpy as np

WIDEST = 400
LOOKED = 2000
GAP = 2  # spaces in a row that may part two columns
SPILT = 0.08  # of the lines have more in a column than what ran over into it
FEW = 0.03  # of the lines may run over a gap: a long cell does


def in_columns(text: str) -> list[list[str]] | None:
    """Rows of cells by columns of spaces; None where the text has none. Every line is a row."""
    lines = [line.expandtabs(8).rstrip()[:WIDEST] for line in text.split("\n")]
    if lines and not lines[-1]:
        lines.pop()
    tabled = [line for line in lines if len(re.findall(rf"\S {{{GAP},}}(?=\S)", line)) >= 2]
    gap = re.compile(rf"^ |\S {{{GAP},}}\S")
    parted = sum(bool(gap.search(line)) for line in lines)  # merged cells leave two in a line
    if len(tabled) < 3 or parted < 0.3 * sum(bool(line) for line in lines):
        return None
    edges = _edges(tabled[:LOOKED])
    if len(edges) < 3:
        return None
    return [_cut(line, edges) if gap.search(line) else _alone(line) for line in lines]


def _edges(lines: list[str]) -> list[int]:
    """Where columns begin: after each strip that is blank in nearly all lines."""
    width = max(len(line) for line in lines)
    inked = np.zeros(width, int)
    for line in lines:
        inked += np.frombuffer(line.ljust(width).encode("utf-32-le"), np.uint32) != 32
    blank = inked <= FEW * len(lines)
    begins = [at for at in range(width) if not blank[at] and (at == 0 or blank[at - 1])]
    kept = [
        at for at in begins if at < GAP or all(blank[at - GAP : at])
    ]  # a single blank strip is a space within a column
    return _filled(lines, kept)


def _filled(lines: list[str], edges: list[int]) -> list[int]:
    """Edges without those of columns few lines have anything in: the end of a long cell."""
    ends = [*edges[1:], WIDEST]
    return [
        edge
        for n, (edge, end) in enumerate(zip(edges, ends, strict=True))
        if n == 0 or sum(bool(line[edge:end].strip()) for line in lines) > SPILT * len(lines)
    ]


def _cut(line: str, edges: list[int]) -> list[str]:
    """The cells of a line. A cell that runs into the next column is cut at its nearest space."""
    cells = []
    begin = 0
    for edge in [*edges[1:], len(line) + 1]:
        end = min(edge, len(line))
        if end < len(line) and line[end - 1 : end] not in ("", " "):
            space = line.rfind(" ", begin, end)
            end = space if space >= begin else end
        cells.append(line[begin:end].strip())
        begin = end
    return cells


def _alone(line: str) -> list[str]:
    return [" ".join(line.split())] if line.strip() else []
