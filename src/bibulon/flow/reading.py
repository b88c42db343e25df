"""Reading a fill: the part at a moment, maps over the plan, a section through it.

Maps are values (points,) at the mesh's points, NaN where there is nothing to show.
"""

from __future__ import annotations

import numpy as np

from bibulon.arrays import Floats, Integers
from bibulon.flow.result import FillResult
from bibulon.laminate.levels import LEVEL_NAMES
from bibulon.laminate.section import Section, SectionLevel


def between_steps(result: FillResult, time_s: float, rows: Floats) -> Floats:
    """(n,) of the *rows* (k, n) at ``result.times_s``, straight between them at *time_s*."""
    times = result.times_s
    after = int(np.clip(np.searchsorted(times, time_s), 1, len(times) - 1)) if len(times) > 1 else 0
    if after == 0:
        return np.asarray(rows[0], dtype=np.float64)
    span = times[after] - times[after - 1]
    part = float(np.clip((time_s - times[after - 1]) / span, 0.0, 1.0)) if span > 0 else 1.0
    return np.asarray(rows[after - 1] * (1 - part) + rows[after] * part, dtype=np.float64)


def top_nodes(result: FillResult) -> Integers:
    """(points,) the node nearest the film at each point."""
    nodes = np.zeros(len(result.mesh.points_m), dtype=np.int64)
    nodes[result.place] = np.arange(len(result.place))  # nodes of a point come from the tool to the film
    return nodes


def pressure_map(result: FillResult, time_s: float) -> Floats:
    """Absolute resin pressure (Pa) under the film at *time_s*; NaN where there is no resin yet."""
    pressure = between_steps(result, time_s, result.pressure_pa)[top_nodes(result)]
    return np.where(result.seen_s <= time_s, pressure + result.problem.vent_pa, np.nan)


def thickness_map(result: FillResult) -> Floats:
    """Thickness of the plies (m) when the resin stops, or at the end of the fill if it was followed no further."""
    if result.upper is not None:  # laminate_m is that before any resin came
        rise = result.upper.rise_m
        return np.where(result.laminate_m > 0, result.laminate_m + (rise[-1] - rise[0]), np.nan)
    last = result.swelling_m[-1] if result.after is None else result.after.swelling_m[-1]
    more = np.zeros(len(result.mesh.points_m))
    np.add.at(more, result.place, np.asarray(last, dtype=np.float64))
    return np.where(result.laminate_m > 0, result.laminate_m + more, np.nan)


def cavity_map(result: FillResult, time_s: float) -> Floats | None:
    """Height of a closed mould's cavity (m) at *time_s*; None under film and in a rigid mould."""
    course = result.upper
    if course is None:
        return None
    at = int(np.clip(np.searchsorted(course.times_s, time_s), 0, len(course.times_s) - 1))
    return np.asarray(result.built_m + course.rise_m[at], dtype=np.float64)


def fibre_map(result: FillResult) -> Floats:
    """Fibre volume fraction that goes with :func:`thickness_map`."""
    return np.asarray(result.fibre_m / thickness_map(result))


def section(
    result: FillResult, start: tuple[float, float], end: tuple[float, float], time_s: float, count: int = 160
) -> Section:
    """The stack with the resin in it at *time_s* along the line from *start* to *end*."""
    shares = np.linspace(0.0, 1.0, count)
    places = np.outer(1 - shares, start) + np.outer(shares, end)
    saturation = between_steps(result, time_s, result.saturation)
    number = np.full((len(LEVEL_NAMES), len(result.mesh.points_m)), -1, dtype=np.int64)
    number[result.level, result.place] = np.arange(len(result.place))
    thickness, wet = (np.full((len(LEVEL_NAMES), count), np.nan) for _ in range(2))
    for at, (triangle, weights) in enumerate(result.mesh.located(places)):
        if triangle < 0:
            continue
        corners = result.mesh.triangles[triangle]
        cell = result.problem.cells[int(result.mesh.cell[triangle])]
        flowing = [LEVEL_NAMES.index(level.name) for level in cell.levels]
        for name, height in cell.layers:
            slot = LEVEL_NAMES.index(name)
            # merged levels stand under the name of the bag side
            level = slot if slot in flowing else flowing[-1]
            thickness[slot, at] = height
            wet[slot, at] = float(weights @ saturation[number[level, corners]])
    length = float(np.hypot(end[0] - start[0], end[1] - start[1]))
    levels = tuple(
        SectionLevel(name, thickness[slot], wet[slot].clip(0, 1), core=name == "core")
        for slot, name in enumerate(LEVEL_NAMES)
        if not np.isnan(thickness[slot]).all()
    )
    return Section(shares * length, levels)
