"""Slack of the film over the mould: where it bridges, and where it lies in folds.

Along a way across the mould a sheet has the length of the tape beside it and what the pleats there gather in that
direction: those of the nearer edge count for more. Over what the way is long over the mould, that is the slack; of the
ways along and across at a place the smaller counts. A tube, and a box as high as the mould, have everywhere the length
that the longest way asks for. Below nothing the film spans hollows, or stretches into them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from shapely import LinearRing, LineString, Polygon, contains_xy, get_coordinates
from shapely import Point as ShapelyPoint

from bibulon.arrays import Floats
from bibulon.bag.film import BagPlan
from bibulon.flow.raster import Grid
from bibulon.job.base import Point
from bibulon.job.places import Relief
from bibulon.laminate.relief import heights_at

CELLS = 48
"""Ways along and across that are looked at."""
WAY_PLACES, EDGE_PLACES = 120, 400
LEAST_SHARE = 0.2
"""A way shorter than this share of the longest only cuts a corner off."""
BRIDGES_BELOW = -0.02
"""Film spans hollows where it lacks more than this share; less it gives by itself."""


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class FilmSlack:
    """The slack as a picture over what is taped, its least value and where that is, and its greatest."""

    grid: Grid
    least: float
    tightest: Point
    most: float


def film_slack(relief: Relief, bag: BagPlan) -> FilmSlack:
    """The slack of the film of *bag*, as it is pleated, over the mould's *relief*."""
    area = Polygon(bag.tape_line)
    left, low, right, high = area.bounds
    along = _ways(relief, bag, area, 0)
    across = _ways(relief, bag, area, 1)
    xs = left + (np.arange(CELLS) + 0.5) / CELLS * (right - left)
    ys = low + (np.arange(CELLS) + 0.5) / CELLS * (high - low)
    slack = np.fmin(along[:, None], across[None, :])  # rows by y
    gx, gy = np.meshgrid(xs, ys)
    slack = np.where(contains_xy(area, gx, gy), slack, np.nan)
    at = int(np.nanargmin(slack))
    grid = Grid(left, low, right - left, high - low, slack[::-1].astype(np.float32))
    tightest = float(gx.ravel()[at]), float(gy.ravel()[at])
    return FilmSlack(grid, float(np.nanmin(slack)), tightest, float(np.nanmax(slack)))


def _ways(relief: Relief, bag: BagPlan, area: Polygon, axis: int) -> Floats:
    """(CELLS,) the slack along each way in the direction of *axis*, from the low side of the other one; NaN for ways
    that only cut a corner off."""
    left, low, right, high = area.bounds
    ends = ((left, right), (low, high))[axis]
    sides = ((low, high), (left, right))[axis]
    ring = LinearRing(bag.tape_line)
    gathered = np.array([_gathers(ring, pleat.place, 2 * pleat.height_m, axis) for pleat in bag.pleats])
    places = np.array([pleat.place for pleat in bag.pleats]).reshape(-1, 2)
    edge = get_coordinates(ring.segmentize(ring.length / EDGE_PLACES))
    rises = np.diff(heights_at(relief, edge))
    steps, middles = np.abs(np.diff(edge[:, axis])), (edge[1:] + edge[:-1]) / 2
    own = np.hypot(steps, rises * steps / np.maximum(np.hypot(*np.diff(edge, axis=0).T), 1e-12))
    found: list[float] = []
    ways_m: list[float] = []
    for share in (np.arange(CELLS) + 0.5) / CELLS:
        level = sides[0] + share * (sides[1] - sides[0])
        points = [(ends[0] - 1, level), (ends[1] + 1, level)]
        chord = LineString(points if axis == 0 else [point[::-1] for point in points]).intersection(area)
        reach = chord.bounds[axis], chord.bounds[axis + 2]
        straight = reach[1] - reach[0]
        if straight < LEAST_SHARE * (ends[1] - ends[0]):
            found.append(math.nan)
            continue

        def beside(at: Floats, amounts: Floats, level: float = level, share: float = share) -> Floats:
            return amounts * np.where(at[:, 1 - axis] < level, 1 - share, share)

        inside = (middles[:, axis] >= reach[0]) & (middles[:, axis] <= reach[1])
        over = float(beside(middles[inside], own[inside]).sum())
        on_plan = float(beside(middles[inside], steps[inside]).sum())
        has = straight * (over / on_plan if on_plan > 0 else 1.0)
        if len(places):
            there = (places[:, axis] >= reach[0] - 1e-6) & (places[:, axis] <= reach[1] + 1e-6)
            has += float(beside(places[there], gathered[there]).sum())
        line = np.linspace(reach[0], reach[1], WAY_PLACES)
        ways = np.column_stack([line, np.full(WAY_PLACES, level)])
        heights = heights_at(relief, ways if axis == 0 else ways[:, ::-1])
        needs = float(np.hypot(np.diff(line), np.diff(heights)).sum())
        ways_m.append(needs)
        found.append(has / needs - 1)
    if (bag.tube or bag.box is not None) and ways_m:  # it is as wide everywhere, for the longest way
        return np.where(np.isnan(found), np.nan, bag.stretch * max(ways_m) / _filled(found, ways_m) - 1)
    return np.array(found)


def _filled(found: list[float], ways_m: list[float]) -> Floats:
    """(n,) the lengths of the ways where there is one, else 1."""
    lengths = iter(ways_m)
    return np.array([1.0 if math.isnan(value) else next(lengths) for value in found])


def _gathers(ring: LinearRing, place: Point, takes_m: float, axis: int) -> float:
    """What a pleat at *place* gathers in the direction of *axis*: one at a corner half for each of its edges."""
    at, step = ring.project(ShapelyPoint(place)), ring.length * 1e-3
    before, here, after = (np.array(ring.interpolate((at + by) % ring.length).coords[0]) for by in (-step, 0.0, step))
    ways = (here - before) / step, (after - here) / step
    return takes_m * float(np.mean([abs(way[axis]) for way in ways]))
