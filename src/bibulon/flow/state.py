"""What has flowed where in a running fill, step by step, and how far it is from full.

Times are on the fluidity clock θ (1/Pa) unless their names end in ``_s``; N is the number of nodes, of which the first
are those of the shell.
"""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Protocol

import numpy as np

from bibulon.arrays import Flags, Floats, Integers
from bibulon.flow.arrival import Arrivals
from bibulon.flow.history import Row
from bibulon.flow.network import Network
from bibulon.flow.parcels import Parcels
from bibulon.flow.pockets import Pockets
from bibulon.flow.problem import FlowProblem
from bibulon.flow.stage import GRAVITY_M_S2
from bibulon.flow.step import Step
from bibulon.flow.valves import Reach

NEVER_CLOCK = 0.999999
"""Resin that thickens gets only so far on its clock; a fill is followed to this share of that."""
SPECK_SHARE = 1e-4
"""A part with no more of its pores dry, as in a corner behind a vent, is full."""
SPANS_AT_REST = 10
"""While nothing flows, resin ages in so many spans: in each as warm as it was at its start."""


class Follower(Protocol):
    """What takes in every step of a fill, to follow something that the resin carries along."""

    def take(self, step: Step, before_m3: Floats, span_s: tuple[float, float], beyond: tuple[Integers, Floats]) -> None:
        """A kept *step* over *span_s* from the filling *before_m3*; *beyond*: vents' nodes and what left there (m³)."""


def vent_levels_pa(network: Network, problem: FlowProblem) -> Floats:
    """(N,) what each vent's nodes are kept at over the vacuum; a node of two vents has the lower level."""
    levels_pa = np.full(len(network.capacity_m3), np.inf)
    for line in problem.lines:
        if line.kind == "vent":
            nodes = network.nodes_on_line[line.id]
            levels_pa[nodes] = np.minimum(levels_pa[nodes], line.over_vacuum_pa)
    return np.where(np.isinf(levels_pa), 0.0, levels_pa)


