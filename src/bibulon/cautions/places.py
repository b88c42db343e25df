"""Where on the plan a caution points to."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
from shapely import LineString, Polygon, distance, points
from shapely import Point as Place
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points

from bibulon.arrays import Floats
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.lines import Line
from bibulon.laminate.cells import Cell


def listed(names: Iterable[str], most: int = 6) -> str:
    """*names* for a sentence: “F1, F2 and F3”; of many only the first."""
    distinct = list(dict.fromkeys(names))
    if len(distinct) > most:
        return f"{', '.join(distinct[:most])} and {len(distinct) - most} more"
    return " and ".join([", ".join(distinct[:-1]), distinct[-1]]) if len(distinct) > 1 else "".join(distinct)


def on_part(job: Job, place: Point | None) -> Point | None:
    """*place*, or the place of the part next to it: lines, media and flange lie beside the part too."""
    if place is None or job.part.shape.covers(Place(place)):
        return place
    nearest = nearest_points(job.part.shape, Place(place))[0]
    return nearest.x, nearest.y


def inside(shape: BaseGeometry) -> Point:
    """A place well inside *shape*."""
    place = shape.representative_point()
    return place.x, place.y


def middle_of(lines: BaseGeometry) -> Point:
    """The middle of a line, or of the longest of several."""
    longest = max(getattr(lines, "geoms", [lines]), key=lambda piece: piece.length)
    place = longest.interpolate(0.5, normalized=True) if longest.geom_type == "LineString" else longest.centroid
    return place.x, place.y


def distances_m(lines: Sequence[Line], places_m: Floats) -> Floats:
    """(lines, n) how far each of *places_m* (n, 2) is from each of the lines."""
    at = points(places_m)
    return np.array([distance(LineString(line.points), at) for line in lines])


def in_region(job: Job, region: str | None) -> Point:
    """A place in that region of the part; of all of it for None."""
    shape: BaseGeometry = job.part.shape
    if region is not None:
        within = shape.intersection(Polygon(next(region_.outline for region_ in job.regions if region_.name == region)))
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


def beside_feeds(job: Job) -> Point | None:
    """Where the feeds are: a manifold has no place of its own."""
    return job.feeds[0].points[0] if job.feeds else None
