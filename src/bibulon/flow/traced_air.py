"""Air that gets into resin, followed through a fill: what a leak at a place leaves in the part, and where.

A leak lets in ``Q`` (Pa·m³/s) against vacuum. Against resin at the absolute pressure ``p`` it is
``Q (p_atm² − p²)/(p_atm² − p_vacuum²)``, as a viscous gas goes through a narrow way (Poiseuille with the gas's mean
density). Until resin is at the place the air goes to the vents through dry fibre. After that it is carried along with
the resin around it, by an implicit upwind balance over each step (:mod:`bibulon.flow.upwind`): bubbles neither rise nor
dissolve. What reaches a vent leaves with the resin. Air of a hose comes in all at once when its valve is opened.

What stays has the volume ``n/p``. Where that would take more than :data:`TRACK_SHARE` of the pores the bubbles join,
and the rest finds its way to the vents along the track that it has blown.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import dijkstra

from bibulon.arrays import Floats, Integers
from bibulon.flow.assembly import build_network
from bibulon.flow.fill import fill_on
from bibulon.flow.mesh import Mesh
from bibulon.flow.network import Network
from bibulon.flow.problem import FlowProblem
from bibulon.flow.stage import GRAVITY_M_S2
from bibulon.flow.step import Step
from bibulon.flow.upwind import Upwind
from bibulon.job.base import Point
from bibulon.workers.report import Progress, no_progress

TRACK_SHARE = 0.2
"""Bubbles that take this share of the pores touch one another and open a way for the gas."""
SPOILT_SHARE = 0.02
"""Pores with more air than this are spoilt."""
WET_SHARE = 0.5


@dataclass(frozen=True)
class AirLeak:
    """A leak at a *place*, which lets in ``rate_pa_m3_s`` against vacuum."""

    place: Point
    rate_pa_m3_s: float


@dataclass(frozen=True)
class HoseAir:
    """The air ``amount_pa_m3`` in the hose of a *line*, that goes in when its valve is opened."""

    line: str
    amount_pa_m3: float


AirSource = AirLeak | HoseAir


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class TracedAir:
    """Where the air of a *source* went: amounts in Pa·m³.

    ``share`` (points,) is what it takes of the pores of a place at gel, ``spoilt_m2`` the area with more than
    :data:`SPOILT_SHARE`; ``stays_m3`` its volume at the pressure it is under.
    """

    source: AirSource
    pumped_off: float
    """Through dry fibre, before resin came."""
    into_resin: float
    with_resin: float
    """Out at the vents with resin."""
    along_tracks: float
    """Out along a track that it has blown."""
    stays: float
    stays_m3: float
    spoilt_m2: float
    share: Floats

    @property
    def total(self) -> float:
        return self.pumped_off + self.into_resin


class _Follower:
    """Follows the air of several *sources*, a column each; a follower of :class:`~bibulon.flow.state.FillState`."""

    def __init__(
        self, network: Network, problem: FlowProblem, sources: Sequence[AirSource], atmosphere_pa: float
    ) -> None:
        self.network, self.problem, self.sources = network, problem, tuple(sources)
        self.atmosphere_pa = atmosphere_pa
        self.air: Floats = np.zeros((len(network.capacity_m3), len(self.sources)))
        self.pumped_off, self.into_resin, self.with_resin = (np.zeros(len(self.sources)) for _ in range(3))
        self._weight = problem.density_kg_m3 * GRAVITY_M_S2
        self._hoses = {feed.line.id: feed for feed in network.feeds}
        self._gone_in: set[int] = set()
        """The hoses whose air has gone in, by their column."""
        self.nodes = np.array(
            [
                self._hoses[source.line].port if isinstance(source, HoseAir) else _nearest(network, source.place)
                for source in self.sources
            ],
            dtype=np.int64,
        )

    def take(self, step: Step, before_m3: Floats, span_s: tuple[float, float], beyond: tuple[Integers, Floats]) -> None:
        """Take in a kept *step* from the filling *before_m3*, in which so much left *beyond* the vents' nodes."""
        flow = Upwind(self.network, step, self._weight)
        whole = before_m3 + flow.into_nodes()
        still = whole <= 1e-12 * float(self.network.capacity_m3.max())
        for column, (source, node) in enumerate(zip(self.sources, self.nodes.tolist(), strict=True)):
            comes = self._comes_in(column, source, step, span_s)
            if comes > 0:
                after_m3 = step.filled_m3 if isinstance(source, AirLeak) else before_m3  # a hose's goes in at once
                wet = 0.0 if still[node] else self._wet_for(node, before_m3, after_m3)
                self.air[node, column] += comes * wet
                self.into_resin[column] += comes * wet
                self.pumped_off[column] += comes * (1 - wet)
        if not self.air.any():
            return
        moving = np.where(still[:, None], 0.0, self.air)
        density = np.clip(flow.carried(whole, moving, np.zeros(moving.shape), still), 0.0, None)
        leaves, amounts = beyond
        after = np.maximum(step.filled_m3, 0.0)
        after[self.network.bucket] = 0.0
        gone = (density[leaves] * amounts[:, None]).sum(axis=0)
        carried = np.where(still[:, None], 0.0, density * after[:, None])
        # what the fill's own balance is off by, next to nothing, is not to be air that comes or goes
        held = np.maximum(moving.sum(axis=0), 1e-300)
        off = held / np.maximum(carried.sum(axis=0) + gone, 1e-300)
        off[moving.sum(axis=0) <= 0] = 1.0
        self.air = np.where(still[:, None], self.air, carried * off)
        self.with_resin += gone * off

    def _wet_for(self, node: int, before_m3: Floats, after_m3: Floats) -> float:
        """The share of a step during which a node is more than half full."""
        half = WET_SHARE * float(self.network.capacity_m3[node])
        low, high = float(before_m3[node]), float(after_m3[node])
        if low >= half or high <= half:
            return 1.0 if low >= half else 0.0
        return (high - half) / (high - low)

    def _comes_in(self, column: int, source: AirSource, step: Step, span_s: tuple[float, float]) -> float:
        if isinstance(source, AirLeak):
            return self._rate(source, float(step.pressure_pa[self.nodes[column]])) * (span_s[1] - span_s[0])
        if column in self._gone_in or not step.filled_m3[self._hoses[source.line].hose_nodes].any():
            return 0.0
        self._gone_in.add(column)
        return source.amount_pa_m3

    def _rate(self, source: AirLeak, over_vacuum_pa: float) -> float:
        vacuum = self.problem.vent_pa
        return source.rate_pa_m3_s * leak_share(vacuum + over_vacuum_pa, vacuum, self.atmosphere_pa)

    def rest(self, over_vacuum_pa: Floats, left_s: float) -> None:
        """What comes in until the resin is stiff, once it has stopped under the pressures (shell,)."""
        for column, (source, node) in enumerate(zip(self.sources, self.nodes.tolist(), strict=True)):
            if isinstance(source, AirLeak) and left_s > 0:
                comes = self._rate(source, float(over_vacuum_pa[node])) * left_s
                self.air[node, column] += comes
                self.into_resin[column] += comes

    def answers(self, over_vacuum_pa: Floats) -> tuple[TracedAir, ...]:
        """What stays under the pressures (shell,) at gel, and what blows itself a way out."""
        network, count = self.network, self.network.shell_count
        pressure = self.problem.vent_pa + np.maximum(over_vacuum_pa, 0.0)
        pressure = np.maximum(pressure, 1.0)
        pores = (network.capacity_m3 * network.in_part_share)[:count]
        order, onward = _ways_out(network)
        most = TRACK_SHARE * pores * pressure
        points = len(network.mesh.points_m)
        of_pores = np.maximum(np.bincount(network.place, pores, points), 1e-300)
        areas = np.zeros(points)
        np.maximum.at(areas, network.place, network.area_m2)
        answers = []
        for column, source in enumerate(self.sources):
            air = self.air[:count, column].copy()
            out = 0.0
            for node in order[air[order] > 0].tolist() if (air <= most).all() else order.tolist():
                too_much = air[node] - most[node]
                if too_much > 0:
                    air[node] = most[node]
                    if onward[node] >= 0:
                        air[onward[node]] += too_much
                    else:
                        out += too_much
            volume = air / pressure
            share = np.bincount(network.place, volume, points) / of_pores
            answers.append(
                TracedAir(
                    source=source,
                    pumped_off=float(self.pumped_off[column]),
                    into_resin=float(self.into_resin[column]),
                    with_resin=float(self.with_resin[column] + self.air[count:, column].sum()),
                    along_tracks=out,
                    stays=float(air.sum()),
                    stays_m3=float(volume.sum()),
                    spoilt_m2=float(areas[share > SPOILT_SHARE].sum()),
                    share=share,
                )
            )
        return tuple(answers)


