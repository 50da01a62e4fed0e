"""Saving what was made of a show as a file of its own: a paper, a record, a picture."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from isthmus.app.model.workbench import Workbench
from isthmus.errors import FileFault, os_reason
from isthmus.papers.drawn import as_csv, as_pdf, usual_size
from isthmus.papers.table import Paper


def save_made(
    bench: Workbench,
    over: QWidget,
    what: str,
    endings: Sequence[str],
    make: Callable[[str], bytes],
    title: str = "",
) -> None:
    """Ask where to, make it by the ending that was chosen, write it, and say so. The first ending
    is that of a name without one.
    """
    name = f"{bench.show.name} {what}.{endings[0]}"
    kinds = ";;".join(f"*.{ending}" for ending in endings)
    asked = title or f"Save the {what}"
    chosen, kind = QFileDialog.getSaveFileName(over, asked, name, kinds)
    if not chosen:
        return
    target = Path(chosen)
    if target.suffix[1:].lower() not in endings:
        target = target.with_name(f"{target.name}{kind[1:] or '.' + endings[0]}")

    def write() -> None:
        try:
            target.write_bytes(make(target.suffix[1:].lower()))
        except OSError as error:
            raise FileFault(
                f"the {what} could not be saved. {os_reason(error)}", where=target.name
            ) from error
        bench.tell("ok", f"Saved {target.name}.")

    bench.guard(write)


def save_paper(bench: Workbench, over: QWidget, what: str, make: Callable[[], Paper]) -> None:
    """A paper as PDF or CSV, whichever is chosen."""

    def drawn(ending: str) -> bytes:
        paper = make()
        return as_csv(paper).encode() if ending == "csv" else as_pdf(paper, usual_size())

    save_made(bench, over, what, ("pdf", "csv"), drawn)
