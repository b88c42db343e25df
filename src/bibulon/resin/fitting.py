"""Constants of cure fitted to what a resin's data sheet and the shop's own tests say.

Fitted by least squares of logarithms (of kelvins for a cup's warming): the rate ``k2`` and its slope over 1/T, how it
begins (``k1/k2``), the steepness and bend of the growing viscosity, and the heat of cure where cups of the shop warmed
enough to tell it and the sheet does not. Held: the orders ``m`` and ``n`` and the degree of cure at gel, usual for the
chemistry, and one slope for both rates. What no figure tells stays near what is usual: each constant is drawn there as
by one loose measurement.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares, minimize_scalar

from bibulon.arrays import Floats
from bibulon.job.dosing import APART_K
from bibulon.job.resin_card import CureConstants, ResinCard
from bibulon.quantities import QuantityKind
from bibulon.quantities_in_words import percent
from bibulon.refusal import Refusal
from bibulon.resin.card_law import CURE_AT_GEL, HEAT_J_KG, ORDER, law_of
from bibulon.resin.law import ResinLaw, isothermal
from bibulon.resin.pot import FOLLOWED_GELS, LONGEST_S, Pot, PotCourse, pot_course
from bibulon.resin.viscosity import fresh_viscosity_pa_s
from bibulon.workers.report import Progress, no_progress

SAME_AS_SHEET = 0.08
"""Times and viscosities of a sheet are read off to about so much of themselves, one standard deviation."""
POT_SPREAD, CUP_K, CUP_TIME = 0.15, 2.0, 0.03
"""A cup's temperature is read to so many kelvins, at a time that is known and repeated to so much of itself."""
USUAL = {"begin": (math.log(0.03), 1.5), "slope": (6500.0, 1200.0), "steepness": (1.5, 0.8), "bend": (1.0, 1.5)}
"""What each constant is drawn to, and how loosely."""
HEAT_SPREAD, LEAST_HEAT, MOST_HEAT = 0.35, 0.25, 2.5
"""Heat of cure over what is usual for the chemistry: its spread, and what a fit stays between."""
CUP_TELLS_HEAT_K = 25.0
"""A cup that warmed by so much tells the heat of cure."""
MOST_CUP_POINTS = 40
CONTRADICTS = 5.0
"""A figure so many times its own spread from the fit does not belong to the others."""
THICKENED_BY = 0.5
"""The thickening time of a card is held against the fit at no more than this share of its gel time: at gel itself the
fitted viscosity has no bound."""


THICKENING = "thickening"
"""What the card's thickening time makes of the viscosity, where no viscosity with time was measured."""


class FitRefusal(Refusal):
    """There is not enough on a card to fit."""


@dataclass(frozen=True)
class FitRow:
    """One figure of the sheet beside the fit's: times in s, viscosities in Pa·s, temperatures in K."""

    what: str
    temperature_k: float
    measured: float
    fitted: float
    kind: QuantityKind
    """What it is shown as."""
    at_s: float | None = None
    """When it was so, of a course."""
    mass_kg: float | None = None
    """Of a pot or a cup."""
    spreads_off: float = 0.0
    """How far a cup's reading is from the fitted course, in its spreads of temperature and time."""

    @property
    def off(self) -> float:
        """By what share the fit is off; of a temperature, by how many kelvins."""
        return self.fitted - self.measured if self.kind == "temperature" else self.fitted / self.measured - 1


@dataclass(frozen=True)
class CureFit:
    """Fitted constants with what they are worth."""

    constants: CureConstants
    heat_j_kg: float | None
    """The heat of cure that the cups tell; None where the card has one, or no cup warmed enough."""
    tg_full_k: float | None
    """Glass transition of the resin cured through that the sheet's cures tell; None where the card has it, or no cure
    with its glass transition."""
    rows: tuple[FitRow, ...]
    assumed: tuple[str, ...]
    spread: float
    """Geometric spread of figures about the fit, one standard deviation."""
    coldest_k: float
    warmest_k: float

    @property
    def contradiction(self) -> FitRow | None:
        """The figure that lies furthest from the fit, if it is so far that it does not belong to the others."""
        told = [row for row in self.rows if row.what != THICKENING]
        worst = max(told, key=lambda row: abs(_weighed(row)))
        return worst if abs(_weighed(worst)) > CONTRADICTS else None


