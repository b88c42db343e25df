"""Pockets: dry places that resin has cut off from every vent, and the gas in them.

A pocket holds the gas it had when it was cut off, at the vent's pressure then, and keeps ``p·V`` (isothermal ideal gas)
while resin closes in. Under a hard vacuum that leaves almost nothing; under a poor one a dry place stays. Gas that
would be less than a speck at the pressure that drives the resin is not followed: it is let go as if vented.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Flags, Floats, Integers
from bibulon.flow.conductors import bodies_of
from bibulon.flow.network import Network
from bibulon.flow.step import Gas

SPECK_SHARE = 3e-5
"""Gas that squeezed to the driving pressure is less than this share of all pores is not followed."""
LARGE_SHARE = 2e-3
"""Gas that takes up less than this share of all pores may be squeezed in steps of any length."""
NEARLY_THERE = 0.02
"""As may gas that is within this share of its last pressure."""
CRUMBS = 0.01
"""Pieces that fell off a pocket are not reported if they hold less than this share of what it holds."""
STILL_SHARE = 0.005
"""A pocket is at rest when it has to shrink by no more than this share of what will be left of it,"""
STILL_OF_ALL = 3e-4
"""or once it takes up less than this share of all pores."""


@dataclass(frozen=True)
class Pocket:
    """Gas left in the part: where, how much room it takes (m³) and at what absolute pressure."""

    x_m: float
    y_m: float
    volume_m3: float
    area_m2: float
    pressure_pa: float


@dataclass(frozen=True)
class _Followed:
    gas: Gas
    cut_off_m3: float
    volume_m3: float


class Pockets:
    """Follows the pockets of a fill from step to step."""

    def __init__(self, network: Network, vent_pa: float, drive_pa: float, most_pa: float) -> None:
        """*most_pa* is the greatest absolute pressure that resin can have anywhere."""
        self._network, self._most_pa = network, most_pa
        self._vent_pa, self._drive_pa = max(vent_pa, 1.0), drive_pa
        count = network.shell_count
        inside = (network.edges.starts < count) & (network.edges.ends < count)
        self._a, self._b = network.edges.starts[inside], network.edges.ends[inside]
        self._capacity = network.capacity_m3[:count]
        self._speck = SPECK_SHARE * float(self._capacity.sum())
        self.followed: tuple[_Followed, ...] = ()

    @property
    def smallest_m3(self) -> float:
        """What a dry place holds at least that is followed when it is cut off."""
        return self._speck * (self._drive_pa + self._vent_pa) / self._vent_pa

    @property
    def gases(self) -> tuple[Gas, ...]:
        return tuple(pocket.gas for pocket in self.followed)

    def update(
        self, filled: Floats, wet: Flags, gas_pa: tuple[float, ...], vents: Integers, air_pa: Floats | None = None
    ) -> None:
        """Find the pockets after a step that left the nodes *filled*, the full ones *wet*, old pockets at *gas_pa*; the
        air in the part was at *air_pa* (N,) over the vacuum, None: at none.

        Air leaves through the *vents* that are open, and through membranes wherever they are dry.
        """
        count = self._network.shell_count
        empty = np.maximum(self._capacity - filled[:count], 0.0)
        open_vent = np.zeros(count, dtype=bool)
        open_vent[vents] = True
        dry = (~wet[:count] & (empty > 1e-9 * self._capacity)) | open_vent
        open_vent[self._network.membrane_nodes] |= dry[self._network.membrane_nodes]
        among = dry[self._a] & dry[self._b]
        if not self.followed and not wet[:count].any():
            return
        part = bodies_of(self._a[among], self._b[among], count)
        vented = np.unique(part[open_vent])
        shut = dry & ~np.isin(part, vented)
        followed = []
        if shut.any():
            before = np.full(count, -1)
            amount_per_m3 = np.full(count, self._vent_pa) + (0.0 if air_pa is None else air_pa[:count])
            for number, (pocket, pressure) in enumerate(zip(self.followed, gas_pa, strict=True)):
                before[pocket.gas.nodes] = number
                # no resin squeezes gas beyond its own pressure: what a step made of that is let go
                amount_per_m3[pocket.gas.nodes] = min(pressure, self._most_pa)
            for number in np.unique(part[shut]):
                nodes = np.flatnonzero(shut & (part == number))
                volume = float(empty[nodes].sum())
                old = before[nodes]
                amount = float((empty[nodes] * amount_per_m3[nodes]).sum())
                if volume <= 0 or (amount / (self._drive_pa + self._vent_pa) < self._speck and (old < 0).all()):
                    continue
                cut_off = max([volume, *(self.followed[k].cut_off_m3 for k in np.unique(old[old >= 0]))])
                followed.append(_Followed(Gas(nodes, amount, amount / volume), cut_off, volume))
        self.followed = tuple(followed)

    def squeezed(self, gas_pa: tuple[float, ...]) -> float:
        """How far a step to *gas_pa* brings the large pockets to the driving pressure, at most: the power of e."""
        last_pa, most = self._drive_pa + self._vent_pa, LARGE_SHARE * float(self._capacity.sum())
        most_squeezed = 0.0
        for pocket, end_pa in zip(self.followed, gas_pa, strict=True):
            to_go, left = last_pa - pocket.gas.pressure_pa, last_pa - end_pa
            if pocket.volume_m3 > most and 0 < left < to_go and left > NEARLY_THERE * last_pa:
                most_squeezed = max(most_squeezed, math.log(to_go / left))
        return most_squeezed

    @property
    def nodes(self) -> Integers:
        """Numbers of all nodes of pockets."""
        return (
            np.concatenate([pocket.gas.nodes for pocket in self.followed]) if self.followed else np.zeros(0, np.int64)
        )

    def to_shrink(self, filled: Floats, at_last_pa: Floats) -> float:
        """How much further pockets have to shrink before all are at rest, as a share of all pores; 0 or less if none.

        With the nodes *filled*, and resin that will be at *at_last_pa* (N,) over the vent's there.
        """
        whole, most = float(self._capacity.sum()), -1.0
        for pocket in self.followed:
            nodes = pocket.gas.nodes
            volume_m3 = float(np.maximum(self._capacity[nodes] - filled[nodes], 0.0).sum())
            pressure_pa = float(at_last_pa[nodes].mean()) + self._vent_pa
            left_m3 = pocket.gas.amount / max(pressure_pa, pocket.gas.pressure_pa)
            most = max(most, (volume_m3 - max((1 + STILL_SHARE) * left_m3, STILL_OF_ALL * whole)) / whole)
        return most

    def report(self, filled: Floats) -> tuple[Pocket, ...]:
        """The pockets as they stand, the largest first, without what is left of those that fell to pieces."""
        network, pockets = self._network, []
        for pocket in self.followed:
            nodes = pocket.gas.nodes
            empty = np.maximum(self._capacity[nodes] - filled[nodes], 0.0)
            if empty.sum() < self._speck / 10:
                continue
            x, y = (network.mesh.points_m[network.place[nodes]] * empty[:, None]).sum(axis=0) / empty.sum()
            area = np.zeros(len(network.mesh.points_m))  # seen from above: of the levels the driest counts
            np.maximum.at(area, network.place[nodes], network.area_m2[nodes] * empty / self._capacity[nodes])
            pockets.append(Pocket(float(x), float(y), float(empty.sum()), float(area.sum()), pocket.gas.pressure_pa))
        largest = max((pocket.volume_m3 for pocket in pockets), default=0.0)
        reported = [pocket for pocket in pockets if pocket.volume_m3 >= CRUMBS * largest]
        return tuple(sorted(reported, key=lambda pocket: -pocket.volume_m3))
