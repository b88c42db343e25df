"""Metres on the plan and pixels on the screen."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainterPath, QPolygonF, QTransform

from bibulon.job.base import Point
from bibulon.job.part import Part


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
        return QPolygonF([self.to_screen(place) for place in outline])

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
