"""A step in which resin must be kept from being drawn out of dry places: gravity, pockets of gas, machines.

The plain step (:mod:`bibulon.flow.stepper`) needs no such care, because there every dry place has the vent's pressure,
the lowest there is. Here

- gravity adds a head ``ρ g (z_a − z_b) Δθ`` to the fall along an edge;
- the dry nodes of a pocket share the pressure of its gas, ``p V = p₀ V₀``, found with the rest by Newton's method;
- a machine brings a volume into a node, whatever pressure that takes;
- an edge between a full and a dry node is a one-way valve: it opens only out of the full one.

Which valves are open is searched together with the set of full nodes.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from scipy import sparse

from bibulon.flow.conductors import Conductors
from bibulon.flow.factor import Factors
from bibulon.flow.mesh import Floats, Integers
from bibulon.flow.stepper import REFINEMENTS, Flags, NotSettled, Spring, Step

MOST_ROUNDS = 80
ROUNDS_WITH_FREE_VALVES = 40
"""After so many rounds valves only close."""
GAS_TOLERANCE = 1e-5
"""The gas law of a pocket is met within this share of its pressure."""


@dataclass(frozen=True)
class Gas:
    """Gas shut in by resin: its dry nodes, amount ``p·V`` (Pa·m³) and absolute pressure at the step's start."""

    nodes: Integers
    amount: float
    pressure_pa: float


@dataclass(frozen=True)
class Forces:
    """What a step has besides pressures at its boundary; ``length`` of the step on the fluidity clock.

    ``head`` (e,) of each edge, Pa·θ; ``source_m3`` (N,) brought in by machines; ``vent_pa`` absolute.
    """

    length: float
    vent_pa: float = 0.0
    head: Floats | None = None
    source_m3: Floats | None = None
    pockets: tuple[Gas, ...] = ()


def advance_one_way(
    conductors: Conductors,
    capacity_m3: Floats,
    filled_m3: Floats,
    fixed: Integers,
    fixed_impulse: Floats,
    inactive: Flags,
    guess: Flags,
    forces: Forces,
    spring: Spring | None = None,
) -> Step:
    """As :func:`~bibulon.flow.stepper.advance`, with *forces*. Raises ``NotSettled``."""
    return _Search(conductors, capacity_m3, filled_m3, fixed, fixed_impulse, inactive, forces, spring).run(guess)


