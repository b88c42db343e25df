"""The valves of the feeds and vents: which are open, what opens and closes them, and when they turned."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Floats, Integers
from bibulon.flow.line_courses import FlowLine
from bibulon.flow.network import Feed, Network
from bibulon.flow.problem import FlowProblem
from bibulon.flow.result import ValveEvent, WaitForBatch
from bibulon.job.lines import (
    ACTIONS,
    AtTime,
    Trigger,
    Turn,
    WhenAtPoint,
    WhenBatchUsed,
    WhenFull,
    WhenReached,
    WhenTurned,
)
from bibulon.resin.batches import LATE_S

PASSED_SHARE = 0.95
"""Resin has passed a line when this share of its length is wet."""


@dataclass(frozen=True)
class Reach:
    """How far a fill has come: what may turn a valve."""

    filled_m3: Floats
    """(N,) resin at the nodes."""
    drawn_m3: float
    front_m: Floats
    """(shell,) how far the front lies beyond each node, negative where it has not come."""


class _Valve:
    """One line's valve: how it stands, what is left to be done to it, and since which event it waits for that."""

    def __init__(self, line: FlowLine) -> None:
        self.line = line
        first = (Turn(to="open", when=line.opens),) if line.kind == "feed" else ()
        self.left: list[Turn] = [*first, *line.turns]
        self.is_open = line.kind == "vent"
        self.share = 1.0
        """Of what its open hose carries, that it lets through."""
        self.since = 0

    @property
    def next(self) -> Turn | None:
        return self.left[0] if self.left else None

    @property
    def next_time_s(self) -> float | None:
        turn = self.next
        return turn.when.time_s if turn is not None and isinstance(turn.when, AtTime) else None


