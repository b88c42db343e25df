"""The fill of a part: steps, valve events and everything that is read off them.

>>> from bibulon.demo import demo_job
>>> from bibulon.flow.problem import flow_problem
>>> result = fill(flow_problem(demo_job(), nodes=800))
>>> result.stopped_by, result.mass_error < 1e-9
('filled', True)
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from bibulon.flow.arrival import Arrivals, evened
from bibulon.flow.mesh import Floats
from bibulon.flow.network import Network, build_network, pipe_conductance_m3
from bibulon.flow.problem import FlowProblem
from bibulon.flow.result import FillResult, ValveEvent
from bibulon.flow.stepper import Conductors, Flags, NotSettled, Step, advance
from bibulon.job.lines import AtTime, WhenReached
from bibulon.laminate.levels import LEVEL_NAMES

STEPS_PER_FILL = 24
PASSED_SHARE = 0.95
"""Resin has passed a line when this share of its length is wet."""
FILLED_SHARE = 1 - 1e-6
"""A node counts as full from this share of its capacity."""
MOST_TRIES = 40
EVENT_TOLERANCE = 1e-3
"""A triggered valve is opened within this share of the elapsed time."""

Progress = Callable[[float], None]


class Cancelled(Exception):
    """The fill was stopped because nobody wants its answer any more."""


def fill(problem: FlowProblem, progress: Progress | None = None) -> FillResult:
    """Simulate the fill. Raises :class:`~bibulon.flow.problem.FlowRefusal`, or what *progress* raises to cancel."""
    return _Fill(problem, build_network(problem), progress or (lambda share: None)).run()


class _Fill:
    """The state of a running fill; times on the fluidity clock θ (1/Pa) unless they end in ``_s``."""

    def __init__(self, problem: FlowProblem, network: Network, progress: Progress) -> None:
        self.problem, self.network, self.progress = problem, network, progress
        self.limit = problem.resin.fluidity_time(problem.resin.stops_s)
        count = len(network.capacity_m3)
        self.filled = np.zeros(count)
        self.clock = 0.0
        self.open: set[str] = set()
        self.done: set[str] = set()
        self.events: list[ValveEvent] = []
        self.drawn = np.zeros(len(network.feeds))
        self.solves = 0
        self.arrivals = Arrivals(network)
        self.last_rise: Floats = np.zeros(count)
        self.last_length = 0.0
        self.rows: list[tuple[float, Floats, Floats, Floats]] = []
        self.conductors = Conductors(network.stiffness)
        self.fixed = network.vent_nodes
        self.inactive: Flags = np.zeros(count, dtype=bool)
        self.shell = slice(0, network.shell_count)
        self.total_m3 = float((network.capacity_m3 * network.in_part_share)[self.shell].sum())

    # -- valves ------------------------------------------------------------------------------------------------------

    def _set_valves(self) -> None:
        """Rebuild the matrix and the boundary for the valves as they stand."""
        network = self.network
        stiffness = network.stiffness
        self.inactive = np.zeros(len(network.capacity_m3), dtype=bool)
        buckets = []
        for feed, hose in zip(network.feeds, network.hoses, strict=True):
            if feed.line.id in self.open:
                stiffness = stiffness + hose
                buckets.append(feed.bucket)
            else:
                self.inactive[[feed.bucket, *feed.hose_nodes]] = True
        self.fixed = np.concatenate([np.array(buckets, dtype=np.int64), network.vent_nodes])
        self.buckets = len(buckets)
        self.conductors = Conductors(stiffness)

    def _passed(self, filled: Floats, line: str) -> bool:
        return self._passed_share(filled, line) >= PASSED_SHARE

    def _passed_share(self, filled: Floats, line: str) -> float:
        """Share of the line, and of the pores beside it, that is wet."""
        nodes = self.network.nodes_on_line[line]
        wet = np.minimum(filled[nodes] / self.network.capacity_m3[nodes], 1.0)
        return float(self.network.length_share_on_line[line] @ wet)

    def _triggered(self, filled: Floats) -> list[str]:
        return [
            feed.line.id
            for feed in self.network.feeds
            if isinstance(feed.line.opens, WhenReached)
            and feed.line.id not in self.done
            and self._passed(filled, feed.line.opens.line)
        ]

    def _next_timed(self) -> float:
        """θ of the next valve opened or closed by the clock."""
        times = []
        for feed in self.network.feeds:
            line = feed.line
            if isinstance(line.opens, AtTime) and line.id not in self.done:
                times.append(line.opens.time_s)
            if line.closes_s is not None and line.id in self.open:
                times.append(line.closes_s)
        time_s = min(times, default=math.inf)
        return self.problem.resin.fluidity_time(time_s) if math.isfinite(time_s) else math.inf

    def _turn_valves(self) -> bool:
        """Open and close what is due; True if anything changed."""
        due = self.clock * (1 + 1e-12)
        changed = False
        for feed in self.network.feeds:
            line = feed.line
            if isinstance(line.opens, AtTime):
                opens = self.problem.resin.fluidity_time(line.opens.time_s) <= due
            else:
                opens = self._passed(self.filled, line.opens.line)
            closes = line.closes_s is not None and self.problem.resin.fluidity_time(line.closes_s) <= due
            if opens and line.id not in self.done:
                self.done.add(line.id)
                if not closes:
                    self.open.add(line.id)
                    self._log(line.id, "opened")
                    changed = True
            if closes and line.id in self.open:
                self.open.remove(line.id)
                self._log(line.id, "clamped")
                changed = True
        return changed

    def _log(self, line: str, action: str) -> None:
        self.events.append(ValveEvent(self._seconds(), line, action))

    def _seconds(self) -> float:
        return min(self.problem.resin.time_at(self.clock), self.problem.resin.stops_s) + 0.0  # no minus zero

    # -- steps -------------------------------------------------------------------------------------------------------

    def _try(self, length: float, guess: Flags) -> Step:
        pressures = np.zeros(len(self.fixed))
        pressures[: self.buckets] = self.problem.drive_pa * length
        capacity = self.network.capacity_m3
        step = advance(self.conductors, capacity, self.filled, self.fixed, pressures, self.inactive, guess)
        self.solves += step.solves
        return step

    def _guess(self, length: float) -> Flags:
        """The nodes that will be full: those that are, those the front should reach, and lines that fill at once."""
        network, capacity = self.network, self.network.capacity_m3
        share = min(length / self.last_length, 3.0) if self.last_length > 0 else 0.0
        guess = (self.filled >= capacity * (1 - 1e-12)) | (self.filled + share * self.last_rise >= capacity)
        guess[self.shell] |= self.arrivals.ahead(length)
        for feed in network.feeds:
            if feed.line.id in self.open:
                nodes = np.concatenate([feed.hose_nodes, network.nodes_on_line[feed.line.id]])
                missing = float((capacity[nodes] - self.filled[nodes]).sum())
                hose = pipe_conductance_m3(feed.line.hose_bore_m, feed.line.hose_length_m)
                if 0 < missing < hose * self.problem.drive_pa * length:
                    guess[nodes] = True
        return guess

    def _step(self, length: float, guess: Flags | None = None) -> tuple[float, Step]:
        """A step of *length* or, where the active set will not settle, of a part of it."""
        for _ in range(20):
            try:
                return length, self._try(length, self._guess(length) if guess is None else guess)
            except NotSettled:
                length /= 4
                guess = None
                self.last_length = 0.0
        raise RuntimeError("the fill did not settle")

    def _accept(self, length: float, step: Step) -> None:
        arrived = step.filled_m3 - self.filled
        for index, feed in enumerate(self.network.feeds):
            if feed.line.id in self.open:
                self.drawn[index] -= step.inflow_m3[feed.bucket]
                step.filled_m3[feed.bucket] = 0.0
        self.arrivals.add(self.clock, self.clock + length, self.filled, step.filled_m3, step.impulse)
        self.last_rise, self.last_length = arrived, length
        self.filled = step.filled_m3
        self.clock += length
        self._record(step.impulse / length)

    def _record(self, pressure: Floats) -> None:
        self.rows.append((self._seconds(), self.filled.copy(), pressure[self.shell].copy(), self.drawn.copy()))

    def _in_part(self, filled: Floats) -> float:
        network = self.network
        return float((np.minimum(filled, network.capacity_m3) * network.in_part_share)[self.shell].sum())

    def _full(self, filled: Floats) -> bool:
        return bool((filled[self.shell] >= FILLED_SHARE * self.network.capacity_m3[self.shell]).all())

    def _held(self) -> float:
        """Resin in pores and bores, without what has left to the pots."""
        return float(np.minimum(self.filled, self.network.capacity_m3).sum())

    def run(self) -> FillResult:
        self._turn_valves()
        self._set_valves()
        self._record(np.zeros(len(self.filled)))
        target = float(self.network.capacity_m3.sum()) / STEPS_PER_FILL
        length = self.limit * 1e-7
        stopped_by = ""
        while not stopped_by:
            self.progress(self._in_part(self.filled) / self.total_m3)
            timed = self._next_timed()
            if not self.open:
                if timed >= self.limit:
                    stopped_by = "no feed open"
                    break
                self.clock = timed
                if self._turn_valves():
                    self._set_valves()
                self._record(np.zeros(len(self.filled)))
                continue
            wanted = min(length, timed - self.clock, self.limit - self.clock)
            done, step = self._step(wanted)
            full = self._full(step.filled_m3)
            if full or self._triggered(step.filled_m3):
                done, step = self._meet(done, step)
                full = self._full(step.filled_m3)
            before = self._held()
            self._accept(done, step)
            gained = self._held() - before
            arrived = float(np.maximum(self.last_rise, 0).sum())
            # what leaves to the pots needs no short steps
            length = done * min(max(target / max(gained, 1e-30), 0.3), 8.0 if gained < target / 10 else 2.0)
            if full:
                stopped_by = "filled"
            elif self.clock >= self.limit * (1 - 1e-12):
                stopped_by = self.problem.resin.stopped_by
            elif gained < 1e-6 * arrived and arrived > target / 4 and timed == math.inf:
                stopped_by = "dry area behind the vents"
            if self._turn_valves():
                self._set_valves()
                self.last_length = 0.0
                length = min(length, done) * 0.1
        return self._result(stopped_by)

    def _meet(self, length: float, step: Step) -> tuple[float, Step]:
        """The shortest step, to the tolerance, at whose end the part is full or a valve is triggered."""

        waiting = [
            feed.line.opens.line
            for feed in self.network.feeds
            if isinstance(feed.line.opens, WhenReached) and feed.line.id not in self.done
        ]

        def missing(candidate: Step) -> float:
            """How far off the event is (m of front, or share of a line): below zero once it happened, and smooth."""
            beyond = self.arrivals.beyond(candidate.filled_m3, candidate.impulse)
            left = [-float(beyond.min())]
            for line in waiting:
                left.append(PASSED_SHARE - self._passed_share(candidate.filled_m3, line))
            return min(left)

        early, late, found = 0.0, length, step
        before, after = missing(Step(self.filled, self.filled, np.zeros(len(self.filled)), 0)), missing(step)
        for turn in range(MOST_TRIES):
            if late - early <= EVENT_TOLERANCE * (self.clock + late):
                break
            middle = (early + late) / 2
            if turn % 3 < 2 and after < 0 < before:  # where a straight line through both ends crosses, and a little on
                ahead = EVENT_TOLERANCE * (self.clock + late) * 0.5
                crossing = early + (late - early) * before / (before - after)
                middle = min(max(crossing + (ahead if turn % 2 == 0 else -ahead), early + ahead), late - ahead)
            reached, candidate = self._step(middle, found.filled_m3 >= FILLED_SHARE * self.network.capacity_m3)
            if reached < middle:
                break
            left = missing(candidate)
            if left <= 0:
                late, found, after = middle, candidate, left
            else:
                early, before = middle, left
        return late, found

    def _arrival_times(self) -> Floats:
        """Arrival in seconds; one step beyond the end tells how fast the front was when the last nodes filled."""
        if self.open and len(self.rows) > 1:
            beyond = max(self.clock * 0.05, self.limit * 1e-9)
            filled, clock = self.filled, self.clock
            try:
                length, step = self._step(beyond)
                self.arrivals.look_beyond(clock, clock + length, filled, step.filled_m3, step.impulse)
            except RuntimeError:
                pass
        marks = self.arrivals.marks(self.clock)
        resin = self.problem.resin
        times = np.full(len(marks), np.nan)
        known = ~np.isnan(marks)
        rest = 1 - np.minimum(marks[known], self.limit) * resin.viscosity_pa_s / resin.thickening_s
        times[known] = -resin.thickening_s * np.log(np.maximum(rest, 1e-300))
        return times

    def _result(self, stopped_by: str) -> FillResult:
        network = self.network
        capacity = network.capacity_m3
        times = np.array([row[0] for row in self.rows])
        filled = np.array([row[1] for row in self.rows])
        held = np.minimum(filled, capacity)
        beyond = (filled - held).sum(axis=1)
        in_part = held @ network.in_part_share
        in_bores = held @ (1 - network.in_part_share)
        in_vents = np.minimum(beyond, network.vent_volume_m3)
        drawn = np.array([row[3] for row in self.rows])
        total = drawn.sum(axis=1)
        error = np.abs(total - in_part - in_bores - beyond)
        by_level = np.full((len(LEVEL_NAMES), len(network.mesh.points_m)), np.nan)
        by_level[network.level, network.place] = self._arrival_times()
        present = network.node_of.T >= 0
        seen = by_level[network.level[network.top], network.place[network.top]]
        lag = np.where(present, by_level, -np.inf).max(axis=0) - seen
        arrival = np.minimum(seen + evened(network.mesh, lag), times[-1])
        fraction = float(in_part[-1] / self.total_m3)
        return FillResult(
            problem=self.problem,
            mesh=network.mesh,
            place=network.place,
            level=network.level,
            node_area_m2=network.area_m2,
            times_s=times,
            saturation=(filled / np.where(capacity > 0, capacity, 1.0))[:, self.shell].clip(0, 1).astype(np.float32),
            pressure_pa=np.array([row[2] for row in self.rows]).astype(np.float32),
            level_arrival_s=by_level,
            arrival_s=arrival,
            seen_s=seen,
            drawn_m3=drawn,
            in_part_m3=in_part,
            in_lines_m3=in_bores + in_vents,
            in_pots_m3=beyond - in_vents,
            events=tuple(self.events),
            stopped_by=stopped_by,
            filled_fraction=1.0 if stopped_by == "filled" else fraction,
            fill_time_s=float(times[-1]) if stopped_by == "filled" else None,
            mass_error=float(np.max(error / np.maximum(total, 1e-12 * max(float(total[-1]), 1e-300)), initial=0.0)),
            solves=self.solves,
            feed_ids=tuple(feed.line.id for feed in network.feeds),
        )
