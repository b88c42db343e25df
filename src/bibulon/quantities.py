"""Units: show what the shop shows, keep SI inside.

A *kind* is what a figure measures ("length", "pressure"). :func:`show` turns an SI number into text in the shop's
units; :mod:`bibulon.quantity_text` reads what people type. Pressures are absolute inside.

>>> show(0.0254, "length", Units(system="us"))
'1.00 in'
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cache
from importlib.resources import files
from typing import Literal

import pint

from bibulon.durations import show_duration

System = Literal["metric", "us", "mixed"]
Reading = Literal["absolute", "gauge"]
QuantityKind = Literal[
    "angle",
    "area",
    "areal weight",
    "count",
    "density",
    "distance",
    "duration",
    "factor",
    "flow rate",
    "force",
    "leak rate",
    "length",
    "line force",
    "mass",
    "money",
    "pressure",
    "pressure difference",
    "pump speed",
    "share",
    "small mass",
    "small volume",
    "stiffness",
    "temperature",
    "temperature difference",
    "thickness",
    "viscosity",
    "volume",
]
"""What a figure measures."""
STANDARD_ATMOSPHERE_PA = 101_325.0
ZERO_CELSIUS_K = 273.15


@dataclass(frozen=True)
class Units:
    """What a shop shows and how a bare pressure is meant.

    ``reading`` is how the shop's vacuum gauges count: ``"absolute"`` from zero, ``"gauge"`` down from atmosphere.
    """

    system: System = "metric"
    reading: Reading = "absolute"
    barometer_pa: float = STANDARD_ATMOSPHERE_PA
    currency: str = "€"


@dataclass(frozen=True)
class Kind:
    """One kind of figure: its SI unit, the units a person may write and the one each unit system shows."""

    noun: str
    si: str
    shown: dict[System, tuple[str, int]]  # system: (unit as written, decimals)
    written: dict[str, str] = field(default_factory=dict)  # as written: pint expression
    example: str = ""


_LENGTH = {
    "mm": "mm", "cm": "cm", "m": "m", "µm": "um", "um": "um", "in": "inch", '"': "inch", "inch": "inch",
    "inches": "inch", "ft": "foot", "'": "foot", "feet": "foot", "foot": "foot", "yd": "yard",
}  # fmt: skip
_MASS = {
    "g": "g", "gram": "g", "grams": "g", "kg": "kg", "kilo": "kg", "kilos": "kg", "lb": "pound", "lbs": "pound",
    "oz": "ounce",
}  # fmt: skip
_VOLUME = {
    "L": "L", "l": "L", "mL": "mL", "ml": "mL", "cm³": "cm**3", "cc": "cm**3", "m³": "m**3",
    "fl oz": "us_fluid_ounce", "qt": "us_quart", "pt": "us_pint", "gal": "us_gallon",
}  # fmt: skip
_PRESSURE = {
    "Pa": "Pa", "hPa": "100 * Pa", "kPa": "kPa", "mbar": "mbar", "bar": "bar", "Torr": "torr", "mmHg": "torr",
    "inHg": "inch_mercury", "in Hg": "inch_mercury", '"Hg': "inch_mercury", "psi": "pound_per_square_inch",
    "atm": "atmosphere",
}  # fmt: skip
_DURATION = {
    "s": "s", "sec": "s", "second": "s", "seconds": "s", "min": "min", "mins": "min", "minute": "min",
    "minutes": "min", "h": "h", "hr": "h", "hrs": "h", "hour": "h", "hours": "h", "d": "d", "day": "d", "days": "d",
}  # fmt: skip

KINDS: dict[QuantityKind, Kind] = {
    "length": Kind("a length", "m", {"metric": ("mm", 0), "us": ("in", 2), "mixed": ("mm", 0)}, _LENGTH, "25 mm"),
    "thickness": Kind("a thickness", "m", {"metric": ("mm", 2), "us": ("in", 3), "mixed": ("mm", 2)}, _LENGTH, "3 mm"),
    "distance": Kind("a length", "m", {"metric": ("m", 2), "us": ("ft", 1), "mixed": ("m", 2)}, _LENGTH, "4.2 m"),
    "area": Kind(
        "an area",
        "m**2",
        {"metric": ("m²", 2), "us": ("ft²", 1), "mixed": ("m²", 2)},
        {"m²": "m**2", "sqm": "m**2", "cm²": "cm**2", "mm²": "mm**2", "ft²": "foot**2", "sq ft": "foot**2",
         "in²": "inch**2", "yd²": "yard**2"},
        "5.9 m²",
    ),
    "areal weight": Kind(
        "an areal weight",
        "kg/m**2",
        {"metric": ("g/m²", 0), "us": ("oz/yd²", 1), "mixed": ("g/m²", 0)},
        {"g/m²": "g/m**2", "gsm": "g/m**2", "g/sqm": "g/m**2", "kg/m²": "kg/m**2", "oz/yd²": "ounce/yard**2",
         "osy": "ounce/yard**2", "oz": "ounce/yard**2"},
        "600 gsm",
    ),
    "mass": Kind("a mass", "kg", {"metric": ("kg", 2), "us": ("lb", 2), "mixed": ("kg", 2)}, _MASS, "12.5 kg"),
    "small mass": Kind("a mass", "kg", {"metric": ("g", 0), "us": ("oz", 1), "mixed": ("g", 0)}, _MASS, "85 g"),
    "small volume": Kind(
        "a volume", "m**3", {"metric": ("mL", 0), "us": ("fl oz", 2), "mixed": ("mL", 0)}, _VOLUME, "85 mL"
    ),
    "volume": Kind("a volume", "m**3", {"metric": ("L", 2), "us": ("qt", 2), "mixed": ("L", 2)}, _VOLUME, "12 L"),
    "pressure": Kind(
        "a pressure",
        "Pa",
        {"metric": ("mbar", 0), "us": ("inHg", 1), "mixed": ("inHg", 1)},
        _PRESSURE,
        "50 mbar, 28 inHg vac or 95 %",
    ),
    "pressure difference": Kind(
        "a pressure difference",
        "Pa",
        {"metric": ("mbar", 1), "us": ("inHg", 2), "mixed": ("mbar", 1)},
        _PRESSURE,
        "5 mbar",
    ),
    "temperature": Kind(
        "a temperature",
        "K",
        {"metric": ("°C", 1), "us": ("°F", 0), "mixed": ("°C", 1)},
        {"°C": "degC", "C": "degC", "Celsius": "degC", "C°": "degC", "°F": "degF", "F": "degF", "Fahrenheit": "degF",
         "F°": "degF", "K": "K"},
        "21 °C",
    ),
    "temperature difference": Kind(
        "a difference in temperature",
        "K",
        {"metric": ("°C", 1), "us": ("°F", 1), "mixed": ("°C", 1)},
        {"°C": "delta_degC", "C": "delta_degC", "K": "K", "°F": "delta_degF", "F": "delta_degF"},
        "3 °C",
    ),
    "duration": Kind(
        "a time", "s", {"metric": ("min", 0), "us": ("min", 0), "mixed": ("min", 0)}, _DURATION, "40 min or 1:40 h"
    ),
    "viscosity": Kind(
        "a viscosity",
        "Pa*s",
        {"metric": ("mPa·s", 0), "us": ("cP", 0), "mixed": ("cP", 0)},
        {"mPa·s": "mPa*s", "mPas": "mPa*s", "cP": "0.01 * poise", "cps": "0.01 * poise",
         "centipoise": "0.01 * poise", "Pa·s": "Pa*s", "Pas": "Pa*s", "P": "poise", "poise": "poise"},
        "250 mPa·s",
    ),
    "density": Kind(
        "a density",
        "kg/m**3",
        {"metric": ("kg/m³", 0), "us": ("lb/ft³", 1), "mixed": ("kg/m³", 0)},
        {"kg/m³": "kg/m**3", "g/cm³": "g/cm**3", "g/cc": "g/cm**3", "kg/L": "kg/L", "kg/dm³": "kg/L", "g/L": "g/L",
         "g/mL": "g/mL", "lb/ft³": "pound/foot**3", "lb/gal": "pound/us_gallon"},
        "1100 kg/m³",
    ),
    "leak rate": Kind(
        "a leak rate",
        "Pa*m**3/s",
        {"metric": ("mbar·L/s", 3), "us": ("mbar·L/s", 3), "mixed": ("mbar·L/s", 3)},
        {"mbar·L/s": "mbar*L/s", "Pa·m³/s": "Pa*m**3/s", "Torr·L/s": "torr*L/s"},
        "0.05 mbar·L/s",
    ),
    "pump speed": Kind(
        "a pump speed",
        "m**3/s",
        {"metric": ("m³/h", 1), "us": ("ft³/min", 1), "mixed": ("m³/h", 1)},
        {"m³/h": "m**3/h", "L/min": "L/min", "L/s": "L/s", "ft³/min": "foot**3/min",
         "cfm": "foot**3/min"},
        "16 m³/h",
    ),
    "flow rate": Kind(
        "a flow rate",
        "m**3/s",
        {"metric": ("L/min", 2), "us": ("qt/min", 2), "mixed": ("L/min", 2)},
        {"L/min": "L/min", "l/min": "L/min", "mL/min": "mL/min", "L/h": "L/h",
         "qt/min": "us_quart/min", "gal/h": "us_gallon/h"},
        "0.5 L/min",
    ),
    "force": Kind(
        "a force",
        "N",
        {"metric": ("kN", 1), "us": ("lbf", 0), "mixed": ("kN", 1)},
        {"kN": "kN", "N": "N", "lbf": "pound_force", "tf": "1000 * kilogram_force", "kgf": "kilogram_force"},
        "20 kN",
    ),
    "line force": Kind(
        "a force by length",
        "N/m",
        {"metric": ("kN/m", 2), "us": ("lbf/in", 1), "mixed": ("kN/m", 2)},
        {"kN/m": "kN/m", "N/m": "N/m", "N/mm": "kN/m", "lbf/in": "pound_force/inch", "lbf/ft": "pound_force/foot"},
        "0.4 kN/m",
    ),
    "stiffness": Kind(
        "a modulus",
        "Pa",
        {"metric": ("GPa", 1), "us": ("Mpsi", 2), "mixed": ("GPa", 1)},
        {"GPa": "1e9 * Pa", "MPa": "1e6 * Pa", "Mpsi": "1e6 * pound_per_square_inch",
         "ksi": "1000 * pound_per_square_inch"},
        "9 GPa",
    ),
    "money": Kind("an amount of money", "", {"metric": ("", 2), "us": ("", 2), "mixed": ("", 2)}, {}, "12.50"),
    "share": Kind("a share", "", {"metric": ("%", 0), "us": ("%", 0), "mixed": ("%", 0)}, {}, "15 %"),
    "angle": Kind("an angle in degrees", "", {"metric": ("°", 0), "us": ("°", 0), "mixed": ("°", 0)}, {}, "45°"),
    "factor": Kind("a number", "", {"metric": ("×", 1), "us": ("×", 1), "mixed": ("×", 1)}, {}, "2 ×"),
    "count": Kind("a whole number", "", {"metric": ("", 0), "us": ("", 0), "mixed": ("", 0)}, {}, "2"),
}  # fmt: skip

PLAIN: dict[QuantityKind, tuple[str, ...]] = {
    "share": ("", "%"),
    "angle": ("", "°", "deg"),
    "count": ("", "×", "x"),
    "factor": ("", "×", "x"),
    "money": ("",),
}
"""Kinds without a unit of measure, and what may be written after their figures."""
SMALL_TOO: tuple[QuantityKind, ...] = ("area", "mass", "volume")
"""Of these, values that the usual decimals would leave with one figure, or none, are shown to two figures."""
MOST_MORE_DECIMALS = 3
MEASURE_DECIMALS: dict[str, int] = {"mass": 3, "volume": 2}
NEAR_ONE = 0.3
"""Measures down to this share of the large unit are shown in it beside larger ones."""


@cache
def _registry() -> pint.UnitRegistry[float]:
    return pint.UnitRegistry(str(files("bibulon") / "units.txt"), autoconvert_offset_to_baseunit=True)


@cache
def _linear(kind: QuantityKind, written: str) -> tuple[float, float]:
    """``(factor, offset)`` such that SI = factor · value + offset for the unit as *written*."""
    registry, of = _registry(), KINDS[kind]
    unit = of.written[written]
    if " * " in unit:
        size, name = unit.split(" * ")
        return float(size) * float(registry.Quantity(1.0, name).to(of.si).magnitude), 0.0
    zero = float(registry.Quantity(0.0, unit).to(of.si).magnitude)
    return float(registry.Quantity(1.0, unit).to(of.si).magnitude) - zero, zero


def in_words(text: str, units: Units) -> str:
    """*text* with the rules of thumb in it, such as "10 to 30 mm", in the unit the shop thinks in.

    >>> in_words("Let them overlap by 10 to 30 mm, 25 mm as a rule.", Units(system="us"))
    'Let them overlap by 0.4 to 1.2 in, 1 in as a rule.'
    """
    if KINDS["length"].shown[units.system][0] != "in":
        return text

    def inches(match: re.Match[str]) -> str:
        figures = [f"{round(float(group) / 25.4, 1):g}" for group in match.groups() if group]
        return f"{' to '.join(figures)} in"

    return re.sub(r"(\d+(?:\.\d+)?)(?: to (\d+(?:\.\d+)?))? mm\b", inches, text)


def unit_shown(kind: QuantityKind, units: Units) -> str:
    """The unit the shop shows for *kind*, as written after a figure."""
    if kind == "money":
        return units.currency
    unit = KINDS[kind].shown[units.system][0]
    if kind == "pressure":
        return f"{unit} vac" if units.reading == "gauge" else f"{unit} abs"
    return unit


def number_shown(value: float, kind: QuantityKind, units: Units) -> float:
    """The number that stands before :func:`unit_shown` for the SI *value*."""
    if kind == "share":
        return value * 100
    unit = KINDS[kind].shown[units.system][0]
    if unit not in KINDS[kind].written:
        return value
    factor, offset = _linear(kind, unit)
    if kind == "pressure" and units.reading == "gauge":
        value = units.barometer_pa - value
    return (value - offset) / factor


def show(value: float, kind: QuantityKind, units: Units | None = None, decimals: int | None = None) -> str:
    """*value* (SI) as text in the shop's unit; durations below 10 min to the second, from 100 min on as hours and
    minutes; small areas, masses and
    volumes to two figures.

    >>> show(0.0081, "area"), show(5.88, "area"), show(0.004, "mass"), show(166, "duration")
    ('0.0081 m²', '5.88 m²', '0.0040 kg', '2:46 min')
    """
    units = units or Units()
    if not math.isfinite(value):
        return "–"
    if kind == "duration":
        return show_duration(value)
    if decimals is None:
        decimals = KINDS[kind].shown[units.system][1]
        if kind in SMALL_TOO:
            size = abs(number_shown(value, kind, units))
            more = math.ceil(1 - math.log10(size)) - decimals if size > 0 else 0
            decimals += min(max(more, 0), MOST_MORE_DECIMALS)
    number = round(number_shown(value, kind, units), decimals) + 0.0
    unit = unit_shown(kind, units)
    return f"{number:.{decimals}f}{'' if unit in ('°', '') else ' '}{unit}".replace("-", "−")


def as_typed(value: float, kind: QuantityKind, units: Units | None = None, decimals: int | None = None) -> str:
    """*value* as :func:`show` puts it, with the further decimals of a figure that somebody typed: nothing he wrote is
    rounded away before his eyes, and 25 mm do not become 0.984252 in.

    >>> as_typed(0.0127, "length"), as_typed(0.075, "share"), as_typed(1 / 3, "share")
    ('12.7 mm', '7.5 %', '33 %')
    """
    units = units or Units()
    if kind == "duration" and math.isfinite(value):
        return show_duration(value, math.inf)
    if kind == "pressure" or not math.isfinite(value):
        return show(value, kind, units, decimals)
    number = number_shown(value, kind, units)
    usual = KINDS[kind].shown[units.system][1] if decimals is None else decimals
    for places in range(usual + 1, usual + MOST_MORE_DECIMALS + 1):
        near = math.isclose(number, round(number, places), rel_tol=1e-9)
        if near and not math.isclose(number, round(number, usual), rel_tol=1e-9):
            return show(value, kind, units, places)
    return show(value, kind, units, decimals)


def show_measure(value: float, kind: Literal["mass", "volume"], units: Units | None = None) -> str:
    """What a scale or a cup is to show: three figures, small amounts in the small unit; further ones as typed.

    >>> show_measure(0.066, "mass"), show_measure(3.25412847, "mass"), show_measure(0.0000584, "volume")
    ('66.0 g', '3.254 kg', '58.4 mL')
    >>> show_measure(0.066, "mass", Units(system="us"))
    '2.33 oz'
    """
    units = units or Units()
    scale = scale_kind(value, kind, units)
    if scale == kind:
        return as_typed(value, kind, units, MEASURE_DECIMALS[kind])
    number = abs(number_shown(value, scale, units))
    return as_typed(value, scale, units, min(max(2 - math.floor(math.log10(max(number, 1e-9))), 0), 2))


def show_measures(values: Sequence[float], kind: Literal["mass", "volume"], units: Units | None = None) -> list[str]:
    """*values* of one column as :func:`show_measure` puts each, those near one of the large unit all in that one: no
    999 g under 1.006 kg.

    >>> show_measures([0.999, 1.006], "mass"), show_measures([0.084, 1.26], "mass")
    (['0.999 kg', '1.006 kg'], ['84.0 g', '1.260 kg'])
    """
    units = units or Units()
    numbers = [abs(number_shown(value, kind, units)) for value in values]
    if not numbers or max(numbers) < 1 or min(numbers) < NEAR_ONE:
        return [show_measure(value, kind, units) for value in values]
    return [as_typed(value, kind, units, MEASURE_DECIMALS[kind]) for value in values]


def scale_kind(value: float, kind: Literal["mass", "volume"], units: Units) -> QuantityKind:
    """*kind*, or its small unit for what is less than one of the large unit: so is a bare number of it meant."""
    if abs(number_shown(value, kind, units)) >= 1:
        return kind
    return "small mass" if kind == "mass" else "small volume"
