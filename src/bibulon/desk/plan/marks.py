"""What is painted over the plan while it is worked on: handles, marks, cautions, guides, strokes under the hand."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QFont,
    QPainter,
    QPen,
    QPolygonF,
)

from bibulon.desk.plan.frame import Frame
from bibulon.desk.plan.text_box import text_box
from bibulon.desk.widgets import theme
from bibulon.desk.widgets.rank_mark import paint_mark
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.mould import Corner
from bibulon.job.places import places_of

DOTS_APART_PX, SQUARES_APART_PX = 7.0, 20.0
MARK_OFF_LABEL_PX = 30.0


def paint_handles(painter: QPainter, frame: Frame, points: tuple[Point, ...]) -> None:
    """A square to drag on each corner of the chosen outline, and the outline in strong ink.

    Where corners lie close together, as along a curve, they are dots, and some stand for their neighbours.
    """
    palette = theme.current.palette
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(palette.accent), 2))
    painter.drawPolygon(frame.polygon(points))
    painter.setBrush(QColor(palette.paper))
    spots = frame.on_screen(places_of(points))
    gap = np.hypot(*(np.roll(spots, -1, axis=0) - spots).T)
    along = np.cumsum(gap) - gap
    # one in each stretch of the way round
    shown = np.unique(np.floor(along / DOTS_APART_PX), return_index=True)[1]
    gaps = np.abs(np.diff(spots[shown], axis=0, prepend=np.full((1, 2), np.inf))).sum(axis=1)
    close = (gap[shown] < SQUARES_APART_PX) | (gaps < SQUARES_APART_PX)
    for half, width, mine in ((2.5, 1.2, close), (4.5, 2.0, ~close)):
        painter.setPen(QPen(QColor(palette.accent), width))
        painter.drawRects([QRectF(x - half, y - half, 2 * half, 2 * half) for x, y in spots[shown[mine]].tolist()])


def paint_marks(painter: QPainter, frame: Frame, job: Job) -> None:
    """Front marks made on the day, numbered, with their times."""
    palette = theme.current.palette
    for event in job.shot:
        if event.kind == "front marked" and event.place is not None:
            at = frame.to_screen(event.place)
            painter.setPen(QPen(QColor(palette.ink), 1.6))
            painter.setBrush(QColor(palette.field))
            painter.drawEllipse(at, 4, 4)
            minutes, seconds = divmod(round(event.clock_s), 60)
            text_box(painter, at - QPointF(0, 15), f"{minutes}:{seconds:02d}", palette.ink, palette.ink, 11)


def paint_found(painter: QPainter, frame: Frame, spots: Sequence[Point | None]) -> None:
    """A cross where each leak was found."""
    palette = theme.current.palette
    painter.setPen(QPen(QColor(palette.stop), 2.4))
    for spot in spots:
        if spot is not None:
            at = frame.to_screen(spot)
            painter.drawLine(at - QPointF(6, 6), at + QPointF(6, 6))
            painter.drawLine(at - QPointF(6, -6), at + QPointF(6, -6))


LARGEST_LEAK_PX, LEAST_LEAK_PX = 90.0, 3.0
"""Radius of a disc for all leaks there are, and of the smallest."""


def paint_numbered(painter: QPainter, frame: Frame, places: Sequence[Point | None]) -> None:
    """A number on a disc at each of *places*, counted from 1."""
    palette = theme.current.palette
    painter.setFont(theme.font(12, QFont.Weight.DemiBold))
    for number, place in enumerate(places, 1):
        if place is not None:
            at = frame.to_screen(place)
            painter.setPen(QPen(QColor(palette.paper), 2))
            painter.setBrush(QColor(palette.stop))
            painter.drawEllipse(at, 11, 11)
            painter.setPen(QColor(palette.paper))
            painter.drawText(QRectF(at.x() - 11, at.y() - 11, 22, 22), Qt.AlignmentFlag.AlignCenter, str(number))


def paint_leak_shares(painter: QPainter, frame: Frame, shares: Sequence[tuple[Point, float]]) -> None:
    """A disc at each place, its area by the share of leaks that is to be looked for there."""
    palette = theme.current.palette
    painter.setPen(QPen(palette.colour("stop", 200), 1.4))
    painter.setBrush(palette.colour("stop", 70))
    for place, share in sorted(shares, key=lambda pair: -pair[1]):
        size = max(LARGEST_LEAK_PX * math.sqrt(share), LEAST_LEAK_PX)
        painter.drawEllipse(frame.to_screen(place), size, size)


def paint_corners(painter: QPainter, frame: Frame, corners: Sequence[Corner], chosen: str) -> None:
    """The mould's corners: a quarter turn, open to the side that fibre lies on, with the label."""
    palette = theme.current.palette
    for corner in corners:
        if corner.edge:
            course = QPolygonF([frame.to_screen(place) for place in corner.edge])
            for colour, width in ((palette.colour("paper", 230), 5.0), (QColor(palette.ink), 2.0)):
                painter.setPen(QPen(colour, width, Qt.PenStyle.DashDotLine, c=Qt.PenCapStyle.FlatCap))
                painter.drawPolyline(course)
            if corner.label == chosen:
                paint_squares(painter, frame, corner.edge)
        at = frame.to_screen(corner.place)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((palette.colour("paper", 230), 6.0), (QColor(palette.ink), 2.4)):
            painter.setPen(QPen(colour, width, c=Qt.PenCapStyle.RoundCap))
            start = 180 if corner.inside else 0
            painter.drawArc(QRectF(at.x() - 9, at.y() - 9, 18, 18), start * 16, 90 * 16)
        edge = palette.accent if corner.label == chosen else palette.ink
        text_box(painter, at + QPointF(0, 18), corner.label, edge, size=11)


