"""What conducts and holds resin in a step: a rigid laminate, one under film that swells where resin carries load, or
one under the upper half of a mould that gives.

Under film, per node, tables say what it holds more and how much better it conducts, straight between
``CARRIED_SHARES`` of the film's pressure (see :mod:`bibulon.laminate.levels`). Source: ``P = p_atm − p``, power-law
compaction, Kozeny–Carman.
"""

from __future__ import annotations

import math

import numpy as np

from bibulon.arrays import Floats
from bibulon.flow.network import Network
from bibulon.flow.step import Linearised
from bibulon.flow.upper_half import UpperHalf, looked_up
from bibulon.laminate.levels import CARRIED_SHARES

_SHARES = np.array(CARRIED_SHARES)
_WIDTHS = np.diff(_SHARES)


class Rigid:
    """A laminate of fixed thickness."""

    tolerance_pa = math.inf

    def __init__(self, conductance_m3: Floats, capacity_m3: Floats) -> None:
        self._conductance, self._capacity = conductance_m3, capacity_m3

    def at(self, pressure_pa: Floats) -> Linearised:
        return Linearised(self._conductance, self._capacity, None, pressure_pa)


class Swelling:
    """A laminate under film: ``pores_m3`` (e,) of its edges open with pressure, ``bores_m3`` (e,) do not."""

    def __init__(
        self, network: Network, film_pa: float, pores_m3: Floats, bores_m3: Floats, linear_share: float
    ) -> None:
        self.tolerance_pa = linear_share * film_pa
        self._dry = network.capacity_m3
        self._film_pa = film_pa
        self._more, self._opening = network.swelling_m3, network.opening
        self._edges = network.edges
        self._pores, self._bores = pores_m3, bores_m3

    def held_at(self, pressure_pa: float) -> Rigid:
        """The laminate as it stands where resin has this pressure everywhere."""
        law = self.at(np.full(len(self._dry), pressure_pa))
        return Rigid(law.conductance_m3, law.capacity_m3)

    def at(self, pressure_pa: Floats) -> Linearised:
        count = len(self._more)
        share = (pressure_pa[:count] / self._film_pa).clip(0.0, _SHARES[-1])
        slot = np.searchsorted(_SHARES[1:-1], share, side="right")
        width = _WIDTHS.take(slot)
        part = (share - _SHARES.take(slot)) / width
        row = slot + np.arange(count) * len(_SHARES)
        low, high = (self._more.take(row + end) for end in (0, 1))
        capacity, give, opening = self._dry.copy(), np.zeros(len(self._dry)), np.ones(len(self._dry))
        capacity[:count] += low + part * (high - low)
        give[:count] = (high - low) / (width * self._film_pa)
        low, high = (self._opening.take(row + end) for end in (0, 1))
        opening[:count] = low + part * (high - low)
        conductance = self._pores * (opening.take(self._edges.starts) + opening.take(self._edges.ends)) / 2
        return Linearised(conductance + self._bores, capacity, give, pressure_pa)


class UnderUpperHalf:
    """A laminate in a cavity whose upper half gives: how much, hangs on the pressure everywhere.

    Linearised as if a node's pressure moved it as an even change of pressure would, which is exact under film (D → 0),
    in a rigid mould (D → ∞) and for even changes; what that leaves is found by linearising again.
    """

    def __init__(
        self,
        network: Network,
        upper: UpperHalf,
        vent_pa: float,
        pores_m3: Floats,
        bores_m3: Floats,
        linear_share: float,
    ) -> None:
        self.tolerance_pa = linear_share * (upper.problem.atmosphere_pa - vent_pa)
        self._network, self._upper, self._vent_pa = network, upper, vent_pa
        self._pores, self._bores = pores_m3, bores_m3
        self._gap = np.array(upper.problem.gap_m)

    def at(self, pressure_pa: Floats) -> Linearised:
        network, count = self._network, self._network.shell_count
        given = self._upper.giving(self._vent_pa + pressure_pa[network.top])
        rise = given.rise_m[network.place]
        more, holds_more = looked_up(self._gap, network.swelling_m3, rise)
        capacity, give, opening = network.capacity_m3.copy(), np.zeros(len(pressure_pa)), np.ones(len(pressure_pa))
        capacity[:count] += more
        give[:count] = holds_more * given.compliance_m_pa[network.place]
        opening[:count] = looked_up(self._gap, network.opening, rise)[0]
        edges = network.edges
        conductance = self._pores * (opening.take(edges.starts) + opening.take(edges.ends)) / 2
        return Linearised(conductance + self._bores, capacity, give, pressure_pa)
