"""The resin that a bucket feeds, batch by batch: how old and how warm it is when it leaves its pot."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from itertools import accumulate

import numpy as np

from bibulon.arrays import Floats
from bibulon.resin.law import Isothermal, ResinLaw, isothermal
from bibulon.resin.pot import PotCourse


@dataclass(frozen=True)
class FedBatch:
    """A batch: its volume, its age when it is poured, and the course of its pot, which it goes on as if left full."""

    volume_m3: float
    poured_at_s: float
    pot: PotCourse
    faster: float = 1.0
    """How many times as fast as the planned resin it cures, by its dose of catalyst."""
    ready_s: float = -math.inf
    """On the run clock, when it can be poured at the soonest: with every feed clamped, the bucket waits for it."""


@dataclass(frozen=True)
class FedResin:
    """Batches in the order they are poured, any more like the last, into a part at ``mould_k``."""

    law: ResinLaw
    mould_k: float
    batches: tuple[FedBatch, ...]
    heel_m3: float = 0.0
    """What is left in the bucket when the next batch is poured."""
    from_pot: bool = True
    """Whether it comes as warm as its pot is; else something between warms it."""
    fresh: bool = False
    """Whether it is mixed as it comes, so that it ages in the part only."""

    @property
    def still(self) -> Isothermal:
        """Resin kept at the mould's temperature."""
        return isothermal(self.law, self.mould_k)

    @cached_property
    def _pieces(self) -> tuple[Floats, Floats]:
        """Between the times of ``still`` μ grows exponentially: how fast (1/s) from each of them on, and ∫ dt/μ (1/Pa)
        up to each."""
        still = self.still
        growth = -np.diff(np.log(np.maximum(still.fluidity, 1e-300))) / np.diff(still.times_s)
        growth = np.maximum(growth, 1e-12)
        flown = still.fluidity[:-1] * -np.expm1(-growth * np.diff(still.times_s)) / growth
        return growth, np.concatenate([[0.0], np.cumsum(flown)])

    def flown(self, age_s: Floats) -> Floats:
        """∫ dt/μ (1/Pa) of resin kept at the mould's temperature up to an age."""
        still, (growth, flown) = self.still, self._pieces
        if not len(growth):
            return np.zeros_like(age_s)
        at = np.clip(np.searchsorted(still.times_s, age_s, side="right") - 1, 0, len(growth) - 1)
        into_s = np.clip(age_s, 0.0, still.times_s[-1]) - still.times_s[at]
        return np.asarray(flown[at] - still.fluidity[at] * np.expm1(-growth[at] * into_s) / growth[at])

    def heat_k(self, age_s: Floats) -> Floats:
        """By how much resin that keeps all its heat has warmed by its cure up to an age at the mould's temperature."""
        return np.asarray(self.law.adiabatic_rise_k * np.interp(age_s, self.still.times_s, self.still.cure))

    def batch(self, number: int) -> FedBatch:
        """The batch of that *number*, from 1."""
        return self.batches[min(number, len(self.batches)) - 1]

    def ready_s(self, number: int) -> float:
        """When the batch of that *number* can be poured at the soonest; any beyond those that are known at any time."""
        return self.batches[number - 1].ready_s if number <= len(self.batches) else -math.inf

    def at(self, number: int, since_s: float) -> tuple[float, float]:
        """Age at the mould's temperature, and excess over it (K), of what leaves the pot of the batch of that *number*
        (from 1) so long after its pouring."""
        batch = self.batch(number)
        warm, cure = batch.pot.at(batch.poured_at_s + max(since_s, 0.0))
        age = float(np.interp(float(cure), self.still.cure, self.still.times_s))
        return age, float(warm) - self.mould_k

    @property
    def as_dosed(self) -> bool:
        """Whether all of it has the planned dose of catalyst."""
        return all(batch.faster == 1.0 for batch in self.batches)

    def left_s(self, age_s: Floats | float, faster: Floats | float) -> Floats:
        """How long resin of an age still flows at the mould's temperature; negative for what has stopped."""
        return np.asarray((self.still.times_s[-1] - age_s) / faster)

    def factors(self, excess_k: Floats) -> tuple[Floats, Floats]:
        """How many times as fast resin ages, and as fluid it is, at excesses over the mould's temperature."""
        warm, half = self.mould_k + excess_k, self.law.gel_cure / 2
        faster = self.law.rate(warm, half) / self.law.rate(self.mould_k, half)
        thinner = np.exp(self.law.ln_viscosity(self.mould_k, 0.0) - self.law.ln_viscosity(warm, 0.0))
        return faster, np.asarray(thinner)

    @cached_property
    def _planned_m3(self) -> tuple[float, ...]:
        """What has been poured with each of ``batches``; 0 first."""
        return tuple(accumulate((batch.volume_m3 for batch in self.batches), initial=0.0))

    def _poured_m3(self, batches: int) -> float:
        further = batches - len(self.batches)
        if further <= 0:
            return self._planned_m3[batches]
        return self._planned_m3[-1] + further * self.batches[-1].volume_m3

    def used_up_m3(self, batches: int) -> float:
        """What has been drawn when so many *batches* are used up, down to the heel."""
        return max(self._poured_m3(batches) - self.heel_m3, 0.0)

    def left_m3(self, batches: int) -> float:
        """What is left in the bucket when so many *batches* are used up: the heel, or all of it while it is less."""
        return min(self._poured_m3(batches), self.heel_m3)

    @property
    def off_k(self) -> float:
        """The most that any of it may be off the mould's temperature before its pot is too warm."""
        most = 0.0
        for batch in self.batches:
            until = batch.pot.times_s <= max(min(batch.pot.life_s, float(batch.pot.times_s[-1])), batch.poured_at_s)
            used = batch.pot.temperature_k[until & (batch.pot.times_s >= batch.poured_at_s)]
            warm = [*used, float(batch.pot.at(batch.poured_at_s)[0])]
            most = max(most, *(abs(one - self.mould_k) for one in warm))
        return most
