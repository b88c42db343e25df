"""What conducts and holds resin in a step: a rigid laminate, or one under film that swells where resin carries load.

Under film, per node, tables say what it holds more and how much better it conducts, straight between
``CARRIED_SHARES`` of the film's pressure (see :mod:`bibulon.laminate.levels`). Source: ``P = p_atm − p``, power-law
compaction, Kozeny–Carman.
"""

from __future__ import annotations

import math

import numpy as np

from bibulon.flow.mesh import Floats, Integers
from bibulon.flow.network import Network
from bibulon.flow.stepper import Straightened
from bibulon.laminate.levels import CARRIED_SHARES

_SHARES = np.array(CARRIED_SHARES)


class Rigid:
    """A laminate of fixed thickness."""

    tolerance_pa = math.inf

    def __init__(self, conductance_m3: Floats, capacity_m3: Floats) -> None:
        self._conductance, self._capacity = conductance_m3, capacity_m3

    def at(self, pressure_pa: Floats) -> Straightened:
        return Straightened(self._conductance, self._capacity, None, pressure_pa)


class Swelling:
    """A laminate under film: ``pores_m3`` (e,) of its edges open with pressure, ``bores_m3`` (e,) do not."""

    def __init__(
        self, network: Network, film_pa: float, pores_m3: Floats, bores_m3: Floats, straight_share: float
    ) -> None:
        self.tolerance_pa = straight_share * film_pa
        self._dry = network.capacity_m3
        self._film_pa = film_pa
        self._more, self._opening = network.swelling_m3, network.opening
        self._rows = np.arange(network.shell_count)
        self._starts, self._ends = network.edges.starts, network.edges.ends
        self._pores, self._bores = pores_m3, bores_m3

    def _between(self, pressure: Floats) -> tuple[Integers, Floats]:
        share = np.clip(pressure[: len(self._rows)] / self._film_pa, 0.0, _SHARES[-1])
        slot = np.clip(np.searchsorted(_SHARES, share, side="right") - 1, 0, len(_SHARES) - 2)
        return slot, (share - _SHARES[slot]) / (_SHARES[slot + 1] - _SHARES[slot])

    def at(self, pressure_pa: Floats) -> Straightened:
        slot, part = self._between(pressure_pa)
        low, high = self._more[self._rows, slot], self._more[self._rows, slot + 1]
        capacity, give, opening = self._dry.copy(), np.zeros(len(self._dry)), np.ones(len(self._dry))
        shell = slice(0, len(self._rows))
        capacity[shell] += low + part * (high - low)
        give[shell] = (high - low) / ((_SHARES[slot + 1] - _SHARES[slot]) * self._film_pa)
        low, high = self._opening[self._rows, slot], self._opening[self._rows, slot + 1]
        opening[shell] = low + part * (high - low)
        conductance = self._pores * (opening[self._starts] + opening[self._ends]) / 2 + self._bores
        return Straightened(conductance, capacity, give, pressure_pa)
