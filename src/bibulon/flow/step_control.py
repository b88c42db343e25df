"""Steps of a fill: what drives them, where the search for them begins, and how long they may be.

Lengths of steps are on the fluidity clock (1/Pa).
"""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from bibulon.arrays import Flags, Floats, Integers
from bibulon.flow.conductors import LOOSE
from bibulon.flow.factor import FactorCache, Singular
from bibulon.flow.medium import Rigid, Swelling, UnderUpperHalf
from bibulon.flow.network import Network, pipe_conductance_m3
from bibulon.flow.problem import FlowProblem
from bibulon.flow.recipe import Recipe
from bibulon.flow.refusal import FlowRefusal
from bibulon.flow.state import FillState
from bibulon.flow.step import Drive, NotSettled, Step
from bibulon.flow.stepper import advance
from bibulon.flow.valves import PASSED_SHARE, Valves
from bibulon.job.lines import Trigger, WhenReached

LEAP = 1.7
"""A step that takes more than so many times the share of the part meant for it is taken again, shorter."""
MOST_LEAPS = 4
MOST_TURNS_OF_VENTS = 8
NOTHING: Integers = np.zeros(0, dtype=np.int64)
MOST_CUTS = 20
UNFOLLOWED = (
    "The resin cannot be followed here: the steps of the fill do not settle. Smooth the mould's heights if they are "
    "ragged, or leave the resin's weight or trapped air out of the fill at Lines."
)


