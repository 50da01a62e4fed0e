"""Pictures out: a PNG of the present view at any size, a turntable or a chase as GIF. Drawn beside
the work, cancellable.
"""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QGridLayout, QProgressBar, QWidget

from isthmus.app.canvas.stage_view import StageView
from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.figures import figure_field, read_figure
from isthmus.app.kit.tasks import Step, Task
from isthmus.app.kit.widgets import choice, label
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault, IsthmusError
from isthmus.output import Live, RigView
from isthmus.render.still import GIF_SIDE, check_size, gif, png, stills, turntable
from isthmus.show.files import write_atomically

KINDS = (
    ("png", "One picture (PNG)"),
    ("turn", "Once round (GIF)"),
    ("chase", "The selected units, one after another (GIF)"),
)


class PictureDialog(Frame):
    def __init__(self, parent: QWidget, bench: Workbench, view: StageView) -> None:
        super().__init__(parent, "Picture of this view", "Save as…", self._save, 460)
        self.setObjectName("picture")
        self.bench, self.view = bench, view
        self._task: Task | None = None
        self.kind = choice("picture kind", KINDS)
        self.wide, self.high = (
            figure_field("picture width", 1920, 80),
            figure_field("picture height", 1200, 80),
        )
        for one, value in ((self.wide, "1920"), (self.high, "1200")):
            one.setText(value)
        self.count, self.seconds = figure_field("pictures", 36, 80), figure_field("seconds", 6, 80)
        self.count.setText("36")
        self.seconds.setText("6")
        grid = QGridLayout()
        rows = (
            ("Picture", self.kind),
            ("Width", self.wide),
            ("Height", self.high),
            ("Pictures", self.count),
            ("Seconds", self.seconds),
        )
        for y, (words, one) in enumerate(rows):
            grid.addWidget(label(words, "quiet"), y, 0)
            grid.addWidget(one, y, 1)
        self.body.addLayout(grid)
        self.bar = QProgressBar()
        self.bar.setVisible(False)
        self.body.addWidget(self.bar)
        self.kind.currentIndexChanged.connect(lambda _: self._other())
        self._other()

    def _other(self) -> None:
        moving = self.kind.currentData() != "png"
        for one in (self.count, self.seconds):
            one.setEnabled(moving)
        if moving and (read_figure(self.wide.text()) > GIF_SIDE):
            self.wide.setText("800")
            self.high.setText("500")

    def _save(self) -> bool:
        try:
            size = round(read_figure(self.wide.text())), round(read_figure(self.high.text()))
            kind, count, seconds = (
                self.kind.currentData(),
                round(read_figure(self.count.text())),
                read_figure(self.seconds.text()),
            )
            check_size(size)
            if kind != "png" and not (
                2 <= count <= 360 and 0.2 <= seconds <= 120 and max(size) <= GIF_SIDE
            ):
                raise EntryFault(
                    f"A GIF has 2 to 360 pictures of at most {GIF_SIDE} pixels a side, in "
                    "0.2 to 120 seconds."
                )
            if kind == "chase" and not self.bench.selection.ids:
                raise EntryFault("No units are selected.", do="Select the units to light in turn.")
        except IsthmusError as error:
            self.say_trouble(str(error))
            self.primary.setEnabled(True)
            return False
        ending = "png" if kind == "png" else "gif"
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Save the picture",
            f"stage.{ending}",
            f"*.{ending}",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if not name:
            return False
        self._begin(Path(name), kind, size, count, seconds)
        return False

    def _begin(
        self, path: Path, kind: str, size: tuple[int, int], count: int, seconds: float
    ) -> None:
        show, frame, camera = (
            self.view.staged.shown_show(),
            self.view.staged.source()[1].copy(),
            self.view.camera,
        )
        drawing = self.view.drawing
        view = (
            RigView(show, self.bench.levels.live.compiled)
            if self.view.rig_view is None
            else self.view.rig_view
        )
        chosen = list(self.bench.selection.ids)

        def work(step: Step) -> str:
            if kind == "png":
                shots = [(camera, frame)]
            elif kind == "turn":
                shots = [(c, frame) for c in turntable(camera, count)]
            else:
                live = Live(show)
                shots = []
                for index in range(count):
                    live.let_go(chosen)
                    live.light_up([chosen[index * len(chosen) // count]])
                    shots.append((camera, live.frame.copy()))
            pictures = stills(show, view, shots, size, drawing)
            if kind == "png":
                data = png(next(iter(pictures)), size)
            else:
                data = gif(
                    pictures, size, seconds, lambda n: step(n / len(shots), f"{n} of {len(shots)}")
                )
            step(1.0, "saving")
            write_atomically(path, data)
            return str(path)

        self.bar.setVisible(True)
        self.bar.setRange(0, 100 if kind != "png" else 0)
        self.primary.setEnabled(False)
        self._task = Task(work, self)
        self._task.progressed.connect(
            lambda share, words: (self.bar.setValue(round(100 * share)), self.bar.setFormat(words))
        )
        self._task.done.connect(self._done)
        self._task.failed.connect(lambda error: self.say_trouble(str(error)))
        self._task.ended.connect(self._ended)
        self._task.start()

    def _done(self, path: str) -> None:
        self.bench.tell("ok", f"Saved {path}.")
        self.accept()

    def _ended(self) -> None:
        self._task = None
        self.bar.setVisible(False)
        self.primary.setEnabled(True)

    def done(self, answer: int) -> None:
        if self._task is not None:
            self._task.cancel()
            self._task.wait()
        super().done(answer)
