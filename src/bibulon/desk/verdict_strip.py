"""The verdict strip: the figures that decide, always live; each leads to where it comes from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QFrame, QHBoxLayout, QSizePolicy, QToolButton, QVBoxLayout

from bibulon.assess import Assessment
from bibulon.cautions import Caution
from bibulon.desk.widgets import theme
from bibulon.desk.widgets.fields import label
from bibulon.desk.widgets.rank_mark import paint_mark
from bibulon.desk.work.document import Document
from bibulon.figures import Figure
from bibulon.job.base import StationId
from bibulon.quantities_in_words import percent

BUSY = "…"
WORKING = "working out the stack …"


@dataclass(frozen=True)
class Verdict:
    """One tile: its name, figure, the station it leads to and the cautions that mark it."""

    name: str
    figure: Callable[[Assessment], Figure]
    station: StationId
    cautions: tuple[str, ...] = ()


VERDICTS = (
    Verdict("Fill", lambda a: a.fill_time, "lines", ("no-fill",)),
    Verdict("Gel margin", lambda a: a.gel_margin, "cure", ("margin-short",)),
    Verdict("Charge", lambda a: a.charge_mass, "charge", ("charge-short", "batch-gels-first")),
    Verdict("Left dry", lambda a: a.dry_area, "lines", ("stays-dry",)),
    Verdict("Vacuum held", lambda a: a.vacuum, "hold", ("hold-failed", "hold-not-done", "hold-not-repeated")),
)


class Tile(QAbstractButton):
    """A figure with its name and, where a caution touches it, the caution's mark."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.name, self.value, self.rank, self.busy = name, "–", "", False
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Fixed)

    def set(self, value: str, how: str, rank: str, busy: bool) -> None:
        self.value, self.rank, self.busy = value, rank, busy
        self.setToolTip(how)
        self.setAccessibleName(f"{self.name}: {value}" + (f", {rank}" if rank else ""))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        value = QFontMetricsF(theme.font(21, QFont.Weight.DemiBold)).horizontalAdvance(self.value)
        name = QFontMetricsF(theme.font(12)).horizontalAdvance(self.name)
        return QSize(round(max(value + (22 if self.rank else 0), name, 62)) + 22, 54)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, event: QPaintEvent) -> None:
        palette = theme.current.palette
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.underMouse() or self.hasFocus():
            painter.setPen(QColor(palette.accent if self.hasFocus() else palette.rule))
            painter.setBrush(QColor(palette.ground))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(2, 2, -2, -2), 6, 6)
        painter.setPen(QColor(palette.muted))
        painter.setFont(theme.font(12))
        painter.drawText(QRectF(11, 6, self.width() - 14, 16), Qt.AlignmentFlag.AlignVCenter, self.name)
        left = 11.0
        if self.rank:
            paint_mark(painter, self.rank, QRectF(left, 28, 16, 16))
            left += 22
        painter.setPen(QColor(palette.muted if self.busy else palette.ink))
        painter.setFont(theme.font(21, QFont.Weight.DemiBold))
        painter.drawText(QRectF(left, 22, self.width() - left, 28), Qt.AlignmentFlag.AlignVCenter, self.value)
        painter.end()


class VerdictStrip(QFrame):
    """Job name and process at the left, the tiles at the right."""

    asked = Signal(str)
    cautions_asked = Signal()

    def __init__(self, menu_button: QToolButton, history: tuple[QToolButton, ...]) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setFixedHeight(62)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 2, 8, 2)
        row.setSpacing(2)
        row.addWidget(menu_button)
        names = QVBoxLayout()
        names.setSpacing(0)
        self.title = label("", "title", wrap=False)
        self.title.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.process = label("", "muted", wrap=False)
        self.process.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        names.addStretch(1)
        names.addWidget(self.title)
        names.addWidget(self.process)
        names.addStretch(1)
        row.addSpacing(6)
        row.addLayout(names, 1)
        for button in history:
            row.addWidget(button)
        row.addSpacing(6)
        self.tiles: dict[str, Tile] = {}
        for verdict in VERDICTS:
            tile = Tile(verdict.name)
            tile.clicked.connect(lambda _=False, station=verdict.station: self.asked.emit(station))
            row.addWidget(tile)
            self.tiles[verdict.name] = tile
        self.cautions = Tile("Cautions")
        self.cautions.clicked.connect(self.cautions_asked)
        row.addWidget(self.cautions)

    def show_share(self, share: float) -> None:
        """Say how far the working out of a large job is."""
        self.process.setText(f"{WORKING} {percent(share)}")

    def refresh(self, document: Document) -> None:
        assessment, cautions = document.assessment, document.cautions
        self.title.setText(document.job.name + (" •" if document.dirty else ""))
        self.title.setToolTip(str(document.path) if document.path else "Not saved to a file yet")
        where = document.path.name if document.path else "not saved yet"
        self.process.setText(WORKING if document.working else f"{document.job.process} · {where}")
        for verdict in VERDICTS:
            figure = verdict.figure(assessment)
            busy = document.runner.busy and verdict.name in ("Fill", "Gel margin", "Left dry")
            busy = busy or document.working
            value = figure.shown(assessment.units)
            if busy and figure.value is None and assessment.refusal is None:
                value = BUSY
            self.tiles[verdict.name].set(value, figure.how, _worst(cautions, verdict.cautions), busy)
        rank = cautions[0].rank if cautions else ""
        how = "\n".join(caution.message for caution in cautions) or "Nothing found."
        self.cautions.set(str(len(cautions)), how, rank, False)


def _worst(cautions: tuple[Caution, ...], ids: tuple[str, ...]) -> str:
    return next((caution.rank for caution in cautions if caution.id in ids), "")
