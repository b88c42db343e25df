"""The time rail with its buttons: play, and the shot or the whole day."""

from __future__ import annotations

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from bibulon.desk.time_rail.canvas import TimeCanvas
from bibulon.desk.widgets import icons
from bibulon.desk.widgets.fields import tool_button
from bibulon.desk.work.document import Document

PLAY_SECONDS = 8.0
PLAY_TICK_MS = 40


class TimeRail(QWidget):
    """The clock with its buttons: play, and the shot or the whole day."""

    scrubbed = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("time rail")
        row = QHBoxLayout(self)
        row.setContentsMargins(6, 0, 0, 0)
        row.setSpacing(4)
        buttons = QVBoxLayout()
        buttons.setContentsMargins(0, 10, 0, 6)
        self.play = tool_button("play", "Play the fill (P)", checkable=True)
        self.play.setShortcut("P")
        self.play.toggled.connect(self._toggle)
        self.day = tool_button("day", "The whole day (D)", checkable=True)
        self.day.setShortcut("D")
        self.day.toggled.connect(self._whole_day)
        buttons.addWidget(self.play)
        buttons.addWidget(self.day)
        buttons.addStretch(1)
        row.addLayout(buttons)
        self.canvas = TimeCanvas(document)
        self.canvas.scrubbed.connect(self.scrubbed)
        row.addWidget(self.canvas, 1)
        self._timer = QTimer(self)
        self._timer.setInterval(PLAY_TICK_MS)
        self._timer.timeout.connect(self._tick)

    def set_document(self, document: Document) -> None:
        self.canvas.set_document(document)
        self.canvas.scrub(None)

    def refresh(self) -> None:
        if self.canvas.time_s is not None and self.canvas.time_s >= self.canvas.fill_end() > 0:
            self.canvas.scrub(None)
        self.canvas.set_height()
        self.canvas.speak()
        self.canvas.update()

    def _whole_day(self, on: bool) -> None:
        self.canvas.whole_day = on
        self.canvas.update()

    def _toggle(self, on: bool) -> None:
        icons.put(self.play, "pause" if on else "play")
        if on:
            if self.canvas.time_s is None:
                self.canvas.scrub(0.0)
            self._timer.start()
        else:
            self._timer.stop()

    def _tick(self) -> None:
        here = self.canvas.time_s
        if here is None or self.canvas.fill_end() <= 0:
            self.play.setChecked(False)
            return
        self.canvas.scrub(here + self.canvas.fill_end() / PLAY_SECONDS * PLAY_TICK_MS / 1000)
