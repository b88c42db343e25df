"""How long a pot of a resin card lasts, by its sheet and by the heat balance of the pot."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from bibulon.arrays import Floats
from bibulon.job.resin_card import ResinCard
from bibulon.resin.card_law import law_of
from bibulon.resin.law import ResinLaw
from bibulon.resin.pot import Pot, pot_course
from bibulon.resin.viscosity import sheet_pot_life_s

LEAST_POT_KG, MOST_POT_KG = 0.05, 200.0
LONGEST_S = 30 * 86_400.0
MOST_LONGER = 20.0
"""A pot that cools well lasts at most so many times as long as the sheet's."""


def pot_life_s(resin: ResinCard, mixed_k: float, mass_kg: float, pot: Pot | None = None) -> float:
    """How long *mass_kg* mixed at *mixed_k* lasts in its *pot*, a bucket in air as warm as the mix where none is given.

    By the heat balance where the card has fitted constants of cure. Else by the sheet's pot life and its mass exponent,
    longer or shorter as the balance says that this pot lasts than a bucket in air, but no longer than by the balance:
    what is too thick or has run away is past use, however little it is.
    """
    pot = pot or Pot(air_k=mixed_k)
    here = _finite(life_by_balance_s(resin, mixed_k, mass_kg, pot))
    if resin.cure is not None:
        return here
    sheet = sheet_pot_life_s(resin, mixed_k, mass_kg)
    if pot == Pot(air_k=mixed_k):
        return min(sheet, here)
    bucket = _finite(life_by_balance_s(resin, mixed_k, mass_kg, Pot(air_k=mixed_k)))
    return min(sheet * min(here / max(bucket, 1.0), MOST_LONGER), here)


def _finite(time_s: float) -> float:
    return min(time_s, LONGEST_S)


@lru_cache(maxsize=128)
def _lives(law: ResinLaw, density_kg_m3: float, mixed_k: float, pot: Pot) -> tuple[Floats, Floats]:
    """ln of masses and ln of what they last."""
    masses = np.geomspace(LEAST_POT_KG, MOST_POT_KG, 13)
    lives = [_finite(pot_course(law, density_kg_m3, float(mass), mixed_k, pot).life_s) for mass in masses]
    return np.log(masses), np.log(np.maximum(lives, 1.0))


def life_by_balance_s(resin: ResinCard, mixed_k: float, mass_kg: float, pot: Pot) -> float:
    """How long a pot lasts by its heat balance, between masses that are worked out by a straight line of logarithms."""
    masses, lives = _lives(law_of(resin), resin.density_kg_m3, round(mixed_k, 2), pot)
    return math.exp(float(np.interp(math.log(mass_kg), masses, lives)))