def fit_cure(resin: ResinCard, progress: Progress = no_progress) -> CureFit:
    """Fit the constants of cure of a *resin* card. Raises :class:`FitRefusal` where it has too little to go
    by, and what *progress* raises to cancel."""
    figures = len(resin.film_gel) + len(resin.viscosity_aged) + len(resin.pot_life) + min(len(resin.cup_tests), 1)
    if figures < 2:
        raise FitRefusal("One figure alone fits nothing: type another gel time, pot life or viscosity against time.")
    runs_off = any(one.temperature_k - one.mixed_k >= CUP_TELLS_HEAT_K for one in resin.cup_tests)
    if resin.heat_j_kg is None and runs_off:
        found = _fitted(resin, True, progress)
        share, wrong = (found.heat_j_kg or 0.0) / HEAT_J_KG[resin.chemistry], found.contradiction
        if 1.02 * LEAST_HEAT < share < 0.98 * MOST_HEAT and (wrong is None or wrong.kind != "temperature"):
            return found
        # cups that contradict the sheet tell no heat
    return _fitted(resin, False, progress)


def _fitted(resin: ResinCard, with_heat: bool, progress: Progress) -> CureFit:
    """The fit of *resin*, and of its heat of cure too if *with_heat*."""
    middle_k = float(np.mean([point.temperature_k for point in resin.film_gel]))
    gel_cure = CURE_AT_GEL[resin.chemistry]
    law = law_of(resin.model_copy(update={"cure": None}))
    ln_rate, ln_begin = math.log(float(law.rate(middle_k, gel_cure / 2))), law.ln_k1 - law.ln_k2
    usual = [USUAL["slope"], USUAL["begin"], USUAL["steepness"], USUAL["bend"], (0.0, HEAT_SPREAD)]
    risen_k = max((one.temperature_k - one.mixed_k for one in resin.cup_tests), default=law.adiabatic_rise_k)
    ln_heat = math.log(min(max(risen_k / law.adiabatic_rise_k, LEAST_HEAT), MOST_HEAT))
    begin = [ln_rate, law.slope2_k, max(ln_begin, math.log(1e-3)), USUAL["steepness"][0], USUAL["bend"][0], ln_heat]
    scale = [1.0, 1000.0, 1.0, 1.0, 1.0, 1.0]
    unknowns = 6 if with_heat else 5
    count = 0

    def read(values: Floats) -> tuple[CureConstants, float | None]:
        constants = _constants(values, middle_k, gel_cure)
        if not with_heat:
            return constants, None
        share = math.exp(min(max(float(values[5]), math.log(LEAST_HEAT)), math.log(MOST_HEAT)))
        return constants, HEAT_J_KG[resin.chemistry] * share

    def residuals(values: Floats) -> Floats:
        nonlocal count
        count += 1
        progress(min(count / 120, 0.99))
        off = [_weighed(row) for row in fit_rows(resin, *read(values))]
        drawn = [(value - to) / loosely for value, (to, loosely) in zip(values[1:], usual, strict=False)]
        every = np.nan_to_num(np.array([*off, *drawn]), nan=50.0, posinf=50.0, neginf=-50.0)
        return np.asarray(np.clip(every, -50.0, 50.0))

    found = least_squares(
        residuals, begin[:unknowns], x_scale=scale[:unknowns], diff_step=1e-3, max_nfev=40, loss="soft_l1"
    )
    constants, heat = read(found.x)
    rows = fit_rows(resin, constants, heat)
    temperatures = [row.temperature_k for row in rows]
    cured = resin.model_copy(update={"cure": constants, "heat_j_kg": heat or resin.heat_j_kg})
    tg_full_k = fit_tg(cured) if resin.tg_full_k is None else None
    rows += tg_rows(cured.model_copy(update={"tg_full_k": tg_full_k or resin.tg_full_k}))
    logs = [
        math.log(row.fitted / row.measured)
        for row in rows
        if row.kind != "temperature" and row.what != THICKENING and row.fitted > 0
    ]
    spread = math.exp(math.sqrt(float(np.mean(np.square(logs))))) if logs else 1.0
    assumed = _assumed(resin, heat)
    return CureFit(
        constants, heat, tg_full_k, tuple(rows), assumed, spread, min(temperatures), max(temperatures)
    )  # fmt: skip


