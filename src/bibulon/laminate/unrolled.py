"""Cloth over a curved mould, flat: pieces unrolled from their middle line, and how much of the roll's width it takes.

Everything here is *laid*: turned so that the roll runs along the first axis.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.interpolate import RegularGridInterpolator
from shapely import Polygon, get_coordinates, segmentize
from shapely.geometry.base import BaseGeometry

from bibulon.arrays import Floats
from bibulon.job.places import Relief
from bibulon.laminate.relief import heights_at

ALONG, ACROSS = 81, 41
FINEST_M = 0.02
ACROSS_WHOLE = 241
"""Places across a whole ply, which is several strips wide."""

Bounds = tuple[float, float, float, float]


@dataclass(frozen=True, eq=False)
class Across:
    """How much cloth a ply takes across its roll from its lower edge on: at ``plan_m`` (n,) across the plan, ``most_m``
    (n,) where along the roll the mould is steepest there and ``least_m`` (n,) where it is least steep, both summed up.
    Beyond the edges the mould counts as flat."""

    plan_m: Floats
    most_m: Floats
    least_m: Floats

    @property
    def is_flat(self) -> bool:
        return len(self.plan_m) == 2

    def cloth_at(self, plan_m: float) -> float:
        """How much cloth it takes at most up to a place across the plan."""
        return _between(plan_m, self.plan_m, self.most_m)

    def plan_at(self, cloth_m: float) -> float:
        """How far across the plan so much cloth reaches at least."""
        return _between(cloth_m, self.most_m, self.plan_m)

    def before(self, plan_m: float, cloth_m: float) -> float:
        """The place across the plan from which to *plan_m* there is so much cloth everywhere."""
        return _between(_between(plan_m, self.plan_m, self.least_m) - cloth_m, self.least_m, self.plan_m)


def _between(x: float, xs: Floats, ys: Floats) -> float:
    """Between the points, and outside them on with a slope of one; of two points, as on a flat mould, all along it."""
    if len(xs) == 2:
        return x - float(xs[0]) + float(ys[0])
    outside = min(x - float(xs[0]), 0.0) + max(x - float(xs[-1]), 0.0)
    return float(np.interp(x, xs, ys)) + outside


def across_roll(relief: Relief, laid: BaseGeometry, angle_deg: float) -> Across:
    """How much cloth of a roll that runs at *angle_deg* (from x) a shape takes across it."""
    low_u, low_v, high_u, high_v = laid.bounds
    if not relief:
        flat = np.array([low_v, high_v])
        return Across(flat, flat - low_v, flat - low_v)
    u, v = np.linspace(low_u, high_u, ALONG), np.linspace(low_v, high_v, ACROSS_WHOLE)
    steps = np.hypot(np.diff(v)[None, :], np.diff(_heights(relief, u, v, angle_deg), axis=1))
    most, least = (np.concatenate([[0.0], np.cumsum(of)]) for of in (steps.max(axis=0), steps.min(axis=0)))
    return Across(v, most, least)


def _heights(relief: Relief, u: Floats, v: Floats, angle_deg: float) -> Floats:
    """(len(u), len(v)) of the mould, on the grid of these places along and across the roll."""
    c, s = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))
    grid_u, grid_v = np.meshgrid(u, v, indexing="ij")
    places = np.column_stack([(grid_u * c - grid_v * s).ravel(), (grid_u * s + grid_v * c).ravel()])
    return heights_at(relief, places).reshape(len(u), len(v))


def unrolled(relief: Relief, laid: Polygon, angle_deg: float, bounds: Bounds | None = None) -> Polygon:
    """*laid* as it is flat, unrolled from the middle line along the roll of its *bounds*: along that line by the length
    of the mould under it, across by the length square to it. Exact on a mould that is curved one way."""
    low_u, low_v, high_u, high_v = bounds or laid.bounds
    u, v = np.linspace(low_u, high_u, ALONG), np.linspace(low_v, high_v, ACROSS)
    z = _heights(relief, u, v, angle_deg)
    middle = ACROSS // 2
    along = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(u), np.diff(z[:, middle])))])
    steps = np.hypot(np.diff(v)[None, :], np.diff(z, axis=1))
    across = np.concatenate([np.zeros((ALONG, 1)), np.cumsum(steps, axis=1)], axis=1)
    across -= across[:, middle : middle + 1]
    width = RegularGridInterpolator((u, v), across)
    fine: Polygon = segmentize(laid, FINEST_M)

    def flat(ring: Floats) -> Floats:
        inside = np.clip(ring, (low_u, low_v), (high_u, high_v))
        return np.column_stack([np.interp(inside[:, 0], u, along), width(inside)])

    shape = Polygon(flat(get_coordinates(fine.exterior)), [flat(get_coordinates(ring)) for ring in fine.interiors])
    made = (shape if shape.is_valid else shape.buffer(0)).simplify(2e-4)
    return made if isinstance(made, Polygon) else laid
