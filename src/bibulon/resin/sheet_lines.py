"""The figures of a data sheet against one another: how far each is from the line of its table, and which is an outlier.

Viscosity, gel, pot life, dose and vapour are straight lines of logarithms: over 1/T, and over the logarithm of mass or
dose. A figure is predicted from all others of its table, with a slope that is drawn to what is usual, as by one loose
measurement; one that is many of its own spreads from that does not belong to them. Two figures whose order cannot be,
as a resin that thickens as it is warmed, are told as well.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Floats
from bibulon.job.dosing import APART_K, TIME_SLOPE_K, USUAL_POWER, dose_fit
from bibulon.job.resin_card import ResinCard
from bibulon.quantities import QuantityKind, Units, show
from bibulon.quantities_in_words import brief, brief_each, percent
from bibulon.resin.boiling import SLOPE_K, boiling_of
from bibulon.resin.viscosity import VISCOSITY_SLOPE_K, film_gel_s, fresh_viscosity_pa_s, sheet_pot_life_s

SLOPE_SPREAD = 0.35
"""A slope differs by about so much of itself from one resin to the other."""
OUTLIER_SPREADS = 5.0
"""A figure that is so many times its own spread from what the others predict is not one of them."""
UNKNOWN = 1e3
READ, TIMED, POTTED, BOILED = 0.08, 0.12, 0.2, 0.15
"""Spreads of a viscosity, a gel, a pot life and a vapour pressure, as shares of themselves."""


@dataclass(frozen=True)
class SheetFigure:
    """A figure of a sheet beside what the line of its table makes of it, in SI."""

    what: str
    temperature_k: float
    measured: float
    made: float
    """What the card makes of it, by the line through its table."""
    kind: QuantityKind
    by_others: float
    """What the other figures of its table predict."""
    spreads_off: float
    """How far it is from that, in its spreads."""
    mass_kg: float | None = None
    """Of a pot."""
    dose: float | None = None


@dataclass(frozen=True)
class _Table:
    what: str
    kind: QuantityKind
    spread: float
    temperatures_k: Floats
    values: Floats
    slope_k: float
    beside: Floats
    """Logarithms of what else it hangs on, and 0 where that is nothing."""
    power: float
    masses_kg: tuple[float | None, ...]
    doses: tuple[float | None, ...]
    made: tuple[float, ...]


def sheet_figures(resin: ResinCard) -> tuple[SheetFigure, ...]:
    """The figures of every table of *resin* that has more than one."""
    return tuple(figure for table in _tables(resin) for figure in _figures(table))


def outlier(resin: ResinCard) -> SheetFigure | None:
    """The figure of *resin*'s sheet that lies furthest from what the others of its table predict, if it is not one of
    them."""
    worst = max(sheet_figures(resin), key=lambda figure: abs(figure.spreads_off), default=None)
    return worst if worst is not None and abs(worst.spreads_off) > OUTLIER_SPREADS else None


def reversed_trend(resin: ResinCard) -> tuple[SheetFigure, SheetFigure] | None:
    """The coldest and the warmest figure of a table of *resin*'s sheet that goes the wrong way with warmth, as a resin
    that thickens as it is warmed; None where there is none."""
    for table in _tables(resin):
        if float(np.ptp(table.beside)) > 0:
            continue
        cold, warm = int(np.argmin(table.temperatures_k)), int(np.argmax(table.temperatures_k))
        rises = table.values[warm] - table.values[cold]
        apart_k = table.temperatures_k[warm] - table.temperatures_k[cold]
        if apart_k >= APART_K and rises * table.slope_k > 0:
            figures = _figures(table)
            return figures[cold], figures[warm]
    return None


def sheet_contradiction(resin: ResinCard, units: Units) -> str:
    """What speaks against a figure of *resin*'s sheet, in a sentence; empty where nothing does."""
    if (figure := outlier(resin)) is not None:
        where = show(figure.temperature_k, "temperature", units)
        if figure.mass_kg is not None:
            where = f"{brief(figure.mass_kg, 'mass', units)} and {where}"
        if figure.dose is not None:
            where = f"{percent(figure.dose, 1)} and {where}"
        measured, by_others = brief_each((figure.measured, figure.by_others), figure.kind, units)
        return f"The {figure.what} at {where} is {measured}, where the other figures make it {by_others}."
    if (ways := reversed_trend(resin)) is not None:
        at = [show(one.temperature_k, "temperature", units) for one in ways]
        is_ = brief_each([one.measured for one in ways], ways[0].kind, units)
        return f"The {ways[0].what} is {is_[0]} at {at[0]} and {is_[1]} at {at[1]}: it goes the other way with warmth."
    return ""


