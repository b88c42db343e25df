"""Reliefs made from figures: arches, a rim, sections lofted into one another, a smooth skin through single heights.

Sources: arches are parabolas; the rim is half a cosine; sections are monotone cubics (PCHIP), joined at equal shares of
their lengths by the same; heights are a thin-plate spline (a plane through three, a level through one).
"""

from __future__ import annotations

import math

import numpy as np
from shapely import Polygon, contains_xy, distance, get_coordinates, get_parts, points, segmentize

from bibulon.arrays import Floats
from bibulon.job.base import Point
from bibulon.job.edits import revised
from bibulon.job.part import Part, ReliefFigures, ReliefSection
from bibulon.job.places import FLAT, Outline, Relief

ACROSS = 25
"""Places of a plain grid along each side."""
FINE = 41
"""Places along each side where the face is more than an arch."""
RINGS = 7
MOST_ON_RINGS = 9000
STEEPEST = 3.0
"""A face steeper than this (rise over run) does not show on a plan."""


def made_relief(outline: tuple[Point, ...], figures: ReliefFigures) -> Relief:
    """Points of the face that *figures* make over *outline*, the lowest at 0; none if that is flat.

    Raises ValueError with a message for the user if some of it is too steep.
    """
    low, high = np.min(outline, axis=0), np.max(outline, axis=0)
    for rise, run, what in (
        (figures.along_m, high[0] - low[0], "The arch along"),
        (figures.across_m, high[1] - low[1], "The arch across"),
    ):
        if abs(rise) > run:
            raise ValueError(f"{what} is steeper than a plan can show. An arch is at most as high as it is long.")
    if abs(figures.edge_depth_m) * math.pi / 2 > STEEPEST * figures.edge_width_m:
        raise ValueError("The rim is steeper than a plan can show. Give it more width.")
    plain = not (figures.sections or figures.heights or figures.edge_depth_m)
    if plain and not (figures.along_m or figures.across_m):
        return FLAT
    places = _places(outline, low, high, figures, ACROSS if plain else FINE)
    z = made_heights(outline, figures, places)
    face = np.round(np.column_stack([places, z - z.min()]), 5)
    _, first = np.unique(face[:, :2], axis=0, return_index=True)
    return Relief((x, y, height) for x, y, height in face[np.sort(first)].tolist())


def made_heights(outline: tuple[Point, ...], figures: ReliefFigures, places: Floats) -> Floats:
    """(n,) heights at (n, 2) *places* of the face that *figures* make over *outline*, from no level in particular."""
    low, high = np.min(outline, axis=0), np.max(outline, axis=0)
    z = _skin(places, low, high, figures)
    u, v = ((places - low) / (high - low)).T
    z = z + figures.along_m * (1 - (2 * u - 1) ** 2) + figures.across_m * (1 - (2 * v - 1) ** 2)
    if figures.edge_depth_m:
        inward = np.asarray(distance(points(places), Polygon(outline).exterior)) / figures.edge_width_m
        inside = contains_xy(Polygon(outline), places[:, 0], places[:, 1])
        share = np.where(inside, np.minimum(inward, 1.0), 0.0)
        z = z + figures.edge_depth_m * (1 + np.cos(np.pi * share)) / 2
    return np.asarray(z)


def _places(outline: tuple[Point, ...], low: Floats, high: Floats, figures: ReliefFigures, count: int) -> Floats:
    """(n, 2) places of the points: a grid, and rings along the edge where there is a rim."""
    x, y = np.linspace(low[0], high[0], count), np.linspace(low[1], high[1], count)
    grid = np.stack(np.meshgrid(x, y, indexing="ij"), axis=-1).reshape(-1, 2)
    if not figures.edge_depth_m:
        return grid
    area = Polygon(outline)
    spacing = figures.edge_width_m / (RINGS - 1)  # points no farther along a ring than rings from one another
    step = max(min(float(max(high - low)) / count, spacing), RINGS * area.length / MOST_ON_RINGS)
    within = np.asarray(distance(points(grid), area.exterior)) > figures.edge_width_m * 1.05
    rings = [grid[within & contains_xy(area, grid[:, 0], grid[:, 1])]]
    for share in np.linspace(0, 1, RINGS):
        ring = area.buffer(-share * figures.edge_width_m, join_style="mitre") if share else area
        for part in get_parts(ring):
            if not part.is_empty:
                rings.append(get_coordinates(segmentize(part.exterior, step))[:-1])
    return np.concatenate(rings)