@dataclass
class _Search:
    """The search for the full nodes and the open valves of one step."""

    conductors: Conductors
    capacity: Floats
    filled: Floats
    fixed: Integers
    fixed_impulse: Floats
    inactive: Flags
    forces: Forces
    spring: Spring | None
    gas_pa: Floats = field(init=False)
    pocket: Integers = field(init=False)

    def __post_init__(self) -> None:
        pockets = self.forces.pockets
        self.gas_pa = np.array([gas.pressure_pa for gas in pockets])
        self.pocket = np.full(len(self.capacity), -1, dtype=np.int64)
        for number, gas in enumerate(pockets):
            self.pocket[gas.nodes] = number
        self.room = self.capacity - self.filled
        self.held = np.zeros(len(self.capacity), dtype=bool)
        self.held[self.fixed] = True
        self.free = ~self.held & ~self.inactive

    def run(self, guess: Flags) -> Step:
        a, b = self.conductors.starts, self.conductors.ends
        wet = guess & self.free
        was_full = self.held | (self.filled >= self.capacity * (1 - 1e-9))
        full = was_full | wet
        opened = full[a] | full[b]
        scale = max(float(np.max(np.abs(self.fixed_impulse), initial=0.0)), 1e-300)
        for turn in range(MOST_ROUNDS):
            edges = self.conductors.scaled(opened.astype(np.float64))
            dry_gas = (self.pocket >= 0) & ~wet
            impulse = self._impulse(edges, wet, dry_gas)
            fall = self._fall(impulse, None)
            taken = self._taken(edges, fall)
            below = wet & (impulse < self._floor(impulse, dry_gas, wet) - 1e-12 * scale)
            over = self._not_the_last(self.free & ~wet & (taken > self.room + 1e-12 * self.capacity), dry_gas)
            full = was_full | wet
            allowed = np.where(fall >= 0, full[a], full[b])
            turned = (allowed != opened) & (np.abs(fall) > 1e-12 * scale)
            gas_stands = self._gas_stands(impulse, dry_gas)
            if not (below.any() or over.any() or turned.any()) and gas_stands:
                return self._step(edges, impulse, wet, turn + 1)
            opened = allowed if turn < ROUNDS_WITH_FREE_VALVES else opened & allowed
            wet = (wet & ~below) | over
            opened |= over[a] | over[b]
        raise NotSettled

    def _fall(self, impulse: Floats, rest: Floats | None) -> Floats:
        fall = self.conductors.fall(impulse, rest)
        return fall if self.forces.head is None else fall + self.forces.head

    def _taken(self, edges: Conductors, fall: Floats) -> Floats:
        taken = edges.gathered(fall)
        return taken if self.forces.source_m3 is None else taken + self.forces.source_m3

    def _impulse(self, edges: Conductors, wet: Flags, dry_gas: Flags) -> Floats:
        """The impulse if exactly the *wet* nodes fill and the gas has the pressures it is straightened about."""
        impulse = np.zeros(len(self.room))
        impulse[self.fixed] = self.fixed_impulse
        inner = np.flatnonzero(wet)
        groups = np.unique(self.pocket[dry_gas])
        if not len(inner) and not len(groups):
            return impulse
        driven = self._taken(edges, self._fall(impulse, None))
        load = np.where(wet, driven - self.room, driven)
        diagonal = np.zeros(len(self.room))
        if self.spring is not None:
            diagonal = np.where(wet, self.spring.give_m3, 0.0)
            load = load + diagonal * self.spring.before
        rows = np.concatenate([inner, np.flatnonzero(dry_gas)])
        columns = np.concatenate([np.arange(len(inner)), len(inner) + np.searchsorted(groups, self.pocket[dry_gas])])
        shape = (len(self.room), len(inner) + len(groups))
        onto = sparse.csr_array((np.ones(len(rows)), (rows, columns)), shape)
        right = onto.T @ load
        stiff = onto.T @ diagonal
        for at, number in enumerate(groups, len(inner)):
            # the gas law about the pressure last found: what the pocket takes = left − N/p + (N/p²)(w/Δθ + p_vent − p)
            gas, pressure = self.forces.pockets[number], self.gas_pa[number]
            left = float(self.room[gas.nodes[~wet[gas.nodes]]].sum())
            slope = gas.amount / pressure**2
            stiff[at] += slope / self.forces.length
            right[at] -= left - gas.amount / pressure + slope * (self.forces.vent_pa - pressure)
        found = onto @ Factors(onto.T @ edges.matrix @ onto, stiff).solve(right)
        impulse[rows] = found[rows]
        return impulse

    def _gas_stands(self, impulse: Floats, dry_gas: Flags) -> bool:
        """Take the pressures just found as the next to straighten the gas law about; True if they are the same."""
        stands = True
        for number in np.unique(self.pocket[dry_gas]):
            node = int(np.flatnonzero(dry_gas & (self.pocket == number))[0])
            found = float(impulse[node]) / self.forces.length + self.forces.vent_pa
            before = float(self.gas_pa[number])
            self.gas_pa[number] = min(max(found, before / 4), before * 100)
            stands = stands and abs(found - before) <= GAS_TOLERANCE * before
        return stands

    def _floor(self, impulse: Floats, dry_gas: Flags, wet: Flags) -> Floats:
        """The impulse that a full node has to exceed: that of the gas it took the place of, else nothing."""
        floor = np.zeros(len(impulse))
        for number in np.unique(self.pocket[dry_gas]):
            mine = self.pocket == number
            floor[mine & wet] = impulse[np.flatnonzero(mine & dry_gas)[0]]
        return floor

    def _not_the_last(self, over: Flags, dry_gas: Flags) -> Flags:
        """*over* without the roomiest node of a pocket that would vanish with it: gas takes up some room."""
        for number in np.unique(self.pocket[dry_gas]):
            mine = np.flatnonzero(dry_gas & (self.pocket == number))
            if over[mine].all():
                over[mine[int(np.argmax(self.room[mine]))]] = False
        return over

    def _step(self, edges: Conductors, impulse: Floats, wet: Flags, solves: int) -> Step:
        inner = np.flatnonzero(wet)
        content = self.room
        give = None
        if self.spring is not None:
            give = self.spring.give_m3
            content = self.room + give * (impulse - self.spring.before)
        rest = np.zeros(len(self.room))
        if len(inner):
            factor = Factors(edges.matrix[inner][:, inner], None if give is None else give[inner])
            for _ in range(REFINEMENTS):
                taken = self._taken(edges, self._fall(impulse, rest))
                rest[inner] += factor.solve(taken[inner] - content[inner])
        taken = self._taken(edges, self._fall(impulse, rest))
        filled = self.filled + np.where(self.held | self.free, taken, 0.0)
        if bool((filled[self.free] < -1e-9 * self.capacity[self.free]).any()):
            raise NotSettled
        filled = np.where(self.inactive, self.filled, filled)
        return Step(filled, taken, impulse, wet, solves, tuple(float(p) for p in self.gas_pa))
