"""Metres on the plan and pixels on the screen."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainterPath, QPolygonF, QTransform
from shapely import LinearRing, get_coordinates

from bibulon.job.base import Point
from bibulon.job.part import Part

MANY_POINTS = 400
FINEST_PX = 0.9
"""Outlines of many points are drawn as finely as this."""


@dataclass(frozen=True)
class Frame:
    """``scale`` pixels a metre; the plan's origin lies at pixel (``left``, ``top``), y up."""

    scale: float
    left: float
    top: float

    def to_screen(self, place: Point) -> QPointF:
        return QPointF(self.left + place[0] * self.scale, self.top - place[1] * self.scale)

    def to_plan(self, position: QPointF) -> Point:
        return (position.x() - self.left) / self.scale, (self.top - position.y()) / self.scale

    @property
    def transform(self) -> QTransform:
        """From metres to pixels, for painting paths that are kept in metres."""
        return QTransform(self.scale, 0, 0, -self.scale, self.left, self.top)

    def polygon(self, outline: tuple[Point, ...]) -> QPolygonF:
        """*outline* on the screen."""
        if len(outline) > MANY_POINTS:
            return _thinned(outline, self)
        return QPolygonF([self.to_screen(place) for place in outline])

    def ring(self, line: LinearRing) -> QPolygonF:
        """A ring on the screen."""
        places = get_coordinates(line)
        if len(places) > MANY_POINTS:
            places = places[_apart(places, self.scale)]
        return QPolygonF([self.to_screen((x, y)) for x, y in places.tolist()])

    def path(self, part: Part) -> QPainterPath:
        """The area of *part* on the screen, its holes left out."""
        made = QPainterPath()
        for outline in (part.outline, *part.holes):
            made.addPolygon(self.polygon(outline))
            made.closeSubpath()
        return made

    def zoomed(self, factor: float, about: QPointF) -> Frame:
        factor = min(max(self.scale * factor, 2.0), 20_000.0) / self.scale
        return Frame(
            self.scale * factor,
            about.x() + (self.left - about.x()) * factor,
            about.y() + (self.top - about.y()) * factor,
        )

    def moved(self, dx: float, dy: float) -> Frame:
        return Frame(self.scale, self.left + dx, self.top + dy)


_KNOWN: OrderedDict[tuple[int, Frame], tuple[tuple[Point, ...], QPolygonF]] = OrderedDict()
MOST_KNOWN = 32


def _thinned(outline: tuple[Point, ...], frame: Frame) -> QPolygonF:
    """*outline* on the screen without the points that fall on the same bit of a pixel as the one before; kept by its
    identity."""
    key = id(outline), frame
    if key not in _KNOWN:
        places = np.array(outline)
        found = QPolygonF([frame.to_screen((x, y)) for x, y in places[_apart(places, frame.scale)].tolist()])
        _KNOWN[key] = outline, found  # with the outline, so that no other can take its identity
        while len(_KNOWN) > MOST_KNOWN:
            _KNOWN.popitem(last=False)
    return _KNOWN[key][1]


def _apart(places: npt.NDArray[np.float64], scale: float) -> npt.NDArray[np.bool_]:
    spots = np.round(places * (scale / FINEST_PX))
    keep = np.ones(len(places), dtype=bool)
    keep[1:] = np.any(spots[1:] != spots[:-1], axis=1)
    keep[-1] = True
    return keep


def fitted(low: Point, high: Point, box: QRectF) -> Frame:
    """The frame that shows the plan from *low* to *high* in *box*."""
    width, height = max(high[0] - low[0], 1e-3), max(high[1] - low[1], 1e-3)
    scale = min(box.width() / width, box.height() / height)
    return Frame(
        scale,
        box.center().x() - (low[0] + high[0]) / 2 * scale,
        box.center().y() + (low[1] + high[1]) / 2 * scale,
    )


def ruler_step_m(scale: float, unit_m: float, least_px: float = 64) -> float:
    """A round distance in the shop's unit that is at least *least_px* long."""
    step = unit_m
    while True:
        for factor in (1, 2, 5):
            if step * factor * scale >= least_px:
                return step * factor
        step *= 10
