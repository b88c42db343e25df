"""Where a stack is much thicker than round about: pads, stringers, inserts, which take longest to fill."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from shapely import Polygon, get_parts
from shapely.ops import unary_union

from bibulon.laminate.cells import Cell

SMALLEST_ZONE_M2 = 0.002


@dataclass(frozen=True)
class ThickZone:
    """An *area* of the plan whose plies are up to *thickness_m* thick, *usual_m* round about."""

    area: Polygon
    thickness_m: float
    usual_m: float


def thick_zones(cells: tuple[Cell, ...], factor: float) -> Iterator[ThickZone]:
    """The zones at least *factor* times as thick as half of the part's area."""
    laid = [(cell, cell.stack.laminate_thickness_m) for cell in cells if cell.stack.layers]
    if len(laid) < 2:
        return
    heights, areas = (
        np.array(column) for column in zip(*((height, cell.area_m2) for cell, height in laid), strict=True)
    )
    order = np.argsort(heights)
    usual = float(heights[order][np.searchsorted(np.cumsum(areas[order]), areas.sum() / 2)])
    thick = [cell.polygon for cell, height in laid if usual > 0 and height > factor * usual * (1 - 1e-9)]
    for zone in get_parts(unary_union(thick)):
        if isinstance(zone, Polygon) and zone.area >= SMALLEST_ZONE_M2:
            yield ThickZone(zone, max(height for cell, height in laid if cell.polygon.intersects(zone)), usual)