class Valves:
    """The valves while a part fills; times on the fluidity clock θ. Vents are open until they are clamped."""

    def __init__(self, network: Network, problem: FlowProblem) -> None:
        self._network, self._resin = network, problem.resin
        self._problem = problem
        vents = [line for line in problem.lines if line.kind == "vent" and not line.membrane]
        self._feeds = {feed.line.id: _Valve(feed.line) for feed in network.feeds}
        self._vents = {line.id: _Valve(line) for line in vents}
        self.events: list[ValveEvent] = []
        self.waits: list[WaitForBatch] = []
        """For batches that are planned to be mixed later than the bucket is down to its heel."""
        self._poured, self._waits = 0, False
        """How many batches have been, and whether the next one is waited for."""
        pores = network.capacity_m3 * network.in_part_share
        self._pore_share = pores / pores.sum()

    @property
    def open(self) -> set[str]:
        """The feeds that are open, throttled or not; none while the bucket waits for a batch."""
        return set() if self._waits else {name for name, valve in self._feeds.items() if valve.is_open}

    @property
    def throttled(self) -> dict[str, float]:
        """By feeds that are throttled, the share of what their open hoses carry."""
        return {name: valve.share for name, valve in self._feeds.items() if name in self.open and valve.share < 1.0}

    @property
    def open_feeds(self) -> list[Feed]:
        return [feed for feed in self._network.feeds if feed.line.id in self.open]

    @property
    def opened_s(self) -> dict[str, float]:
        """When each feed was first opened that was."""
        return {event.line: event.time_s for event in reversed(self.events) if event.action == "opened"}

    @property
    def open_vent_nodes(self) -> Integers:
        """Nodes at the vacuum of the pots."""
        nodes = [self._network.nodes_on_line[name] for name, valve in self._vents.items() if valve.is_open]
        return np.unique(np.concatenate(nodes)) if nodes else np.zeros(0, dtype=np.int64)

    @property
    def drawn_through(self) -> set[str]:
        """Feeds and manifolds that the open feeds are fed by, directly or not."""
        above = {feed.line.id: feed.line.fed_by for feed in self._network.feeds}
        drawn: set[str] = set()
        for line in self.open:
            at = above[line]
            while at:
                drawn.add(at)
                at = above.get(at, "")
        return drawn

    def passed_share(self, filled: Floats, line: str) -> float:
        """Share of the line, and of the pores beside it, that is wet."""
        nodes = self._network.nodes_on_line[line]
        wet = np.minimum(filled[nodes] / self._network.capacity_m3[nodes], 1.0)
        return float(self._network.length_share_on_line[line] @ wet)

    def _short_of(self, trigger: Trigger, reach: Reach) -> float:
        """How far what *trigger* waits for is off, as a share: 0 or less once it has happened."""
        filled = reach.filled_m3
        if isinstance(trigger, WhenReached):
            return PASSED_SHARE - self.passed_share(filled, trigger.line)
        if isinstance(trigger, WhenAtPoint):
            located = self._network.mesh.locate(*trigger.place)
            corners = located[0] if located else np.array([self._network.mesh.nearest(*trigger.place)])
            nodes = self._network.top[corners]
            weights = located[1] if located else np.ones(1)
            cells = weights @ np.sqrt(self._network.area_m2[nodes])
            return -float(weights @ reach.front_m[nodes] / cells)
        if isinstance(trigger, WhenFull):
            inside = np.minimum(filled / np.maximum(self._network.capacity_m3, 1e-300), 1.0)
            return trigger.share * (1 - 1e-6) - float(self._pore_share @ inside)
        if isinstance(trigger, WhenBatchUsed):
            if self._problem.fed is None:
                return math.inf
            wanted = self._problem.fed.used_up_m3(trigger.batch)
            return 1 - reach.drawn_m3 / wanted if wanted > 0 else math.inf
        return math.inf

    @property
    def _every(self) -> list[_Valve]:
        return [*self._feeds.values(), *self._vents.values()]

    @property
    def awaiting(self) -> list[Trigger]:
        """What valves wait for, other than the clock and one another."""
        turns = [valve.next for valve in self._every]
        waited: list[Trigger] = [
            turn.when for turn in turns if turn is not None and not isinstance(turn.when, AtTime | WhenTurned)
        ]
        if self._poured and not self._waits and math.isfinite(self._ready_s):
            waited.append(WhenBatchUsed(batch=self._poured))
        return waited

    @property
    def _ready_s(self) -> float:
        """When the next batch can be poured at the soonest."""
        return -math.inf if self._problem.fed is None else self._problem.fed.ready_s(self._poured + 1)

    def short_of(self, triggers: list[Trigger], reach: Reach) -> float:
        """How far the next of *triggers* is off."""
        return min((self._short_of(trigger, reach) for trigger in triggers), default=math.inf)

    def next_timed(self) -> float:
        """θ of the next valve turned by the clock; infinite if there is none."""
        times = [valve.next_time_s for valve in self._every] + [self._ready_s if self._waits else None]
        time_s = min((time_s for time_s in times if time_s is not None), default=math.inf)
        return self._resin.fluidity_time(time_s) if math.isfinite(time_s) else math.inf

    @property
    def lets_air_out_later(self) -> bool:
        """Whether a vent that is shut is to be opened again, and the clock has something to turn yet."""
        again = any(turn.to == "open" for valve in self._vents.values() if not valve.is_open for turn in valve.left)
        return again and math.isfinite(self.next_timed())

    def turn(self, clock: float, reach: Reach, time_s: float) -> bool:
        """Turn the valves that are due at θ = *clock*, and those that go by them; True if anything changed."""
        before, on = len(self.events), True
        while on:  # a valve may wait for another
            on = False
            for valve in self._every:
                while valve.next is not None and self._due(valve, valve.next, clock, reach):
                    self._turn(valve, valve.left.pop(0), time_s)
                    on = True
        return self._pour(clock, reach, time_s) or len(self.events) > before

    def _pour(self, clock: float, reach: Reach, time_s: float) -> bool:
        """Pour the batches that are due, or wait for the next with all feeds clamped; True if the feeds changed."""
        fed, waited = self._problem.fed, self._waits
        while fed is not None and self._poured < len(fed.batches):
            if self._waits and self._resin.fluidity_time(self._ready_s) > clock * (1 + 1e-12):
                break
            if not self._waits and reach.drawn_m3 < fed.used_up_m3(self._poured):
                break
            if not self._waits and self._ready_s > time_s + LATE_S:
                if self.open:
                    self.waits.append(WaitForBatch(self._poured + 1, time_s, self._ready_s))
                    self._waits = True
                break
            self._poured, self._waits = self._poured + 1, False
        return self._waits != waited

    def _due(self, valve: _Valve, turn: Turn, clock: float, reach: Reach) -> bool:
        when = turn.when
        if isinstance(when, AtTime):
            return self._resin.fluidity_time(when.time_s) <= clock * (1 + 1e-12)
        if isinstance(when, WhenTurned):
            since = self.events[valve.since :]
            return any(event.line == when.line and event.action == ACTIONS[when.to] for event in since)
        return self._short_of(when, reach) <= 0

    def _turn(self, valve: _Valve, turn: Turn, time_s: float) -> None:
        stood = valve.is_open, valve.share
        valve.is_open = turn.to != "clamped"
        valve.share = turn.share if turn.to == "throttled" else 1.0
        if (valve.is_open, valve.share) != stood:
            self.events.append(ValveEvent(time_s, valve.line.id, ACTIONS[turn.to]))
        valve.since = len(self.events)

    def clamp_all(self, time_s: float | None = None) -> None:
        """Close every feed for good, as is done once the part is full, or the shot is in at that time."""
        self._waits = False
        if time_s is not None:
            self.events += [ValveEvent(time_s, line, "clamped") for line in sorted(self.open)]
        for valve in self._feeds.values():
            valve.is_open = False
            valve.left.clear()
