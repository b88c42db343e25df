"""Closed moulds against closed forms: the plate, both of its limits, channel, recipe, warm resin, clamp and mass.

Part of the table of ``bench/verification.py``. Errors are shares of the figure named.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from scipy.integrate import solve_ivp
from shapely import Polygon, box
from verification import DEPTH, DRIVE, MU, RESIN, TENSOR, Case, edge_s, level, line, rectangle, shut_in, strip, worst

from bibulon.flow.assembly import build_network
from bibulon.flow.cavity import seal_line
from bibulon.flow.fill import _Fill, fill
from bibulon.flow.mesh import Mesh
from bibulon.flow.meshing import mesh_plan, mesh_size_m
from bibulon.flow.plate import Stiffness
from bibulon.flow.problem import FlowCell, FlowProblem, Pace, flow_problem
from bibulon.flow.self_heating import DIFFUSIVITY_M2_S, FIBRE_HEAT_J_M3_K, RESIN_HEAT_J_M3_K
from bibulon.flow.stage import FlowChannel, FlowSeam, Stage, WarmResin
from bibulon.flow.upper_half import UpperHalf, UpperHalfProblem
from bibulon.job import Job
from bibulon.job.charge import ChargePlan
from bibulon.job.edits import revised
from bibulon.job.layup import Layer
from bibulon.job.lines import Line
from bibulon.job.pair import MouldPair
from bibulon.job.part import Part
from bibulon.laminate.compaction import packed_figures
from bibulon.laminate.levels import levels_of, merged
from bibulon.stock import shelf_card

STIFFNESS = Stiffness.of_laminate(0.006, 9e9, 0.3)
D = STIFFNESS.along_x
Ring = tuple[tuple[float, float], ...]


def circle(radius: float, corners: int = 96) -> Ring:
    angles = 2 * math.pi * np.arange(corners) / corners
    return tuple((float(x), float(y)) for x, y in zip(radius * np.cos(angles), radius * np.sin(angles), strict=True))


def ring_of(shape: Polygon) -> Ring:
    return tuple((x, y) for x, y in shape.exterior.coords[:-1])


def on_plate(
    outline: Ring, nodes: int, held_flat: bool, foundation_pa_m: float = 0.0, off_m: float = 0.001
) -> tuple[UpperHalf, Mesh]:
    """An upper half held along *outline*, over a part that ends *off_m* before it and presses back straight."""
    part = Polygon(outline).buffer(-off_m, join_style="mitre")
    mesh = mesh_plan([part], [], [], mesh_size_m(part.area, nodes), nodes)
    area = np.zeros(len(mesh.points_m))
    for corner in mesh.triangles.T:
        np.add.at(area, corner, mesh.areas_m2 / 3)
    gap = (-1.0, 0.0, 1.0)
    loads = tuple(-foundation_pa_m * at for at in gap)
    problem = UpperHalfProblem(outline, ring_of(part), STIFFNESS, held_flat, 0.0, 0.0, gap, (loads,))
    return UpperHalf(problem, mesh, area, np.repeat(np.array([loads]), len(area), axis=0)), mesh


def clamped_circle(nodes: int) -> float:
    """The middle of a clamped round plate: ``w₀ = q a⁴/64 D``."""
    upper, mesh = on_plate(circle(0.5), nodes, held_flat=True)
    rise = upper.rise(np.full(len(mesh.points_m), 1000.0))
    return abs(float(rise.max()) / (1000.0 * 0.5**4 / (64 * D)) - 1)


def supported_square(nodes: int) -> float:
    """The middle of a square plate free to turn: ``w₀ = 0.00406 q a⁴/D``."""
    upper, mesh = on_plate(rectangle(0, 1.0, 1.0), nodes, held_flat=False)
    rise = upper.rise(np.full(len(mesh.points_m), 1000.0))
    return abs(float(rise.max()) / (0.00406235 * 1000.0 / D) - 1)


def on_foundation(nodes: int) -> float:
    """The middle of a long strip free to turn, on springs: ``w = q/k [1 − 2 ch cos/(ch 2 + cos 2)]``, λ⁴ = k/4D."""
    spring, wide, long = 4e5, 0.4, 1.6
    upper, mesh = on_plate(rectangle(0, long, wide), nodes, held_flat=False, foundation_pa_m=spring)
    rise = upper.rise(np.full(len(mesh.points_m), 1000.0))
    middle = mesh.nearest(long / 2, wide / 2)
    half = (spring / (4 * D)) ** 0.25 * wide / 2
    wanted = 1000.0 / spring * (1 - 2 * math.cosh(half) * math.cos(half) / (math.cosh(2 * half) + math.cos(2 * half)))
    return abs(float(rise[middle]) / wanted - 1)


def round_mould(nodes: int, stiffness_n_m: float | None) -> FlowProblem:
    """A round part fed along its rim and vented in the middle, of one fabric that gives: under film (None), or under an
    upper half so stiff."""
    fabric = revised(shelf_card("glass-biax-800"), compaction_exponent=0.12)
    film, atmosphere = 50_000.0, 101_325.0
    rim = circle(0.5)
    lines = (line("feed", (*rim, rim[0]), bore=0.02), line("vent", ((-0.02, 0.0), (0.02, 0.0))))
    one = merged(levels_of(((fabric, 0.0, 2),), None, None, film, 1100.0), 1)[0]
    cell = FlowCell(rim, (), (one,), built_m=one.thickness_m)
    if stiffness_n_m is None:
        return FlowProblem((cell,), lines, film, strip((one,), 10).resin, nodes, film_pa=film, pace=Pace(steps=48))
    loads = tuple(float(load) for load in np.geomspace(1e6, 110.0, 60))
    figures, at_film = packed_figures(fabric, 0.0, loads) * 2, packed_figures(fabric, 0.0, (film,))[0] * 2
    tabulated = replace(
        one,
        swelling_m=tuple(figures[:, 1] - at_film[1]),
        opening=tuple(figures[:, 2] / at_film[2]),
    )
    upper = UpperHalfProblem(
        outline=circle(0.501),
        part=rim,
        stiffness=STIFFNESS.times(stiffness_n_m / D),
        held_flat=False,
        weight_pa=0.0,
        atmosphere_pa=atmosphere,
        gap_m=tuple(figures[:, 0] - at_film[0]),
        loads_pa=(loads,),
    )
    return FlowProblem(
        (replace(cell, levels=(tabulated,)),), lines, film, strip((one,), 10).resin, nodes,
        vent_pa=atmosphere - film, pace=Pace(steps=48), upper=upper,
    )  # fmt: skip


def soft_limit(nodes: int) -> float:
    """A plate next to nothing fills as film does; the error is of the fill time."""
    film, plate = (fill(round_mould(nodes, stiffness)).end_s for stiffness in (None, 1e-3))
    return abs(plate / film - 1)


def stiff_limit(nodes: int) -> float:
    """A plate that hardly bends fills as a rigid mould does."""
    rigid = replace(round_mould(nodes, None), film_pa=0.0)
    return abs(fill(round_mould(nodes, 1e9)).end_s / fill(rigid).end_s - 1)


def rim_to_middle(nodes: int) -> float:
    """``t = φμ/(4KΔp)·[R² − r² − 2r² ln(R/r)]`` for the front at r."""
    radius = 0.5
    rim = circle(radius, max(48, round(2 * math.pi * radius / mesh_size_m(math.pi * radius**2, nodes))))
    lines = (line("feed", (*rim, rim[0]), bore=0.015), line("vent", ((-0.005, 0.0), (0.005, 0.0))))
    problem = FlowProblem((FlowCell(rim, (), (level(),)),), lines, DRIVE, strip((level(),), 10).resin, nodes)
    result = fill(problem)
    r = np.maximum(np.hypot(*result.mesh.points_m.T), 1e-6)
    scale = DEPTH * MU / (4 * TENSOR * DRIVE)
    wanted = scale * (radius**2 - r**2 - 2 * r**2 * np.log(radius / r))
    seen = (r > 0.08 * radius) & (r < 0.94 * radius) & ~np.isnan(result.arrival_s)
    return float(np.max(np.abs(result.arrival_s - wanted)[seen])) / (scale * radius**2)


def rate_then_pressure(nodes: int) -> float:
    """Rate until its pressure meets the limit, then that pressure: linear, then by the root, joined where
    ``p = Qμx/(KA)`` meets it; the error is of arrival."""
    rate, width, limit = 2e-7, 0.4, 60_000.0
    stages = (Stage(limit, rate, until_pa=limit), Stage(limit))
    problem = replace(strip((level(),), nodes), drive_pa=limit, stages=stages)
    result = fill(problem)
    bores = float(result.in_lines_m3[len(result.times_s) // 2])
    joint = limit * TENSOR * width / (rate * MU)
    joint_s = (bores + DEPTH * width * joint) / rate

    def wanted(p: np.ndarray) -> np.ndarray:
        x = p[:, 0]
        later = joint_s + DEPTH * MU * (x**2 - joint**2) / (2 * TENSOR * limit)
        return np.where(x <= joint, (bores + DEPTH * width * x) / rate, later)

    return worst(result, wanted, float(wanted(np.array([[1.0, 0.0]]))[0]), after_s=1.2 * bores / rate)


def narrow_channel(nodes: int) -> float:
    """A channel far narrower than the part beside it takes: ``t = (c b + s) μ x²/(2 k Δp)``; resin crosses the part in
    next to no time and cannot run along in it."""
    length, width = 0.5, 0.01
    cross = level(1e-18, 3e-12)
    inner = rectangle(0.0, length, width)
    vents = (line("vent", ((length, 0.0), (length, width))),)
    feed = line("feed", ((0.0, 0.0), (0.0, 0.002)), bore=0.002)
    duct, section = 1e-14, 2e-6
    channel = FlowChannel((((0.0, 0.0), (length, 0.0)),), duct, section)
    problem = FlowProblem(
        (FlowCell(inner, (), (cross,)),), (feed, *vents), DRIVE, strip((cross,), 10).resin, nodes, channel=channel
    )
    result = fill(problem)
    scale = (DEPTH * width + section) * MU / (2 * duct * DRIVE)
    x, y = result.mesh.points_m.T
    along = (y < 1e-6) & (x > 0.2 * length) & (x < 0.95 * length) & ~np.isnan(result.arrival_s)
    return float(np.max(np.abs(result.seen_s - scale * x**2)[along])) / (scale * length**2)


def warm_into_cold(nodes: int) -> float:
    """Warm resin at a constant rate into a cold strip: behind the front heat is lost to the mould and carried on; the
    error is of the excess at half the way, as a share of what came in, against the ordinary equation of its path."""
    rate, width, excess, thick, packed = 2.4e-5, 0.4, 20.0, 6e-3, 0.5
    depth = (1 - packed) * thick
    one = replace(level(depth=depth), thickness_m=thick)
    warm = WarmResin(excess, (0.0, excess), (1.0, 1.0))
    problem = replace(
        strip((one,), nodes), rate_m3_s=rate, drive_pa=1e9, warm=warm, pace=Pace(steps=200),
    )  # fmt: skip
    cell = replace(problem.cells[0], laminate_m=thick, fibre_m=packed * thick)
    problem = replace(problem, cells=(cell,))

    running = _Fill(problem, build_network(problem), lambda share: None)
    result = running.run()
    found = running.state.parcels.warmth.excess_k[: len(result.place)]
    tau = thick**2 / (math.pi**2 * DIFFUSIVITY_M2_S)
    speed = rate / (depth * width)
    slower = 1 + FIBRE_HEAT_J_M3_K / RESIN_HEAT_J_M3_K * packed / (1 - packed)  # the fibre's heat goes along
    carried = speed / slower
    path = solve_ivp(lambda x, t: -t / (tau * carried), (0.0, 1.0), [excess], dense_output=True, rtol=1e-8)
    x = result.mesh.points_m[result.place, 0]
    lag = carried * result.end_s
    seen = (x > 0.05) & (x < 0.6 * lag)
    return float(np.max(np.abs(found - path.sol(x)[0])[seen])) / excess


def lid(shape: Polygon, flange_m: float = 0.1, off_m: float = 0.03, **pair: object) -> Job:
    """A job in a closed mould of that *shape*, fed at its rim and vented in its middle."""
    fabrics = ("glass-mat-450", "glass-flow-core-hybrid-900", "glass-mat-450")

    x0 = shape.bounds[0]
    middle = shape.centroid
    at = {"inlet": (x0, middle.y), "vent": (middle.x, middle.y)}
    ports = tuple(
        Line(
            id=name, kind=kind, label=name[0].upper(), points=((x, y - 0.005), (x, y + 0.005)),
            tube="hose-10", hose="hose-10", is_port=True,
        )
        for (name, (x, y)), kind in zip(at.items(), ("feed", "vent"), strict=True)
    )  # fmt: skip
    return Job(
        id="case", name="case", process="light RTM", part=Part(outline=ring_of(shape)),
        layup=tuple(Layer(id=f"l{number}", card=card) for number, card in enumerate(fabrics)), lines=ports,
        pair=MouldPair(cavity_m=0.0042, flange_m=flange_m, seal_off_m=off_m, **pair),
        charge=ChargePlan(resin="polyester"),
        cards=tuple(shelf_card(card) for card in ("polyester", "hose-10", *dict.fromkeys(fabrics))),
    )  # fmt: skip


def clamp_sums(nodes: int) -> float:
    """A round and a rectangular mould: the areas, ``b Δp`` on the flange, ``p A`` in the cavity, and the pull along the
    edge, which adds up to what is left; the worst share of the atmosphere's force."""
    found = 0.0
    for shape in (Polygon(circle(0.5, 192)), box(0, 0, 1.1, 0.8)):
        job = lid(shape)
        course = fill(replace(flow_problem(job, nodes), after=False)).upper
        inner = seal_line(job)
        by_hand = math.pi * 0.53**2 if shape.area < 0.8 else (1.1 + 0.06) * (0.8 + 0.06)
        assert course is not None
        for forces, load in zip(course.forces, course.edge_load_n_m, strict=True):
            left = forces.resin_n + forces.fibre_n - forces.atmosphere_n - forces.weight_n
            pulled = float((load * course.edge_shares_m).sum())
            found = max(found, abs(pulled - left) / forces.atmosphere_n)
            found = max(found, abs(forces.atmosphere_n / (job.shop.barometer_pa * by_hand) - 1))
        found = max(found, abs(inner.area / by_hand - 1))
    return found


