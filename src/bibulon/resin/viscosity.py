"""Fresh viscosity, gel and pot life of a resin card at a temperature, from the points of its data sheet.

Fits: ``ln μ`` and ``ln t`` straight against ``1/T`` (Arrhenius) through the points; a single point, or several at
one temperature, take a class-default slope.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from bibulon.job.dosing import APART_K, TIME_SLOPE_K
from bibulon.job.resin_card import ResinCard

VISCOSITY_SLOPE_K = 5500.0
"""Class default of d(ln μ)/d(1/T) where a card gives one temperature only."""


def arrhenius(points: Sequence[tuple[float, float]], temperature_k: float, default_slope_k: float) -> float:
    """Value at *temperature_k* of the Arrhenius line through ``(temperature_k, value)`` points (least squares)."""
    return _on_line(tuple(points), temperature_k, default_slope_k)


def arrhenius_line(points: Sequence[tuple[float, float]], default_slope_k: float) -> tuple[float, float]:
    """``(a, b)`` of that line, ``ln value = a + b/T``."""
    return _line(tuple(points), default_slope_k)


@lru_cache(maxsize=512)
def _line(points: tuple[tuple[float, float], ...], default_slope_k: float) -> tuple[float, float]:
    temperatures = np.array([temperature for temperature, _ in points])
    inverse, logs = 1 / temperatures, np.log([value for _, value in points])
    spread = inverse - inverse.mean()
    tells = float(np.ptp(temperatures)) >= APART_K
    slope = float(spread @ logs / (spread @ spread)) if tells else default_slope_k
    return float(logs.mean()) - slope * float(inverse.mean()), slope


def _on_line(points: tuple[tuple[float, float], ...], temperature_k: float, default_slope_k: float) -> float:
    at_infinity, slope = _line(points, default_slope_k)
    return math.exp(at_infinity + slope / temperature_k)


def fresh_viscosity_pa_s(resin: ResinCard, temperature_k: float) -> float:
    """Viscosity of the mix at age zero."""
    points = [(point.temperature_k, point.viscosity_pa_s) for point in resin.viscosity]
    return arrhenius(points, temperature_k, VISCOSITY_SLOPE_K)


def film_gel_s(resin: ResinCard, temperature_k: float) -> float:
    """Gel time of the thin film in the bag."""
    return arrhenius([(point.temperature_k, point.time_s) for point in resin.film_gel], temperature_k, TIME_SLOPE_K)


def sheet_pot_life_s(resin: ResinCard, temperature_k: float, mass_kg: float) -> float:
    """Pot life of *mass_kg* mixed in one bucket, by the sheet alone: its value scaled by ``(m/m_ref)^-n``, for more
    mass heats sooner."""
    sheet = arrhenius([(point.temperature_k, point.time_s) for point in resin.pot_life], temperature_k, TIME_SLOPE_K)
    return float(sheet * (max(mass_kg, 0.05) / resin.pot_life_mass_kg) ** -resin.pot_life_mass_exponent)