def _tables(resin: ResinCard) -> Iterator[_Table]:
    def table(
        what: str, kind: QuantityKind, spread: float, slope_k: float, points: Sequence[tuple[float, float]],
        made: Sequence[float], power: float = 0.0, masses: Sequence[float] = (), doses: Sequence[float] = (),
    ) -> Iterator[_Table]:  # fmt: skip
        if len(points) < 2:
            return
        temperatures, values = np.array(points, dtype=np.float64).T
        beside = np.log(masses or doses or [1.0] * len(points))
        none = (None,) * len(points)
        yield _Table(
            what, kind, spread, temperatures, values, slope_k, np.asarray(beside), power,
            tuple(masses) or none, tuple(doses) or none, tuple(made),
        )  # fmt: skip

    fresh = [(one.temperature_k, one.viscosity_pa_s) for one in resin.viscosity]
    made = [fresh_viscosity_pa_s(resin, at_k) for at_k, _ in fresh]
    yield from table("viscosity", "viscosity", READ, VISCOSITY_SLOPE_K, fresh, made)
    gels = [(one.temperature_k, one.time_s) for one in resin.film_gel]
    made = [film_gel_s(resin, at_k) for at_k, _ in gels]
    yield from table("film gel", "duration", TIMED, TIME_SLOPE_K, gels, made)
    pots = [one for one in resin.pot_life if one.shape == resin.pot_life[0].shape]
    masses = [one.mass_kg or resin.pot_life_mass_kg for one in pots]
    yield from table(
        "pot life", "duration", POTTED, TIME_SLOPE_K, [(one.temperature_k, one.time_s) for one in pots],
        [sheet_pot_life_s(resin, one.temperature_k, mass) for one, mass in zip(pots, masses, strict=True)],
        -resin.pot_life_mass_exponent, masses,
    )  # fmt: skip
    doses = resin.dose.points if resin.dose is not None else ()
    fit = dose_fit(resin)
    yield from table(
        "gel by dose", "duration", TIMED, TIME_SLOPE_K, [(one.temperature_k, one.gel_s) for one in doses],
        [fit.gel_s(one.dose, one.temperature_k) for one in doses] if fit is not None else (),
        -USUAL_POWER, doses=[one.dose for one in doses],
    )  # fmt: skip
    vapour = [(one.temperature_k, one.pressure_pa) for one in resin.boiling]
    line = boiling_of(resin)
    made = [line.pressure_pa(at_k) for at_k, _ in vapour] if line is not None else []
    yield from table("vapour", "pressure difference", BOILED, SLOPE_K, vapour, made)


def _figures(table: _Table) -> list[SheetFigure]:
    columns = np.stack([np.ones(len(table.values)), 1 / table.temperatures_k, table.beside], axis=1)
    logs = np.log(table.values)
    usual = np.array([float(logs.mean()), table.slope_k, table.power])
    loosely = np.array([UNKNOWN, SLOPE_SPREAD * abs(table.slope_k), max(abs(table.power), 0.5)])
    usual[0] -= float((columns.mean(axis=0) * usual)[1:].sum())

    def predicted(at: int, known: Floats) -> tuple[float, float]:
        """The logarithm at a row, by the rows that are *known*, and its variance."""
        rows, weight = columns[known], 1 / table.spread**2
        precision = weight * rows.T @ rows + np.diag(loosely**-2.0)
        told = usual + np.linalg.solve(precision, weight * rows.T @ (logs[known] - rows @ usual))
        row = columns[at]
        return float(row @ told), float(row @ np.linalg.solve(precision, row))

    figures = []
    for at, value in enumerate(table.values):
        others = np.arange(len(logs)) != at
        by_others, variance = predicted(at, others)
        spreads = (math.log(value) - by_others) / math.sqrt(variance + table.spread**2)
        figures.append(
            SheetFigure(
                table.what, float(table.temperatures_k[at]), float(value), table.made[at], table.kind,
                 math.exp(min(by_others, 300.0)), spreads, table.masses_kg[at], table.doses[at],
            )
        )  # fmt: skip
    return figures