class StepControl:
    """Computes steps from the *state* of a fill, without accepting them."""

    def __init__(self, network: Network, problem: FlowProblem, state: FillState, valves: Valves) -> None:
        self.network, self.problem, self.state, self.valves = network, problem, state, valves
        self.recipe = Recipe(problem)
        self.factors = FactorCache(network.edges)
        weighs = problem.density_kg_m3 > 0 and network.climbs
        self.head_pa = network.head_pa(problem.density_kg_m3) if weighs else None
        self._suction_pa = network.suction_pa(self.head_pa) if self.head_pa is not None else None
        self._level_pa = state.vent_level_pa
        self._released = np.zeros(len(self._level_pa), dtype=bool)
        """Nodes of vents that resin has come to, at which it is under less than their level."""
        self._air_factors = FactorCache(network.edges)
        self.cut = False
        """Whether the step that was computed last is shorter than it was asked for, because that would not settle."""
        self._at_most = False
        """Whether the machine stood at the most it gives when a step was last tried."""
        self.solves = 0
        self.vents_open = True
        self.vents_pa = 0.0
        """Pressure of the vents over that during the fill."""
        self.to_pots: tuple[str, ...] = ()
        """Feeds that a bypass joins to the pots."""
        self.read_valves()

    def read_valves(self) -> None:
        """Set edges and boundary for the valves as they stand."""
        network, edges = self.network, self.network.edges
        inactive = np.zeros(len(network.capacity_m3), dtype=bool)
        for feed in network.feeds:
            if feed.line.id not in self.valves.open:
                inactive[feed.hose_nodes] = True
        for manifold, nodes in network.manifold_nodes.items():
            if manifold not in self.valves.drawn_through:
                inactive[nodes] = True
        if not self.valves.open:
            inactive[network.shell_count :] = True
        self._inactive = inactive
        self._still: Rigid | None = None
        """The laminate where it does not move, as long as the valves stand as they do."""
        shut = inactive[edges.starts] | inactive[edges.ends]
        self._bores_m3 = np.where(shut, 0.0, edges.conductance - network.through_pores_m3)
        for feed in network.feeds:
            share = self.valves.throttled.get(feed.line.id)
            if share is not None:
                in_hose = np.isin(edges.starts, feed.hose_nodes) | np.isin(edges.ends, feed.hose_nodes)
                self._bores_m3[in_hose] *= share
        self._body = edges.bodies(self._bores_m3 + network.through_pores_m3)
        self._first_of_body = np.unique(self._body, return_index=True)[1]
        vents = self.valves.open_vent_nodes if self.vents_open else network.vent_nodes[:0]
        self.vents = np.unique(np.concatenate([vents, *(network.nodes_on_line[name] for name in self.to_pots)]))

    def step(self, length: float, guess: Flags | None = None, about_pa: Floats | None = None) -> tuple[float, Step]:
        """A step of *length* or, where the active set will not settle, of a part of it, and its length.

        The search begins at the full nodes *guess* (N,) and with the medium linearised about *about_pa* (N,), where
        they are known. Raises :class:`~bibulon.flow.refusal.FlowRefusal` if not even short steps settle.
        """
        about_pa = self.state.pressure_pa if about_pa is None else about_pa
        self.cut = False
        for _ in range(MOST_CUTS):
            try:
                return length, self._with_vents(length, self._guess(length) if guess is None else guess, about_pa)
            except NotSettled:
                length /= 4
                guess, self.cut = None, True
                self.state.last_length = 0.0
        raise FlowRefusal(UNFOLLOWED)

    def find_air(self) -> None:
        """Find the pressure of the air at the nodes that are dry now, where vents are kept at levels of their own.

        Air is some ten thousand times thinner than resin: it flows between the vents as if resin stood still. Its flow
        is taken as that of a fluid (Darcy), so that its pressure is harmonic over what is dry; where no open vent is
        joined to it, it is nothing.
        """
        if not self._level_pa.any():
            return
        edges, network = self.network.edges, self.network
        count = network.shell_count
        dry = np.zeros(len(self._inactive), dtype=bool)
        dry[:count] = ~self.state.wet[:count]
        held = np.zeros(len(dry), dtype=bool)
        held[self.vents] = ~self.flooded_vents[self.vents]
        held[network.membrane_nodes] |= dry[network.membrane_nodes]
        open_to = dry | held
        among = open_to[edges.starts] & open_to[edges.ends]
        conductance = np.where(among, network.through_pores_m3, 0.0)
        body = edges.bodies(conductance)
        unknown = dry & ~held & np.isin(body, np.unique(body[held]))
        air_pa = np.where(held, self._level_pa, 0.0)
        if unknown.any():
            diagonal = edges.into_nodes(conductance)
            load = edges.gathered(conductance * (air_pa[edges.starts] - air_pa[edges.ends]))
            self.solves += 1
            air_pa = np.where(unknown, self._air_factors.factors(conductance, diagonal, unknown).solve(load), air_pa)
        self.state.air_pa = air_pa

    def step_without_leap(self, length: float, target_m3: float) -> tuple[float, Step]:
        """A step of *length*, or a shorter one where that would bring far more than *target_m3* into the part, as when
        a line has just filled or a feed opened; and its length. Raises as :meth:`step` does."""
        length, step = self.step(length)
        for _ in range(MOST_LEAPS):
            gained = self.state.in_part_of(step.filled_m3) - self.state.in_part_m3
            if gained <= LEAP * target_m3:
                break
            length, step = self.step(length * max((target_m3 / gained) ** 2, 0.1))  # a front goes with the root of time
        return length, step

    @property
    def flooded_vents(self) -> Flags:
        """(N,) the nodes of open vents that resin has come to."""
        flooded = np.zeros(len(self._level_pa), dtype=bool)
        flooded[self.vents] = self.state.filled_m3[self.vents] >= self.network.capacity_m3[self.vents] * (1 - 1e-9)
        return flooded

    def awaited_vents(self) -> list[Trigger]:
        """That resin has passed a vent with a level of its own, each that it has not: then it goes on to lower ones."""
        filled = self.state.filled_m3
        raised = [line for line in self.problem.lines if line.over_vacuum_pa > 0 and not line.membrane]
        to_come = [line.id for line in raised if self.valves.passed_share(filled, line.id) < PASSED_SHARE]
        return [WhenReached(line=name) for name in to_come]

    def _with_vents(self, length: float, guess: Flags, about_pa: Floats) -> Step:
        """A step in which no vent that resin has come to gives more than it gets: one that would is a place like any
        other, until the pressure there is its own level again."""
        step = self._attempt(length, guess, about_pa)
        if self.state.air_pa is None:
            return step
        capacity, flooded = self.network.capacity_m3, self.flooded_vents
        self._released &= flooded
        for _ in range(MOST_TURNS_OF_VENTS):
            gives = flooded & ~self._released & (step.inflow_m3 < -1e-9 * capacity)
            presses = self._released & (step.pressure_pa > self._level_pa + 1e-9 * self.problem.drive_pa)
            if not (gives.any() or presses.any()):
                break
            self._released = (self._released | gives) & ~presses
            step = self._attempt(length, step.wet | self._released, about_pa)
        return step

    def _attempt(self, length: float, guess: Flags, about_pa: Floats) -> Step:
        """A machine brings its rate at no more than its pressure, or stands at that pressure and brings less. It is
        first taken to do as it did last."""
        stage, bucket = self.recipe.stage, self.network.bucket
        if stage.rate_m3_s <= 0 or not self.valves.open:
            return self._advanced(length, guess, about_pa, by_rate=False)
        if self._at_most:
            step = self._advanced(length, guess, about_pa, by_rate=False)
            if -step.inflow_m3[bucket] <= self._brought_m3(length):
                return step
            guess = step.wet
        with suppress(Singular):  # there is no room for so much: the machine stands at the most it gives
            step = self._advanced(length, guess, about_pa, by_rate=True)
            self._at_most = bool(step.pressure_pa[bucket] > stage.drive_pa)
            if not self._at_most:
                return step
            guess = step.wet
        self._at_most = True
        return self._advanced(length, guess, about_pa, by_rate=False)

    def _brought_m3(self, length: float) -> float:
        """What the machine brings at its rate in a step."""
        state = self.state
        return self.recipe.stage.rate_m3_s * (state.seconds(state.clock + length) - state.seconds())

    def _advanced(self, length: float, guess: Flags, about_pa: Floats, by_rate: bool) -> Step:
        problem, network, state = self.problem, self.network, self.state
        span_s = state.seconds(), state.seconds(state.clock + length)
        source, held = None, np.array([network.bucket])
        if by_rate:
            source, held = np.zeros(len(state.filled_m3)), held[:0]
            source[network.bucket] = self._brought_m3(length)
            guess = guess.copy()
            guess[network.bucket] = True
        fixed = np.concatenate([held, self.vents[~self._released[self.vents]]])
        fixed_pa = self.vents_pa + self._level_pa[fixed]
        fixed_pa[: len(held)] = self.recipe.stage.drive_pa
        drive = Drive(
            length=length,
            fixed=fixed,
            fixed_pa=fixed_pa,
            buckets=len(held),
            inactive=self._inactive,
            vent_pa=problem.vent_pa,
            most_pa=problem.drive_pa,
            head_pa=self.head_pa,
            suction_pa=self._suction_pa,
            source_m3=source,
            air_pa=state.air_pa,
            passing=np.flatnonzero(self.flooded_vents & ~self._released) if state.air_pa is not None else NOTHING,
            pockets=state.pockets.gases if state.pockets is not None else (),
            floating=self._floating(fixed),
        )
        medium = self._medium(span_s)
        step = advance(network.edges, self.factors, medium, state.filled_m3, drive, guess, about_pa)
        self.solves += step.solves
        return step

    def _medium(self, span_s: tuple[float, float]) -> Rigid | Swelling | UnderUpperHalf:
        """What resin flows through, with its fluidity over that span of time in the conductances."""
        network, film_pa = self.network, self.problem.film_pa
        fluidity = self.state.fluidity(*span_s)
        pores, bores = network.through_pores_m3, self._bores_m3
        if fluidity is not None:
            pores, bores = pores * fluidity, bores * fluidity
        if network.upper is not None:
            vent_pa, share = self.problem.vent_pa, self.problem.pace.linear_share
            return UnderUpperHalf(network, network.upper, vent_pa, pores, bores, share)
        if film_pa > 0:
            if self._still is not None and fluidity is None:
                return self._still
            swelling = Swelling(network, film_pa, pores, bores, self.problem.pace.linear_share)
            by = self.problem.pace.swollen_by
            if by is None:
                return swelling
            still = swelling.held_at(by * film_pa)
            self._still = still if fluidity is None else None
            return still
        return Rigid(pores + bores, network.capacity_m3)

    def _floating(self, fixed: Integers) -> Integers:
        """The first node of each body that none of the *fixed* nodes lies in."""
        firsts = self._first_of_body
        return np.asarray(firsts[~np.isin(self._body[firsts], self._body[fixed])])

    def _guess(self, length: float) -> Flags:
        """The nodes that will be full: those that are, those the front should reach, and lines that fill at once."""
        network, state = self.network, self.state
        capacity = network.capacity_m3
        share = min(length / state.last_length, 3.0) if state.last_length > 0 else 0.0
        guess = state.wet | (state.filled_m3 + share * state.last_rise_m3 >= capacity)
        guess[state.shell] |= state.arrivals.ahead(length)
        if state.pockets is not None:
            guess[state.pockets.nodes] = False
        for feed in self.valves.open_feeds:
            nodes = np.concatenate([feed.hose_nodes, network.nodes_on_line[feed.line.id]])
            missing = float((capacity[nodes] - state.filled_m3[nodes]).sum())
            hose = pipe_conductance_m3(feed.line.hose_bore_m, feed.line.hose_length_m)
            hose *= self.valves.throttled.get(feed.line.id, 1.0)
            if 0 < missing < hose * self.problem.drive_pa * length:
                guess[nodes] = True
        return guess

    def to_go(self, step: Step, at_rest_pa: Floats | None = None) -> float:
        """How far the part is from full but for specks and pockets at rest: zero or below once it is.

        *at_rest_pa* is that of :meth:`pressure_at_rest`, asked for where it is needed and not given.
        """
        to_go, pockets = self.state.dry_to_go(step), self.state.pockets
        if to_go > 0 or pockets is None or not pockets.followed:
            return to_go
        if self.valves.lets_air_out_later:
            return max(to_go, self.state.in_pockets_m3 / self.state.total_m3)
        at_rest_pa = self.pressure_at_rest(step) if at_rest_pa is None else at_rest_pa
        return max(to_go, pockets.to_shrink(step.filled_m3, at_rest_pa))

    def pressure_at_rest(self, step: Step) -> Floats:
        """(N,) pressure over the vent's once gas has stopped shrinking, as if resin flowed on past it."""
        edges, network, pockets = self.network.edges, self.network, self.state.pockets
        flowing = step.wet.copy()
        flowing[pockets.nodes if pockets is not None else []] = True
        flowing &= ~self._inactive
        pressure = np.zeros(len(flowing))
        pressure[network.bucket] = step.pressure_pa[network.bucket]
        flowing[network.bucket] = False
        flowing[self.vents] = False
        joined = flowing.copy()
        joined[network.bucket] = True
        joined[self.vents] = True
        if not flowing.any():  # resin has come to a vent at once, and to nothing else
            return pressure
        among = joined[edges.starts] & joined[edges.ends]
        conductance = np.where(among, network.through_pores_m3 + self._bores_m3, 0.0)
        through = edges.into_nodes(conductance)
        diagonal = through + LOOSE * np.where(through > 0, through, through.max(initial=1.0))
        fall = pressure[edges.starts] - pressure[edges.ends]
        if self.head_pa is not None:
            fall = fall + self.head_pa
        self.solves += 1
        solved = self.factors.factors(conductance, diagonal, flowing).solve(edges.gathered(conductance * fall))
        return np.where(flowing, solved, pressure)
