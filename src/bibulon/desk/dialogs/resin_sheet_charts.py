"""Charts of a resin's data sheet: the points of a table, and the curve that is fitted to them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from bibulon.desk.widgets.curves_chart import Curve, Drawn, Mark
from bibulon.exchange.resin_sheet import Table
from bibulon.job.dosing import dose_fit
from bibulon.job.resin_card import PotShape, ResinCard
from bibulon.quantities import QuantityKind, Units, number_shown, show, show_measure, unit_shown
from bibulon.quantities_in_words import percent
from bibulon.resin.boiling import boiling_of
from bibulon.resin.card_law import law_of
from bibulon.resin.fitting import cup_course
from bibulon.resin.law import isothermal
from bibulon.resin.pot import Pot, pot_course
from bibulon.resin.viscosity import film_gel_s, fresh_viscosity_pa_s

AROUND_K = 12.0
"""Curves over temperature go so far beyond their points."""
Chart = tuple[Drawn, str, str, str]
"""What is drawn, what the axis below and that at the left count in, and what it is in words."""


def drawn_table(table: Table, card: ResinCard, units: Units) -> Chart:
    """The points of a *table* of *card* with the curve through them; what the axes count in; what it is, in words."""
    degrees = unit_shown("temperature", units)

    def shown(values: Any, kind: QuantityKind) -> Any:
        return np.array([number_shown(float(value), kind, units) for value in values])

    def over_temperature(points: Sequence[tuple[float, float]], kind: QuantityKind, curve: Any, words: str) -> Chart:
        if not points:
            return Drawn(), degrees, "", "Nothing is written yet."
        temperatures = [point[0] for point in points]
        grid = np.linspace(min(temperatures) - AROUND_K, max(temperatures) + AROUND_K, 80)
        values = [curve(float(at)) for at in grid]
        unit = "min" if kind == "duration" else unit_shown(kind, units)

        def figures(some: Any) -> Any:
            return np.array(some) / 60 if kind == "duration" else shown(some, kind)

        dots = Curve(shown(temperatures, "temperature"), figures([point[1] for point in points]), dots=True)
        return Drawn([Curve(shown(grid, "temperature"), figures(values)), dots]), degrees, unit, words

    if table.name == "viscosity":
        points = [(one.temperature_k, one.viscosity_pa_s) for one in card.viscosity]
        how = "a straight line of ln μ over 1/T" if len(points) > 1 else "the usual slope through the one point"
        return over_temperature(points, "viscosity", lambda at: fresh_viscosity_pa_s(card, at), f"Curve: {how}.")
    if table.name == "film_gel":
        points = [(one.temperature_k, one.time_s) for one in card.film_gel]
        law = law_of(card)
        fitted = card.cure is not None
        return over_temperature(
            points, "duration", lambda at: law.time_to(at, law.gel_cure) if fitted else film_gel_s(card, at),
            "Curve: by the fitted rate of cure." if fitted else "Curve: a straight line of ln t over 1/T.",
        )  # fmt: skip
    if table.name == "boiling":
        points = [(one.temperature_k, one.pressure_pa) for one in card.boiling]
        line = boiling_of(card)
        if not points or line is None:
            return (
                Drawn(),
                degrees,
                "",
                "Nothing is written: the card's lowest pressure is taken, at room temperature.",
            )
        assumed = f" Assumed: {line.assumed}." if line.assumed else ""
        return over_temperature(
            points, "pressure difference", line.pressure_pa, f"Curve: a straight line of ln P over 1/T.{assumed}"
        )
    if table.name == "dose":
        return _dose_drawn(card, units)
    if table.name == "tg":
        return _tg_drawn(card, shown, degrees)
    return _course_drawn(table, card, units, shown)


def _dose_drawn(card: ResinCard, units: Units) -> Chart:
    """Gel over the dose at each temperature of the table."""
    fit = dose_fit(card)
    if fit is None or card.dose is None:
        return Drawn(), "%", "min", "Nothing is written: the card's own parts are the dose."
    doses = np.linspace(card.dose.least, card.dose.most, 60)
    curves = []
    for at_k in sorted({point.temperature_k for point in card.dose.points})[:4]:
        gels = np.array([fit.gel_s(float(dose), at_k) / 60 for dose in doses])
        curves.append(Curve(100 * doses, gels, show(at_k, "temperature", units)))
    dots = Curve(
        np.array([100 * point.dose for point in card.dose.points]),
        np.array([point.gel_s / 60 for point in card.dose.points]), dots=True,
    )  # fmt: skip
    low, high = percent(card.dose.least, 1), percent(card.dose.most, 1)
    words = (
        f"{card.dose.component}: {low} to {high} of the mass of the resin is the maker's range. "
        f"Gel goes with the dose to the power −{fit.power:.2f}."
    )
    return Drawn([*curves, dots]), "% of the resin", "gel, min", words


def _tg_drawn(card: ResinCard, shown: Any, degrees: str) -> Chart:
    """Glass transition over the degree of cure."""
    law = law_of(card)
    cures = np.linspace(0, 1, 80)
    curves = [Curve(100 * cures, shown(law.tg_k(cures), "temperature"))]
    if card.tg:
        reached = [float(law.aged(one.cured_k, 0.0, one.cured_s, glass=True)) for one in card.tg]
        measured = shown([one.tg_k for one in card.tg], "temperature")
        curves.append(Curve(100 * np.array(reached), measured, dots=True))
    marks = [Mark(100 * law.gel_cure, "gel", upright=True)]
    words = "Glass transition over the degree of cure (DiBenedetto); points where the sheet's cures bring it."
    return Drawn(curves, marks), "degree of cure, %", f"Tg, {degrees}", words


def _course_drawn(table: Table, card: ResinCard, units: Units, shown: Any) -> Chart:
    """Viscosity against time, pots and cups."""
    law = law_of(card)
    curves: list[Curve] = []
    if table.name == "viscosity_aged":
        temperatures = sorted({one.temperature_k for one in card.viscosity_aged}) or [card.film_gel[0].temperature_k]
        for at_k in temperatures[:4]:
            still = isothermal(law, at_k)
            if len(still.times_s) < 2:
                continue
            values = shown(1 / np.maximum(still.fluidity, 1e-9), "viscosity")
            curves.append(Curve(still.times_s / 60, values, show(at_k, "temperature", units)))
        if card.viscosity_aged:
            curves.append(
                Curve(
                    np.array([one.time_s / 60 for one in card.viscosity_aged]),
                    shown([one.viscosity_pa_s for one in card.viscosity_aged], "viscosity"), dots=True,
                )
            )  # fmt: skip
        words = "Curve until the resin stops flowing: at gel, or at the limit of the card."
        return Drawn(curves), "min", unit_shown("viscosity", units), words
    return _pots_drawn(table.name == "cup_tests", card, units, shown)


def _pots_drawn(of_cups: bool, card: ResinCard, units: Units, shown: Any) -> Chart:
    """How warm the pots of the sheet, or the cups of the shop, get by their own heat."""
    law = law_of(card)
    pots: set[tuple[float, float, PotShape]] = {
        (one.mass_kg or card.pot_life_mass_kg, one.temperature_k, one.shape) for one in card.pot_life
    }
    if of_cups:
        pots = {(one.mass_kg, one.mixed_k, "bucket") for one in card.cup_tests}
    curves: list[Curve] = []
    for mass, mixed_k, shape in sorted(pots)[:5]:
        if of_cups:
            course = cup_course(law, card, mass, mixed_k)
            until_s = float(course.times_s[-1])
        else:
            course = pot_course(law, card.density_kg_m3, mass, mixed_k, Pot(shape, mixed_k))
            until_s = 1.15 * course.life_s
        drawn = course.times_s <= until_s
        name = f"{show_measure(mass, 'mass', units)}, {show(mixed_k, 'temperature', units)}"
        curves.append(Curve(course.times_s[drawn] / 60, shown(course.temperature_k[drawn], "temperature"), name))
    degrees = unit_shown("temperature", units)
    if not of_cups:
        marks = [Mark(one.time_s / 60, "sheet", upright=True) for one in card.pot_life[:4]]
        words = "Temperature of the pot by its own heat; it is at its end 20 K over the mix, or too thick to flow."
        return Drawn(curves, marks), "min", degrees, words
    if not card.cup_tests:
        return Drawn(), "min", degrees, "Nothing is written yet."
    minutes = np.array([one.time_s / 60 for one in card.cup_tests])
    dots = Curve(minutes, shown([one.temperature_k for one in card.cup_tests], "temperature"), dots=True)
    words = "Temperature of the cup by its own heat, in air as warm as its mix; points as they were read."
    return Drawn([*curves, dots]), "min", degrees, words