class FillState:
    """The state of a running fill at the end of the last step that was accepted."""

    def __init__(self, network: Network, problem: FlowProblem) -> None:
        self.network, self.problem = network, problem
        count = len(network.capacity_m3)
        self.filled_m3 = np.zeros(count)
        self.wet: Flags = np.zeros(count, dtype=bool)
        self.pressure_pa: Floats = np.zeros(count)
        self.air_pa: Floats | None = None
        """(N,) pressure of the air at dry nodes over the vacuum, where vents are kept at levels of their own."""
        self.clock = 0.0
        weight_pa = problem.density_kg_m3 * GRAVITY_M_S2 * float(np.ptp(network.height_m))
        self.most_pa = problem.drive_pa + weight_pa
        """The highest pressure over the vent's that can stand anywhere."""
        self.pockets = None
        if problem.trapped_air:
            self.pockets = Pockets(network, problem.vent_pa, problem.drive_pa, self.most_pa + problem.vent_pa)
        self.parcels = Parcels(network, problem)
        self.arrivals = Arrivals(network)
        self._supplies = np.flatnonzero(
            (network.edges.starts == network.bucket) | (network.edges.ends == network.bucket)
        )
        self._drawn_by_hose_m3 = np.zeros(len(self._supplies))
        self.in_pots_m3 = self.in_own_pots_m3 = 0.0
        """What left by the vents, and of it by those with a regulator, and so a pot, of their own."""
        self.vent_level_pa = vent_levels_pa(network, problem)
        self.last_rise_m3: Floats = np.zeros(count)
        self.last_wetted: Flags = np.zeros(count, dtype=bool)
        """The nodes that were wetted last, all in one step."""
        self.last_length = 0.0
        self.rows: list[Row] = []
        self.followers: tuple[Follower, ...] = ()
        self.shell = slice(0, network.shell_count)
        self.total_m3 = float((network.capacity_m3 * network.in_part_share)[self.shell].sum())
        """Pores of the part."""

    @property
    def limit(self) -> float:
        """θ at which the newest resin stops."""
        resin = self.problem.resin
        end = resin.longest_fluidity_time * NEVER_CLOCK
        return min(resin.fluidity_time(self.parcels.stops_s), end)

    @property
    def limit_in_part(self) -> float:
        """θ at which the newest resin that is in the part stops."""
        fed, wet = self.problem.fed, self.wet[self.shell]
        if fed is None or not wet.any():
            return self.limit
        left_s = float(self.parcels.left_s(fed)[wet].max())
        return min(self.problem.resin.fluidity_time(self.seconds() + max(left_s, 0.0)), self.limit)

    def seconds(self, clock: float | None = None) -> float:
        """The time at θ = *clock*, or now."""
        return min(self.problem.resin.time_at(self.clock if clock is None else clock), self.parcels.stops_s) + 0.0

    # -- how far it is -----------------------------------------------------------------------------------------------

    @property
    def drawn_m3(self) -> float:
        """Resin drawn from the bucket."""
        return float(self._drawn_by_hose_m3.sum())

    @property
    def held_m3(self) -> float:
        """Resin in pores and bores, without what has left to the pots."""
        return float(self.filled_m3.sum())

    @property
    def in_part_m3(self) -> float:
        """Resin in the pores of the part."""
        return self.in_part_of(self.filled_m3)

    def in_part_of(self, filled_m3: Floats) -> float:
        """Resin in the pores of the part if the nodes (N,) hold *filled_m3*."""
        network = self.network
        return float((np.minimum(filled_m3, network.capacity_m3) * network.in_part_share)[self.shell].sum())

    @property
    def in_pockets_m3(self) -> float:
        return sum(pocket.volume_m3 for pocket in self.pockets.followed) if self.pockets is not None else 0.0

    def dry_share(self, filled_m3: Floats, wet: Flags) -> float:
        """Share of the pores that resin has not come to, but for pockets; the full nodes *wet* are, whatever an upper
        half presses out of them."""
        network = self.network
        empty = np.maximum(network.capacity_m3 - filled_m3, 0.0) * network.in_part_share
        empty[wet] = 0.0
        if self.pockets is not None:
            empty[self.pockets.nodes] = 0.0
        return float(empty[self.shell].sum()) / self.total_m3

    def dry_to_go(self, step: Step) -> float:
        """How far the part is from full but for specks: zero or below once it is."""
        # what is dry is an area that closes in: its root goes nearly straight to nothing
        return math.sqrt(self.dry_share(step.filled_m3, step.wet)) - math.sqrt(SPECK_SHARE)

    @property
    def under_pressure(self) -> bool:
        """Whether resin under pressure is left in a laminate that swells: it creeps on with every feed clamped."""
        pressed = self.pressure_pa > 1e-3 * self.problem.drive_pa
        return self.problem.swells and bool(pressed[self.wet].any())

    def reach(self, length: float, step: Step) -> Reach:
        """How far the fill has come by the end of a step that is not accepted yet."""
        drawn_m3 = float(self.drawn_m3 - step.inflow_m3[self.network.bucket])
        front_m = self.arrivals.beyond(self._full_share(step.filled_m3, step.wet), self._impulse(length, step))
        return Reach(step.filled_m3, drawn_m3, front_m)

    @property
    def reach_now(self) -> Reach:
        return Reach(self.filled_m3, self.drawn_m3, self.arrivals.front_m)

    def fluidity(self, start_s: float, end_s: float) -> Floats | None:
        """(e,) mean fluidity along the edges over that span, as a share of what the clock counts; None if all is it."""
        return self.parcels.fluidity(start_s, end_s)

    # -- how it goes on ----------------------------------------------------------------------------------------------

    def accept(self, length: float, step: Step, vents: np.ndarray) -> None:
        """Take over a *step* of that *length*; what came to the *vents*' nodes leaves to the pots."""
        bucket, starts = self.network.bucket, self.network.edges.starts
        rise = step.filled_m3 - self.filled_m3
        before_m3, span_s = self.drawn_m3, (self.seconds(), self.seconds(self.clock + length))
        out = step.flow_m3[self._supplies]
        self._drawn_by_hose_m3 += np.where(starts[self._supplies] == bucket, out, -out)
        step.filled_m3[bucket] = 0.0
        beyond = np.maximum(step.filled_m3[vents] - self.network.capacity_m3[vents], 0.0)
        self.in_pots_m3 += float(beyond.sum())
        self.in_own_pots_m3 += float(beyond[self.vent_level_pa[vents] > 0].sum())
        step.filled_m3[vents] -= beyond
        self.arrivals.add(
            self.clock,
            self.clock + length,
            self._full_share(self.filled_m3, self.wet),
            self._full_share(step.filled_m3, step.wet),
            self._impulse(length, step),
        )
        for follower in self.followers:
            follower.take(step, self.filled_m3, span_s, (vents, beyond))
        self.parcels.take(step, self.filled_m3, (before_m3, self.drawn_m3), span_s)
        self.last_rise_m3, self.last_length = rise, length
        if (newly := step.wet & ~self.wet)[self.shell].any():
            self.last_wetted = newly
        self.filled_m3, self.wet, self.pressure_pa = step.filled_m3, step.wet, step.pressure_pa
        self.clock += length
        if self.pockets is not None:
            self.pockets.update(self.filled_m3, self.wet, step.gas_pa, vents, self.air_pa)
        self.record()

    def stand_still(self, clock: float) -> None:
        """Nothing flows until θ = *clock*, with every valve clamped; but resin ages, and warms or cools."""
        nothing, along = np.zeros(len(self.filled_m3)), np.zeros(len(self.network.edges.starts))
        still = Step(self.filled_m3, nothing, self.pressure_pa, self.wet, 0, (), along)
        times_s = np.linspace(self.seconds(), self.seconds(clock), SPANS_AT_REST + 1).tolist()
        for span_s in pairwise(times_s):
            self.parcels.take(still, self.filled_m3, (self.drawn_m3, self.drawn_m3), span_s)
        self.clock = clock

    def record(self) -> None:
        """Keep the state as a row of the history."""
        pressure = np.minimum(self.pressure_pa[self.shell], self.most_pa)
        drawn = self._drawn_by_hose_m3.copy()
        supply = float(self.pressure_pa[self.network.bucket])
        pots = self.in_pots_m3, self.in_own_pots_m3
        self.rows.append(Row(self.seconds(), self.filled_m3.copy(), pressure, drawn, *pots, supply))

    def _full_share(self, filled_m3: Floats, wet: Flags) -> Floats:
        """(shell,) how full the nodes are: 1 where they are, swollen or not."""
        share = np.minimum(filled_m3[self.shell] / self.network.capacity_m3[self.shell], 1.0)
        share[wet[self.shell]] = 1.0
        return np.asarray(share)

    def _impulse(self, length: float, step: Step) -> Floats:
        """(shell,) pressure times length of the step at each node, over that of the air ahead of the front there."""
        air_pa: Floats = np.zeros(self.network.shell_count) if self.air_pa is None else self.air_pa[self.shell].copy()
        for gas in self.pockets.gases if self.pockets is not None else ():
            left = gas.nodes[~step.wet[gas.nodes]]
            air_pa[gas.nodes] = step.pressure_pa[left[0]] if len(left) else 0.0
        if air_pa.any():
            air_pa = self.arrivals.ahead_of_front(air_pa, self.wet[self.shell])
        return np.asarray((step.pressure_pa[self.shell] - air_pa) * length)

    def age_s(self, end_s: float) -> Floats:
        """(shell,) how old the resin is, at the mould's temperature; where it is dry, as what is about to come."""
        if self.problem.fed is None:
            return np.full(self.network.shell_count, end_s + self.problem.poured_at_s)
        return self.parcels.with_dry()[0][self.shell]

    def faster(self) -> Floats:
        """(shell,) how many times as fast as the planned resin it cures, by its dose of catalyst; where it is dry, as
        what is about to come."""
        return self.parcels.with_dry()[1][self.shell]

    def excess_k(self) -> Floats:
        """(shell,) by how much it is warmer than the mould."""
        warmth = self.parcels.warmth
        return np.zeros(self.network.shell_count) if warmth is None else warmth.excess_k[self.shell].copy()

    def margin_s(self, end_s: float) -> float:
        """How long the resin that filled the last places would still have flowed, as warm as it is and gets by its own
        cure. What came to places long wet, for they swell, is not asked."""
        fed = self.problem.fed
        return self.margin_held_s(end_s) if fed is None else self._least_where_late(self.parcels.left_s(fed))

    def margin_held_s(self, end_s: float) -> float:
        """How long it would still have flowed if it were held at the mould's temperature."""
        fed = self.problem.fed
        if fed is None:
            return self.problem.resin.stops_s - end_s
        return self._least_where_late(self.parcels.held_left_s(fed))

    def _least_where_late(self, left_s: Floats) -> float:
        """The least of (shell,) over what was wetted last."""
        late = self.last_wetted[self.shell]
        return float(left_s[late].min()) if late.any() else float(left_s.min())
