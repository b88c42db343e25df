"""The layer of the bag: tape line, pleats and the size of the film."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QFont,
    QPainter,
    QPen,
    QPolygonF,
)
from shapely import Point as Place
from shapely import Polygon
from shapely.ops import nearest_points

from bibulon.assess import Assessment
from bibulon.desk.plan.frame import Frame
from bibulon.desk.plan.text_box import text_box
from bibulon.desk.widgets import theme
from bibulon.job.base import Point
from bibulon.quantities import show

LEAST_PLEAT_PX, MOST_PLEAT_PX = 10.0, 34.0


NUMBERS_APART_PX = 18
"""Numbers of pleats that would stand nearer to one another are moved outwards."""


def paint_bag(painter: QPainter, frame: Frame, assessment: Assessment) -> None:
    """Tape line and pleats."""
    palette = theme.current.palette
    bag = assessment.bag
    width = max(assessment.job.bag.tape_width_m * frame.scale, 3.0)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(palette.colour("vent", 120), width, j=Qt.PenJoinStyle.MiterJoin))
    for course in bag.courses:
        painter.drawPolyline(frame.polygon(course))
    if bag.tube:
        painter.setPen(QPen(palette.colour("vent", 90), 1.5, Qt.PenStyle.DashLine))
        painter.drawPolygon(QPolygonF([frame.to_screen(place) for course in bag.courses for place in course]))
    if bag.box is not None:
        painter.setPen(QPen(palette.colour("vent", 160), 1.8, Qt.PenStyle.DashLine))
        painter.drawPolygon(QPolygonF([frame.to_screen(place) for place in bag.box.corners]))
    edge, numbered = Polygon(bag.bagged), list[QPointF]()
    for number, pleat in enumerate(bag.pleats, 1):
        size = max(min(pleat.height_m * frame.scale, MOST_PLEAT_PX), LEAST_PLEAT_PX)
        at, out = frame.to_screen(pleat.place), _outward(edge, pleat.place)
        middle = at + out * (size + 10)
        while any((other - middle).manhattanLength() < NUMBERS_APART_PX for other in numbered):
            middle += out * 14
        numbered.append(middle)
        _paint_pleat(painter, at, out, size, pleat.last)
        painter.drawText(QRectF(middle.x() - 14, middle.y() - 9, 28, 18), Qt.AlignmentFlag.AlignCenter, str(number))
    units = assessment.units
    film = f"{show(bag.film_length_m, 'distance', units)} × {show(bag.film_width_m, 'distance', units)}"
    what = "Tube, laid flat," if bag.tube else "Box, before it is folded," if bag.box is not None else "Film"
    text = f"{what} {film}   ·   tape {show(bag.tape_m, 'distance', units)}   ·   {bag.pleats_planned} pleats"
    left, low, right, _ = edge.bounds
    under = frame.to_screen(((left + right) / 2, low - assessment.job.part.flange_width_m))
    text_box(painter, under + QPointF(0, 46), text, palette.ink, size=15)


def _outward(edge: Polygon, place: Point) -> QPointF:
    """Unit vector on the screen from the part to a *place* beside it."""
    near = nearest_points(edge, Place(place))[0]
    dx, dy = place[0] - near.x, place[1] - near.y
    length = math.hypot(dx, dy) or 1.0
    return QPointF(dx / length, -dy / length)


def _paint_pleat(painter: QPainter, at: QPointF, out: QPointF, size: float, last: bool) -> None:
    """A fold of film standing on the tape: a slim tooth pointing away from the part, as high as the fold; the last one,
    which is folded the other way, is filled. Leaves the pen and the letters for its number."""
    palette = theme.current.palette
    along = QPointF(-out.y(), out.x())
    painter.setPen(QPen(QColor(palette.ink), 1.6))
    painter.setBrush(QColor(palette.ink if last else palette.paper))
    painter.drawPolygon(QPolygonF([at + along * 5, at - along * 5, at + out * size]))
    painter.setFont(theme.font(12, QFont.Weight.DemiBold))
