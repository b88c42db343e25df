"""Caution ranks and station states by shape as well as colour."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QWidget

from bibulon.desk.widgets import theme
from bibulon.desk.widgets.fields import label

SHAPES = ("note", "caution", "stop", "settled", "waits")


def paint_mark(painter: QPainter, rank: str, box: QRectF) -> None:
    """Draw the mark of *rank* in *box*: a ring, a triangle, an octagon; a tick for settled, a dot for waits."""
    palette = theme.current.palette
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    middle, radius = box.center(), min(box.width(), box.height()) / 2
    painter.setPen(Qt.PenStyle.NoPen)
    if rank == "stop":
        painter.setBrush(QColor(palette.stop))
        octagon = QPolygonF(
            [
                middle + QPointF(x * radius, y * radius)
                for x, y in ((-.4, -1), (.4, -1), (1, -.4), (1, .4), (.4, 1), (-.4, 1), (-1, .4), (-1, -.4))
            ]
        )  # fmt: skip
        painter.drawPolygon(octagon)
        painter.setPen(QPen(QColor(palette.on_accent), max(radius * 0.3, 1.4)))
        painter.drawLine(middle - QPointF(radius * 0.5, 0), middle + QPointF(radius * 0.5, 0))
    elif rank == "caution":
        painter.setBrush(QColor(palette.caution))
        painter.drawPolygon(
            QPolygonF([middle + QPointF(0, -radius), middle + QPointF(radius, radius * 0.8),
                       middle + QPointF(-radius, radius * 0.8)])
        )  # fmt: skip
        painter.setPen(QPen(QColor(palette.on_accent), max(radius * 0.22, 1.3)))
        painter.drawLine(middle + QPointF(0, -radius * 0.35), middle + QPointF(0, radius * 0.2))
        painter.drawPoint(middle + QPointF(0, radius * 0.52))
    elif rank == "note":
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(palette.note), max(radius * 0.28, 1.5)))
        painter.drawEllipse(middle, radius * 0.82, radius * 0.82)
        painter.drawLine(middle + QPointF(0, -radius * 0.05), middle + QPointF(0, radius * 0.4))
    elif rank == "settled":
        painter.setPen(QPen(QColor(palette.good), max(radius * 0.34, 1.6), c=Qt.PenCapStyle.RoundCap))
        painter.drawPolyline(
            QPolygonF([middle + QPointF(-radius * 0.7, 0), middle + QPointF(-radius * 0.15, radius * 0.6),
                       middle + QPointF(radius * 0.75, -radius * 0.65)])
        )  # fmt: skip
    else:
        painter.setBrush(QColor(palette.rule))
        painter.drawEllipse(middle, radius * 0.4, radius * 0.4)


class RankMark(QWidget):
    """A mark as a widget."""

    def __init__(self, rank: str, size: int = 16) -> None:
        super().__init__()
        self.rank = rank
        self._size = size
        self.setFixedSize(QSize(size, size))
        self.setAccessibleName(rank)
        self.setToolTip(rank)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        paint_mark(painter, self.rank, QRectF(1, 1, self._size - 2, self._size - 2))
        painter.end()


def marked_row(rank: str, text: str, role: str = "") -> QHBoxLayout:
    """A line of text behind the mark of its *rank*."""
    row = QHBoxLayout()
    row.addWidget(RankMark(rank, 15), 0, Qt.AlignmentFlag.AlignTop)
    row.addWidget(label(text, role), 1)
    return row