def _ways_out(network: Network) -> tuple[Integers, Integers]:
    """(shell,) the nodes from the farthest from a vent to the nearest, and the next node of each on the shortest way
    there; −1 at the vents."""
    count = network.shell_count
    edges = network.edges
    inside = (edges.starts < count) & (edges.ends < count)
    starts, ends = edges.starts[inside], edges.ends[inside]
    places = network.mesh.points_m[network.place]
    lengths = np.hypot(*(places[starts] - places[ends]).T) + 1e-6
    ways = sparse.csr_array((lengths, (starts, ends)), (count, count))
    vents = np.unique(np.concatenate([network.vent_nodes, network.membrane_nodes]))
    vents = vents[vents < count]
    if not len(vents):
        return np.arange(count), np.full(count, -1)
    far, onward, _ = dijkstra(ways, directed=False, indices=vents, return_predecessors=True, min_only=True)
    return np.argsort(-np.nan_to_num(far, posinf=1e9), kind="stable"), np.where(onward >= 0, onward, -1)


def leak_share(pressure_pa: float, vacuum_pa: float, atmosphere_pa: float) -> float:
    """What a leak that was measured into *vacuum_pa* lets in against *pressure_pa* (absolute), as a share."""
    reach = atmosphere_pa**2 - vacuum_pa**2
    return min(max((atmosphere_pa**2 - pressure_pa**2) / reach, 0.0), 1.0) if reach > 0 else 0.0


def _nearest(network: Network, place: Point) -> int:
    """The node under the film that is nearest to *place*: air from the tape comes to the edge of the part there."""
    points = network.mesh.points_m
    at = int(np.argmin(((points - np.array(place)) ** 2).sum(axis=1)))
    return int(network.top[at])


def traced_air(
    problem: FlowProblem, sources: Sequence[AirSource], atmosphere_pa: float, progress: Progress = no_progress
) -> tuple[Mesh, tuple[TracedAir, ...]]:
    """The mesh of the fill of *problem*, and where the air of each of *sources* goes in it until the resin is stiff.

    Raises as :func:`~bibulon.flow.fill.fill` does.
    """
    network = build_network(problem)
    follower = _Follower(network, problem, sources, atmosphere_pa)
    result = fill_on(network, problem, progress, (follower,))
    at_end = result.pressure_pa[-1] if result.after is None else result.after.pressure_pa[-1]
    over_s = result.end_s if result.after is None else max(result.end_s, float(result.after.times_s[-1]))
    over_vacuum = np.asarray(at_end, dtype=np.float64)
    follower.rest(over_vacuum, problem.resin.gel_s - over_s)
    return network.mesh, follower.answers(over_vacuum)
