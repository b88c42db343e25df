"""A dialog that shows what will come of a choice before it is taken."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.desk.plan.frame import Frame, fitted
from bibulon.desk.widgets import theme
from bibulon.desk.widgets.fields import column, label
from bibulon.job.base import Point

FORM_PX = 300
PREVIEW_PX = (560, 420)


class Preview(QWidget):
    """Draws what *paint* draws, in the frame that shows everything from ``low`` to ``high``."""

    def __init__(self, paint: Callable[[QPainter, Frame], None]) -> None:
        super().__init__()
        self._paint = paint
        self.low: Point = (0.0, 0.0)
        self.high: Point = (1.0, 1.0)
        self.setMinimumSize(*PREVIEW_PX)

    def show_range(self, low: Point, high: Point) -> None:
        self.low, self.high = low, high
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        try:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), QColor(theme.current.palette.ground))
            self._paint(painter, fitted(self.low, self.high, QRectF(self.rect()).adjusted(28, 28, -28, -28)))
        finally:
            painter.end()


class PreviewDialog(QDialog):
    """A preview on the left, a form on the right with the result, what is wrong and two buttons."""

    def __init__(self, parent: QWidget | None, title: str, take: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 16, 18, 16)
        row.setSpacing(18)
        self.preview = Preview(self.paint)
        row.addWidget(self.preview, 1)
        side = QWidget()
        side.setFixedWidth(FORM_PX)
        self.form = QVBoxLayout(side)
        self.form.setContentsMargins(0, 0, 0, 0)
        self.form.setSpacing(8)
        self.form.addWidget(label(title, "title"))
        self.fields = column(8)
        self.form.addLayout(self.fields)
        self.result_text = label("", "figure")
        self.note_text = label("", "muted")
        self.error = label("", "error")
        for text in (self.result_text, self.note_text, self.error):
            self.form.addWidget(text)
        self.form.addStretch(1)
        buttons = QHBoxLayout()
        self.take_button = QPushButton(take)
        self.take_button.setProperty("role", "main")
        self.take_button.clicked.connect(self.accept)
        leave = QPushButton("Leave it")
        leave.clicked.connect(self.reject)
        for button in (self.take_button, leave):
            button.setAutoDefault(False)  # Enter ends the typing in a field
        buttons.addWidget(self.take_button, 1)
        buttons.addWidget(leave)
        self.form.addLayout(buttons)
        row.addWidget(side)

    @abstractmethod
    def paint(self, painter: QPainter, frame: Frame) -> None:
        """Draw what was read, and what comes of it."""

    def show_outcome(self, result: str, notes: str = "", error: str = "") -> None:
        """Show how it stands; it can be taken unless something is wrong."""
        self.result_text.setText(result)
        self.note_text.setText(notes)
        self.note_text.setVisible(bool(notes))
        self.error.setText(error)
        self.error.setVisible(bool(error))
        self.take_button.setEnabled(not error and bool(result))
        self.preview.update()
