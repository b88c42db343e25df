"""The simulator against closed forms, case by case: errors as numbers, worst over the case, and their order.

``python bench/verification.py`` writes the table into docs/physics.md; tests/test_verification.py asserts the bounds.
Errors are of arrival times, as shares of the time at which the case ends.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from scipy.integrate import quad
from scipy.optimize import brentq

from bibulon.flow.assembly import build_network
from bibulon.flow.factor import FactorCache
from bibulon.flow.fill import fill
from bibulon.flow.line_courses import FlowLine
from bibulon.flow.medium import Rigid
from bibulon.flow.meshing import mesh_size_m
from bibulon.flow.problem import FlowCell, FlowProblem, Pace
from bibulon.flow.result import FillResult
from bibulon.flow.stage import GRAVITY_M_S2
from bibulon.flow.step import Drive, Gas
from bibulon.flow.stepper import advance
from bibulon.job.edits import revised
from bibulon.job.lines import AtTime, WhenReached
from bibulon.job.places import Relief
from bibulon.laminate.compaction import turned
from bibulon.laminate.levels import CARRIED_SHARES, Level, levels_of, merged
from bibulon.resin.rheology import Rheology
from bibulon.stock import shelf_card

MU, DRIVE = 0.2, 90_000.0
RESIN = Rheology(viscosity_pa_s=MU, thickening_s=1e12, gel_s=1e9, flow_limit_s=1e9)
TENSOR, DEPTH = 2e-13, 1e-3
Places = tuple[tuple[float, float], ...]
BEGIN, END = "<!-- verification -->", "<!-- /verification -->"


def level(along: float = TENSOR, across: float | None = None, angle: float = 0.0, depth: float = DEPTH) -> Level:
    tensor = turned(along, along if across is None else across, angle)
    return Level("bag side", ((tensor[0, 0], tensor[0, 1]), (tensor[1, 0], tensor[1, 1])), depth)


def line(kind: str, places: Places, hose_bore: float = 0.05, hose_length: float = 0.01, bore: float = 0.01) -> FlowLine:
    """A line and a hose of so wide a bore that they resist next to nothing, and so fill at once."""
    return FlowLine(kind, kind, (places,), places[0], bore, hose_bore, hose_length, AtTime(), ())


def rectangle(x0: float, x1: float, width: float = 0.4) -> Places:
    return ((x0, 0.0), (x1, 0.0), (x1, width), (x0, width))


def strip(levels: tuple[Level, ...], nodes: int, length: float = 1.0) -> FlowProblem:
    """A strip fed along x = 0 and vented along its other end."""
    lines = (line("feed", ((0.0, 0.0), (0.0, 0.4))), line("vent", ((length, 0.0), (length, 0.4))))
    return FlowProblem((FlowCell(rectangle(0, length), (), levels),), lines, DRIVE, RESIN, nodes)


def worst(
    result: FillResult,
    wanted: Callable[[np.ndarray], np.ndarray],
    end_s: float,
    arrival_s: np.ndarray | None = None,
    after_s: float = 0.0,
) -> float:
    """Worst error of arrival over the mesh, away from the first and the last two cells."""
    found = result.arrival_s if arrival_s is None else arrival_s
    x = result.mesh.points_m
    times = wanted(x)
    size = math.sqrt(float(result.mesh.areas_m2.mean()) * 2) * 2  # cells are not all alike
    inner = (times > max(0.01 * end_s, after_s)) & (times < end_s * 0.97) & ~np.isnan(found)
    inner &= (x[:, 0] - x[:, 0].min() > size) & (x[:, 0].max() - x[:, 0] > size)
    return float(np.max(np.abs(found - times)[inner])) / end_s


def edge_s(x: np.ndarray, tensor: float = TENSOR, depth: float = DEPTH) -> np.ndarray:
    """``t = φ μ x²/(2 K Δp)``."""
    return depth * MU * x**2 / (2 * tensor * DRIVE)


def edge_fill(nodes: int) -> float:
    return worst(fill(strip((level(),), nodes)), lambda p: edge_s(p[:, 0]), float(edge_s(np.array(1.0))))


def two_levels_as_one(nodes: int) -> float:
    """Two levels with an open joint between them fill as their sums."""
    below = Level("tool side", level().transmissivity_m3, DEPTH, joint_m=1e-6)
    result = fill(strip((below, level(5 * TENSOR, depth=2 * DEPTH)), nodes))
    end = float(edge_s(np.array(1.0), 6 * TENSOR, 3 * DEPTH))
    return worst(result, lambda p: edge_s(p[:, 0], 6 * TENSOR, 3 * DEPTH), end, result.seen_s)


def in_series(nodes: int) -> float:
    """Half the strip of one fabric, half of one four times as open."""
    lines = (line("feed", ((0.0, 0.0), (0.0, 0.4))), line("vent", ((1.0, 0.0), (1.0, 0.4))))
    slow, fast = TENSOR, 4 * TENSOR
    cells = (FlowCell(rectangle(0, 0.5), (), (level(slow),)), FlowCell(rectangle(0.5, 1.0), (), (level(fast),)))

    def wanted(p: np.ndarray) -> np.ndarray:
        first, beyond = np.minimum(p[:, 0], 0.5), np.maximum(p[:, 0] - 0.5, 0.0)
        return edge_s(first, slow) + DEPTH * MU / DRIVE * (0.5 / slow * beyond + beyond**2 / (2 * fast))

    end = float(wanted(np.array([[1.0, 0.0]]))[0])
    return worst(fill(FlowProblem(cells, lines, DRIVE, RESIN, nodes)), wanted, end)


def radial(nodes: int, ratio: float = 1.0, angle: float = 0.0) -> float:
    """From a hole in the middle out to the rim, both ellipses of the fabric's own shape (circles if isotropic)."""
    inner, outer = 0.1, 0.5
    # the rim's corners lie as far apart as the mesh's points, so that the mesh grows finer with their number
    corners = round(2 * math.pi * outer / mesh_size_m(math.pi * (outer**2 - inner**2), nodes))
    along, across = TENSOR * math.sqrt(ratio), TENSOR / math.sqrt(ratio)
    turn = math.radians(angle)

    def ellipse(radius: float) -> Places:
        found = []
        for k in range(corners):
            a = 2 * math.pi * k / corners
            u, v = radius * ratio**0.25 * math.cos(a), radius / ratio**0.25 * math.sin(a)
            found.append((u * math.cos(turn) - v * math.sin(turn), u * math.sin(turn) + v * math.cos(turn)))
        return tuple(found)

    hole, rim = ellipse(inner), ellipse(outer)
    cell = FlowCell(rim, (hole,), (level(along, across, angle),))
    lines = (line("feed", (*hole, hole[0]), bore=0.015), line("vent", (*rim, rim[0])))
    result = fill(FlowProblem((cell,), lines, DRIVE, RESIN, nodes))

    def time_s(radius: np.ndarray) -> np.ndarray:
        r = np.maximum(radius, inner)
        return DEPTH * MU / (4 * TENSOR * DRIVE) * (2 * r**2 * np.log(r / inner) - r**2 + inner**2)

    x, y = result.mesh.points_m.T
    u, v = x * math.cos(turn) + y * math.sin(turn), -x * math.sin(turn) + y * math.cos(turn)
    radius = np.hypot(u / ratio**0.25, v * ratio**0.25)
    end = float(time_s(np.array(outer)))
    seen = (radius > inner * 1.2) & (radius < outer * 0.96) & ~np.isnan(result.arrival_s)
    return float(np.max(np.abs(result.arrival_s - time_s(radius))[seen])) / end