def mass(nodes: int) -> float:
    """Drawn = part + channel + hoses + pot, at every moment of the lid's fill."""
    result = fill(flow_problem(lid(box(0, 0, 1.1, 0.8)), nodes, after=True))
    assert result.after is not None
    return max(result.mass_error, result.after.mass_error)


def round_its_section(nodes: int) -> float:
    """A tube developed flat, fed along one line and vented along that across from it: resin goes both ways, one of
    them over the seam, whose two sides are meshed unlike."""
    fed = 0.1

    def away(x: np.ndarray) -> np.ndarray:
        return np.minimum(np.abs(x - fed), 1 - np.abs(x - fed))

    lines = (line("feed", ((fed, 0.0), (fed, 0.4))), line("vent", ((fed + 0.5, 0.0), (fed + 0.5, 0.4))))
    seam = FlowSeam(((0.0, 0.0), (0.0, 0.4)), ((1.0, 0.0), (1.0, 0.4)))
    problem = FlowProblem((FlowCell(rectangle(0, 1.0), (), (level(),)),), lines, DRIVE, RESIN, nodes, seam=seam)
    return worst(fill(problem), lambda p: edge_s(away(p[:, 0])), float(edge_s(np.array([0.5]))[0]))


def half_vacuum_pocket(nodes: int) -> float:
    """Air at half an atmosphere shut in: the gas law."""
    return shut_in(nodes, 51_325.0)


