"""The valves of the feeds: which are open, what opens and closes them, and when they turned."""

from __future__ import annotations

import math

import numpy as np

from bibulon.flow.mesh import Floats
from bibulon.flow.network import Feed, Network
from bibulon.flow.result import ValveEvent
from bibulon.job.lines import AtTime, WhenReached
from bibulon.resin.viscosity import Rheology

PASSED_SHARE = 0.95
"""Resin has passed a line when this share of its length is wet."""


class Valves:
    """The feeds' valves while a part fills; times on the fluidity clock θ."""

    def __init__(self, network: Network, resin: Rheology) -> None:
        self._network, self._resin = network, resin
        self.open: set[str] = set()
        self._done: set[str] = set()
        self.events: list[ValveEvent] = []

    @property
    def open_feeds(self) -> list[Feed]:
        return [feed for feed in self._network.feeds if feed.line.id in self.open]

    def passed_share(self, filled: Floats, line: str) -> float:
        """Share of the line, and of the pores beside it, that is wet."""
        nodes = self._network.nodes_on_line[line]
        wet = np.minimum(filled[nodes] / self._network.capacity_m3[nodes], 1.0)
        return float(self._network.length_share_on_line[line] @ wet)

    @property
    def awaited(self) -> list[str]:
        """The lines that closed valves wait for resin to pass."""
        return [
            feed.line.opens.line
            for feed in self._network.feeds
            if isinstance(feed.line.opens, WhenReached) and feed.line.id not in self._done
        ]

    def triggered(self, filled: Floats) -> bool:
        """Whether resin has passed a line that a closed valve waits for."""
        return any(self.passed_share(filled, line) >= PASSED_SHARE for line in self.awaited)

    def next_timed(self) -> float:
        """θ of the next valve opened or closed by the clock; infinite if there is none."""
        times = []
        for feed in self._network.feeds:
            line = feed.line
            if isinstance(line.opens, AtTime) and line.id not in self._done:
                times.append(line.opens.time_s)
            if line.closes_s is not None and line.id in self.open:
                times.append(line.closes_s)
        time_s = min(times, default=math.inf)
        return self._resin.fluidity_time(time_s) if math.isfinite(time_s) else math.inf

    def turn(self, clock: float, filled: Floats, time_s: float) -> bool:
        """Open and close what is due at θ = *clock*; True if anything changed."""
        due = clock * (1 + 1e-12)
        changed = False
        for feed in self._network.feeds:
            line = feed.line
            if isinstance(line.opens, AtTime):
                opens = self._resin.fluidity_time(line.opens.time_s) <= due
            else:
                opens = self.passed_share(filled, line.opens.line) >= PASSED_SHARE
            closes = line.closes_s is not None and self._resin.fluidity_time(line.closes_s) <= due
            if opens and line.id not in self._done:
                self._done.add(line.id)
                if not closes:
                    self.open.add(line.id)
                    self.events.append(ValveEvent(time_s, line.id, "opened"))
                    changed = True
            if closes and line.id in self.open:
                self.open.remove(line.id)
                self.events.append(ValveEvent(time_s, line.id, "clamped"))
                changed = True
        return changed

    def clamp_all(self, time_s: float) -> None:
        """Close every feed."""
        for line in sorted(self.open):
            self.events.append(ValveEvent(time_s, line, "clamped"))
        self.open.clear()
