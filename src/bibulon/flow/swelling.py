"""The laminate under film swells where resin carries part of the pressure: more room, wider pores.

Per node, tables of what it holds more and how much better it conducts, straight between ``CARRIED_SHARES`` of the
film's pressure (see :mod:`bibulon.laminate.levels`). Source: ``P = p_atm − p``, power-law compaction, Kozeny–Carman.
"""

from __future__ import annotations

import numpy as np

from bibulon.flow.conductors import Conductors
from bibulon.flow.mesh import Floats, Integers
from bibulon.flow.network import Network
from bibulon.laminate.levels import CARRIED_SHARES

_SHARES = np.array(CARRIED_SHARES)


class Swelling:
    """What a network's nodes hold and conduct at a pressure over the vent's (Pa)."""

    def __init__(self, network: Network, film_pa: float) -> None:
        self._dry = network.capacity_m3
        self._film_pa = film_pa
        self._more, self._opening = network.swelling_m3, network.opening
        self._rows = np.arange(network.shell_count)

    def _between(self, pressure: Floats) -> tuple[Integers, Floats]:
        share = np.clip(pressure[: len(self._rows)] / self._film_pa, 0.0, _SHARES[-1])
        slot = np.clip(np.searchsorted(_SHARES, share, side="right") - 1, 0, len(_SHARES) - 2)
        return slot, (share - _SHARES[slot]) / (_SHARES[slot + 1] - _SHARES[slot])

    def _read(self, table: Floats, pressure: Floats) -> Floats:
        slot, part = self._between(pressure)
        return np.asarray(table[self._rows, slot] * (1 - part) + table[self._rows, slot + 1] * part)

    def capacity_m3(self, pressure: Floats) -> Floats:
        """(N,) what each node holds when full."""
        found = self._dry.copy()
        found[: len(self._rows)] += self._read(self._more, pressure)
        return found

    def give_m3_pa(self, pressure: Floats) -> Floats:
        """(N,) what a full node takes up per Pa more."""
        slot, _ = self._between(pressure)
        rise = self._more[self._rows, slot + 1] - self._more[self._rows, slot]
        found = np.zeros(len(self._dry))
        found[: len(self._rows)] = rise / ((_SHARES[slot + 1] - _SHARES[slot]) * self._film_pa)
        return found

    def opened(self, pores: Conductors, pressure: Floats) -> Conductors:
        """*pores* as they conduct at the pressure (N,): the mean of what both ends open by."""
        opening = np.ones(len(self._dry))
        opening[: len(self._rows)] = self._read(self._opening, pressure)
        return pores.scaled((opening[pores.starts] + opening[pores.ends]) / 2)
