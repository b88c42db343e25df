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
from dataclasses import dataclass

import numpy as np

from bibulon.flow.arrival import Arrivals, evened
from bibulon.flow.conductors import Conductors
from bibulon.flow.mesh import Floats
from bibulon.flow.network import Network, build_network, pipe_conductance_m3
from bibulon.flow.oneway import Forces, advance_one_way
from bibulon.flow.pockets import Pockets
from bibulon.flow.problem import FlowProblem
from bibulon.flow.result import After, FillResult
from bibulon.flow.stepper import Flags, NotSettled, Spring, Step, advance
from bibulon.flow.swelling import Swelling
from bibulon.flow.valves import PASSED_SHARE, Valves
from bibulon.laminate.levels import LEVEL_NAMES

STEPS_PER_FILL = 24
STEPS_AFTER = 10
FILLED_SHARE = 1 - 1e-6
"""A node counts as full from this share of its capacity."""
MOST_TRIES = 40
EVENT_TOLERANCE = 1e-3
"""A triggered valve is opened within this share of the elapsed time."""
LAST_SHARE = 0.6
"""A step takes at most so much of what is still dry, while that is enough for a pocket."""
DRY_SHARE = 1e-3
"""A part with more of its pores in pockets than this is not filled."""

Progress = Callable[[float], None]


class Cancelled(Exception):
    """The fill was stopped because nobody wants its answer any more."""


def fill(problem: FlowProblem, progress: Progress | None = None) -> FillResult:
    """Simulate the fill. Raises :class:`~bibulon.flow.problem.FlowRefusal`, or what *progress* raises to cancel."""
    return _Fill(problem, build_network(problem), progress or (lambda share: None)).run()


@dataclass(frozen=True)
class _Row:
    """The state at the end of a step."""

    time_s: float
    filled: Floats
    pressure: Floats
    drawn: Floats
    in_pots: float