FINER = (400, 1600)
MOULD_CASES = (
    Case("clamped round plate, even load", "`w₀ = q a⁴/64D`", clamped_circle),
    Case("square plate free to turn", "`w₀ = 0.00406 q a⁴/D`", supported_square),
    Case("plate on springs, long strip", "`w = q/k [1 − 2 ch cos/(ch 2 + cos 2)]`", on_foundation),
    Case("upper half as soft as film", "the film's fill time", soft_limit, FINER),
    Case("upper half that hardly bends", "the rigid mould's fill time", stiff_limit, FINER),
    Case("rim to the middle", "`t = φμ/(4KΔp)[R² − r² − 2r² ln(R/r)]`", rim_to_middle),
    Case("rate up to a pressure, then that", "linear, then root law, joined at `p = Qμx/(KA)`", rate_then_pressure),
    Case("channel much too narrow", "`t = (c b + s) μ x²/(2 k Δp)`", narrow_channel, FINER),
    Case("pocket at half an atmosphere", "`p V` constant", half_vacuum_pocket, FINER),
    Case("clamp of a round and a square mould", "sums by hand", clamp_sums, FINER),
    Case("warm resin into a cold mould", "`dθ/dx = −θ/(τ v)`, front of heat slower by the fibre", warm_into_cold),
    Case("tube round its section", "edge fill both ways, over the seam", round_its_section),
    Case("mass in a closed mould", "drawn = part + channel + hoses + pot", mass, FINER),
)
