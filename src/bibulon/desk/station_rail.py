"""The station rail: one button a station with its state."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QIcon, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QFrame, QVBoxLayout

from bibulon.desk.stations import STATIONS, Station, StationState, stations_for
from bibulon.desk.widgets import icons, theme
from bibulon.desk.widgets.rank_mark import paint_mark
from bibulon.desk.work.document import Document
from bibulon.job.base import StationId

WORDS: dict[StationState, str] = {
    "stop": "stops the job",
    "caution": "has cautions",
    "settled": "settled",
    "waits": "waits",
}


class StationButton(QAbstractButton):
    """Icon, name and state mark of one station."""

    def __init__(self, station: Station, number: int) -> None:
        super().__init__()
        self.station, self.number = station, number
        self.state: StationState = "waits"
        self.setCheckable(True)
        self.setText(station.name)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setFixedSize(QSize(82, 62))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._pictures: dict[str, QIcon] = {}

    def set_state(self, state: StationState) -> None:
        self.state = state
        self.setToolTip(f"{self.station.name} (Alt+{self.number % 10}): {WORDS[state]}")
        self.setAccessibleName(f"{self.station.name}, {WORDS[state]}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        palette = theme.current.palette
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(4, 2, -4, -2)
        painter.setPen(Qt.PenStyle.NoPen)
        if self.isChecked():
            painter.setBrush(QColor(palette.paper))
            painter.drawRoundedRect(box, 6, 6)
            painter.setBrush(QColor(palette.accent))
            painter.drawRoundedRect(QRectF(0, box.top() + 8, 4, box.height() - 16), 2, 2)
        elif self.underMouse():
            painter.setBrush(palette.colour("paper", 130))
            painter.drawRoundedRect(box, 6, 6)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QColor(palette.accent))
            painter.drawRoundedRect(box, 6, 6)
        colour = palette.ink if self.isChecked() else palette.muted
        if colour not in self._pictures:
            self._pictures[colour] = icons.icon(self.station.id, colour, 26)
        self._pictures[colour].paint(painter, self.width() // 2 - 13, 8, 26, 26)
        painter.setPen(QColor(colour))
        painter.setFont(theme.font(13, QFont.Weight.DemiBold if self.isChecked() else QFont.Weight.Normal))
        painter.drawText(QRectF(0, 36, self.width(), 20), Qt.AlignmentFlag.AlignCenter, self.text())
        paint_mark(painter, self.state, QRectF(self.width() - 24, 8, 13, 13))
        painter.end()


class StationRail(QFrame):
    """All stations, in work order."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("rail")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 6)
        layout.setSpacing(2)
        self.buttons: dict[str, StationButton] = {}
        group = QButtonGroup(self)
        for number, station in enumerate(STATIONS, 1):
            button = StationButton(station, number)
            button.clicked.connect(lambda _=False, name=station.id: self.chosen.emit(name))
            group.addButton(button)
            layout.addWidget(button)
            self.buttons[station.id] = button
        layout.addStretch(1)

    def choose(self, station: StationId) -> None:
        """Mark *station*; it is what Tab comes to, and arrows go on from it."""
        self.buttons[station].setChecked(True)
        for name, button in self.buttons.items():
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus if name == station else Qt.FocusPolicy.NoFocus)

    def refresh(self, document: Document) -> None:
        there = stations_for(document.job.process)
        for station in STATIONS:
            self.buttons[station.id].setVisible(station in there)
        for number, station in enumerate(there, 1):
            self.buttons[station.id].number = number
            self.buttons[station.id].set_state(station.state(document.assessment, document.cautions))
