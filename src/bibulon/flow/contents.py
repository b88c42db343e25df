"""What lies in each node in the order it came: resin leaves a node first in, first out.

A front is the resin that entered first. Nodes that mixed all they hold would let fresh resin into it, the more the
fewer nodes there are: along a strip of n nodes the front would seem younger by ``√(2/(π n))`` of its age. So each node
keeps its content as up to :data:`PIECES` pieces, each of what came in one step; where there are too many the two
neighbours that are most alike become one.
"""

from __future__ import annotations

import numpy as np

from bibulon.arrays import Flags, Floats
from bibulon.flow.upwind import Upwind

PIECES = 12
HARDLY_ANY = 1e-12


class Contents:
    """A value of the resin in *count* nodes, empty at first."""

    def __init__(self, count: int) -> None:
        self._volume_m3: Floats = np.zeros((PIECES, count))
        self._value: Floats = np.zeros((PIECES, count))
        """Oldest first."""

    def mean(self) -> Floats:
        """(N,) of what each node holds; 0 where that is nothing."""
        held = self._volume_m3.sum(axis=0)
        return np.asarray((self._volume_m3 * self._value).sum(axis=0) / np.where(held > 0, held, 1.0))

    def any(self) -> Flags:
        """(N,) which nodes hold something."""
        return np.asarray((self._volume_m3 > 0).any(axis=0))

    def pass_through(self, flow: Upwind, gain: Floats, entering: float, source: int, most_m3: Floats) -> None:
        """Take in a *flow*: what is *entering* comes from the node *source*, and what leaves a node is worth *gain*
        (N,) more than its value says. A node keeps no more than *most_m3* (N,); what is over has left the part."""
        into, out = flow.into_nodes(), flow.out_of_nodes()
        tiny = HARDLY_ANY * float(most_m3.max())
        before = np.cumsum(self._volume_m3, axis=0)
        taken = np.clip(out - (before - self._volume_m3), 0.0, self._volume_m3)
        leaving = (taken * self._value).sum(axis=0)
        through = np.maximum(out - before[-1], 0.0)
        per_out = np.where(out > tiny, out, 1.0)
        leaving, share = leaving / per_out, np.where(out > tiny, through / per_out, 1.0)
        leaving[source], share[source] = entering - gain[source], 0.0
        still = into <= tiny
        came = flow.carried(into, flow.received(leaving + gain) - into * gain, np.zeros_like(into), still, share)
        self._volume_m3 -= taken
        self._append(np.where(still, 0.0, into - through), came)
        over = np.maximum(self._volume_m3.sum(axis=0) - most_m3, 0.0)
        before = np.cumsum(self._volume_m3, axis=0)
        self._volume_m3 -= np.clip(over - (before - self._volume_m3), 0.0, self._volume_m3)

    def _append(self, volume_m3: Floats, value: Floats) -> None:
        """One more piece at the nodes with some *volume_m3*, in the place of the two that are most alike."""
        at = np.flatnonzero(volume_m3 > 0)
        held, worth = self._volume_m3[:, at], self._value[:, at]
        both = held[:-1] + held[1:]
        spread = held[:-1] * held[1:] / np.where(both > 0, both, 1.0) * (worth[1:] - worth[:-1]) ** 2
        first = np.argmin(spread, axis=0)
        column = np.arange(len(at))
        summed = both[first, column]
        mean = (held * worth)[first, column] + (held * worth)[first + 1, column]
        worth[first + 1, column] = mean / np.where(summed > 0, summed, 1.0)
        held[first + 1, column] = summed
        order = np.arange(PIECES - 1)[:, None]
        order = order + (order >= first)
        self._volume_m3[:-1, at] = np.take_along_axis(held, order, axis=0)
        self._value[:-1, at] = np.take_along_axis(worth, order, axis=0)
        self._volume_m3[-1, at] = volume_m3[at]
        self._value[-1, at] = value[at]
