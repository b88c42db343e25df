"""What the simulator reads of a closed mould: cavity, rim channel, upper half or bladder, and the injection's steps.

Sources: a half-round duct conducts as a duct of its hydraulic diameter, ``Q μ/(Δp/L) = A d_h²/(2 Po)`` with the
Poiseuille number Po = 15.77 of a half circle; free resin over a loose stack flows as between two plates, ``h³/12``.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from shapely import Polygon, get_parts

from bibulon.arrays import Floats
from bibulon.flow.plate import Stiffness, plate_of
from bibulon.flow.stage import GRAVITY_M_S2, FlowChannel, FlowSeam, Stage, WarmResin
from bibulon.flow.upper_half import UpperHalfProblem
from bibulon.job import WITH_BLADDER, Job
from bibulon.job.base import Point as PlanPoint
from bibulon.job.pair import Channel, InjectionStep, UntilMass, UntilPressure, UntilTime, UntilVolume, Upper
from bibulon.job.places import Outline
from bibulon.laminate.cells import Cell
from bibulon.laminate.closed_mould import channel_section_m2
from bibulon.laminate.levels import CAVITY_LOADS_PA, Level
from bibulon.resin.viscosity import fresh_viscosity_pa_s

HALF_CIRCLE = 15.767
"""Poiseuille number (Fanning's) of a duct of half a circle, which stands for other half-rounds too."""
SOLID_PA_M = 1e11
"""What a stack that is packed as densely as it can be is pressed back with, by how much further it would have to go."""
BEYOND_M = 1e-4
LETS_GO = 0.02
"""A loose stack presses no more once the cavity is higher by this share of it."""
MOST_COLUMNS = 200
PLATE_NODES = 200
TINY_M = 1e-8
SHORTEST_SEAM = 0.5
"""The other side of a seam is at least so long against the longer one."""
SAME_K = 0.1
"""Resin no further from the mould's temperature counts as having it."""


@dataclass(frozen=True)
class MouldProblem:
    """A closed mould as the simulator takes it; ``levels`` are those of each cell, tabulated over the deflections of
    the ``upper`` half, which is None where it does not bend."""

    levels: tuple[tuple[Level, ...], ...]
    channel: FlowChannel | None
    seam: FlowSeam | None
    stages: tuple[Stage, ...]
    stop_m3: float
    upper: UpperHalfProblem | None


def closed_problem(job: Job, cells: Sequence[Cell], levels: Sequence[tuple[Level, ...]]) -> MouldProblem:
    """The closed mould of *job*, whose covered *cells* have so many *levels* each."""
    injection, density = job.pair.injection, job.resin.density_kg_m3
    by_mass = injection.stop == "by mass" and injection.stop_kg
    bare = tuple(tuple(replace(one, swelling_m=(), opening=()) for one in of_cell) for of_cell in levels)
    tabulated, upper = bare if job.closed else tuple(levels), None
    if job.bends:
        gap = _gaps([_rises_m(of_cell) for of_cell in levels])
        tables = [
            _on_grid(of_cell, gap, cell.stack.laminate_thickness_m) for of_cell, cell in zip(levels, cells, strict=True)
        ]
        tabulated = tuple(table[0] for table in tables)
        upper = _upper_problem(job, gap, tuple(table[1] for table in tables))
    return MouldProblem(
        levels=tabulated,
        channel=channel_of(job),
        seam=seam_of(job),
        stages=tuple(_stage(job, step) for step in injection.steps),
        stop_m3=injection.stop_kg / density if by_mass and injection.stop_kg else math.inf,
        upper=upper,
    )


def warm_resin(job: Job) -> WarmResin | None:
    """Resin of a closed mould's *job* that comes in warmer or colder than the mould; None if it does not."""
    warm_k = job.pair.injection.resin_temperature_k or job.shop.temperature_k
    excess = warm_k - job.mould_temperature_k
    if abs(excess) < SAME_K:
        return None
    cool = fresh_viscosity_pa_s(job.resin, job.mould_temperature_k)
    excesses = np.linspace(min(excess, 0.0), max(excess, 0.0), 41)
    fluidity = [cool / fresh_viscosity_pa_s(job.resin, job.mould_temperature_k + float(more)) for more in excesses]
    return WarmResin(excess, tuple(float(more) for more in excesses), tuple(fluidity))


def supply_pa(job: Job, over_pressure_pa: float) -> float:
    """What a supply of so much over the atmosphere drives resin with into the cavity, over its vacuum."""
    head = (
        job.resin.density_kg_m3 * GRAVITY_M_S2 * job.bucket.below_part_m
        if job.pair.injection.source == "bucket"
        else 0.0
    )
    return job.shop.barometer_pa + over_pressure_pa - head - job.pair.cavity_pa


def _stage(job: Job, step: InjectionStep) -> Stage:
    until, density = step.until, job.resin.density_kg_m3
    stage = Stage(supply_pa(job, step.over_pressure_pa), step.rate_m3_s or 0.0)
    if isinstance(until, UntilVolume):
        return replace(stage, until_m3=until.volume_m3)
    if isinstance(until, UntilMass):
        return replace(stage, until_m3=until.mass_kg / density)
    if isinstance(until, UntilTime):
        return replace(stage, until_s=until.time_s)
    if isinstance(until, UntilPressure):
        return replace(stage, until_pa=supply_pa(job, until.over_pressure_pa))
    return stage


# -- the rim -----------------------------------------------------------------------------------------------------------


def channel_duct_m4(channel: Channel) -> float:
    """``Q·μ/(Δp/L)`` of laminar flow along the channel."""
    width, height = channel.width_m, channel.height_m
    if channel.profile == "none":
        return 0.0
    if channel.profile == "rectangle":
        b, a = sorted((width, height))
        return a * b**3 / 12 * (1 - 0.63 * b / a)
    area = channel_section_m2(channel)
    radius = width / 2
    # half of an ellipse's girth (Ramanujan) and the flat side
    h = ((radius - height) / (radius + height)) ** 2
    girth = math.pi * (radius + height) * (1 + 3 * h / (10 + math.sqrt(4 - 3 * h))) / 2 + width
    return area * (4 * area / girth) ** 2 / (2 * HALF_CIRCLE)


def channel_of(job: Job) -> FlowChannel | None:
    """The channel round the rim of the part; None if there is none."""
    channel = job.pair.channel
    if channel.profile == "none" or not job.closed:
        return None
    rim = tuple((x, y) for x, y in job.part.outline.polygon.exterior.coords)
    return FlowChannel((rim,), channel_duct_m4(channel), channel_section_m2(channel))


def long_sides(outline: Outline) -> tuple[tuple[PlanPoint, PlanPoint], tuple[PlanPoint, PlanPoint]] | None:
    """The two longest straight sides of *outline* that share no corner, each from the same end of the part; None if it
    has no two."""
    count = len(outline)
    sides = [(outline[at], outline[(at + 1) % count]) for at in range(count)]
    sides.sort(key=lambda side: -math.dist(*side))
    first = sides[0]
    other = next((side for side in sides[1:] if not set(side) & set(first)), None)
    if other is None or math.dist(*other) < SHORTEST_SEAM * math.dist(*first):
        return None
    return first, (other[1], other[0])


def seam_of(job: Job) -> FlowSeam | None:
    """Where a hollow part that is developed flat closes on itself; None if it does not."""
    sides = long_sides(job.part.outline) if job.process in WITH_BLADDER and job.pair.bladder.wraps else None
    return None if sides is None else FlowSeam(*sides)


def grown(outline: Polygon, off_m: float) -> Polygon:
    """What lies within a line *off_m* outside of *outline*."""
    parts = [part for part in get_parts(outline.buffer(off_m, join_style="mitre")) if isinstance(part, Polygon)]
    return Polygon(max(parts, key=lambda part: part.area).exterior)


def seal_line(job: Job) -> Polygon:
    """What lies within the inner seal."""
    return grown(job.part.outline.polygon, job.pair.seal_off_m)


# -- the upper half ----------------------------------------------------------------------------------------------------


def stiffness_of(upper: Upper) -> Stiffness:
    """What *upper* bends with by its laminate and ribs, or by what was measured is a matter of its outline."""
    plain = Stiffness.of_laminate(upper.thickness_m, upper.modulus_pa, upper.poisson)
    if upper.rib_pitch_m is None:
        return plain
    # a rib stands on the plate: about the middle of the plate's upper face
    inertia = upper.rib_width_m * upper.rib_height_m**3 / 12
    inertia += upper.rib_width_m * upper.rib_height_m * ((upper.rib_height_m + upper.thickness_m) / 2) ** 2
    more = upper.rib_modulus_pa * inertia / upper.rib_pitch_m
    along_x = more if upper.ribs_run in ("along x", "both ways") else 0.0
    along_y = more if upper.ribs_run in ("along y", "both ways") else 0.0
    return plain.with_ribs(along_x, along_y)


def weight_kg_m2(upper: Upper) -> float:
    """Mass of the upper half by area."""
    ribs = 0.0
    if upper.rib_pitch_m is not None:
        ways = 2 if upper.ribs_run == "both ways" else 1
        ribs = ways * upper.rib_width_m * upper.rib_height_m / upper.rib_pitch_m
    return upper.density_kg_m3 * (upper.thickness_m + ribs)


def _upper_problem(job: Job, gap_m: Floats, loads_pa: tuple[tuple[float, ...], ...]) -> UpperHalfProblem:
    upper, outline = job.pair.upper, seal_line(job)
    corners = tuple((x, y) for x, y in outline.exterior.coords[:-1])
    stiffness, times = stiffness_of(upper), 1.0
    if upper.measured_pa is not None:
        gives_m = empty_rise_m(corners, stiffness, upper.edge == "held flat") * upper.measured_pa
        times = gives_m / upper.measured_m
    return UpperHalfProblem(
        outline=corners,
        part=tuple((x, y) for x, y in job.part.outline.polygon.exterior.coords[:-1]),
        stiffness=stiffness.times(times),
        measured_times=times,
        held_flat=upper.edge == "held flat",
        weight_pa=weight_kg_m2(upper) * GRAVITY_M_S2,
        atmosphere_pa=job.shop.barometer_pa,
        gap_m=tuple(float(gap) for gap in gap_m),
        loads_pa=loads_pa,
        even_out_m=2 * job.pair.flange_m,
    )


@lru_cache(maxsize=32)
def empty_rise_m(outline: tuple[PlanPoint, ...], stiffness: Stiffness, held_flat: bool) -> float:
    """How far the middle of the bare plate gives for each pascal on the whole of it (m/Pa)."""
    from scipy.sparse.linalg import spsolve

    plate = plate_of((outline, stiffness, held_flat, PLATE_NODES))
    mesh = plate.mesh
    corners = mesh.triangles
    middles = (mesh.points_m[corners] + mesh.points_m[np.roll(corners, 1, axis=1)]) / 2
    load = plate.at(middles.reshape(-1, 2)).T @ np.repeat(mesh.areas_m2 / 3, 3)
    rise = np.zeros(len(plate.free))
    rise[plate.free] = spsolve(plate.matrix[plate.free][:, plate.free].tocsc(), load[plate.free])
    return float(np.max(plate.at(middles.reshape(-1, 2)) @ rise))


# -- tables over the deflection ----------------------------------------------------------------------------------------


def _rises_m(levels: tuple[Level, ...]) -> Floats:
    """(loads,) how much higher than built the cavity is at each of ``CAVITY_LOADS_PA``; fibre gives no volume, so that
    what a stack grows by is what it holds more."""
    return np.asarray(np.sum([one.swelling_m for one in levels], axis=0), dtype=np.float64)


def _gaps(rises: list[Floats]) -> Floats:
    """Deflections at which all cells are tabulated."""
    every = np.unique(np.round(np.concatenate(rises), 8))
    if len(every) > MOST_COLUMNS:
        every = np.unique(np.quantile(every, np.linspace(0, 1, MOST_COLUMNS), method="nearest"))
    low, high = every[0], every[-1]
    span = max(high - low, 1e-3)
    beyond = high + span * np.array([LETS_GO, 0.25, 0.5, 1.0, 2.0])
    return np.concatenate([[low - BEYOND_M], every, beyond])


def _on_grid(levels: tuple[Level, ...], gap_m: Floats, plies_m: float) -> tuple[tuple[Level, ...], tuple[float, ...]]:
    """*levels* tabulated at the deflections *gap_m*, and what their fibre presses with there."""
    rises = np.maximum.accumulate(_rises_m(levels) + np.arange(len(CAVITY_LOADS_PA)) * TINY_M * 1e-3)
    loose = float(rises[-1])
    free = np.maximum(gap_m - loose, 0.0)
    on_grid = []
    for number, one in enumerate(levels):
        holds = np.interp(gap_m, rises, one.swelling_m)
        opening = np.interp(gap_m, rises, one.opening)
        if number == len(levels) - 1:
            holds = holds + free
            trace = one.transmissivity_m3[0][0] + one.transmissivity_m3[1][1]
            opening = opening + free**3 / 6 / max(trace, 1e-300)
        on_grid.append(
            replace(one, swelling_m=tuple(float(h) for h in holds), opening=tuple(float(o) for o in opening))
        )
    loads = np.interp(gap_m, rises, CAVITY_LOADS_PA) + SOLID_PA_M * np.maximum(rises[0] - gap_m, 0.0)
    loads = loads * np.clip(1 - free / max(LETS_GO * plies_m, TINY_M), 0.0, 1.0)
    return tuple(on_grid), tuple(float(load) for load in loads)
