"""The valves of the feeds and vents: which are open, what opens and closes them, and when they turned."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Floats, Integers
from bibulon.flow.network import Feed, Network
from bibulon.flow.problem import FlowLine, FlowProblem
from bibulon.flow.result import ValveEvent
from bibulon.job.lines import AtTime, WhenAtPoint, WhenBatchUsed, WhenFull, WhenReached

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


class Valves:
    """The valves while a part fills; times on the fluidity clock θ. Vents are open until they are clamped."""

    def __init__(self, network: Network, problem: FlowProblem) -> None:
        self._network, self._resin = network, problem.resin
        self._problem = problem
        self._vents = [line for line in problem.lines if line.kind == "vent" and not line.membrane]
        self.open: set[str] = set()
        self._done: set[str] = set()
        self._shut_vents: set[str] = set()
        self.events: list[ValveEvent] = []
        pores = network.capacity_m3 * network.in_part_share
        self._pore_share = pores / pores.sum()

    @property
    def open_feeds(self) -> list[Feed]:
        return [feed for feed in self._network.feeds if feed.line.id in self.open]

    @property
    def opened_s(self) -> dict[str, float]:
        """When each feed was opened that was."""
        return {event.line: event.time_s for event in self.events if event.action == "opened"}

    @property
    def open_vent_nodes(self) -> Integers:
        """Nodes at the vacuum of the pots."""
        nodes = [self._network.nodes_on_line[line.id] for line in self._vents if line.id not in self._shut_vents]
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

    def _short_of(self, line: FlowLine, reach: Reach) -> float:
        """How far the event that opens *line* is off, as a share: 0 or less once it has happened."""
        opens, filled = line.opens, reach.filled_m3
        if isinstance(opens, WhenReached):
            return PASSED_SHARE - self.passed_share(filled, opens.line)
        if isinstance(opens, WhenAtPoint):
            located = self._network.mesh.locate(*opens.place)
            corners = located[0] if located else np.array([self._network.mesh.nearest(*opens.place)])
            nodes = self._network.top[corners]
            weights = located[1] if located else np.ones(1)
            cells = weights @ np.sqrt(self._network.area_m2[nodes])
            return -float(weights @ reach.front_m[nodes] / cells)
        if isinstance(opens, WhenFull):
            inside = np.minimum(filled / np.maximum(self._network.capacity_m3, 1e-300), 1.0)
            return opens.share * (1 - 1e-6) - float(self._pore_share @ inside)
        if isinstance(opens, WhenBatchUsed):
            if not self._problem.batches_m3:
                return math.inf
            wanted = self._problem.used_up_m3(opens.batch)
            return 1 - reach.drawn_m3 / wanted if wanted > 0 else math.inf
        return math.inf

    @property
    def awaiting(self) -> list[FlowLine]:
        """The closed feeds that wait for something other than the clock."""
        return [
            feed.line
            for feed in self._network.feeds
            if not isinstance(feed.line.opens, AtTime) and feed.line.id not in self._done
        ]

    def short_of(self, lines: list[FlowLine], reach: Reach) -> float:
        """How far the next of the events that open *lines* is off."""
        return min((self._short_of(line, reach) for line in lines), default=math.inf)

    def next_timed(self) -> float:
        """θ of the next valve opened or closed by the clock; infinite if there is none."""
        times = []
        for feed in self._network.feeds:
            line = feed.line
            if isinstance(line.opens, AtTime) and line.id not in self._done:
                times.append(line.opens.time_s)
            if line.closes_s is not None and line.id in self.open:
                times.append(line.closes_s)
        times += [
            line.closes_s for line in self._vents if line.closes_s is not None and line.id not in self._shut_vents
        ]
        time_s = min(times, default=math.inf)
        return self._resin.fluidity_time(time_s) if math.isfinite(time_s) else math.inf

    def turn(self, clock: float, reach: Reach, time_s: float) -> bool:
        """Open and close what is due at θ = *clock*; True if anything changed."""
        due = clock * (1 + 1e-12)
        before = len(self.events)
        for feed in self._network.feeds:
            line = feed.line
            if isinstance(line.opens, AtTime):
                opens = self._resin.fluidity_time(line.opens.time_s) <= due
            else:
                opens = line.id not in self._done and self._short_of(line, reach) <= 0
            closes = self._closes(line, due)
            if opens and line.id not in self._done:
                self._done.add(line.id)
                if not closes:
                    self.open.add(line.id)
                    self.events.append(ValveEvent(time_s, line.id, "opened"))
            if closes and line.id in self.open:
                self.open.remove(line.id)
                self.events.append(ValveEvent(time_s, line.id, "clamped"))
        for line in self._vents:
            if line.id not in self._shut_vents and self._closes(line, due):
                self._shut_vents.add(line.id)
                self.events.append(ValveEvent(time_s, line.id, "clamped"))
        return len(self.events) > before

    def _closes(self, line: FlowLine, due: float) -> bool:
        return line.closes_s is not None and self._resin.fluidity_time(line.closes_s) <= due

    def clamp_all(self, time_s: float | None = None) -> None:
        """Close every feed, as is done once the part is full, or the shot is in at that time."""
        if time_s is not None:
            self.events += [ValveEvent(time_s, line, "clamped") for line in sorted(self.open)]
            self._done |= {feed.line.id for feed in self._network.feeds}
        self.open.clear()