def paint_cautions(
    painter: QPainter, frame: Frame, places: Sequence[tuple[str, Point]], labels: Sequence[QPointF]
) -> None:
    """The mark of each caution where it is on the plan, beside a label of a line that stands there."""
    for rank, place in places:
        at = frame.to_screen(place)
        if any((at - label).manhattanLength() < MARK_OFF_LABEL_PX for label in labels):
            at += QPointF(MARK_OFF_LABEL_PX, 0)
        box = QRectF(at.x() - 10, at.y() - 10, 20, 20)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.current.palette.colour("paper", 220))
        painter.drawEllipse(box.adjusted(-3, -3, 3, 3))
        paint_mark(painter, rank, box)


def paint_guides(painter: QPainter, frame: Frame, places: Sequence[Point], cursor: Point | None) -> None:
    """Hairlines from the points that the cursor is lined up with."""
    if cursor is not None:
        painter.setPen(QPen(theme.current.palette.colour("accent", 130), 1, Qt.PenStyle.DotLine))
        for place in places:
            painter.drawLine(frame.to_screen(place), frame.to_screen(cursor))


def paint_stroke(painter: QPainter, frame: Frame, points: Sequence[Point], closed: bool) -> None:
    """An outline being drawn."""
    palette = theme.current.palette
    painter.setPen(QPen(QColor(palette.accent), 2.2))
    painter.setBrush(palette.colour("accent", 30) if closed else Qt.BrushStyle.NoBrush)
    line = QPolygonF([frame.to_screen(place) for place in points])
    painter.drawPolygon(line) if closed else painter.drawPolyline(line)


def paint_squares(painter: QPainter, frame: Frame, places: Sequence[Point]) -> None:
    """A small square on each place that was drawn."""
    painter.setPen(QPen(QColor(theme.current.palette.accent), 2))
    painter.setBrush(QColor(theme.current.palette.field))
    for place in places:
        at = frame.to_screen(place)
        painter.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8))


def paint_dots(painter: QPainter, frame: Frame, points: list[Point], cursor: Point | None, closed: bool) -> None:
    """What is being drawn: points so far and the rubber band to the cursor."""
    palette = theme.current.palette
    chain = [frame.to_screen(place) for place in (*points, *([cursor] if cursor else []))]
    painter.setPen(QPen(QColor(palette.accent), 2, Qt.PenStyle.DashLine))
    painter.setBrush(palette.colour("accent", 30) if closed else Qt.BrushStyle.NoBrush)
    if closed and len(chain) > 2:
        painter.drawPolygon(QPolygonF(chain))
    else:
        for start, end in pairwise(chain):
            painter.drawLine(start, end)
    paint_squares(painter, frame, [*points, *([cursor] if cursor else [])])
