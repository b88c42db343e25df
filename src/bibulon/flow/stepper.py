"""One step of the fill, of any size: a linear complementarity problem solved by a primal–dual active set.

On the fluidity clock ``dθ = dt/μ`` with constant boundary pressures, the mean pressure ``p`` over a step of length L
(over the vent's) and the filling ``S`` at its end obey

    L A p + V (S − S₀) = 0,   p ≥ 0,  S ≤ 1,  p (1 − S) = 0

at every inner node, with the bucket's pressure at buckets and ``p = 0`` at vents, where resin may arrive beyond S = 1
and leaves to the pot. Exact in time for these conditions and mass-conserving to rounding, so the step size is free.

Pipes conduct up to 10⁹ times better than the laminate beside them, so the difference of two nearly equal pressures
carries their flow. It is kept to full precision by holding the pressure as a value and a small rest, and by taking
flows from differences along edges, never from the product ``A p``.

Besides:

- a full node under film holds more at a higher pressure and its pores open; the law of that (:class:`Medium`) is
  linearised about the pressures last found while the set of full nodes is searched;
- gravity adds a head ``ρ g (z_a − z_b)`` to the fall along an edge;
- vents may be kept at levels of their own: then dry nodes have the pressure of the air that flows between them;
- the dry nodes of a pocket share the pressure of its gas, ``p V = p₀ V₀``, found with the rest by Newton's method;
- a machine brings a volume into a node, whatever pressure that takes.

With gravity or gas about, resin could be drawn out of dry places; then an edge at a dry node is a one-way valve that
opens only out of a full one, and which valves are open is searched together with the set of full nodes. Resin that
would run down faster than more comes after hangs together over one edge: a full node may lack the head of that, or,
where the search would not end otherwise, what the fibres hold by capillarity.
"""

from __future__ import annotations

import math

import numpy as np

from bibulon.arrays import Flags, Floats
from bibulon.flow.conductors import LOOSE, Conductors
from bibulon.flow.factor import FactorCache, Factors
from bibulon.flow.step import Drive, Gas, Medium, NotSettled, Step

MOST_ROUNDS = 80
ROUNDS_BEFORE_HANGING = 4
"""After so many rounds a node on a slope that fills and is given up by turns stays full as far as fibres hold it."""
CAPILLARY_PA = 2000.0
"""A bed of fibres holds a hanging column of resin at least as well as this, and better where it is dense."""
ROUNDS_BEFORE_KEEPING = 6
"""After so many rounds a node of a pocket that fills and is given up by turns is kept full."""
TURNS_BEFORE_STUCK = 4
"""A valve at a dry node that has turned so often stays shut."""
REFINEMENTS = 2
MOST_SPILLS = 60
MOST_LINEARISATIONS = 5
GAS_TOLERANCE = 1e-4
"""The gas law of a pocket is met within this share of its pressure."""


def advance(
    edges: Conductors,
    factors: FactorCache,
    medium: Medium,
    filled_m3: Floats,
    drive: Drive,
    guess: Flags,
    pressure_pa: Floats,
) -> Step:
    """One step from *filled_m3* by *drive* along the *edges* that conduct as *medium* says.

    *guess* is the set first taken as full, *pressure_pa* (N,) what the medium is first linearised about. Raises
    :class:`NotSettled`.
    """
    return _Search(edges, factors, medium, filled_m3, drive, pressure_pa).run(guess)