class _Fill:
    """The state of a running fill; times on the fluidity clock θ (1/Pa) unless they end in ``_s``."""

    def __init__(self, problem: FlowProblem, network: Network, progress: Progress) -> None:
        self.problem, self.network, self.progress = problem, network, progress
        self.limit = problem.resin.fluidity_time(problem.resin.stops_s)
        count = len(network.capacity_m3)
        self.filled = np.zeros(count)
        self.wet: Flags = np.zeros(count, dtype=bool)
        self.pressure: Floats = np.zeros(count)
        self.clock = 0.0
        self.valves = Valves(network, problem.resin)
        self.swelling = Swelling(network, problem.film_pa) if problem.film_pa > 0 else None
        self.pockets = Pockets(network, problem.vent_pa, problem.drive_pa) if problem.trapped_air else None
        self.drawn = np.zeros(len(network.feeds))
        self.in_pots = 0.0
        self.solves = 0
        self.arrivals = Arrivals(network)
        self.last_rise: Floats = np.zeros(count)
        self.last_length = 0.0
        self.rows: list[_Row] = []
        self.vents_open = True
        self.shell = slice(0, network.shell_count)
        self.total_m3 = float((network.capacity_m3 * network.in_part_share)[self.shell].sum())
        self._set_valves()

    def _set_valves(self) -> None:
        """Rebuild the network and the boundary for the valves as they stand."""
        network = self.network
        self.inactive = np.zeros(len(network.capacity_m3), dtype=bool)
        buckets, pipes = [], [network.pipes]
        for feed, hose in zip(network.feeds, network.hoses, strict=True):
            if feed.line.id in self.valves.open:
                pipes.append(hose)
                buckets.append(feed.bucket)
            else:
                self.inactive[[feed.bucket, *feed.hose_nodes]] = True
        vents = network.vent_nodes if self.vents_open else network.vent_nodes[:0]
        self.fixed = np.concatenate([np.array(buckets, dtype=np.int64), vents])
        self.buckets = len(buckets)
        self.pipes = pipes
        self.rigid = Conductors.joined([network.pores, *pipes])

    def _seconds(self) -> float:
        return min(self.problem.resin.time_at(self.clock), self.problem.resin.stops_s) + 0.0  # no minus zero

    # -- steps -------------------------------------------------------------------------------------------------------

    def _try(self, length: float, guess: Flags) -> Step:
        """A step of *length* that is not kept yet."""
        if self.swelling is None:
            return self._advanced(length, guess, self.rigid, self.network.capacity_m3, None)
        pressure = np.where(self.wet, np.maximum(self.pressure, 0.0), 0.0)
        for _ in range(2):  # about the pressures before, then about those just found
            opened = Conductors.joined([self.swelling.opened(self.network.pores, pressure), *self.pipes])
            spring = Spring(self.swelling.give_m3_pa(pressure) / length, pressure * length)
            step = self._advanced(length, guess, opened, self.swelling.capacity_m3(pressure), spring)
            pressure, guess = np.where(step.wet, np.maximum(step.impulse / length, 0.0), 0.0), step.wet
        return step

    def _advanced(
        self, length: float, guess: Flags, conductors: Conductors, capacity: Floats, spring: Spring | None
    ) -> Step:
        pressures = np.zeros(len(self.fixed))
        pressures[: self.buckets] = self.problem.drive_pa * length
        if self.pockets is not None and self.pockets.followed:
            forces = Forces(length, self.problem.vent_pa, pockets=self.pockets.gases)
            step = advance_one_way(
                conductors, capacity, self.filled, self.fixed, pressures, self.inactive, guess, forces, spring
            )
        else:
            step = advance(conductors, capacity, self.filled, self.fixed, pressures, self.inactive, guess, spring)
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
        vents = self.network.vent_nodes
        rise = step.filled_m3 - self.filled
        for index, feed in enumerate(self.network.feeds):
            if feed.line.id in self.valves.open:
                self.drawn[index] -= step.inflow_m3[feed.bucket]
                step.filled_m3[feed.bucket] = 0.0
        if self.vents_open:
            beyond = np.maximum(step.filled_m3[vents] - self.network.capacity_m3[vents], 0.0)
            self.in_pots += float(beyond.sum())
            step.filled_m3[vents] -= beyond
        self.arrivals.add(self.clock, self.clock + length, self._shares(self.filled, self.wet),
                          self._shares(step.filled_m3, step.wet), step.impulse)  # fmt: skip
        self.last_rise, self.last_length = rise, length
        self.filled, self.wet = step.filled_m3, step.wet
        self.pressure = step.impulse / length
        self.clock += length
        if self.pockets is not None:
            self.pockets.update(self.filled, self.wet, step.gas_pa)
        self._record()

    def _shares(self, filled: Floats, wet: Flags) -> Floats:
        """(shell,) how full the nodes are: 1 where they are, swollen or not."""
        share = np.minimum(filled[self.shell] / self.network.capacity_m3[self.shell], 1.0)
        share[wet[self.shell]] = 1.0
        return np.asarray(share)

    def _record(self) -> None:
        pressure = self.pressure[self.shell].copy()
        self.rows.append(_Row(self._seconds(), self.filled.copy(), pressure, self.drawn.copy(), self.in_pots))

    def _in_part(self, filled: Floats) -> float:
        network = self.network
        return float((np.minimum(filled, network.capacity_m3) * network.in_part_share)[self.shell].sum())

    def _full(self, step: Step) -> bool:
        """Whether every pore is full, but for pockets that have come to rest."""
        full = step.wet[self.shell] | (
            step.filled_m3[self.shell] >= FILLED_SHARE * self.network.capacity_m3[self.shell]
        )
        if self.pockets is not None and self.pockets.followed:
            full[self.pockets.nodes] = True
            return bool(full.all()) and self.pockets.at_rest(self.pressure)
        return bool(full.all())

    def run(self) -> FillResult:
        self._turn_valves()
        self._record()
        target = self.total_m3 / STEPS_PER_FILL
        length = self.limit * 1e-7
        stopped_by = ""
        while not stopped_by:
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
            done, step = self._step(wanted)
            full = self._full(step)
            if full or self.valves.triggered(step.filled_m3):
                done, step = self._meet(done, step)
                full = self._full(step)
            before, held = self._in_part(self.filled), self._held()
            self._accept(done, step)
            reached = self._in_part(self.filled)
            arrived = float(np.maximum(self.last_rise, 0).sum())
            gained = self._held() - held
            # what fills bores or leaves to the pots needs no short steps; the last places do, lest a pocket be missed
            most = target
            if self.pockets is not None and self.total_m3 - reached > self.pockets.smallest_m3:
                most = min(target, LAST_SHARE * (self.total_m3 - reached))
            length = done * min(max(most / max(reached - before, 1e-30), 0.3), 8.0 if gained < target / 10 else 2.0)
            if full:
                stopped_by = "filled" if self._in_pockets() <= DRY_SHARE * self.total_m3 else "trapped air"
            elif self.clock >= self.limit * (1 - 1e-12):
                stopped_by = self.problem.resin.stopped_by
            elif gained < 1e-6 * arrived and arrived > target / 4 and timed == math.inf:
                stopped_by = "dry area behind the vents"
            if self._turn_valves():
                self.last_length = 0.0
                length = min(length, done) * 0.1
        marks = self._marks()
        return self._result(stopped_by, marks, self._after() if self.problem.after else None)

    def _pressed(self) -> bool:
        """Whether resin under pressure is left in a laminate that swells: it creeps on with every feed clamped."""
        return self.swelling is not None and bool((self.pressure > 1e-3 * self.problem.drive_pa)[self.wet].any())

    def _turn_valves(self) -> bool:
        turned = self.valves.turn(self.clock, self.filled, self._seconds())
        if turned:
            self._set_valves()
        return turned

    def _in_pockets(self) -> float:
        return sum(one.volume_m3 for one in self.pockets.followed) if self.pockets is not None else 0.0

    def _held(self) -> float:
        """Resin in pores and bores, without what has left to the pots."""
        return float(self.filled.sum())

    def _meet(self, length: float, step: Step) -> tuple[float, Step]:
        """The shortest step, to the tolerance, at whose end the part is full or a valve is triggered."""
        waiting = self.valves.awaited

        def missing(candidate: Step) -> float:
            """How far off the event is (m of front, or share of a line): below zero once it happened, and smooth."""
            beyond = self.arrivals.beyond(self._shares(candidate.filled_m3, candidate.wet), candidate.impulse)
            if self.pockets is not None:
                beyond[self.pockets.nodes] = np.inf
            left = [-float(beyond.min())]
            for line in waiting:
                left.append(PASSED_SHARE - self.valves.passed_share(candidate.filled_m3, line))
            return min(left)

        early, late, found = 0.0, length, step
        nothing = np.zeros(len(self.filled))
        before, after = missing(Step(self.filled, nothing, nothing, self.wet, 0)), missing(step)
        for turn in range(MOST_TRIES):
            if late - early <= EVENT_TOLERANCE * (self.clock + late):
                break
            middle = (early + late) / 2
            if turn % 3 < 2 and after < 0 < before:  # where a straight line through both ends crosses, and a little on
                ahead = EVENT_TOLERANCE * (self.clock + late) * 0.5
                crossing = early + (late - early) * before / (before - after)
                middle = min(max(crossing + (ahead if turn % 2 == 0 else -ahead), early + ahead), late - ahead)
            reached, candidate = self._step(middle, found.wet)
            if reached < middle:
                break
            left = missing(candidate)
            if left <= 0:
                late, found, after = middle, candidate, left
            else:
                early, before = middle, left
        return late, found

    def _marks(self) -> Floats:
        """Arrivals on the fluidity clock; one step beyond the end tells how fast the front was at last."""
        if self.valves.open and len(self.rows) > 1:
            beyond = max(self.clock * 0.05, self.limit * 1e-9)
            try:
                length, step = self._step(beyond)
                shares = self._shares(step.filled_m3, step.wet)
                self.arrivals.look_beyond(self.clock + length, shares, step.impulse)
            except RuntimeError:
                pass
        return self.arrivals.marks(self.clock)

    def _after(self) -> After:
        """From the end of the fill until the resin stops: thickness evens out, what is too much bleeds to the pots."""
        rows, pots, drawn = len(self.rows) - 1, self.in_pots, float(self.drawn.sum())
        if not self.problem.feeds_stay_open:
            self.valves.clamp_all(self._seconds())
        self.vents_open = not self.problem.vents_shut
        self._set_valves()
        left = self.limit - self.clock
        if self.swelling is not None and left > 1e-9 * self.limit:
            ends = self.clock + left * np.geomspace(1e-3, 1.0, STEPS_AFTER)
            for end in ends:
                while self.clock < end * (1 - 1e-12):
                    done, step = self._step(end - self.clock, self.wet)
                    self._accept(done, step)
        kept = self.rows[rows:]
        count = self.network.shell_count
        capacity = self.network.capacity_m3[:count]
        swollen = np.array([np.maximum(row.filled[:count] - capacity, 0.0) for row in kept])
        del self.rows[rows + 1 :]
        return After(
            times_s=np.array([row.time_s for row in kept]),
            pressure_pa=np.array([row.pressure for row in kept]).astype(np.float32),
            swelling_m=(swollen / self.network.area_m2).astype(np.float32),
            bled_m3=self.in_pots - pots,
            drawn_m3=float(self.drawn.sum()) - drawn,
        )

    def _arrival_times(self, marks: Floats) -> Floats:
        """(shell,) arrivals in seconds, NaN where resin never came."""
        resin = self.problem.resin
        times = np.full(len(marks), np.nan)
        known = ~np.isnan(marks)
        rest = 1 - np.minimum(marks[known], self.limit) * resin.viscosity_pa_s / resin.thickening_s
        times[known] = -resin.thickening_s * np.log(np.maximum(rest, 1e-300))
        return times

    def _result(self, stopped_by: str, marks: Floats, after: After | None) -> FillResult:
        network = self.network
        capacity = network.capacity_m3
        times = np.array([row.time_s for row in self.rows])
        filled = np.array([row.filled for row in self.rows])
        in_bores = np.minimum(filled, capacity) @ (1 - network.in_part_share)
        in_part = filled.sum(axis=1) - in_bores
        in_pots = np.array([row.in_pots for row in self.rows])
        in_vents = np.minimum(in_pots, network.vent_volume_m3)
        drawn = np.array([row.drawn for row in self.rows])
        total = drawn.sum(axis=1)
        error = np.abs(total - in_part - in_bores - in_pots)
        by_level = np.full((len(LEVEL_NAMES), len(network.mesh.points_m)), np.nan)
        by_level[network.level, network.place] = self._arrival_times(marks)
        present = network.node_of.T >= 0
        seen = by_level[network.level[network.top], network.place[network.top]]
        lag = np.where(present, by_level, -np.inf).max(axis=0) - seen
        arrival = np.minimum(seen + evened(network.mesh, lag), times[-1])
        held = self._in_part(self.rows[-1].filled)
        filled_shell, dry = filled[:, self.shell], capacity[self.shell]
        return FillResult(
            problem=self.problem,
            mesh=network.mesh,
            place=network.place,
            level=network.level,
            node_area_m2=network.area_m2,
            laminate_m=network.laminate_m,
            fibre_m=network.fibre_m,
            times_s=times,
            saturation=(filled_shell / np.where(dry > 0, dry, 1.0)).clip(0, 1).astype(np.float32),
            pressure_pa=np.array([row.pressure for row in self.rows]).astype(np.float32),
            swelling_m=(np.maximum(filled_shell - dry, 0.0) / network.area_m2).astype(np.float32),
            level_arrival_s=by_level,
            arrival_s=arrival,
            seen_s=seen,
            drawn_m3=drawn,
            in_part_m3=in_part,
            in_lines_m3=in_bores + in_vents,
            in_pots_m3=in_pots - in_vents,
            events=tuple(self.valves.events),
            pockets=self.pockets.report(self.rows[-1].filled) if self.pockets is not None else (),
            stopped_by=stopped_by,
            filled_fraction=1.0 if stopped_by == "filled" else float(held / self.total_m3),
            fill_time_s=float(times[-1]) if stopped_by == "filled" else None,
            mass_error=float(np.max(error / np.maximum(total, 1e-12 * max(float(total[-1]), 1e-300)), initial=0.0)),
            solves=self.solves,
            feed_ids=tuple(feed.line.id for feed in network.feeds),
            after=after,
        )
