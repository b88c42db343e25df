"""The fill of a part: steps, valve events and everything that is read off them.

>>> from bibulon.demo import demo_job
>>> from bibulon.flow.problem import flow_problem
>>> result = fill(flow_problem(demo_job(), nodes=800))
>>> result.stopped_by, result.mass_error < 1e-9
('filled', True)
"""

from __future__ import annotations

import math
from contextlib import suppress
from dataclasses import replace

import numpy as np

from bibulon.arrays import Flags, Floats, Integers
from bibulon.flow.ageing import Ageing
from bibulon.flow.arrival import Arrivals
from bibulon.flow.conductors import LOOSE
from bibulon.flow.factor import Factory, Singular
from bibulon.flow.history import Row, arrivals_of, course_of
from bibulon.flow.medium import Rigid, Swelling
from bibulon.flow.meeting import Trial, shortest
from bibulon.flow.network import Network, build_network, pipe_conductance_m3
from bibulon.flow.pockets import Pockets
from bibulon.flow.problem import GRAVITY_M_S2, FlowProblem, FlowRefusal
from bibulon.flow.result import After, FillResult, StopReason
from bibulon.flow.stepper import Drive, NotSettled, Step, advance
from bibulon.flow.valves import Reach, Valves
from bibulon.workers.report import Progress, no_progress

STEPS_AFTER = 10
LEAP = 1.7
"""A step that takes more than so many times the share of the part meant for it is taken again, shorter."""
MOST_LEAPS = 4
MOST_STEPS = 1000
"""Fills take some fifty steps, with many valves a few hundred."""
UNFOLLOWED = (
    "The resin cannot be followed here: the steps of the fill do not settle. Smooth the mould's heights if they are "
    "ragged, or leave the resin's weight or trapped air out of the fill at Lines."
)
STALLED_SHARE = 1e-3
"""Resin that gains less than this share of the part in a quarter of its time has come as high as it can."""
STALLED_AFTER = 1e-3
"""But not before this share of the time that it flows at all: fine pores take their time at first."""
SPECK_SHARE = 1e-4
"""A part with no more of its pores dry, as in a corner behind a vent, is full."""
SQUEEZED_A_STEP = 0.2
"""Gas comes nearer to its last pressure by about e to the power of so much in a step."""
DRY_SHARE = 1e-3
"""A part with more of its pores in pockets than this is not filled."""
NEVER_CLOCK = 0.999999
"""Resin that thickens gets only so far on its clock; a fill is followed to this share of that."""


def fill(problem: FlowProblem, progress: Progress = no_progress) -> FillResult:
    """Simulate the fill. Raises :class:`~bibulon.flow.problem.FlowRefusal`, or what *progress* raises to cancel."""
    return fill_on(build_network(problem), problem, progress)


def fill_on(network: Network, problem: FlowProblem, progress: Progress = no_progress) -> FillResult:
    """The same on a *network* that was built from the problem before."""
    return _Fill(problem, network, progress).run()