def _constants(values: Floats, middle_k: float, gel_cure: float) -> CureConstants:
    """The constants with these unknowns: ln of the rate half-way to gel at *middle_k*, its slope, ln(k1/k2), and the
    steepness and bend of the growth."""
    ln_rate, slope, ln_begin, steepness, bend = (float(value) for value in values[:5])
    slope = min(max(slope, 500.0), 20_000.0)
    ln_begin = min(max(ln_begin, -14.0), 3.0)
    half = gel_cure / 2
    ln_k2 = ln_rate - math.log((math.exp(ln_begin) + half) * (1 - half) ** ORDER) + slope / middle_k
    return CureConstants(
        ln_k1=min(max(ln_k2 + ln_begin, -200.0), 200.0),
        slope1_k=slope,
        ln_k2=min(max(ln_k2, -200.0), 200.0),
        slope2_k=slope,
        m=1.0,
        n=ORDER,
        gel_cure=gel_cure,
        steepness=min(max(steepness, 0.0), 20.0),
        bend=min(max(bend, -20.0), 20.0),
    )


def _weighed(row: FitRow) -> float:
    if row.kind == "temperature":
        return row.spreads_off
    spread = POT_SPREAD if row.what == "pot life" else SAME_AS_SHEET
    return math.log(max(row.fitted, 1e-12) / row.measured) / spread


def _assumed(resin: ResinCard, heat_j_kg: float | None) -> tuple[str, ...]:
    assumed = ["orders of the rate of cure (m = 1, n = 1.5)", f"cure at gel ({percent(CURE_AT_GEL[resin.chemistry])})"]
    if resin.heat_j_kg is None and heat_j_kg is None:
        assumed.append("heat of cure")
    if resin.cup_tests:
        assumed.append("air round the cup as warm as the mix")
    if float(np.ptp([point.temperature_k for point in resin.film_gel])) < APART_K:
        assumed.append("how gel goes with temperature, where no other figures tell")
    if not resin.viscosity_aged:
        assumed.append("how viscosity grows, but for the card's thickening time")
    if resin.tg_full_k is None and not resin.tg:
        assumed.append("glass transition")
    return tuple(assumed)


def fit_rows(resin: ResinCard, constants: CureConstants, heat_j_kg: float | None = None) -> list[FitRow]:
    """Every figure of *resin* beside what *constants* make of it, and a heat of cure in the place of the card's."""
    law = law_of(resin.model_copy(update={"cure": constants, "heat_j_kg": heat_j_kg or resin.heat_j_kg}))
    rows = [
        FitRow(
            "film gel", point.temperature_k, point.time_s, law.time_to(point.temperature_k, law.gel_cure), "duration"
        )
        for point in resin.film_gel
    ]
    what = "viscosity" if resin.viscosity_aged else THICKENING
    for temperature_k, time_s, measured in _thickened(resin):
        fitted = _viscosity_at(law, temperature_k, time_s)
        rows.append(FitRow(what, temperature_k, measured, fitted, "viscosity", time_s))
    for point in resin.pot_life:
        mass = point.mass_kg or resin.pot_life_mass_kg
        pot = Pot(point.shape, point.temperature_k)
        course = pot_course(law, resin.density_kg_m3, mass, point.temperature_k, pot)
        life = course.life_s if math.isfinite(course.life_s) else float(course.times_s[-1])
        rows.append(FitRow("pot life", point.temperature_k, point.time_s, life, "duration", mass_kg=mass))
    rows += _cup_rows(resin, law)
    return rows


def _thickened(resin: ResinCard) -> list[tuple[float, float, float]]:
    """Temperature, age and viscosity of the sheet's ageing samples; where it has none, the one to which resin comes
    that grows e-fold in the card's thickening time, well before it gels."""
    if resin.viscosity_aged:
        return [(one.temperature_k, one.time_s, one.viscosity_pa_s) for one in resin.viscosity_aged]
    at_k = resin.film_gel[0].temperature_k
    time_s = min(resin.thickening_time_s, THICKENED_BY * resin.film_gel[0].time_s)
    return [(at_k, time_s, math.exp(time_s / resin.thickening_time_s) * fresh_viscosity_pa_s(resin, at_k))]


