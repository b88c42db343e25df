"""Metres on the plan and pixels on the screen."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainterPath, QPolygonF, QTransform
from shapely import LinearRing, get_coordinates

from bibulon.job.base import Point
from bibulon.job.part import Part
from bibulon.job.places import places_of
from bibulon.remembered import remembered

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

    def on_screen(self, places: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        """(n, 2) *places* on the screen."""
        return places * (self.scale, -self.scale) + (self.left, self.top)

    def fine(self, outline: tuple[Point, ...]) -> npt.NDArray[np.float64]:
        """(n, 2) *outline* in metres, as finely as it can be seen."""
        places = places_of(outline)
        return places[_apart(places, self.scale)] if len(places) > MANY_POINTS else places

    def to_plan(self, position: QPointF) -> Point:
        return (position.x() - self.left) / self.scale, (self.top - position.y()) / self.scale

    @property
    def transform(self) -> QTransform:
        """From metres to pixels, for painting paths that are kept in metres."""
        return QTransform(self.scale, 0, 0, -self.scale, self.left, self.top)

    def polygon(self, outline: tuple[Point, ...]) -> QPolygonF:
        """*outline* on the screen."""
        if len(outline) > MANY_POINTS:
            return _thinned((outline, self))
        return QPolygonF([self.to_screen(place) for place in outline])

    def ring(self, line: LinearRing) -> QPolygonF:
        """A ring on the screen."""
        places = get_coordinates(line)
        if len(places) > MANY_POINTS:
            places = places[_apart(places, self.scale)]
        return QPolygonF([QPointF(x, y) for x, y in self.on_screen(places).tolist()])

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


@remembered(32)
def _thinned(of: tuple[tuple[Point, ...], Frame]) -> QPolygonF:
    """An outline on the screen without the points that fall on the same bit of a pixel as the one before."""
    outline, frame = of
    return QPolygonF([QPointF(x, y) for x, y in frame.on_screen(frame.fine(outline)).tolist()])


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
