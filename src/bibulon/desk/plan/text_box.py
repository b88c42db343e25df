"""Text in a box of its own on the plan, so that it can be read over anything."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QPainter,
    QPen,
)

from bibulon.desk.widgets import theme


def text_box(
    painter: QPainter, middle: QPointF, text: str, ink: str, border: str | None = None, size: int = 12
) -> None:
    """Text on a small paper label, upright whatever the plan does."""
    palette = theme.current.palette
    made = theme.font(size, QFont.Weight.DemiBold)
    metrics = QFontMetricsF(made)
    box = QRectF(0, 0, metrics.horizontalAdvance(text) + 10, metrics.height() + 2)
    box.moveCenter(middle)
    painter.setBrush(palette.colour("paper", 235))
    painter.setPen(QPen(QColor(border), 1.4) if border else Qt.PenStyle.NoPen)
    painter.drawRoundedRect(box, box.height() / 2, box.height() / 2)
    painter.setPen(QColor(ink))
    painter.setFont(made)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
