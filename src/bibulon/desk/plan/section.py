"""The stack in section along a line on the plan, dry or with the resin in it."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QPainter, QPen, QPolygonF

from bibulon.desk.plan.frame import Frame
from bibulon.desk.widgets import theme
from bibulon.job.base import Point
from bibulon.laminate.section import Section
from bibulon.quantities import Units, show

PANEL_PX = 150
MARGIN_PX = 12
LEFT_PX = 84
RESIN_SHADE = 2
CORE_ALPHA = 70
LABEL_ROOM_PX = 10
LETTER_OFF_PX = 22.0
STRONGEST = 400
"""Heights are drawn at most so many times too large."""


def paint_section(
    painter: QPainter,
    frame: Frame,
    area: QRect,
    units: Units,
    section: Section,
    cut: tuple[Point, Point],
    when: str = "",
) -> None:
    """The cut on the plan, A to B, and its section in a panel over the plan's lower edge."""
    palette = theme.current.palette
    ends = [frame.to_screen(place) for place in cut]
    painter.setPen(QPen(QColor(palette.ink), 1.6, Qt.PenStyle.DashDotLine))
    painter.drawLine(ends[0], ends[1])
    painter.setFont(theme.font(12, QFont.Weight.DemiBold))
    length_px = math.hypot(ends[1].x() - ends[0].x(), ends[1].y() - ends[0].y()) or 1.0
    beyond = (ends[1] - ends[0]) * (LETTER_OFF_PX / length_px)  # off the part, where no line's label is
    for place, letter in ((ends[0] - beyond, "A"), (ends[1] + beyond, "B")):
        painter.setPen(QPen(QColor(palette.ink), 1.4))
        painter.setBrush(QColor(palette.paper))
        painter.drawEllipse(place, 9, 9)
        painter.drawText(QRectF(place.x() - 9, place.y() - 9, 18, 18), Qt.AlignmentFlag.AlignCenter, letter)
    panel = QRectF(34, area.height() - PANEL_PX - 10, area.width() - 46, PANEL_PX)
    painter.setPen(QPen(QColor(palette.rule), 1))
    painter.setBrush(palette.colour("paper", 245))
    painter.drawRoundedRect(panel, 6, 6)
    painter.setPen(QColor(palette.ink))
    head = QRectF(panel.left() + MARGIN_PX, panel.top() + 6, panel.width() - 2 * MARGIN_PX, 18)
    if not section.levels:
        painter.drawText(head, Qt.AlignmentFlag.AlignLeft, "The section line does not cross the part.")
        return
    length = float(section.stations_m[-1])
    box = QRectF(panel.left() + LEFT_PX, panel.top() + 30, panel.width() - LEFT_PX - MARGIN_PX - 8, PANEL_PX - 54)
    tallest = float(np.nanmax(np.nansum([level.thickness_m for level in section.levels], axis=0)))
    taller = min(box.height() / tallest / (box.width() / length), STRONGEST)
    text = f"Section A–B, {show(length, 'length', units)}, heights × {taller:.0f}{when}"
    painter.drawText(head, Qt.AlignmentFlag.AlignLeft, text)
    _paint_levels(painter, section, box, box.width() / length, box.width() / length * taller)
    painter.setFont(theme.font(11))
    painter.setPen(QColor(palette.muted))
    foot = QRectF(box.left(), box.bottom() + 3, box.width(), 16)
    painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, "A  tool face")
    painter.drawText(foot, Qt.AlignmentFlag.AlignRight, "B")


def _paint_levels(painter: QPainter, section: Section, box: QRectF, across: float, up: float) -> None:
    """Every level as a band, dry and over it wet by its share; its name at the left."""
    palette = theme.current.palette
    x = box.left() + section.stations_m * across
    floor = np.full(len(x), box.bottom())
    step = float(x[1] - x[0])
    named = 0.0
    for level in section.levels:
        height = np.nan_to_num(level.thickness_m) * up
        top = floor - height
        core = level.core
        wet = QColor(palette.fill_ramp[RESIN_SHADE])
        wet.setAlpha(CORE_ALPHA if core else 255)  # only the grooves and holes of a core take resin
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for at in range(len(x)):
            if height[at] <= 0:
                continue
            cell = QRectF(x[at] - step / 2, top[at], step + 0.6, height[at])
            painter.fillRect(cell, QColor(palette.paper if core else palette.dry))
            share = float(level.wet_share[at])
            if share > 0.01:  # resin comes from above or along: the wet share is drawn from the level's upper face
                painter.fillRect(QRectF(cell.left(), cell.top(), cell.width(), cell.height() * share), wet)
        if core:
            hatch = QPolygonF([QPointF(a, b) for a, b in zip(x.tolist(), top.tolist(), strict=True)])
            for a, b in zip(x.tolist()[::-1], floor.tolist()[::-1], strict=True):
                hatch.append(QPointF(a, b))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QBrush(palette.colour("muted", 90), Qt.BrushStyle.BDiagPattern))
            painter.drawPolygon(hatch)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(palette.ink), 1))
        painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in zip(x.tolist(), top.tolist(), strict=True)]))
        middle = float((floor + top)[height > 0].mean() / 2)
        named = min(middle, named - 14) if named else middle
        floor = top
        if named < box.top() - LABEL_ROOM_PX:
            continue
        painter.setFont(theme.font(11))
        label = QRectF(box.left() - LEFT_PX + 6, named - 8, LEFT_PX - 14, 16)
        painter.drawText(label, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, level.name)
    painter.setPen(QPen(QColor(palette.ink), 1.6))
    painter.drawLine(QPointF(box.left(), box.bottom()), QPointF(box.right(), box.bottom()))
