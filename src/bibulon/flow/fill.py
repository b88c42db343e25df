"""The fill of a part: steps, valve events and everything that is read off them.

>>> from bibulon.demo import demo_job
>>> from bibulon.flow.problem import flow_problem
>>> result = fill(flow_problem(demo_job(), nodes=800))
>>> result.stopped_by, result.mass_error < 1e-9
('filled', True)
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from bibulon.arrays import Flags, Floats
from bibulon.flow.assembly import build_network
from bibulon.flow.event_location import Trial, step_to_event
from bibulon.flow.history import arrivals_of, course_of, upper_course
from bibulon.flow.network import Network
from bibulon.flow.problem import FlowProblem
from bibulon.flow.recipe import Supplied
from bibulon.flow.refusal import FlowRefusal
from bibulon.flow.result import After, FillResult, StopReason
from bibulon.flow.state import FillState, Follower
from bibulon.flow.step import Step
from bibulon.flow.step_control import UNFOLLOWED, StepControl
from bibulon.flow.valves import Valves
from bibulon.workers.report import Progress, no_progress

STEPS_AFTER = 10
MOST_SOLVES_AFTER = 200
"""Solves after the fill, ten times what it takes as a rule: where resin drains down a slope in ever smaller
steps, it is followed no further."""
GROWS, GROWS_AFTER_CUT = 4.0, 1.5
"""After the fill a step is tried so many times as long as the one before, and as one before that had to be cut."""
FIRST_STEP_SHARE = 1e-7
"""The first step is this share of the time that the resin flows."""
SHORTER_AFTER_VALVE = 0.1
LEAST_GROWTH, MOST_GROWTH_AT_REST = 0.3, 8.0
"""How much the next step is longer, at least; and at most where next to nothing is gained."""
MOST_CUT_STEPS = 300
"""So many steps that had to be cut tell that resin trickles rather than fills: it would take thousands of them."""
MOST_STEPS = 1000
"""Fills take some fifty steps, with many valves a few hundred."""
STALLED_SHARE = 1e-3
"""Resin that gains less than this share of the part in a quarter of its time has come as high as it can."""
STALLED_AFTER = 1e-3
"""But not before this share of the time that it flows at all: fine pores take their time at first."""
SQUEEZED_A_STEP = 0.2
"""Gas comes nearer to its last pressure by about e to the power of so much in a step."""
STANDS_SHARE = 1e-3
"""A part that gains less than this share of what arrived anywhere in it has come to a stand."""
DRY_SHARE = 1e-3
"""A part with more of its pores in pockets than this is not filled."""


def fill(problem: FlowProblem, progress: Progress = no_progress) -> FillResult:
    """Simulate the fill. Raises :class:`~bibulon.flow.refusal.FlowRefusal`, or what *progress* raises to cancel."""
    return fill_on(build_network(problem), problem, progress)


def fill_on(
    network: Network, problem: FlowProblem, progress: Progress = no_progress, followers: Sequence[Follower] = ()
) -> FillResult:
    """Simulate the fill on a *network* that was built from the problem before; *followers* take in every step of it.
    Raises as :func:`fill` does."""
    running = _Fill(problem, network, progress)
    running.state.followers = tuple(followers)
    return running.run()


@dataclass(frozen=True)
class _Gain:
    """What a step brought (m³)."""

    held: float
    in_part: float
    arrived: float
    """Where anything came, whatever left elsewhere."""
    squeezed: float
    """How much nearer gas came to its last pressure, as an exponent of e."""
    drawn: float
    """Negative where resin went back into the supply."""


class _Fill:
    """A running fill; times are on the fluidity clock θ (1/Pa) unless they end in ``_s``."""

    def __init__(self, problem: FlowProblem, network: Network, progress: Progress) -> None:
        self.problem, self.network, self.progress = problem, network, progress
        self.state = FillState(network, problem)
        self.valves = Valves(network, problem)
        self.steps = StepControl(network, problem, self.state, self.valves)
        self.target_m3 = self.state.total_m3 / problem.pace.steps
        """What a step should bring into the part."""
        self.risen_to_m3, self.risen_at = 0.0, 0.0
        self.cut_steps = 0
        self.vents_to_come = len(self.steps.awaited_vents())

    def run(self) -> FillResult:
        state, valves = self.state, self.valves
        self._turn_valves()
        state.record()
        length = state.limit * FIRST_STEP_SHARE
        stopped_by: StopReason | None = None
        while stopped_by is None:
            if len(state.rows) > MOST_STEPS or self.cut_steps > MOST_CUT_STEPS:
                raise FlowRefusal(UNFOLLOWED)
            self.progress(state.in_part_m3 / state.total_m3)
            timed = min(valves.next_timed(), self.steps.recipe.next_timed())
            if not valves.open and not state.under_pressure:
                if timed >= state.limit:
                    stopped_by = "shot mass in" if self.steps.recipe.stopped else "no feed open"
                    break
                state.stand_still(timed)
                self._turn_valves()
                state.record()
                continue
            flooded = self.steps.flooded_vents
            done, step, full = self._next_step(min(length, timed - state.clock, state.limit - state.clock))
            gain = self._accept(done, step)
            length = self._next_length(done, gain)
            # a vent of a higher level that resin has come to lets it pass on to one that is lower
            coming = state.air_pa is not None and bool((self.steps.flooded_vents & ~flooded).any())
            stopped_by = self._stopped_by(full, gain, timed)
            if coming and stopped_by == "dry area behind the vents":
                stopped_by = None
            if self._vent_passed() | self._turn_valves():
                state.last_length = 0.0
                state.arrivals.turn()
                length = min(length, done) * SHORTER_AFTER_VALVE
        result, rows = self._result(stopped_by, self._marks(stopped_by)), len(state.rows)
        if self.problem.after:
            result = replace(result, after=self._after())
        return replace(
            result, upper=upper_course(self.network, state.rows, self.problem.vent_pa, rows, self.problem.after)
        )

    def _vent_passed(self) -> bool:
        """Whether resin has passed a vent with a level of its own for the first time."""
        left = len(self.steps.awaited_vents())
        passed, self.vents_to_come = left < self.vents_to_come, min(left, self.vents_to_come)
        return passed

    def _turn_valves(self) -> bool:
        clock, time_s = self.state.clock, self.state.seconds()
        turned = self.valves.turn(clock, self.state.reach_now, time_s)
        on = self.steps.recipe.turn(clock, self._supplied(0.0, None), time_s)
        if on and self.steps.recipe.stopped:
            self.valves.clamp_all(time_s)
        if turned or on:
            self.steps.read_valves()
        return turned or on

    def _supplied(self, length: float, step: Step | None) -> Supplied:
        """What has been supplied by now, or by the end of a *step* that is not accepted yet."""
        bucket, state = self.network.bucket, self.state
        if step is None:
            return Supplied(state.drawn_m3, float(state.pressure_pa[bucket]))
        return Supplied(state.reach(length, step).drawn_m3, float(step.pressure_pa[bucket]))

    def _next_step(self, wanted: float) -> tuple[float, Step, bool]:
        """The next step, no longer than *wanted*, its length, and whether the part is full at its end."""
        steps = self.steps
        steps.find_air()
        done, step = steps.step_without_leap(wanted, self.target_m3)
        self.cut_steps += steps.cut
        full = steps.to_go(step) <= 0
        awaiting, recipe = [*self.valves.awaiting, *steps.awaited_vents()], self.steps.recipe
        due = bool(awaiting) and self.valves.short_of(awaiting, self.state.reach(done, step)) <= 0
        due = due or (recipe.awaits and recipe.short_of(self._supplied(done, step)) <= 0)
        if full or due:
            done, step = self._step_to_event(done, step)
            full = steps.to_go(step) <= 0
        return done, step, full

    def _step_to_event(self, length: float, step: Step) -> tuple[float, Step]:
        """The shortest step, to the tolerance, at whose end the part is full or a valve is triggered."""
        state, steps, pace = self.state, self.steps, self.problem.pace
        at_rest_pa = steps.pressure_at_rest(step)
        waiting, nothing = [*self.valves.awaiting, *steps.awaited_vents()], np.zeros(len(state.filled_m3))
        bucket = self.network.bucket

        def trial(length: float, step: Step) -> Trial:
            reach = state.reach(length, step)
            missing = min(steps.to_go(step, at_rest_pa), self.valves.short_of(waiting, reach))
            missing = min(missing, steps.recipe.short_of(Supplied(reach.drawn_m3, float(step.pressure_pa[bucket]))))
            return Trial(length, step, missing, reach.front_m, flat=state.dry_share(step.filled_m3, step.wet) <= 0)

        def attempt(length: float, wet: Flags, front: Floats, about_pa: Floats) -> Trial:
            guess = wet.copy()
            guess[state.shell] &= ~(front < state.arrivals.margin_m)
            return trial(*steps.step(length, guess, about_pa))

        now = trial(0.0, Step(state.filled_m3, nothing, nothing, state.wet, 0, (), nothing))
        event = step_to_event(now, trial(length, step), attempt, lambda late: pace.tolerance * (state.clock + late))
        return event.length, event.step

    def _accept(self, length: float, step: Step) -> _Gain:
        state = self.state
        in_part, held, drawn = state.in_part_m3, state.held_m3, state.drawn_m3
        squeezed = state.pockets.squeezed(step.gas_pa) if state.pockets is not None else 0.0
        state.accept(length, step, self.steps.vents)
        if state.held_m3 > self.risen_to_m3 + STALLED_SHARE * state.total_m3:
            self.risen_to_m3, self.risen_at = state.held_m3, state.clock
        arrived = float(np.maximum(state.last_rise_m3, 0).sum())
        return _Gain(state.held_m3 - held, state.in_part_m3 - in_part, arrived, squeezed, state.drawn_m3 - drawn)

    def _next_length(self, done: float, gain: _Gain) -> float:
        state, pace = self.state, self.problem.pace
        # what fills bores or leaves to the pots needs no short steps; the last places do, lest a pocket be missed
        most_m3, left_m3 = self.target_m3, state.total_m3 - state.in_part_m3
        if state.pockets is not None and left_m3 > state.pockets.smallest_m3:
            most_m3 = min(most_m3, pace.last_share * left_m3)
        # while lines fill the flow is not yet what it will be, so the step grows by what came in, bores and all
        growth = min(pace.longer * most_m3 / max(gain.in_part, 1e-30), 3 * self.target_m3 / max(gain.held, 1e-30))
        at_rest = gain.held < self.target_m3 / 10 and not self.steps.cut
        most_growth = MOST_GROWTH_AT_REST if at_rest else pace.growth
        length = done * min(max(growth, LEAST_GROWTH), most_growth)
        return min(length, done * SQUEEZED_A_STEP / gain.squeezed) if gain.squeezed > 0 else length

    def _stopped_by(self, full: bool, gain: _Gain, timed: float) -> StopReason | None:
        """Why the fill is over; None while it is not. *timed* is when the clock turns the next valve."""
        state = self.state
        if full:
            return "filled" if state.in_pockets_m3 <= DRY_SHARE * state.total_m3 else "trapped air"
        if state.clock >= state.limit * (1 - 1e-12):
            return self.problem.resin.stopped_by
        if timed < math.inf:
            return None
        if self._risen_as_high_as_it_can():
            return "too high for the vacuum"
        # a swollen laminate gives resin back when the supply lets up, and goes on filling from what it holds
        gives_back = self.valves.open and gain.drawn < 0
        # where it bleeds to the pots as much as comes, dry places may still be filling
        fills = bool(self.valves.open) and gain.in_part >= STANDS_SHARE * gain.arrived
        stands = gain.held < 1e-6 * gain.arrived and not fills
        if stands and gain.arrived > self.target_m3 / 4 and not gives_back:
            if self.steps.recipe.stopped:
                return "shot mass in"
            return "dry area behind the vents" if self.valves.open else "no feed open"
        return None

    def _risen_as_high_as_it_can(self) -> bool:
        """Whether resin has gained next to nothing for a quarter of its time."""
        state = self.state
        late = state.clock > STALLED_AFTER * state.limit
        return self.steps.head_pa is not None and late and state.clock - self.risen_at > state.clock / 4

    # -- reading off -------------------------------------------------------------------------------------------------

    def _marks(self, stopped_by: StopReason) -> Floats:
        """Arrivals on the fluidity clock; the last specks of a full part count as reached at its end."""
        state = self.state
        state.arrivals.close()
        marks = state.arrivals.marks(state.clock)
        if stopped_by != "filled":
            return marks
        speck = np.isnan(marks)
        if state.pockets is not None:
            speck[state.pockets.nodes] = False
        return np.where(speck, state.clock, marks)

    def _after(self) -> After:
        """From the end of the fill until the resin stops: thickness evens out, what is too much bleeds to the pots."""
        state, steps = self.state, self.steps
        rows, pots_m3, drawn_m3 = len(state.rows) - 1, state.in_pots_m3, state.drawn_m3
        own_m3 = state.in_own_pots_m3
        if not self.problem.feeds_stay_open:
            self.valves.clamp_all()
        steps.vents_open, steps.vents_pa = not self.problem.vents_shut, self.problem.hold_pa
        steps.to_pots = self.problem.feeds_to_pots
        steps.read_valves()
        stops_at = state.limit_in_part  # of the resin as it stands now: what bleeds after it changes the mean
        left = stops_at - state.clock
        if self.problem.swells and left > 1e-9 * state.limit:
            ends = state.clock + left * np.geomspace(1e-3, 1.0, STEPS_AFTER)
            most, solves = math.inf, steps.solves
            for end in ends:
                while state.clock < end * (1 - 1e-12) and steps.solves < solves + MOST_SOLVES_AFTER:
                    self.progress(1.0)
                    length, step = steps.step(min(end - state.clock, most), state.wet)
                    most = length * (GROWS_AFTER_CUT if steps.cut else GROWS)
                    state.accept(length, step, steps.vents)
        course = course_of(self.network, state.rows[rows:])
        return After(
            times_s=course.times_s,
            pressure_pa=course.pressure_pa,
            swelling_m=course.swelling_m,
            mass_error=course.mass_error,
            bled_m3=state.in_pots_m3 - pots_m3,
            bled_own_m3=state.in_own_pots_m3 - own_m3,
            drawn_m3=state.drawn_m3 - drawn_m3,
            whole=state.clock >= stops_at * (1 - 1e-9) or not self.problem.swells,
        )

    def _result(self, stopped_by: StopReason, marks: Floats) -> FillResult:
        state, network, filled = self.state, self.network, stopped_by == "filled"
        end_s = float(state.rows[-1].time_s)
        margin_s, margin_held_s = (state.margin_s(end_s), state.margin_held_s(end_s)) if filled else (None, None)
        arrivals = arrivals_of(network, marks, self.problem.resin, end_s, self.valves.opened_s)
        return FillResult(
            problem=self.problem,
            mesh=network.mesh,
            place=network.place,
            level=network.level,
            node_area_m2=network.area_m2,
            laminate_m=network.laminate_m,
            fibre_m=network.fibre_m,
            built_m=network.built_m,
            **vars(course_of(network, state.rows)),
            **vars(arrivals),
            events=tuple(self.valves.events),
            waits=tuple(self.valves.waits),
            pockets=state.pockets.report(state.filled_m3) if state.pockets is not None else (),
            stopped_by=stopped_by,
            filled_fraction=1.0 if filled else state.in_part_m3 / state.total_m3,
            fill_time_s=end_s if filled else None,
            solves=self.steps.solves,
            margin_s=margin_s,
            margin_held_s=margin_held_s,
            after=None,
            age_s=state.age_s(end_s),
            excess_k=state.excess_k(),
            faster=state.faster(),
            stage_begun_s=tuple(self.steps.recipe.begun_s),
        )
