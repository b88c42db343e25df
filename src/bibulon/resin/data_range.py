"""How far the figures of a resin card may be trusted: the temperatures that it has data at."""

from __future__ import annotations

from typing import Literal

from bibulon.job.resin_card import ResinCard

BEYOND_K = 6.0
"""So far beyond the points of a card its curves are trusted."""
Of = Literal["viscosity and gel", "pot life"]


def known_k(resin: ResinCard, of: Of) -> tuple[float, float]:
    """The least and the greatest temperature at which *resin* has figures of that kind."""
    if of == "pot life":
        points = [point.temperature_k for point in resin.pot_life]
        points += [point.mixed_k for point in resin.cup_tests]
    else:
        points = [
            *(point.temperature_k for point in resin.viscosity),
            *(point.temperature_k for point in resin.film_gel),
        ]
        points += [point.temperature_k for point in resin.viscosity_aged]
    return min(points), max(points)


def guessed(resin: ResinCard, of: Of, temperature_k: float) -> bool:
    """Whether figures of that kind at a temperature are drawn out beyond the data."""
    low, high = known_k(resin, of)
    return not low - BEYOND_K <= temperature_k <= high + BEYOND_K
