"""Several parts under one bag: where the others lie, and the area that is bagged for all of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from shapely import Polygon, unary_union

from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.part import Part
from bibulon.job.places import FLAT, Outline, Relief, ring_of

Placing = Callable[[Sequence[Point]], tuple[Point, ...]]
CLOSED_M = 1e-4


def placings(job: Job) -> tuple[Placing, ...]:
    """For each part under the bag of *job*, what moves places of the plan to where they lie on it; the first is the
    part as it is drawn."""
    (low_x, low_y, high_x, high_y), bag = job.part.shape.bounds, job.bag
    step = (high_x - low_x if bag.parts_along == "x" else high_y - low_y) + bag.parts_apart_m

    def placing(number: int) -> Placing:
        over_x, over_y = (number * step, 0.0) if bag.parts_along == "x" else (0.0, number * step)
        turned = bag.parts_mirrored and number % 2 == 1

        def place(points: Sequence[Point]) -> tuple[Point, ...]:
            return tuple(
                (round((low_x + high_x - x if turned else x) + over_x, 6), round(y + over_y, 6)) for x, y in points
            )

        return place

    return tuple(placing(number) for number in range(job.parts_together))


def bagged_part(job: Job) -> Part:
    """One part in place of all that lie under the bag of *job*: its outline goes round them all, its heights are
    theirs."""
    part, bag = job.part, job.bag
    if job.parts_together == 1:
        return part
    outlines = [Polygon(place(part.outline)) for place in placings(job)]
    reach = bag.parts_apart_m / 2 + CLOSED_M
    grown = unary_union([outline.buffer(reach, join_style="mitre", mitre_limit=2.0) for outline in outlines])
    closed = grown.buffer(-reach, join_style="mitre", mitre_limit=2.0)
    outline = ring_of(Polygon(closed.exterior) if isinstance(closed, Polygon) else closed)
    if outline is None:
        outline = Outline(_hull(outlines).exterior.coords)
    whole = outline.polygon
    heights = {
        there: (*there, z)
        for place in placings(job)
        for there, (_, _, z) in zip(place([(x, y) for x, y, _ in part.relief]), part.relief, strict=True)
    }
    holes = tuple(place(hole) for place in placings(job) for hole in part.holes)
    kept = tuple(hole for hole in holes if whole.contains_properly(Polygon(hole)))
    return Part(
        outline=outline,
        holes=kept,
        flange_width_m=part.flange_width_m,
        relief=Relief(heights.values()) if heights else FLAT,
    )


def _hull(outlines: Sequence[Polygon]) -> Polygon:
    hull = unary_union(outlines).convex_hull
    return hull if isinstance(hull, Polygon) else outlines[0]