def media_lead(nodes: int) -> float:
    """Media over laminate: what the laminate still lacks behind the front in the media, as a length.

    ``T p″ = g p`` over laminate that is still filling gives its saturation ``(c_m/c_l)(cosh(ξ/λ) − 1)`` at a distance ξ
    behind the front, ``λ = √(T/g)``; quasi-steady, so in range where λ ≪ x.
    """
    joint, media = 3.2e-9, 1e-3
    below = Level("bag side", ((0.0, 0.0), (0.0, 0.0)), DEPTH, joint_m=joint)
    above = Level("media", level(40 * TENSOR).transmissivity_m3, media)
    result = fill(strip((below, above), nodes))
    reach = math.sqrt(40 * TENSOR / joint)
    lead = np.linspace(0.0, math.acosh(1 + DEPTH / media), 2001)
    wanted = reach * float(np.trapezoid(1 - (np.cosh(lead) - 1) * media / DEPTH, lead))
    held = result.saturation * result.node_area_m2 / 0.4
    in_media, in_laminate = held[:, result.level == 3].sum(axis=1), held[:, result.level == 2].sum(axis=1)
    at = int(np.searchsorted(in_media, 0.8))
    ahead = float(in_media[at] - in_laminate[at])
    return abs(ahead - wanted) / wanted


