"""All papers, in one PDF or each in its own, made on a thread beside with progress and cancel."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QPushButton, QWidget

from isthmus.app.kit.tasks import Step, Task
from isthmus.app.kit.widgets import button, label
from isthmus.app.model.workbench import Workbench
from isthmus.papers.drawn import as_pdf, block_of, usual_size
from isthmus.papers.table import Paper
from isthmus.papers.whole import whole_set
from isthmus.plural import many
from isthmus.show.files import write_atomically
from isthmus.show.records import Show


class WholeSet:
    def __init__(self, view: QWidget, bench: Workbench) -> None:
        self._view, self._bench = view, bench
        self._task: Task | None = None
        self.told: QLabel = label("", "quiet")
        self.told.setObjectName("how far the set is")
        self.stop: QPushButton = button("Cancel", run=self.cancel, name="cancel the set")
        self.stop.hide()

    def line(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.addWidget(self.told, 1)
        line.addWidget(self.stop)
        return line

    def save(self, only: set[str] | None) -> None:
        """Ask where to; `only` are ids of units, None for all."""
        name, _ = QFileDialog.getSaveFileName(
            self._view.window(),
            "Save the whole set",
            f"{self._bench.show.name} papers.pdf",
            "*.pdf",
        )
        if name:
            target = Path(name)
            if target.suffix.lower() != ".pdf":
                target = target.with_name(f"{target.name}.pdf")
            self.write(target, only)

    def write(self, target: Path, only: set[str] | None) -> None:
        show = self._bench.show
        self._run(lambda step: _made(show, only, target, step), f"Saved {target.name}.")

    def _run(self, work: Callable[[Step], None], saved: str) -> None:
        """On a thread beside the interface, told and cancelled here."""
        self.cancel()
        self.stop.show()
        task = self._task = Task(work, self._view)
        task.progressed.connect(lambda share, words: self.told.setText(f"{100 * share:.0f} %"))
        task.done.connect(lambda _: self._bench.tell("ok", saved))
        task.failed.connect(lambda error: self._bench.tell("fault", str(error)))
        task.ended.connect(self._over)
        task.start()

    def each(self, folder: Path, names: Sequence[str], make: Callable[[int], Paper]) -> None:
        """Each paper as a file of its own, as PDF."""
        show, block = self._bench.show, block_of(self._bench.show)

        def run(step: Step) -> None:
            for at, name in enumerate(names):
                step(at / len(names), name)
                target = folder / f"{show.name} {name}.pdf".replace("/", "-")
                write_atomically(target, as_pdf(make(at), usual_size(), block))

        self._run(run, f"{many(len(names), 'paper')} saved in {folder}.")

    def _over(self) -> None:
        self.stop.hide()
        self.told.setText("")

    def cancel(self) -> None:
        if self._task is not None:
            self._task.cancel()
            self._task.wait()
            self._task = None


def _made(show: Show, only: set[str] | None, target: Path, step: Step) -> None:
    write_atomically(target, whole_set(show, usual_size(), only, step))