class _Search:
    """The search for the full nodes, and where need be the open valves, of one step."""

    def __init__(
        self, edges: Conductors, factors: FactorCache, medium: Medium, filled: Floats, drive: Drive, pressure: Floats
    ) -> None:
        self.edges, self.factors, self.medium, self.drive = edges, factors, medium, drive
        self.filled = filled
        count = edges.count
        self.held = np.zeros(count, dtype=bool)
        self.held[drive.fixed] = True
        self.free = ~self.held & ~drive.inactive
        self.boundary = np.zeros(count)
        self.boundary[drive.fixed] = drive.fixed_pa
        self.scale = drive.most_pa
        if drive.air_pa is not None:
            self.boundary[self.free] = drive.air_pa[self.free]
        self.one_way = drive.head_pa is not None or bool(drive.pockets) or drive.air_pa is not None
        self.gas_pa = np.array([gas.pressure_pa for gas in drive.pockets])
        """Absolute pressures of the pockets at the step's end, as far as they are found."""
        self.pocket = np.full(count, -1, dtype=np.int64)
        for number, gas in enumerate(drive.pockets):
            self.pocket[gas.nodes] = number
        self.solves = 0
        self._linearise(pressure)
        # with valves, full nodes may hang on nothing: that must not make the matrix singular
        self.hold = np.zeros(count)
        held = slice(None) if self.one_way else self.drive.floating
        through = self.edges.into_nodes(self.conductance)
        self.hold[held] = LOOSE * np.where(through > 0, through, through.max(initial=0.0))[held]

    def _linearise(self, pressure: Floats) -> None:
        law = self.law = self.medium.at(pressure)
        self.conductance = law.conductance_m3 * self.drive.length
        self.room = law.capacity_m3 - self.filled

    def run(self, guess: Flags) -> Step:
        a, b = self.edges.starts, self.edges.ends
        wet = guess & self.free
        source = np.zeros(len(wet), dtype=bool)
        source[self.drive.fixed[: self.drive.buckets]] = True
        source[self.drive.passing] = True
        was_full = source | (self.free & (self.filled >= self.law.capacity_m3 * (1 - 1e-9)))
        full = was_full | wet
        opened = full[a] | full[b] if self.one_way else None
        tolerance = 1e-12 * self.scale
        linearised = 1
        # gas does not press resin back out of full nodes, nor at last out of those that overfill whenever it would
        turned, stuck = np.zeros(len(a), dtype=np.int64), np.zeros(len(a), dtype=bool)
        kept, dropped, hanging = was_full.copy(), np.zeros(len(wet), dtype=bool), np.zeros(len(wet), dtype=bool)
        for turn in range(MOST_ROUNDS):
            conductance = self.conductance if opened is None else np.where(opened, self.conductance, 0.0)
            dry_gas = (self.pocket >= 0) & ~wet
            pressure, factor = self._pressures(conductance, wet, dry_gas)
            fall = self._fall(pressure)
            taken = self._taken(conductance * fall)
            floor = self._floor(pressure, dry_gas, wet & ~kept)
            floor[hanging] = np.minimum(floor, -CAPILLARY_PA)[hanging]
            below = wet & (pressure < floor - tolerance)
            over = self.free & ~wet & (taken > self.room + 1e-12 * self.law.capacity_m3)
            settled = not (below.any() or over.any())
            if opened is not None:
                over = self._not_the_last(over, dry_gas)
                settled = not (below.any() or over.any())
                full = was_full | wet
                allowed = np.where(fall >= 0, full[a], full[b])
                settled &= not bool(((allowed != opened) & ~stuck & (np.abs(fall) > tolerance)).any())
                settled &= self._gas_stands(pressure, dry_gas)
                turned += allowed != opened
                stuck = (turned >= TURNS_BEFORE_STUCK) & ~(full[a] & full[b])
                opened = (allowed | over[a] | over[b]) & ~stuck
            if settled and not self._linear_enough(pressure, wet) and linearised < MOST_LINEARISATIONS:
                self._linearise(np.where(wet, np.maximum(pressure, 0.0), 0.0))
                linearised += 1
                continue
            if settled:
                return self._finished(conductance, pressure, wet, factor)
            if linearised < MOST_LINEARISATIONS - 2 and self.law.compliance_m3_pa is not None:
                self._linearise(np.where(wet, np.clip(pressure, 0.0, self.scale), 0.0))
                linearised += 1
            if turn >= ROUNDS_BEFORE_HANGING and self.drive.suction_pa is not None:
                hanging |= over & dropped & (self.pocket < 0)
            if turn >= ROUNDS_BEFORE_KEEPING:
                kept |= over & dropped
            dropped |= below
            if over.any() and not self.one_way:
                dry = self.free & ~wet
                over = _spilled(self.edges, conductance, np.where(dry, taken - self.room, 0.0), self.room, dry)
            wet = (wet & ~below) | over
        raise NotSettled

    def _linear_enough(self, pressure: Floats, wet: Flags) -> bool:
        if self.law.compliance_m3_pa is None:
            return True
        off = np.abs(pressure - self.law.about_pa)[wet]
        return float(np.max(off, initial=0.0)) <= self.medium.tolerance_pa

    def _fall(self, pressure: Floats, rest: Floats | None = None) -> Floats:
        a, b = self.edges.starts, self.edges.ends
        fall = pressure[a] - pressure[b]
        if rest is not None:
            fall = fall + (rest[a] - rest[b])
        return fall if self.drive.head_pa is None else fall + self.drive.head_pa

    def _taken(self, along: Floats) -> Floats:
        taken = self.edges.gathered(along)
        return taken if self.drive.source_m3 is None else taken + self.drive.source_m3

    def _pressures(self, conductance: Floats, wet: Flags, dry_gas: Flags) -> tuple[Floats, Factors | None]:
        """The pressures if exactly the *wet* nodes fill and the gas has the pressures it is linearised about."""
        pressure = np.where(wet | dry_gas, 0.0, self.boundary)
        if not (wet.any() or dry_gas.any()):
            return pressure, None
        self.solves += 1
        driven = self._taken(conductance * self._fall(pressure))
        load = driven - self.room
        diagonal = self.edges.into_nodes(conductance) + self.hold
        if self.law.compliance_m3_pa is not None:
            diagonal = diagonal + self.law.compliance_m3_pa
            load = load + self.law.compliance_m3_pa * self.law.about_pa
        if dry_gas.any():
            return self._with_gas(conductance, diagonal, load, driven, wet, dry_gas)
        factor = self.factors.factors(conductance, diagonal, wet)
        return np.where(wet, factor.solve(load), pressure), factor

    def _with_gas(
        self, conductance: Floats, diagonal: Floats, load: Floats, driven: Floats, wet: Flags, dry_gas: Flags
    ) -> tuple[Floats, Factors | None]:
        """The pockets share one pressure each: they border the matrix of the wet nodes, and are solved for first."""
        a, b = self.edges.starts, self.edges.ends
        groups = np.unique(self.pocket[dry_gas])
        count = len(groups)
        of_group = np.full(len(wet), -1, dtype=np.int64)
        of_group[dry_gas] = np.searchsorted(groups, self.pocket[dry_gas])
        beside = np.zeros((len(wet), count))
        for here, other in ((a, b), (b, a)):
            joins = wet[here] & (of_group[other] >= 0)
            np.subtract.at(beside, (here[joins], of_group[other[joins]]), conductance[joins])
        among = (of_group[a] >= 0) & (of_group[b] >= 0)
        own = np.zeros((count, count))
        for here, other in ((a, b), (b, a)):
            np.subtract.at(own, (of_group[here[among]], of_group[other[among]]), conductance[among])
        plain = (self.edges.into_nodes(conductance) + self.hold)[dry_gas]
        right = np.bincount(of_group[dry_gas], driven[dry_gas], count).astype(np.float64)
        own[np.arange(count), np.arange(count)] += np.bincount(of_group[dry_gas], plain, count)
        for at, group in enumerate(groups):
            # the gas law about the pressure last found: what the pocket takes = left − N/p + (N/p²)(p_new − p), where
            # p_new at the end goes with the mean over the step that the resin meets
            gas, pressure = self.drive.pockets[group], self.gas_pa[group]
            left = float(self.room[gas.nodes[~wet[gas.nodes]]].sum())
            slope = gas.amount / pressure**2
            at_first = self._weight_of_start(gas, pressure)
            own[at, at] += slope / (1 - at_first)
            at_zero = (self.drive.vent_pa - at_first * gas.pressure_pa) / (1 - at_first)
            right[at] -= left - gas.amount / pressure + slope * (at_zero - pressure)
        solution, factor = np.where(wet | dry_gas, 0.0, self.boundary), None
        if wet.any():
            factor = self.factors.factors(conductance, diagonal, wet)
            alone = factor.solve(load)
            answers = np.column_stack([factor.solve(column) for column in beside.T])
            own, right = own - beside.T @ answers, right - beside.T @ alone
        shared = np.linalg.solve(own, right)
        if wet.any():
            solution[wet] = (alone - answers @ shared)[wet]
        solution[dry_gas] = shared[of_group[dry_gas]]
        return solution, factor

    def _weight_of_start(self, gas: Gas, end_pa: float) -> float:
        """What the pressure at the step's start counts for in the mean over the step, if it is *end_pa* at its end.

        The gas nears the pressure that drives the resin as e⁻ᶻ: a half for a short step, next to nothing for a long.
        """
        last_pa = self.drive.most_pa + self.drive.vent_pa
        to_go, left = last_pa - gas.pressure_pa, last_pa - end_pa
        if to_go <= 0 or left >= to_go * (1 - 1e-6):
            return 0.5
        decay = max(left / to_go, 1e-12)
        return ((1 - decay) / -math.log(decay) - decay) / (1 - decay)

    def _gas_stands(self, pressure: Floats, dry_gas: Flags) -> bool:
        """Take the pressures just found as the next to linearise the gas law about; True if they are the same."""
        stands = True
        for group in np.unique(self.pocket[dry_gas]):
            node = int(np.flatnonzero(dry_gas & (self.pocket == group))[0])
            gas, before = self.drive.pockets[group], float(self.gas_pa[group])
            at_first = self._weight_of_start(gas, before)
            mean = float(pressure[node]) + self.drive.vent_pa
            end_pa = (mean - at_first * gas.pressure_pa) / (1 - at_first)
            self.gas_pa[group] = min(max(end_pa, before / 4), before * 100)
            stands = stands and abs(end_pa - before) <= GAS_TOLERANCE * before
        return stands

    def _floor(self, pressure: Floats, dry_gas: Flags, fresh: Flags) -> Floats:
        """The pressure that a full node has to exceed: a *fresh* one that of the gas whose place it took, else none."""
        floor = np.zeros(len(pressure)) if self.drive.suction_pa is None else -self.drive.suction_pa
        if self.drive.air_pa is not None:
            floor = np.where(fresh, floor + self.drive.air_pa, floor)
        for group in np.unique(self.pocket[dry_gas]):
            mine = self.pocket == group
            floor[mine & fresh] = pressure[np.flatnonzero(mine & dry_gas)[0]]
        return floor

    def _not_the_last(self, over: Flags, dry_gas: Flags) -> Flags:
        """*over* without the roomiest node of a pocket that would vanish with it: gas takes up some room."""
        for group in np.unique(self.pocket[dry_gas]):
            mine = np.flatnonzero(dry_gas & (self.pocket == group))
            if over[mine].all():
                over[mine[int(np.argmax(self.room[mine]))]] = False
        return over

    def _finished(self, conductance: Floats, pressure: Floats, wet: Flags, factor: Factors | None) -> Step:
        give, about = self.law.compliance_m3_pa, self.law.about_pa
        rest = np.zeros(len(wet))
        if give is None and not self.one_way:
            pressure = np.where(wet, np.maximum(pressure, 0.0), pressure)
        if wet.any():
            content = self.room if give is None else self.room + give * (pressure - about)
            if factor is None:
                diagonal = self.edges.into_nodes(conductance) + self.hold + (0.0 if give is None else give)
                factor = self.factors.factors(conductance, diagonal, wet)
            for _ in range(REFINEMENTS):
                taken = self._taken(conductance * self._fall(pressure, rest))
                rest += factor.solve(taken - content - (0.0 if give is None else give * rest))
        along = conductance * self._fall(pressure, rest)
        taken = self._taken(along)
        if give is None and not self.one_way:
            taken = np.where(wet, self.room, taken)  # exact
        filled = self.filled + np.where(self.held | self.free, taken, 0.0)
        if self.one_way and bool((filled[self.free] < -1e-9 * self.law.capacity_m3[self.free]).any()):
            raise NotSettled
        gas_pa = tuple(float(pressure_pa) for pressure_pa in self.gas_pa)
        return Step(filled, self._taken(along), pressure, wet, self.solves, gas_pa, along)