def _viscosity_at(law: ResinLaw, temperature_k: float, time_s: float) -> float:
    still = isothermal(law, temperature_k)
    cure = float(np.interp(time_s, still.times_s, still.cure))
    if time_s > still.times_s[-1]:
        cure = min(
            float(law.aged(temperature_k, float(still.cure[-1]), time_s - float(still.times_s[-1]))), law.gel_cure
        )
    return math.exp(min(float(law.ln_viscosity(temperature_k, cure)), 30.0))


def _cup_rows(resin: ResinCard, law: ResinLaw) -> list[FitRow]:
    rows: list[FitRow] = []
    cups: dict[tuple[float, float], list[tuple[float, float]]] = {}
    for point in resin.cup_tests:
        cups.setdefault((point.mass_kg, point.mixed_k), []).append((point.time_s, point.temperature_k))
    for (mass, mixed_k), readings in cups.items():
        course = cup_course(law, resin, mass, mixed_k)
        step = max(len(readings) // MOST_CUP_POINTS, 1)
        for time_s, warm_k in sorted(readings)[::step]:
            fitted = float(course.at(time_s)[0])
            spreads = math.copysign(_from_course(course, time_s, warm_k), fitted - warm_k)
            rows.append(FitRow("cup", mixed_k, warm_k, fitted, "temperature", time_s, mass, spreads))
    return rows


def _from_course(course: PotCourse, time_s: float, warm_k: float) -> float:
    """The shortest way from a reading to a pot's course, in spreads of temperature and of time: where a cup runs off a
    moment makes tens of kelvins."""
    ends = np.stack(
        [(course.times_s - time_s) / max(CUP_TIME * time_s, 1.0), (course.temperature_k - warm_k) / CUP_K], axis=1
    )
    starts, spans = ends[:-1], np.diff(ends, axis=0)
    along = -(starts * spans).sum(axis=1) / np.maximum((spans**2).sum(axis=1), 1e-12)
    nearest = starts + np.clip(along, 0.0, 1.0)[:, None] * spans
    return float(np.hypot(nearest[:, 0], nearest[:, 1]).min())


def cup_course(law: ResinLaw, resin: ResinCard, mass_kg: float, mixed_k: float) -> PotCourse:
    """A cup of the shop's tests in air as warm as its mix, followed to well past gel and to its last reading."""
    last_s = max(
        (one.time_s for one in resin.cup_tests if (one.mass_kg, one.mixed_k) == (mass_kg, mixed_k)), default=0.0
    )
    followed_s = max(FOLLOWED_GELS * law.time_to(mixed_k, law.gel_cure), 1.05 * last_s)
    return pot_course(
        law, resin.density_kg_m3, mass_kg, mixed_k, Pot(air_k=mixed_k), followed_s=min(followed_s, LONGEST_S)
    )


def fit_tg(resin: ResinCard) -> float | None:
    """The glass transition of the resin that is cured through, by those that the sheet has after its cures (least
    squares of DiBenedetto's formula, aged by the card's law); None where it has none."""
    if not resin.tg:
        return None

    def off(full_k: float) -> float:
        rows = tg_rows(resin.model_copy(update={"tg_full_k": full_k}))
        return float(np.sum(np.square([row.off for row in rows])))

    highest_k = max(one.tg_k for one in resin.tg)  # no resin has more than when it is cured through
    return _least(off, highest_k, highest_k + 80.0)


def tg_rows(resin: ResinCard) -> list[FitRow]:
    """Every glass transition of *resin*'s sheet beside the one that its law makes of the same cure."""
    law = law_of(resin)
    return [
        FitRow(
            "glass transition", one.cured_k, one.tg_k,
            float(law.tg_k(law.aged(one.cured_k, 0.0, one.cured_s, glass=True))), "temperature", one.cured_s,
        )
        for one in resin.tg
    ]  # fmt: skip


def _least(of: Callable[[float], float], low: float, high: float) -> float:
    return float(minimize_scalar(of, bounds=(low, high), method="bounded", options={"xatol": 0.1}).x)