class _Fill:
    """The state of a running fill; times on the fluidity clock θ (1/Pa) unless they end in ``_s``."""

    def __init__(self, problem: FlowProblem, network: Network, progress: Progress) -> None:
        self.problem, self.network, self.progress = problem, network, progress
        count = len(network.capacity_m3)
        self.filled = np.zeros(count)
        self.wet: Flags = np.zeros(count, dtype=bool)
        self.pressure: Floats = np.zeros(count)
        self.clock = 0.0
        self.factory = Factory(network.edges)
        self.valves = Valves(network, problem)
        weight_pa = problem.density_kg_m3 * GRAVITY_M_S2 * float(np.ptp(network.height_m))
        self.most_pa = problem.drive_pa + weight_pa
        self.pockets = None
        if problem.trapped_air:
            self.pockets = Pockets(network, problem.vent_pa, problem.drive_pa, self.most_pa + problem.vent_pa)
        self.ageing = Ageing(network, problem)
        weighs = problem.density_kg_m3 > 0 and network.climbs
        self.head_pa = network.head_pa(problem.density_kg_m3) if weighs else None
        self.suction_pa = network.suction_pa(self.head_pa) if self.head_pa is not None else None
        self.supplies = np.flatnonzero(
            (network.edges.starts == network.bucket) | (network.edges.ends == network.bucket)
        )
        self.drawn = np.zeros(len(self.supplies))
        self.in_pots = 0.0
        self.solves = 0
        self.arrivals = Arrivals(network)
        self.last_rise: Floats = np.zeros(count)
        self.last_length = 0.0
        self.rows: list[Row] = []
        self.vents_open = True
        self.shell = slice(0, network.shell_count)
        self.total_m3 = float((network.capacity_m3 * network.in_part_share)[self.shell].sum())
        self._set_valves()

    @property
    def limit(self) -> float:
        """θ at which the newest resin stops."""
        resin = self.problem.resin
        end = resin.thickening_s / resin.viscosity_pa_s * NEVER_CLOCK
        return min(resin.fluidity_time(self.ageing.stops_s), end)

    def _set_valves(self) -> None:
        """Set the edges and the boundary for the valves as they stand."""
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
        self.inactive = inactive
        shut = inactive[edges.starts] | inactive[edges.ends]
        self.bores = np.where(shut, 0.0, edges.conductance - network.through_pores_m3)
        self.body = edges.bodies(self.bores + network.through_pores_m3)
        self.first_of_body = np.unique(self.body, return_index=True)[1]
        self.vents = self.valves.open_vent_nodes if self.vents_open else network.vent_nodes[:0]

    def _adrift(self, fixed: Integers) -> Integers:
        """The first node of each body that none of the *fixed* nodes lies in."""
        firsts = self.first_of_body
        return np.asarray(firsts[~np.isin(self.body[firsts], self.body[fixed])])

    def _seconds(self, clock: float | None = None) -> float:
        return min(self.problem.resin.time_at(self.clock if clock is None else clock), self.ageing.stops_s) + 0.0

    # -- steps -------------------------------------------------------------------------------------------------------

    def _try(self, length: float, guess: Flags, about_pa: Floats) -> Step:
        """A step of *length* that is not kept yet."""
        problem, network = self.problem, self.network
        if problem.rate_m3_s > 0 and self.valves.open:
            with suppress(Singular):  # there is no room for so much: the machine stands at the most it gives
                step = self._advanced(length, guess, about_pa, by_rate=True)
                if step.pressure_pa[network.bucket] <= problem.drive_pa:
                    return step
                guess = step.wet
        return self._advanced(length, guess, about_pa, by_rate=False)

    def _advanced(self, length: float, guess: Flags, about_pa: Floats, by_rate: bool) -> Step:
        problem, network = self.problem, self.network
        span_s = self._seconds(), self._seconds(self.clock + length)
        fluidity = self.ageing.fluidity(*span_s)
        pores, bores = network.through_pores_m3, self.bores
        if fluidity is not None:
            pores, bores = pores * fluidity, bores * fluidity
        medium: Rigid | Swelling = Rigid(pores + bores, network.capacity_m3)
        if problem.film_pa > 0:
            medium = Swelling(network, problem.film_pa, pores, bores, problem.pace.straight_share)
        source, held = None, np.array([network.bucket])
        if by_rate:
            source, held = np.zeros(len(self.filled)), held[:0]
            source[network.bucket] = problem.rate_m3_s * (span_s[1] - span_s[0])
            guess = guess.copy()
            guess[network.bucket] = True
        fixed = np.concatenate([held, self.vents])
        fixed_pa = np.zeros(len(fixed))
        fixed_pa[: len(held)] = problem.drive_pa
        drive = Drive(
            length=length,
            fixed=fixed,
            fixed_pa=fixed_pa,
            buckets=len(held),
            inactive=self.inactive,
            vent_pa=problem.vent_pa,
            most_pa=problem.drive_pa,
            head_pa=self.head_pa,
            suction_pa=self.suction_pa,
            source_m3=source,
            pockets=self.pockets.gases if self.pockets is not None else (),
            adrift=self._adrift(fixed),
        )
        step = advance(network.edges, self.factory, medium, self.filled, drive, guess, about_pa)
        self.solves += step.solves
        return step

    def _guess(self, length: float) -> Flags:
        """The nodes that will be full: those that are, those the front should reach, and lines that fill at once."""
        network, capacity = self.network, self.network.capacity_m3
        share = min(length / self.last_length, 3.0) if self.last_length > 0 else 0.0
        guess = self.wet | (self.filled + share * self.last_rise >= capacity)
        guess[self.shell] |= self.arrivals.ahead(length)
        if self.pockets is not None:
            guess[self.pockets.nodes] = False
        for feed in self.valves.open_feeds:
            nodes = np.concatenate([feed.hose_nodes, network.nodes_on_line[feed.line.id]])
            missing = float((capacity[nodes] - self.filled[nodes]).sum())
            hose = pipe_conductance_m3(feed.line.hose_bore_m, feed.line.hose_length_m)
            if 0 < missing < hose * self.problem.drive_pa * length:
                guess[nodes] = True
        return guess

    def _step(self, length: float, guess: Flags | None = None, about_pa: Floats | None = None) -> tuple[float, Step]:
        """A step of *length* or, where the active set will not settle, of a part of it.

        The search begins at *guess* and with the medium straightened about *about_pa* (N,), where they are known.
        """
        about_pa = self.pressure if about_pa is None else about_pa
        for _ in range(20):
            try:
                return length, self._try(length, self._guess(length) if guess is None else guess, about_pa)
            except NotSettled:
                length /= 4
                guess = None
                self.last_length = 0.0
        raise FlowRefusal(UNFOLLOWED)

    def _accept(self, length: float, step: Step) -> None:
        bucket, vents, starts = self.network.bucket, self.vents, self.network.edges.starts
        rise = step.filled_m3 - self.filled
        before, span_s = float(self.drawn.sum()), (self._seconds(), self._seconds(self.clock + length))
        out = step.flow_m3[self.supplies]
        self.drawn += np.where(starts[self.supplies] == bucket, out, -out)
        step.filled_m3[bucket] = 0.0
        beyond = np.maximum(step.filled_m3[vents] - self.network.capacity_m3[vents], 0.0)
        self.in_pots += float(beyond.sum())
        step.filled_m3[vents] -= beyond
        self.arrivals.add(self.clock, self.clock + length, self._shares(self.filled, self.wet),
                          self._shares(step.filled_m3, step.wet), self._impulse(length, step))  # fmt: skip
        self.ageing.take(step, self.filled, (before, float(self.drawn.sum())), span_s)
        self.last_rise, self.last_length = rise, length
        self.filled, self.wet, self.pressure = step.filled_m3, step.wet, step.pressure_pa
        self.clock += length
        if self.pockets is not None:
            self.pockets.update(self.filled, self.wet, step.gas_pa, self.vents)
        self._record()

    def _shares(self, filled: Floats, wet: Flags) -> Floats:
        """(shell,) how full the nodes are: 1 where they are, swollen or not."""
        share = np.minimum(filled[self.shell] / self.network.capacity_m3[self.shell], 1.0)
        share[wet[self.shell]] = 1.0
        return np.asarray(share)

    def _impulse(self, length: float, step: Step) -> Floats:
        """(shell,) pressure times length of the step at each node, over that of the air ahead of the front there."""
        air_pa: Floats = np.zeros(self.network.shell_count)
        for gas in self.pockets.gases if self.pockets is not None else ():
            left = gas.nodes[~step.wet[gas.nodes]]
            air_pa[gas.nodes] = step.pressure_pa[left[0]] if len(left) else 0.0
        if air_pa.any():
            air_pa = self.arrivals.ahead_of_front(air_pa, self.wet[self.shell])
        return np.asarray((step.pressure_pa[self.shell] - air_pa) * length)

    def _record(self) -> None:
        pressure = np.minimum(self.pressure[self.shell], self.most_pa)
        self.rows.append(Row(self._seconds(), self.filled.copy(), pressure, self.drawn.copy(), self.in_pots))

    def _in_part(self, filled: Floats) -> float:
        network = self.network
        return float((np.minimum(filled, network.capacity_m3) * network.in_part_share)[self.shell].sum())

    def _reach(self, length: float, step: Step) -> Reach:
        """How far the fill has come by the end of a step that is not kept."""
        drawn_m3 = float(self.drawn.sum() - step.inflow_m3[self.network.bucket])
        front_m = self.arrivals.beyond(self._shares(step.filled_m3, step.wet), self._impulse(length, step))
        return Reach(step.filled_m3, drawn_m3, front_m)

    def _dry(self, filled: Floats) -> float:
        """Share of the pores that resin has not come to, but for pockets."""
        network = self.network
        empty = np.maximum(network.capacity_m3 - filled, 0.0) * network.in_part_share
        if self.pockets is not None:
            empty[self.pockets.nodes] = 0.0
        return float(empty[self.shell].sum()) / self.total_m3

    def _missing(self, step: Step, at_last_pa: Floats | None = None) -> float:
        """How far the part is from full but for specks and pockets at rest: zero or below once it is.

        *at_last_pa* is asked for where it is needed and not given.
        """
        # what is dry is an area that closes in: its root goes nearly straight to nothing
        missing = math.sqrt(self._dry(step.filled_m3)) - math.sqrt(SPECK_SHARE)
        if missing > 0 or self.pockets is None or not self.pockets.followed:
            return missing
        at_last_pa = self._at_last(step) if at_last_pa is None else at_last_pa
        return max(missing, self.pockets.to_shrink(step.filled_m3, at_last_pa))

    def _at_last(self, step: Step) -> Floats:
        """(N,) pressure over the vent's once gas has stopped shrinking, as if resin flowed on past it."""
        edges, network = self.network.edges, self.network
        flowing = step.wet.copy()
        flowing[self.pockets.nodes if self.pockets is not None else []] = True
        flowing &= ~self.inactive
        found = np.zeros(len(flowing))
        found[network.bucket] = step.pressure_pa[network.bucket]
        flowing[network.bucket] = False
        flowing[self.vents] = False
        joined = flowing.copy()
        joined[network.bucket] = True
        joined[self.vents] = True
        conductance = np.where(joined[edges.starts] & joined[edges.ends], network.through_pores_m3 + self.bores, 0.0)
        through = edges.into_nodes(conductance)
        diagonal = through + LOOSE * np.where(through > 0, through, through.max(initial=1.0))
        fall = found[edges.starts] - found[edges.ends]
        if self.head_pa is not None:
            fall = fall + self.head_pa
        self.solves += 1
        solved = self.factory.factors(conductance, diagonal, flowing).solve(edges.gathered(conductance * fall))
        return np.where(flowing, solved, found)

    def run(self) -> FillResult:
        self._turn_valves()
        self._record()
        pace = self.problem.pace
        target = self.total_m3 / pace.steps
        length = self.limit * 1e-7
        stopped_by: StopReason | None = None
        risen_to, risen_at = 0.0, 0.0
        while stopped_by is None:
            if len(self.rows) > MOST_STEPS:
                raise FlowRefusal(UNFOLLOWED)
            self.progress(self._in_part(self.filled) / self.total_m3)
            timed = self.valves.next_timed()
            if not self.valves.open and not self._pressed():
                if timed >= self.limit:
                    stopped_by = "no feed open"
                    break
                self.clock = timed
                self._turn_valves()
                self._record()
                continue
            wanted = min(length, timed - self.clock, self.limit - self.clock)
            done, step = self._no_leap(*self._step(wanted), target)
            full = self._missing(step) <= 0
            awaiting = self.valves.awaiting
            if full or (awaiting and self.valves.short_of(awaiting, self._reach(done, step)) <= 0):
                done, step = self._meet(done, step)
                full = self._missing(step) <= 0
            before, held = self._in_part(self.filled), self._held()
            squeezed = self.pockets.squeezed(step.gas_pa) if self.pockets is not None else 0.0
            self._accept(done, step)
            reached = self._in_part(self.filled)
            arrived = float(np.maximum(self.last_rise, 0).sum())
            gained = self._held() - held
            if self._held() > risen_to + STALLED_SHARE * self.total_m3:
                risen_to, risen_at = self._held(), self.clock
            # what fills bores or leaves to the pots needs no short steps; the last places do, lest a pocket be missed
            most = target
            if self.pockets is not None and self.total_m3 - reached > self.pockets.smallest_m3:
                most = min(target, pace.last_share * (self.total_m3 - reached))
            # while lines fill the flow is not yet what it will be, so the step grows by what came in, bores and all
            growth = min(pace.longer * most / max(reached - before, 1e-30), 3 * target / max(gained, 1e-30))
            length = done * min(max(growth, 0.3), 8.0 if gained < target / 10 else pace.growth)
            if squeezed > 0:
                length = min(length, done * SQUEEZED_A_STEP / squeezed)
            if full:
                stopped_by = "filled" if self._in_pockets() <= DRY_SHARE * self.total_m3 else "trapped air"
            elif self.clock >= self.limit * (1 - 1e-12):
                stopped_by = self.problem.resin.stopped_by
            elif self._risen(risen_at) and timed == math.inf:
                stopped_by = "too high for the vacuum"
            elif gained < 1e-6 * arrived and arrived > target / 4 and timed == math.inf:
                stopped_by = "dry area behind the vents" if self.valves.open else "no feed open"
            if self._turn_valves():
                self.last_length = 0.0
                self.arrivals.turn()
                length = min(length, done) * 0.1
        marks = self._marks()
        if stopped_by == "filled":
            open_ = np.isnan(marks)
            if self.pockets is not None:
                open_[self.pockets.nodes] = False
            marks = np.where(open_, self.clock, marks)
        result = self._result(stopped_by, marks)
        return replace(result, after=self._after()) if self.problem.after else result

    def _pressed(self) -> bool:
        """Whether resin under pressure is left in a laminate that swells: it creeps on with every feed clamped."""
        return self.problem.film_pa > 0 and bool((self.pressure > 1e-3 * self.problem.drive_pa)[self.wet].any())

    def _turn_valves(self) -> bool:
        reach = Reach(self.filled, float(self.drawn.sum()), self.arrivals.front_m)
        turned = self.valves.turn(self.clock, reach, self._seconds())
        if turned:
            self._set_valves()
        return turned

    def _risen(self, since: float) -> bool:
        """Whether resin that has gained next to nothing *since* then has come as high as it can."""
        late = self.clock > STALLED_AFTER * self.limit
        return self.head_pa is not None and late and self.clock - since > self.clock / 4

    def _in_pockets(self) -> float:
        return sum(one.volume_m3 for one in self.pockets.followed) if self.pockets is not None else 0.0

    def _held(self) -> float:
        """Resin in pores and bores, without what has left to the pots."""
        return float(self.filled.sum())

    def _no_leap(self, length: float, step: Step, target: float) -> tuple[float, Step]:
        """A shorter step where this one leaps far into the part, as when a line has just filled or a feed opened."""
        for _ in range(MOST_LEAPS):
            gained = self._in_part(step.filled_m3) - self._in_part(self.filled)
            if gained <= LEAP * target:
                break
            shorter = length * max((target / gained) ** 2, 0.1)  # a front goes with the root of time
            length, step = self._step(shorter)
        return length, step

    def _meet(self, length: float, step: Step) -> tuple[float, Step]:
        """The shortest step, to the tolerance, at whose end the part is full or a valve is triggered."""

        def trial(length: float, step: Step) -> Trial:
            reach = self._reach(length, step)
            missing = min(self._missing(step, at_last_pa), self.valves.short_of(waiting, reach))
            return Trial(length, step, missing, reach.front_m, flat=self._dry(step.filled_m3) <= 0)

        def attempt(length: float, wet: Flags, front: Floats, about_pa: Floats) -> Trial:
            guess = wet.copy()
            guess[self.shell] &= ~(front < self.arrivals.margin_m)
            return trial(*self._step(length, guess, about_pa))

        at_last_pa = self._at_last(step)
        waiting, nothing = self.valves.awaiting, np.zeros(len(self.filled))
        now = trial(0.0, Step(self.filled, nothing, nothing, self.wet, 0, (), nothing))
        met = shortest(
            now, trial(length, step), attempt, lambda late: self.problem.pace.tolerance * (self.clock + late)
        )
        return met.length, met.step

    def _marks(self) -> Floats:
        """Arrivals on the fluidity clock."""
        self.arrivals.close()
        return self.arrivals.marks(self.clock)

    def _after(self) -> After:
        """From the end of the fill until the resin stops: thickness evens out, what is too much bleeds to the pots."""
        rows, pots, drawn = len(self.rows) - 1, self.in_pots, float(self.drawn.sum())
        if not self.problem.feeds_stay_open:
            self.valves.clamp_all()
        self.vents_open = not self.problem.vents_shut
        self._set_valves()
        left = self.limit - self.clock
        if self.problem.film_pa > 0 and left > 1e-9 * self.limit:
            ends = self.clock + left * np.geomspace(1e-3, 1.0, STEPS_AFTER)
            for end in ends:
                while self.clock < end * (1 - 1e-12):
                    done, step = self._step(end - self.clock, self.wet)
                    self._accept(done, step)
        course = course_of(self.network, self.rows[rows:])
        return After(
            times_s=course.times_s,
            pressure_pa=course.pressure_pa,
            swelling_m=course.swelling_m,
            mass_error=course.mass_error,
            bled_m3=self.in_pots - pots,
            drawn_m3=float(self.drawn.sum()) - drawn,
        )

    def _margin_s(self, end_s: float) -> float:
        """How long the resin that filled the last places would still have flowed."""
        poured = self.ageing.poured_s()[self.shell]
        late = self.last_rise[self.shell] > 1e-3 * self.network.capacity_m3[self.shell]
        oldest = float(poured[late].min()) if late.any() else 0.0
        return oldest + self.problem.resin.stops_s - float(end_s)

    def _result(self, stopped_by: StopReason, marks: Floats) -> FillResult:
        held, filled = self._in_part(self.rows[-1].filled), stopped_by == "filled"
        end_s = self.rows[-1].time_s
        arrivals = arrivals_of(self.network, marks, self.problem.resin, end_s, self.valves.opened_s)
        return FillResult(
            problem=self.problem,
            mesh=self.network.mesh,
            place=self.network.place,
            level=self.network.level,
            node_area_m2=self.network.area_m2,
            laminate_m=self.network.laminate_m,
            fibre_m=self.network.fibre_m,
            **vars(course_of(self.network, self.rows)),
            **vars(arrivals),
            events=tuple(self.valves.events),
            pockets=self.pockets.report(self.rows[-1].filled) if self.pockets is not None else (),
            stopped_by=stopped_by,
            filled_fraction=1.0 if filled else float(held / self.total_m3),
            fill_time_s=end_s if filled else None,
            solves=self.solves,
            margin_s=self._margin_s(end_s) if filled else None,
            after=None,
        )