def _spilled(edges: Conductors, conductance: Floats, excess: Floats, room: Floats, dry: Flags) -> Flags:
    """Which *dry* nodes fill if what is too much in one is passed on to its dry neighbours, and so on.

    It only says where to look next: the round that follows takes back what was too much.
    """
    a, b = edges.starts, edges.ends
    both = dry[a] & dry[b]
    a, b, g = a[both], b[both], conductance[both]
    count = len(room)
    left = np.minimum(-excess, room)  # room that remains; negative where too much came
    full = dry & (left < -1e-12 * np.maximum(room, 0))
    for _ in range(MOST_SPILLS):
        over = np.where(full, np.maximum(-left, 0.0), 0.0)
        if not over.any():
            break
        to_b, to_a = full[a] & ~full[b], full[b] & ~full[a]
        ways = np.bincount(a[to_b], g[to_b], count) + np.bincount(b[to_a], g[to_a], count)
        share = np.divide(over, ways, out=np.zeros(count), where=ways > 0)
        left[full] = 0.0
        left = left - np.bincount(b[to_b], g[to_b] * share[a[to_b]], count)
        left = left - np.bincount(a[to_a], g[to_a] * share[b[to_a]], count)
        more = dry & ~full & (left < 0)
        if not more.any():
            break
        full |= more
    return full
