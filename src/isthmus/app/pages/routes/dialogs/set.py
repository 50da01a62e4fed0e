"""Setting a node: before and after, what it would silence, asked once, and read back from
the node.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QCheckBox, QGridLayout, QWidget

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import label
from isthmus.app.model.net_link import NetLink
from isthmus.app.model.workbench import Workbench
from isthmus.errors import IsthmusError
from isthmus.net import FoundNode
from isthmus.net.setting import Wish, before_after, expected_after, left_undone, packets, silences

READ_BACK_MS, TRIES = 400, 12


class SetDialog(Frame):
    """Raises EntryFault when the wish cannot be."""

    def __init__(
        self,
        parent: QWidget,
        bench: Workbench,
        net: NetLink,
        node: FoundNode,
        wish: Wish,
        done: Callable[[], None],
    ) -> None:
        lines = before_after(node, wish)
        dark = silences(bench.show, node, wish)
        self._packets = packets(node, wish)
        super().__init__(parent, f"Set {node.name or node.ip}", "Set node", self._send, 620)
        self.setObjectName("set node")
        self.bench, self.net, self.node, self.wish_, self._done = bench, net, node, wish, done
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        for x, words in enumerate(("", "Before", "After", "")):
            grid.addWidget(label(words, "quiet", "caption"), 0, x)
        for y, line in enumerate(lines, 1):
            grid.addWidget(label(line.what, weight=500), y, 0)
            grid.addWidget(label(line.before, "quiet", mono=True, italic=True), y, 1)
            grid.addWidget(label(line.after, mono=True), y, 2)
            grid.addWidget(
                label(
                    "goes along: its page shares net and sub-net" if line.along else "",
                    "quiet",
                    "caption",
                ),
                y,
                3,
            )
        self.body.addLayout(grid)
        for words in dark:
            self.body.addWidget(label(words, "fault", wrap=True))
        if not dark:
            self.body.addWidget(label("Nothing that is sent now would go dark.", "quiet"))
        self.follow = QCheckBox("Update the show to match: expected node and outputs")
        self.follow.setFont(font("table"))
        self.follow.setChecked(any(n.ip == node.ip for n in bench.show.nodes))
        self.follow.setEnabled(self.follow.isChecked())
        self.body.addWidget(self.follow)
        self.state = label("", "quiet", wrap=True)
        self.body.addWidget(self.state)
        self._left = 0
        self._timer = QTimer(self)
        self._timer.setInterval(READ_BACK_MS)
        self._timer.timeout.connect(self._read_back)

    def _send(self) -> bool:
        for packet in self._packets:
            trouble = self.net.start().send(packet, self.node.ip)
            if trouble:
                self.say_trouble(f"It could not be sent to {self.node.ip}. {trouble}")
                return False
        self.primary.setEnabled(False)
        self.state.setText("Sent. Reading back what the node says…")
        self._left = TRIES
        self.net.look(True)
        self._timer.start()
        return False

    def _read_back(self) -> None:
        self._left -= 1
        undone = left_undone(self.net.view.nodes, self.node, self.wish_)
        if not undone:
            self._timer.stop()
            self._finish()
        elif self._left <= 0:
            self._timer.stop()
            self.say_trouble(f"The node did not take everything: {'; '.join(undone)}.")
            self.primary.setEnabled(True)
        else:
            hub = self.net.start()
            for packet in (
                self._packets if self._left == TRIES // 2 else ()
            ):  # one may have been lost
                hub.send(packet, self.node.ip)
            hub.poll_soon()

    def _finish(self) -> None:
        try:
            if self.follow.isChecked():
                self.bench.commit(
                    f"set {self.node.name}", expected_after(self.bench.show, self.node, self.wish_)
                )
        except IsthmusError as error:
            self.bench.tell("attention", f"The node is set; the show could not follow. {error}")
        self.bench.tell("ok", f"{self.wish_.name or self.node.name} is set, and says so.")
        self.accept()
        self._done()