def hose_in_series(nodes: int) -> float:
    """A thin hose before the strip: ``t = φ μ/Δp·(x²/(2K) + x·A·R)`` with R the hose's ``128 L/(π d⁴)``."""
    bore, length = 0.004, 3.0
    feed = line("feed", ((0.0, 0.0), (0.0, 0.4)), bore, length, 0.02)
    problem = strip((level(20 * TENSOR),), nodes)
    result = fill(FlowProblem(problem.cells, (feed, problem.lines[1]), DRIVE, RESIN, nodes))
    hose = 128 * length / (math.pi * bore**4) * 0.4
    spiral = math.pi / 4 * 0.02**2
    volume = math.pi / 4 * bore**2 * length
    first = MU / DRIVE * hose / 0.4 * (volume / 2 + spiral * 0.4)

    def wanted(p: np.ndarray) -> np.ndarray:
        x = p[:, 0]
        return first + DEPTH * MU / DRIVE * (x**2 / (2 * 20 * TENSOR) + x * hose)

    return worst(result, wanted, float(wanted(np.array([[1.0, 0.0]]))[0]))


def at_constant_rate(nodes: int) -> float:
    """A machine brings Q: the front goes with ``t``, and the pressure at the line grows with it, ``p = Q μ x/(T W)``.

    The error is that of the pressure, as a share of the last one, or that of arrival if it is greater, from where no
    step is left in which the line itself still filled.
    """
    rate, width = 2e-7, 0.4
    problem = replace(strip((level(),), nodes), rate_m3_s=rate, drive_pa=1e7)
    result = fill(problem)
    bores = float(result.in_lines_m3[len(result.times_s) // 2])  # of the feed: the vent has got none by then

    def wanted(p: np.ndarray) -> np.ndarray:
        return (bores + DEPTH * width * p[:, 0]) / rate

    end = float(wanted(np.array([[1.0, 0.0]]))[0])
    at_line = np.flatnonzero(result.mesh.points_m[result.place, 0] < 1e-6)
    middles = (result.times_s[1:] + result.times_s[:-1]) / 2
    front = (middles * rate - bores) / (DEPTH * width)
    late = front > 0.2
    pressure = result.pressure_pa[1:][:, at_line].mean(axis=1)
    last = rate * MU / (TENSOR * width)
    return max(
        float(np.max(np.abs(pressure - last * front)[late])) / last,
        worst(result, wanted, end, after_s=1.2 * bores / rate),
    )


def climbing(nodes: int, slope: float = 1.0, density: float = 1100.0) -> float:
    """Up a slope, one metre along it: ``t = φμ/K·[−s/a − (Δp/a²)·ln(1 − a s/Δp)]`` with ``a = ρ g sin α``."""
    run = 1 / math.hypot(1.0, slope)
    rise = slope * run
    relief = Relief(((0.0, 0.0, 0.0), (0.0, 0.4, 0.0), (run, 0.0, rise), (run, 0.4, rise)))
    problem = replace(strip((level(),), nodes, run), relief=relief, density_kg_m3=density)
    weight = density * GRAVITY_M_S2 * rise

    def wanted(p: np.ndarray) -> np.ndarray:
        s = p[:, 0] / run
        return DEPTH * MU / TENSOR * (-s / weight - DRIVE / weight**2 * np.log1p(-weight * s / DRIVE))

    return worst(fill(problem), wanted, float(wanted(np.array([[run, 0.0]]))[0]))


def steep_mould(nodes: int) -> float:
    """The edge fill up a mould of 3 : 1, without weight: lengths and areas are those of the surface."""
    run = 1 / math.hypot(1.0, 3.0)
    relief = Relief(((0.0, 0.0, 0.0), (0.0, 0.4, 0.0), (run, 0.0, 3 * run), (run, 0.4, 3 * run)))
    result = fill(replace(strip((level(),), nodes, run), relief=relief))
    return worst(result, lambda p: edge_s(p[:, 0] / run), float(edge_s(np.array(1.0))))


def stalled(nodes: int) -> float:
    """Resin climbs until ``Δp = ρ g z``; the error is of the filled share."""
    density, rise = 12_000.0, 0.95
    run = math.sqrt(1 - rise**2)
    relief = Relief(((0.0, 0.0, 0.0), (0.0, 0.4, 0.0), (run, 0.0, rise), (run, 0.4, rise)))
    result = fill(replace(strip((level(),), nodes, run), relief=relief, density_kg_m3=density))
    return abs(result.filled_fraction - DRIVE / (density * GRAVITY_M_S2 * rise))


def opened_in_turn(nodes: int) -> float:
    """A feed half-way, opened when resin has passed it: the front starts anew, ``t = t₁ + φμ(x − x₁)²/(2KΔp)``."""
    problem = strip((level(),), nodes)
    second = replace(line("feed", ((0.5, 0.0), (0.5, 0.4))), id="second", opens=WhenReached(line="second"))
    result = fill(replace(problem, lines=(*problem.lines, second)))
    opened = next(event.time_s for event in result.events if event.line == "second")
    bore = math.pi / 4 * 0.01**2 * 0.5 * MU / (TENSOR * DRIVE)  # the line's bore takes resin over half the way

    def wanted(p: np.ndarray) -> np.ndarray:
        return np.where(p[:, 0] <= 0.5, edge_s(p[:, 0]), opened + edge_s(np.maximum(p[:, 0] - 0.5, 0.0)))

    first = abs(opened - float(edge_s(np.array(0.5))) - bore)
    end = opened + float(edge_s(np.array(0.5)))
    beyond = result.mesh.points_m[:, 0] > 0.55
    later = float(np.max(np.abs(result.arrival_s - wanted(result.mesh.points_m))[beyond & ~np.isnan(result.arrival_s)]))
    return max(first, later) / end


def swelling_strip(nodes: int) -> FlowProblem:
    """A strip of one fabric that packs down by a power law, under film."""
    fabric = revised(shelf_card("glass-biax-800"), compaction_exponent=0.12)
    film = 95_000.0
    levels = merged(levels_of(((fabric, 0.0, 2),), None, None, film, 1100.0), 1)
    # the mean pressure of a step stands for that at its end in what the laminate takes up: shorter steps show the law
    return replace(strip(levels, nodes), film_pa=film, pace=Pace(steps=48))


def swelling_front(nodes: int) -> float:
    """The compressible edge fill keeps its shape: the front goes with √t, by an ordinary differential equation.

    With ``η = x/√t``: ``(T(p) p')' = −(μ/2) η c'(p) p'``, ``p(0) = Δp``, ``p(λ) = 0`` and ``c₀ λ/2 = −T(0) p'(λ)/μ``.
    """
    problem = swelling_strip(nodes)
    one = problem.cells[0].levels[0]
    carried = np.array(CARRIED_SHARES) * problem.film_pa
    conducts = np.array(one.opening) * one.transmissivity_m3[0][0]
    holds = one.capacity_m + np.array(one.swelling_m)

    def lies_at(front: float) -> float:
        """Pressure at the feed if the front goes with ``front·√t``."""
        found, flux, steps = 0.0, -one.capacity_m * front / 2 * MU, 4000
        for at in np.linspace(front, 0.0, steps, endpoint=False):
            slot = min(max(int(np.searchsorted(carried, found, side="right")) - 1, 0), len(carried) - 2)
            slope = (holds[slot + 1] - holds[slot]) / (carried[slot + 1] - carried[slot])
            fall = flux / float(np.interp(found, carried, conducts))
            found -= fall * front / steps
            flux += MU / 2 * at * slope * fall * front / steps
        return found

    speed = brentq(lambda front: lies_at(front) - DRIVE, 1e-4, 1e-1)
    return worst(fill(problem), lambda p: (p[:, 0] / speed) ** 2, 1 / speed**2)


def shut_in(nodes: int, vent_pa: float = 30_000.0) -> float:
    """Gas shut in at the closed end of a strip: ``p V = p₀ V₀``, so ``t = c μ/T ∫ x dx/(p_feed − p(x))``.

    The error is of the volume of the gas, as a share of what it was.
    """
    network = build_network(strip((level(),), nodes))
    count, wet = len(network.capacity_m3), np.zeros(len(network.capacity_m3), dtype=bool)
    shell = network.shell_count
    filled, buckets = np.zeros(count), np.array([network.bucket])
    pattern, rigid, pressure = (
        FactorCache(network.edges),
        Rigid(network.edges.conductance, network.capacity_m3),
        np.zeros(count),
    )
    filled[shell:] = network.capacity_m3[shell:]
    filled[network.nodes_on_line["feed"]] = network.capacity_m3[network.nodes_on_line["feed"]]
    empty = network.capacity_m3 - filled
    gas_m3 = float(empty.sum())
    start = 1 - gas_m3 / (DEPTH * 0.4)  # what the line and the first cells hold
    feed_pa = DRIVE + vent_pa

    def front_s(x: float) -> float:
        """When the gas takes the share 1 − x of the strip."""
        gas = vent_pa * (1 - start)
        return DEPTH * MU / TENSOR * quad(lambda s: (s - start / 2) / (feed_pa - gas / (1 - s)), start, x)[0]

    rest = 1 - vent_pa * (1 - start) / feed_pa
    gas = Gas(np.flatnonzero(empty > 0), vent_pa * gas_m3, vent_pa)
    clock, wrong = 0.0, 0.0
    for end in front_s(start + (rest - start) * 0.9) * np.linspace(0.025, 1.0, 40) / MU:
        drive = Drive(
            end - clock, buckets, np.array([DRIVE]), 1, np.zeros(count, dtype=bool), DRIVE, vent_pa, pockets=(gas,)
        )
        step = advance(network.edges, pattern, rigid, filled, drive, wet | (empty <= 0), pressure)
        pressure = step.pressure_pa
        filled, wet, clock = step.filled_m3, step.wet, end
        filled[buckets] = 0.0
        empty = network.capacity_m3 - filled
        gas = Gas(np.flatnonzero(~wet & (empty > 0) & (network.in_part_share > 0)), gas.amount, step.gas_pa[0])
        wanted = brentq(lambda x, end=end: front_s(x) - end * MU, start, rest * (1 - 1e-9))
        wrong = max(wrong, abs(float(empty[gas.nodes].sum()) / (DEPTH * 0.4) - (1 - wanted)))
    return wrong


@dataclass(frozen=True)
class Case:
    """A case, its closed form in words, the function that measures it and the meshes it is measured on."""

    name: str
    form: str
    error: Callable[[int], float]
    nodes: tuple[int, ...] = (400, 1600, 6400)


CASES = (
    Case("edge fill, constant pressure", "`t = φμx²/(2KΔp)`", edge_fill),
    Case("radial fill from a hole", "`t = φμ/(4KΔp)[2R² ln(R/r₀) − R² + r₀²]`", radial),
    Case(
        "radial, K₁/K₂ = 4 turned by 30°",
        "the same, on ellipses of axes ratio √(K₁/K₂)",
        lambda n: radial(n, 4.0, 30.0),
    ),
    Case("two fabrics in series", "front law through both", in_series),
    Case("two levels in parallel, open joint", "edge fill with summed K·h and φ·h", two_levels_as_one),
    Case("media over laminate: lag", "`S = (c_m/c_l)(cosh(ξ/√(T/g)) − 1)`", media_lead),
    Case("hose before the strip", "pipe and pores in series", hose_in_series),
    Case("machine at a constant rate", "`p = Qμx/(TW)`, front ∝ t", at_constant_rate),
    Case("climbing a slope of 1 : 1", "`t = φμ/K·[−s/a − (Δp/a²) ln(1 − a s/Δp)]`, `a = ρ g sin α`", climbing),
    Case("climbing until it stalls", "`Δp = ρ g z`", stalled),
    Case("mould as steep as 3 : 1", "edge fill along the surface", steep_mould),
    Case("second feed opened in turn", "`t = t₁ + φμ(x − x₁)²/(2KΔp)`", opened_in_turn),
    Case("gas shut in at the end", "`p V` constant; `t = cμ/T ∫ x dx/(p_feed − p₀V₀/V(x))`", shut_in),
    Case("swelling under film", "self-similar: `(T p')' = −(μ/2) η c' p'`, front ∝ √t", swelling_front),
)


def table() -> str:
    """The table in Markdown, closed moulds and all."""
    from mould_cases import MOULD_CASES  # which take their parts from here
    from resin_cases import RESIN_CASES

    lines = ["| case | closed form | nodes: worst error | order in mesh size |", "|---|---|---|---|"]
    for case in (*CASES, *MOULD_CASES, *RESIN_CASES):
        errors = [case.error(nodes) for nodes in case.nodes]
        steps = [
            2 * math.log(a / b) / math.log(n / m)
            for a, b, m, n in zip(errors, errors[1:], case.nodes, case.nodes[1:], strict=False)
        ]
        shown = ", ".join(f"{nodes}: {error:.2%}" for nodes, error in zip(case.nodes, errors, strict=True))
        lines.append(f"| {case.name} | {case.form} | {shown} | {', '.join(f'{step:.1f}' for step in steps)} |")
    return "\n".join(lines)


def main() -> None:
    page = Path(__file__).parent.parent / "docs/physics.md"
    text = page.read_text(encoding="utf-8")
    before, _, rest = text.partition(BEGIN)
    _, _, after = rest.partition(END)
    page.write_text(f"{before}{BEGIN}\n\n{table()}\n\n{END}{after}", encoding="utf-8")


if __name__ == "__main__":
    main()
