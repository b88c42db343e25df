"""Where on the plan a caution points to."""

from __future__ import annotations

from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.laminate.cells import Cell


def inside(shape: BaseGeometry) -> Point:
    """A place well inside *shape*."""
    place = shape.representative_point()
    return place.x, place.y


def in_region(job: Job, region: str | None) -> Point:
    """A place in that region of the part; of all of it for None."""
    shape: BaseGeometry = job.part.shape
    if region is not None:
        within = shape.intersection(Polygon(next(one.outline for one in job.regions if one.name == region)))
        shape = shape if within.is_empty else within
    return inside(shape)


def in_cell(cell: Cell) -> Point:
    """A place in *cell*."""
    return inside(cell.polygon)


def of_card(job: Job, card: str) -> Point:
    """Where the material of that card lies; the middle of the part if it has no place of its own."""
    for layer in job.layup:
        if layer.card == card:
            return in_region(job, layer.region)
    for patch in job.media:
        if patch.card == card:
            return inside(Polygon(patch.outline))
    for line in job.lines:
        if card in (line.tube, line.hose):
            return line.points[0]
    return in_region(job, None)
