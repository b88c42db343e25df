"""The mould's relief: heights over the plan between the given points."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from shapely import (
    LineString,
    MultiPoint,
    Polygon,
    contains_xy,
    get_coordinates,
    points,
    segmentize,
    shortest_line,
)

from bibulon.arrays import Floats
from bibulon.job.part import Part
from bibulon.job.places import Relief
from bibulon.remembered import remembered

SLOPE_PLACES = 2000
EDGE_PLACES = 240
LENGTH_PLACES = 400
JUST_INSIDE = 1e-9


def heights_at(relief: Relief, places: Floats) -> Floats:
    """(n,) heights at *places* (n, 2) of the surface through the *relief*'s points, flat triangles between them.

    Outside them the height of the nearest place of that surface counts; no points at all make a flat mould, points in
    one line a surface that is level across it.
    """
    if not relief:
        return np.zeros(len(places))
    return _surface(relief)(places)


@remembered(4)
def _surface(relief: Relief) -> Callable[[Floats], Floats]:
    """The surface through the *relief*'s points, as a function of places (m, 2)."""
    given = relief.array
    from scipy.interpolate import LinearNDInterpolator  # slow to load, and most moulds are flat

    middle = given[:, :2].mean(axis=0)
    _, size, axes = np.linalg.svd(given[:, :2] - middle, full_matrices=False)
    if len(given) < 3 or size[-1] < 1e-6 * max(float(size[0]), 1e-12):
        station = (given[:, :2] - middle) @ axes[0]
        order = np.argsort(station)
        return lambda places: np.asarray(np.interp((places - middle) @ axes[0], station[order], given[order, 2]))
    inside = LinearNDInterpolator(given[:, :2], given[:, 2])
    hull = MultiPoint(given[:, :2]).convex_hull

    def surface(places: Floats) -> Floats:
        heights = np.asarray(inside(places))
        outside = np.flatnonzero(np.isnan(heights))
        if len(outside):
            edge = get_coordinates(shortest_line(points(places[outside]), hull))[1::2]
            heights[outside] = inside(edge + (middle - edge) * JUST_INSIDE)
        return heights

    return surface


def height_m(relief: Relief, area: Polygon) -> float:
    """From the lowest to the highest place of the surface over *area* of the plan, at the points and along its edge."""
    if not relief:
        return 0.0
    given = relief.array
    corners = heights_at(relief, get_coordinates(segmentize(area.exterior, area.exterior.length / EDGE_PLACES)))
    heights = np.concatenate([given[contains_xy(area, given[:, 0], given[:, 1]), 2], corners])
    return float(np.ptp(heights))


def developed_area_m2(relief: Relief, area: Polygon) -> float:
    """Area of the surface over *area* of the plan: its plan area times the mean of ``√(1 + |∇z|²)`` over it.

    The mean is taken over some thousand places on a grid, slopes between neighbours a quarter of a step to both sides.
    """
    if not relief:
        return float(area.area)
    return _developed_area_m2((relief, area))


@remembered(400)
def _developed_area_m2(surface: tuple[Relief, Polygon]) -> float:
    relief, area = surface
    low_x, low_y, high_x, high_y = area.bounds
    step = float(np.sqrt((high_x - low_x) * (high_y - low_y) / SLOPE_PLACES))
    across, up = (
        low + (np.arange(count := max(int(np.ceil((high - low) / step)), 1)) + 0.5) * (high - low) / count
        for low, high in ((low_x, high_x), (low_y, high_y))
    )
    grid = np.stack(np.meshgrid(across, up), axis=-1).reshape(-1, 2)
    grid = grid[contains_xy(area, grid[:, 0], grid[:, 1])]
    if not len(grid):
        grid = np.array([[place.x, place.y] for place in [area.representative_point()]])
    half = min((high_x - low_x) / len(across), (high_y - low_y) / len(up)) / 4
    slopes = []
    for away in (np.array([half, 0.0]), np.array([0.0, half])):
        slopes.append((heights_at(relief, grid + away) - heights_at(relief, grid - away)) / (2 * half))
    return float(area.area * np.sqrt(1 + slopes[0] ** 2 + slopes[1] ** 2).mean())


def developed_length_m(relief: Relief, line: Sequence[tuple[float, float]]) -> float:
    """Length on the surface of a *line* of the plan."""
    plan = LineString(line)
    if not relief:
        return float(plan.length)
    places = get_coordinates(segmentize(plan, max(plan.length / LENGTH_PLACES, 1e-6)))
    steps = np.diff(places, axis=0)
    return float(np.sqrt((steps**2).sum(axis=1) + np.diff(heights_at(relief, places)) ** 2).sum())


def rim_length_m(part: Part) -> float:
    """Length of the outline of *part* over its mould."""
    return developed_length_m(part.relief, [*part.outline, part.outline[0]])
