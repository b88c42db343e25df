"""The states that a fill went through, and what is read off them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Flags, Floats
from bibulon.flow.arrival import evened, smoothed
from bibulon.flow.network import Network
from bibulon.flow.result import Even, UpperCourse
from bibulon.flow.upper_half import UpperHalf
from bibulon.laminate.levels import LEVEL_NAMES
from bibulon.resin.rheology import Rheology


@dataclass(frozen=True)
class Row:
    """The state at the end of a step: resin held (N,), pressure (shell,), drawn by each hose at the bucket, in pots,
    in those of one vent alone, and the pressure of the supply."""

    time_s: float
    filled: Floats
    pressure: Floats
    drawn: Floats
    in_pots: float
    in_own_pots: float
    supply: float


@dataclass(frozen=True)
class Course:
    """Rows read together, as the fields of :class:`~bibulon.flow.result.FillResult` of the same names."""

    times_s: Floats
    saturation: Floats
    pressure_pa: Floats
    swelling_m: Floats
    drawn_m3: Floats
    in_part_m3: Floats
    in_lines_m3: Floats
    in_pots_m3: Floats
    in_own_pots_m3: Floats
    supply_pa: Floats
    mass_error: float


@dataclass(frozen=True)
class ArrivalTimes:
    """When resin came, as the fields of :class:`~bibulon.flow.result.FillResult` of the same names."""

    level_arrival_s: Floats
    arrival_s: Floats
    seen_s: Floats


def course_of(network: Network, rows: list[Row]) -> Course:
    """What *rows* say."""
    capacity = network.capacity_m3
    filled = np.array([row.filled for row in rows])
    in_bores = np.minimum(filled, capacity) @ (1 - network.in_part_share)
    in_part = filled.sum(axis=1) - in_bores
    in_pots = np.array([row.in_pots for row in rows])
    in_vents = np.minimum(in_pots, network.vent_volume_m3)
    drawn = np.array([row.drawn for row in rows])
    total = drawn.sum(axis=1)
    error = np.abs(total - in_part - in_bores - in_pots)
    shell = slice(0, network.shell_count)
    pores, dry = filled[:, shell], capacity[shell]
    return Course(
        times_s=np.array([row.time_s for row in rows]),
        saturation=(pores / np.where(dry > 0, dry, 1.0)).clip(0, 1).astype(np.float32),
        pressure_pa=np.array([row.pressure for row in rows]).astype(np.float32),
        swelling_m=(np.maximum(pores - dry, 0.0) / network.area_m2).astype(np.float32),
        drawn_m3=drawn,
        in_part_m3=in_part,
        in_lines_m3=in_bores + in_vents,
        in_pots_m3=in_pots - in_vents,
        in_own_pots_m3=np.minimum([row.in_own_pots for row in rows], in_pots - in_vents),
        supply_pa=np.array([row.supply for row in rows]),
        mass_error=float(np.max(error / np.maximum(total, 1e-12 * max(float(total[-1]), 1e-300)), initial=0.0)),
    )


EVEN_SHARES = np.concatenate([np.linspace(0.1, 1.0, 13), 1 + np.array([0.1, 0.2, 0.35, 0.5, 0.75, 1, 1.5, 2, 3, 5])])
"""Pressures of a full cavity that are tried, as shares of the atmosphere's."""
HELD_BETWEEN = 40
"""Pressures between two that are tried, up to the atmosphere, for which the cavity's height is told."""


def upper_course(network: Network, rows: list[Row], vent_pa: float, filled: int, with_even: bool) -> UpperCourse | None:
    """What the upper half does at the end of each of *rows*, of which the first *filled* are those of the fill, and
    over a cavity full at one pressure if that is wanted."""
    upper = network.upper
    if upper is None:
        return None
    rises, loads, forces = [], [], []
    for row in rows:
        pressure = vent_pa + row.pressure[network.top]
        rises.append(upper.rise(pressure).astype(np.float32))
        loads.append(upper.edge_load_n_m(pressure).astype(np.float32))
        forces.append(upper.forces_n(pressure))
    return UpperCourse(
        times_s=np.array([row.time_s for row in rows]),
        rise_m=np.array(rises),
        edge_places_m=upper.plate.edge_places_m,
        edge_shares_m=upper.plate.edge_shares_m,
        edge_load_n_m=np.array(loads),
        forces=tuple(forces),
        filled=filled,
        even=_even(network, upper) if with_even else None,
    )


def _even(network: Network, upper: UpperHalf) -> Even:
    levels = upper.problem.atmosphere_pa * EVEN_SHARES
    shares, loads = [], []
    for level in levels:
        pressure = np.full(upper.points, level)
        shares.append(upper.rise(pressure) / network.built_m)
        loads.append(upper.edge_load_n_m(pressure).max())
    between = np.linspace(0.0, 1.0, HELD_BETWEEN + 1)
    held, least, most = [], [], []
    # between two pressures place by place: thinnest and thickest themselves turn where the cavity comes home
    for at in range(int(np.count_nonzero(EVEN_SHARES <= 1)) - 1):
        held.append(levels[at] + (levels[at + 1] - levels[at]) * between)
        some = shares[at] + np.multiply.outer(between, shares[at + 1] - shares[at])
        least.append(some.min(axis=1))
        most.append(some.max(axis=1))
    return Even(levels, np.array(loads), np.concatenate(held), np.concatenate(least), np.concatenate(most))


def _run_along(network: Network, times: Floats, opened_s: dict[str, float]) -> Flags:
    """(shell,) whether a node lies on a bore that resin ran along, and not on a feed that the front passed closed."""
    on_lines: Flags = network.in_part_share[: len(times)] < 1
    for feed in network.feeds:
        nodes = network.nodes_on_line[feed.line.id]
        on_lines[nodes[times[nodes] < opened_s.get(feed.line.id, np.inf)]] = False
    return on_lines


def arrivals_of(
    network: Network, marks: Floats, resin: Rheology, end_s: float, opened_s: dict[str, float]
) -> ArrivalTimes:
    """Arrival times from the *marks* (shell,) on the fluidity clock, none later than the end; NaN for never.

    *opened_s* says when each feed was opened that was.
    """
    times = np.full(len(marks), np.nan)
    known = ~np.isnan(marks)
    times[known] = np.minimum([resin.time_at(float(mark)) for mark in marks[known]], end_s)
    by_level = np.full((len(LEVEL_NAMES), len(network.mesh.points_m)), np.nan)
    by_level[network.level, network.place] = times
    bores = np.zeros(by_level.shape, dtype=bool)
    bores[network.level, network.place] = _run_along(network, times, opened_s)
    for level in range(len(by_level)):
        by_level[level] = np.clip(smoothed(network.mesh, by_level[level], bores[level]), 0.0, end_s)
    seen = by_level[network.level[network.top], network.place[network.top]]
    lag = np.where(network.node_of.T >= 0, by_level, -np.inf).max(axis=0) - seen
    return ArrivalTimes(by_level, np.minimum(seen + evened(network.mesh, lag), end_s), seen)