def _skin(places: Floats, low: Floats, high: Floats, figures: ReliefFigures) -> Floats:
    if figures.sections:
        return _lofted(places, low, high, figures.sections)
    if figures.heights:
        return _through(places, np.array(figures.heights, dtype=np.float64))
    return np.zeros(len(places))


def _curve(at: Floats, values: Floats, wanted: Floats) -> Floats:
    """Monotone cubic through ``(at, values)``, level outside; *at* grows."""
    from scipy.interpolate import PchipInterpolator  # slow to load, and most moulds are flat

    if len(at) == 1:
        return np.broadcast_to(values[0], (len(wanted), *np.shape(values[0]))).astype(np.float64)
    curve: Floats = PchipInterpolator(at, values, axis=0)(np.clip(wanted, at[0], at[-1]))
    return curve


def _lofted(places: Floats, low: Floats, high: Floats, sections: tuple[ReliefSection, ...]) -> Floats:
    """Heights at *places* of the face through the *sections*: each runs from its first point to its last."""
    axis = 0 if sections[0].across == "x" else 1
    ordered = sorted(sections, key=lambda section: section.at_m)
    at = np.array([section.at_m for section in ordered])
    shares = np.linspace(0, 1, 8 * FINE + 1)
    starts, ends = (np.array([section.points[end][0] for section in ordered]) for end in (0, -1))
    profiles = []
    for section in ordered:
        along, z = np.array(section.points, dtype=np.float64).T
        profiles.append(_curve(along, z, along[0] + shares * (along[-1] - along[0])))
    station = places[:, axis]
    first, last = _curve(at, starts, station), _curve(at, ends, station)
    share = np.clip((places[:, 1 - axis] - first) / np.maximum(last - first, 1e-9), 0, 1) * (len(shares) - 1)
    rows = _curve(at, np.array(profiles), station)
    below = np.minimum(share.astype(int), len(shares) - 2)
    n = np.arange(len(places))
    part = share - below
    return np.asarray(rows[n, below] * (1 - part) + rows[n, below + 1] * part)


def _through(places: Floats, heights: Floats) -> Floats:
    """Heights at *places* of a smooth skin through *heights* (n, 3)."""
    from scipy.interpolate import RBFInterpolator  # slow to load, and most moulds are flat

    middle = heights[:, :2].mean(axis=0)
    spread = np.linalg.svd(heights[:, :2] - middle, compute_uv=False)
    if len(heights) < 3 or spread[-1] < 1e-6 * max(float(spread[0]), 1e-12):
        if len(heights) == 1:
            return np.full(len(places), heights[0, 2])
        # in one line: level across it
        _, _, axes = np.linalg.svd(heights[:, :2] - middle, full_matrices=False)
        along = (heights[:, :2] - middle) @ axes[0]
        order = np.argsort(along)
        return _curve(along[order], heights[order, 2], (places - middle) @ axes[0])
    skin = RBFInterpolator(heights[:, :2], heights[:, 2], kernel="thin_plate_spline", degree=1)
    return np.asarray(skin(places))


def with_figures(part: Part, figures: ReliefFigures) -> Part:
    """*part* with the relief that *figures* make. Raises ValueError."""
    relief = made_relief(part.outline, figures)
    return revised(part, relief=relief, relief_from=figures if figures != ReliefFigures() else None)


def with_outline(part: Part, outline: tuple[Point, ...], holes: tuple[Outline, ...] | None = None) -> Part:
    """*part* with another outline, and its relief made anew where it comes from figures. Raises ValueError."""
    checked = revised(part, outline=outline, holes=part.holes if holes is None else holes)
    return checked if part.relief_from is None else with_figures(checked, part.relief_from)
