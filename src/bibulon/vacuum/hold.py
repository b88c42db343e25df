"""The hold (drop) test: the leak behind the readings, and the verdict of the house rules.

Model: ``P(t) = P₀ + D·(1 − e^(−t/τ)) + (Q/V)·t``, settling and outgassing that die away, and a leak that does not.
For each τ of a grid the rest is linear least squares with D ≥ 0; the band of the slope takes every τ that fits nearly
as well (profile likelihood, F test) and the scatter of the readings, at 95 %. A gauge shows steps: the scatter is no
less than that of rounding to them, ``step/√12``. Noise that remembers (lag-one correlation r of what the fit leaves)
makes ``n`` readings worth ``n (1 − r)/(1 + r)``.

Drift: a gauge that counts from the atmosphere moves with it, ``P = P_read + B(t) − B(0)``; gas in a closed volume
follows its temperature, ``P = P_read·T(0)/T(t)``. Both are taken out where they were read.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from scipy.special import fdtri, stdtrit

from bibulon.arrays import Floats
from bibulon.job.hold import HoldFigures, HoldTest, Rule
from bibulon.quantities import QuantityKind, Units, show

LEAST_READINGS = 3
BAROMETER_STEP_PA, THERMOMETER_STEP_K, ROOM_K = 100.0, 0.5, 294.0
"""What barometers and thermometers show steps of at most."""
SETTLING_TILTS = 2.0
"""A fit that has to find settling besides is moved so much more by what tilts the readings."""
LEAST_FOR_MEMORY = 8
"""With fewer readings the memory of the noise cannot be told."""


def without_drift(
    test: HoldTest, readings: tuple[tuple[float, float], ...] | None = None
) -> tuple[tuple[float, float], ...]:
    """The readings of *test*, or others on its clock, with barometer and temperature taken out as far as they were
    read; between readings of those the straight line counts, beyond them the nearest."""
    held = test.readings if readings is None else readings
    time, pressure = np.array(held, dtype=np.float64).T
    if test.gauge == "relative" and len(test.barometer_readings) > 1:
        at, barometer = np.array(test.barometer_readings, dtype=np.float64).T
        pressure = pressure + np.interp(time, at, barometer) - np.interp(time[0], at, barometer)
    if len(test.temperature_readings) > 1:
        at, temperature = np.array(test.temperature_readings, dtype=np.float64).T
        pressure = pressure * np.interp(time[0], at, temperature) / np.interp(time, at, temperature)
    return tuple(zip(time.tolist(), np.maximum(pressure, 0.0).tolist(), strict=True))


def fallen_pa(test: HoldTest, readings: tuple[tuple[float, float], ...] | None = None) -> float:
    """How far the pressure of *test*, or of others read on its clock, surely falls below the highest before it, with
    its drift taken out: less by the steps that the barometer and the thermometer of it show."""
    pressure = np.array(without_drift(test, readings))[:, 1]
    feigned = 0.0
    if test.gauge == "relative" and len(test.barometer_readings) > 1:
        feigned += BAROMETER_STEP_PA
    if len(test.temperature_readings) > 1:
        feigned += THERMOMETER_STEP_K / ROOM_K * float(pressure.mean())
    return max(float((np.maximum.accumulate(pressure) - pressure).max()) - feigned, 0.0)


def drift_doubt_pa_s(test: HoldTest, rise_pa_s: float) -> float:
    """How far the steps that barometer and thermometer show may tilt what :func:`without_drift` makes of a test, Pa/s
    at one standard deviation: of each, the slope's deviation for rounding by ``step/√12``, and of the first
    temperature, to which all others are referred, its share of the rise."""
    pressure = float(np.mean([pressure for _, pressure in test.readings]))
    doubt = 0.0
    barometer = test.barometer_readings if test.gauge == "relative" else ()
    for readings, step, to_pa in (
        (barometer, BAROMETER_STEP_PA, 1.0),
        (test.temperature_readings, THERMOMETER_STEP_K, pressure / ROOM_K),
    ):
        if len(readings) < 2:
            continue
        time, value = np.array(readings, dtype=np.float64).T
        scale = 10 if to_pa == 1.0 else 1000
        shown = _common_step(value, scale)
        deviation = min(shown, step) if shown > 0 else step
        spread = float(((time - time.mean()) ** 2).sum())
        doubt += (deviation / math.sqrt(12) * to_pa) ** 2 / spread
        if readings is test.temperature_readings:
            doubt += (deviation / math.sqrt(12) / ROOM_K * rise_pa_s) ** 2
    return math.sqrt(doubt)


@dataclass(frozen=True)
class LeakFit:
    """Steady rise of pressure (Pa/s) with its 95 % band, settling, and the curve that goes with it."""

    rise_pa_s: float
    low_pa_s: float
    high_pa_s: float
    start_pa: float
    settling_pa: float
    settling_s: float
    scatter_pa: float

    def pressure_at(self, time_s: Floats) -> Floats:
        """The fitted curve."""
        settled = -np.expm1(-time_s / self.settling_s) if self.settling_pa else np.zeros_like(time_s)
        return np.asarray(self.start_pa + self.settling_pa * settled + self.rise_pa_s * time_s)


def fit_leak(readings: tuple[tuple[float, float], ...], step_pa: float = 100.0) -> LeakFit:
    """Fit the model to ``(time_s, pressure_pa)`` readings of a gauge that shows steps of at most *step_pa*.

    With fewer than five readings only the straight line is fitted; with two its band is unbounded above.
    """
    time, pressure = np.array(readings, dtype=np.float64).T
    span = float(time[-1] - time[0])
    time = time - time[0]
    least_pa = _gauge_step_pa(pressure, step_pa) / math.sqrt(12)
    candidates = [_linear(time, pressure, None, least_pa)]
    if len(time) >= 5:
        quickest = max(span / 500, min(float(np.median(np.diff(time))) / 2, span / 50))
        candidates += [_linear(time, pressure, tau, least_pa) for tau in np.geomspace(quickest, span * 3.0, 60)]
    settled = [candidate for candidate in candidates if candidate.settling_pa >= 0]
    errors = np.array([_error(candidate, time, pressure) for candidate in settled])
    best = int(np.argmin(errors))
    chosen = settled[best]
    if len(time) == 2:
        return LeakFit(chosen.rise_pa_s, 0.0, math.inf, chosen.start_pa, 0.0, span, 0.0)
    worth = _worth(pressure - chosen.pressure_at(time)) if len(time) >= LEAST_FOR_MEMORY else 1.0
    freedom = max(len(time) - (4 if chosen.settling_pa else 2), 1)
    floor = least_pa**2 * freedom
    allowed = max(errors[best], floor) * (1 + float(fdtri(1, freedom, 0.95)) / (freedom * worth))
    plausible = [settled[i] for i in range(len(settled)) if errors[i] <= allowed]
    wider = 1 / math.sqrt(worth)
    low = min(fit.rise_pa_s - wider * (fit.rise_pa_s - fit.low_pa_s) for fit in plausible)
    high = max(fit.rise_pa_s + wider * (fit.high_pa_s - fit.rise_pa_s) for fit in plausible)
    return LeakFit(
        chosen.rise_pa_s, low, high, chosen.start_pa, chosen.settling_pa, chosen.settling_s, chosen.scatter_pa
    )


def fit_test(test: HoldTest, step_pa: float = 100.0) -> LeakFit:
    """:func:`fit_leak` of a *test* with its drift taken out; what is not known of that widens the band."""
    fit = fit_leak(without_drift(test), step_pa)
    doubt = drift_doubt_pa_s(test, fit.rise_pa_s)
    if doubt == 0.0:
        return fit
    reach = 1.96 * doubt * (SETTLING_TILTS if fit.settling_pa else 1.0)
    low, high = (math.hypot(fit.rise_pa_s - edge, reach) for edge in (fit.low_pa_s, fit.high_pa_s))
    return replace(fit, low_pa_s=fit.rise_pa_s - low, high_pa_s=fit.rise_pa_s + high)


def _gauge_step_pa(pressure: Floats, step_pa: float) -> float:
    """The step that a gauge shows: what all differences are multiples of, *step_pa* where all readings are the same."""
    common_pa = _common_step(pressure, 10)
    return min(common_pa, step_pa) if common_pa > 0 else step_pa


def _common_step(values: Floats, parts: int) -> float:
    """What all differences of *values* are multiples of, to one part in so many of a unit; 0 if all are alike."""
    counted = np.unique(np.round(np.abs(np.diff(values)) * parts).astype(np.int64))
    return int(np.gcd.reduce(counted)) / parts


def _worth(residual: Floats) -> float:
    """How many independent readings each reading is worth, by the lag-one correlation of what the fit leaves."""
    whole = float(residual @ residual)
    if whole <= 0:
        return 1.0
    count = len(residual)
    memory = float(residual[1:] @ residual[:-1]) / whole
    memory = min(max(memory + (3 + 6 * max(memory, 0.0)) / count, 0.0), 0.95)  # a fit takes some of it out
    return (1 - memory) / (1 + memory)


def _linear(time: Floats, pressure: Floats, tau: float | None, least_pa: float) -> LeakFit:
    columns = [np.ones_like(time), time] + ([] if tau is None else [-np.expm1(-time / tau)])
    matrix = np.column_stack(columns)
    solution, *_ = np.linalg.lstsq(matrix, pressure, rcond=None)
    freedom = len(time) - matrix.shape[1]
    residual = pressure - matrix @ solution
    scatter = math.sqrt(float(residual @ residual) / freedom) if freedom > 0 else 0.0
    inverse = np.linalg.pinv(matrix.T @ matrix)
    reach = float(stdtrit(max(freedom, 1), 0.975)) * max(scatter, least_pa) * math.sqrt(max(float(inverse[1, 1]), 0.0))
    rise = float(solution[1])
    settling = float(solution[2]) if tau is not None else 0.0
    return LeakFit(rise, rise - reach, rise + reach, float(solution[0]), settling, tau or 1.0, scatter)


def _error(fit: LeakFit, time: Floats, pressure: Floats) -> float:
    residual = pressure - fit.pressure_at(time)
    return float(residual @ residual)


@dataclass(frozen=True)
class RuleVerdict:
    """What one house rule says of a test."""

    rule: Rule
    passed: bool
    text: str


@dataclass(frozen=True)
class HoldVerdict:
    """The leak found and what the house rules say of it."""

    fit: LeakFit
    volume_m3: float
    rules: tuple[RuleVerdict, ...]

    @property
    def passed(self) -> bool:
        return all(rule.passed for rule in self.rules)

    @property
    def leak_pa_m3_s(self) -> float:
        """``Q = V·dP/dt``."""
        return self.fit.rise_pa_s * self.volume_m3

    @property
    def leak_band_pa_m3_s(self) -> tuple[float, float]:
        return max(self.fit.low_pa_s, 0.0) * self.volume_m3, self.fit.high_pa_s * self.volume_m3


@dataclass(frozen=True)
class _Case:
    test: HoldTest
    fit: LeakFit
    rules: HoldFigures
    area_m2: float
    volume_m3: float
    gel_s: float
    units: Units

    @property
    def length_s(self) -> float:
        return self.test.readings[-1][0] - self.test.readings[0][0]

    @property
    def drop_pa(self) -> float:
        return self.test.readings[-1][1] - self.test.readings[0][1]

    def show(self, value: float, kind: QuantityKind) -> str:
        return show(value, kind, self.units)


def _no_visible_drop(case: _Case) -> tuple[bool, str]:
    drop, seen = case.show(case.drop_pa, "pressure difference"), case.rules.visible_drop_pa
    if case.length_s < case.rules.short_hold_s:
        held, asked = (case.show(time, "duration") for time in (case.length_s, case.rules.short_hold_s))
        return False, f"held {held}; {asked} asked"
    return case.drop_pa < seen, f"{drop} lost; {case.show(seen, 'pressure difference')} can be seen on the gauge"


def drop_allowed_pa(rules: HoldFigures, area_m2: float) -> float:
    """The drop in ten minutes that the house tolerates for a part of *area_m2*."""
    return rules.drop_pa_per_600_s * math.sqrt(max(area_m2, 1.0))


def _drop_per_time(case: _Case) -> tuple[bool, str]:
    allowed = drop_allowed_pa(case.rules, case.area_m2)
    drop = case.drop_pa * 600 / case.length_s
    return drop <= allowed, (
        f"{case.show(drop, 'pressure difference')} lost in 10 min; "
        f"{case.show(allowed, 'pressure difference')} allowed for {case.show(case.area_m2, 'area')}"
    )


def _pressure_reached(case: _Case) -> tuple[bool, str]:
    lowest = min(pressure for _, pressure in case.test.readings)
    return lowest <= case.rules.reach_pa, (
        f"reached {case.show(lowest, 'pressure')}; {case.show(case.rules.reach_pa, 'pressure')} asked"
    )


def _long_soak(case: _Case) -> tuple[bool, str]:
    asked = max(case.rules.soak_s, case.gel_s)
    return case.length_s >= asked, f"held {case.show(case.length_s, 'duration')}; {case.show(asked, 'duration')} asked"


def _leak_rate(case: _Case) -> tuple[bool, str]:
    leak = case.fit.rise_pa_s * case.volume_m3
    return leak <= case.rules.leak_pa_m3_s, (
        f"{case.show(leak, 'leak rate')}; {case.show(case.rules.leak_pa_m3_s, 'leak rate')} allowed"
    )


RULES: dict[Rule, Callable[[_Case], tuple[bool, str]]] = {
    "no visible drop": _no_visible_drop,
    "drop per time": _drop_per_time,
    "pressure reached": _pressure_reached,
    "long soak": _long_soak,
    "leak rate": _leak_rate,
}


def judge(
    test: HoldTest, rules: HoldFigures, area_m2: float, volume_m3: float, gel_s: float, units: Units | None = None
) -> HoldVerdict:
    """The verdict of the house *rules* on *test*, for a part of *area_m2* and an evacuated *volume_m3*."""
    fit = fit_test(test, rules.visible_drop_pa)
    test = test.model_copy(update={"readings": without_drift(test)})
    case = _Case(test, fit, rules, area_m2, volume_m3, gel_s, units or Units())
    verdicts = tuple(RuleVerdict(rule, *RULES[rule](case)) for rule in rules.rules)
    return HoldVerdict(fit, volume_m3, verdicts)
