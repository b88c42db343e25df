"""What people type: quantities read from text, in the units that they give or the shop's own.

:func:`parse` turns text in any suitable unit into an SI number. A gauge that reads from atmosphere (vacuum readings,
"28 inHg", "95 %") needs the barometer to be understood.

>>> parse("600 gsm", "areal weight")
0.6
>>> round(parse("28 inHg vac", "pressure", Units(barometer_pa=101325.0)))
6506
>>> parse("1:40 h", "duration")
6000.0
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from contextlib import suppress

from bibulon.durations import DAY_S
from bibulon.quantities import KINDS, PLAIN, QuantityKind, Reading, Units, _linear, show


class QuantityError(ValueError):
    """Text that is not a figure of the wanted kind; the message is for the person who typed it."""


LONGEST = 100
"""So many characters are no figure any more."""
_NUMBER = re.compile(r"[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?")
_ABOUT = re.compile(r"(?i)^(?:~|≈|ca\.?|approx\.?|approximately|about)\s*(?=[\d.,])")
_SPAN = re.compile(r"^\s*(?:[-–—…]|\.{2,}|±|\+/?-|to\b)\s*\d")
_FRACTION = re.compile(r"^([+-]?)(?:(\d+)[ -])?(\d+)/(\d+)(.*)$")


def _number(text: str) -> float:
    """A figure with a decimal point or comma; one that could be either a decimal or thousands is refused."""
    if re.fullmatch(r"[+-]?[1-9]\d{0,2},\d{3}", text):
        whole, decimal = text.replace(",", ""), text.replace(",", ".").rstrip("0").rstrip(".")
        raise QuantityError(f"{text} can be read in two ways. Write {whole} or {decimal}.")
    return float(text.replace(",", "."))


def cells_of(line: str, with_empty: bool = False) -> list[str]:
    """The figures of a *line* of several, as typed or pasted: apart by semicolons or tabs, else by commas with a blank,
    else by commas, else by blanks. Where something else keeps them apart, a comma is a decimal one. A cell that stands
    empty is left out, or kept *with_empty*, so that the others keep their columns.

    >>> cells_of("2,5; 0,7"), cells_of("2,5 m, 0,7 m"), cells_of("2000,450"), cells_of("0,4 0,1")
    (['2,5', '0,7'], ['2,5 m', '0,7 m'], ['2000', '450'], ['0,4', '0,1'])
    >>> cells_of("10:30 21,7 22,4")
    ['10:30', '21,7', '22,4']
    >>> cells_of("5,,22.4"), cells_of("5,,22.4", with_empty=True), cells_of("0 31,4 mbar")
    (['5', '22.4'], ['5', '', '22.4'], ['0', '31,4 mbar'])
    """
    line = line.strip(" ,") if not with_empty else line.strip(" ")
    figures = [word for word in line.split() if re.match(r"[-+−]?[.,]?\d", word)]
    if re.search(r"[;\t]", line):
        separator = r"[;\t]"
    elif re.search(r",,|,$", line):
        separator = ","
    elif re.search(r",\s", line):
        separator = r",\s+"
    elif "," in line and (len(figures) < 2 or re.search(r"(?<!\d),|,(?!\d)", line)):
        separator = ","
    else:
        separator = r"\s+(?=[-+−.\d])" if figures else r"\s{2,}"  # a unit stays with its figure
    cells = [cell.strip().strip('"') for cell in re.split(separator, line)]
    return [cell for cell in cells if cell or with_empty]


def unit_in_heading(cell: str, kind: QuantityKind) -> str:
    """The unit that the heading of a column names: in brackets, or as its last word; empty where it names none.

    >>> unit_in_heading("Mass (g)", "mass"), unit_in_heading("mass_g", "mass"), unit_in_heading("mass", "mass")
    ('g', 'g', '')
    >>> unit_in_heading("vac, mbar abs", "pressure"), unit_in_heading("Temp C", "temperature")
    ('mbar abs', 'C')
    """
    if bracketed := re.search(r"[(\[](.+?)[)\]]", cell):
        return bracketed[1].strip()
    words = [word for word in re.split(r"[\s_,/:]+", cell.strip()) if word]
    reading = words.pop() if len(words) > 1 and re.fullmatch(r"(?i)abs(olute)?|gauge|vac(uum)?", words[-1]) else ""
    last = words[-1] if words else ""
    with suppress(QuantityError):
        _unit(kind, last)
        return f"{last} {reading}".strip()
    return ""


def _split(text: str, kind: QuantityKind) -> tuple[float, str]:
    """Number and unit text of *text*, common fractions and thousands blanks allowed, and "about"."""
    text = text.strip().replace("\u2212", "-").replace("\u00a0", " ").replace("μ", "µ")
    text = _ABOUT.sub("", text)
    text = re.sub(r"(?<=\d) (?=\d{3}(?!\d))", "", text)
    if match := _FRACTION.match(text):
        sign, whole, over, under, unit = match.groups()
        if int(under) == 0:
            raise QuantityError("A fraction cannot have 0 below the line.")
        value = int(whole or 0) + int(over) / int(under)
        return (-value if sign == "-" else value), unit.strip()
    match = _NUMBER.match(text)
    if not match:
        raise QuantityError(f"“{text}” is not {KINDS[kind].noun}. Write it like {KINDS[kind].example}.")
    rest = text[match.end() :]
    if _SPAN.match(rest):
        raise QuantityError(f"“{text}” is a range. Write one figure: its middle, or the end that is worse for you.")
    return _number(match.group()), rest.strip()


def _spelled(unit: str) -> str:
    """*unit* without what data sheets write in many ways: signs of a product, powers and degrees.

    >>> _spelled("mPa*s"), _spelled("mPa s"), _spelled("g/m^2"), _spelled("oz/yd2"), _spelled("º C"), _spelled("deg C")
    ('mPas', 'mPas', 'g/m²', 'oz/yd²', '°C', '°C')
    """
    unit = re.sub(r"(?<=[a-zA-Z])\^?([23])(?!\d)", lambda power: "²" if power[1] == "2" else "³", unit)
    unit = re.sub(r"[℃℉]", lambda degree: "°C" if degree[0] == "℃" else "°F", unit)
    unit = re.sub(r"^(?:[º˚°]|degrees?|deg\.?)\s*(?=[CFcf])", "°", unit)
    return re.sub(r"[\s*·.\-⋅•]", "", unit)


def _unit(kind: QuantityKind, text: str) -> str:
    """The key of ``written`` that *text* means: exact first, else the only one that is spelled alike, or differs by
    case alone."""
    written = KINDS[kind].written
    if text in written:
        return text
    spelled = {key: _spelled(key) for key in written}
    for with_case in (str, str.lower):
        asked = with_case(_spelled(text))
        alike = {written[key]: key for key in written if with_case(spelled[key]) == asked}
        if len(alike) == 1:
            return next(iter(alike.values()))
    known = ", ".join(dict.fromkeys(key for key in written if not key.isdigit() and len(key) > 0))
    raise QuantityError(f"“{text}” is not a unit of {KINDS[kind].noun.split(' ', 1)[1]} here. Known: {known}.")


def parse(text: str, kind: QuantityKind, units: Units | None = None) -> float:
    """SI value of *text*; a bare number is in the unit the shop shows.

    Raises :class:`QuantityError` with a message for the person who typed it.
    """
    units = units or Units()
    text = text.strip()
    if not text:
        raise QuantityError(f"A figure is missing here. Write {KINDS[kind].example}.")
    if len(text) > LONGEST:
        raise QuantityError(f"“{text[:20]}…” is too long for {KINDS[kind].noun}. Write it like {KINDS[kind].example}.")
    if kind in PLAIN:
        return _parse_plain(text.removeprefix(units.currency) if kind == "money" else text, kind, units.currency)
    if kind == "pressure":
        return _parse_pressure(text, units)
    if kind == "duration":
        return _parse_duration(text, units)
    if kind in ("length", "thickness", "distance") and (match := re.match(r"^(\d+)\s*(?:'|ft)\s*(.+)$", text)):
        inches, unit = _split(match[2].replace("''", '"'), kind)  # 4' 7 1/2"
        if unit in ('"', "in", ""):
            return _finite((int(match[1]) * 12 + inches) * 0.0254)
    if kind in ("mass", "small mass") and (match := re.match(r"^(\d+)\s*lbs?\s+(\d.*)$", text)):
        ounces, unit = _split(match[2], kind)
        if unit in ("oz", ""):
            return _finite((int(match[1]) * 16 + ounces) * _linear(kind, "oz")[0])
    value, unit = _split(text, kind)
    factor, offset = _linear(kind, _unit(kind, unit) if unit else KINDS[kind].shown[units.system][0])
    found = _finite(factor * value + offset)
    return round(found, 9) if offset else found  # 68 °F is 20 °C, and no second temperature beside it


def parse_place(text: str, units: Units | None = None) -> tuple[float, float]:
    """A place of the plan (m), typed as two lengths with a comma between them. Raises :class:`QuantityError`.

    >>> parse_place("1200 mm, 0.3 m")
    (1.2, 0.3)
    """
    cells = cells_of(text)
    if len(cells) != 2:
        raise QuantityError("Write two lengths with a comma between them.")
    return parse(cells[0], "length", units), parse(cells[1], "length", units)


def place_text(place: Sequence[float], units: Units) -> str:
    """*place* as :func:`parse_place` reads it: with a plain minus, to be typed over."""
    return ", ".join(show(value, "length", units) for value in place).replace("−", "-")


def _finite(value: float) -> float:
    if not math.isfinite(value) or abs(value) > 1e15:
        raise QuantityError("This figure is too large to mean anything here.")
    return float(f"{value:.15g}")  # 700 mm is 0.7 m, not 0.7000000000000001


def _parse_plain(text: str, kind: QuantityKind, currency: str) -> float:
    value, unit = _split(text, kind)
    allowed = {**PLAIN, "money": ("", currency)}[kind]
    if unit not in allowed:
        raise QuantityError(f"“{unit}” does not belong after {KINDS[kind].noun}. Write it like {KINDS[kind].example}.")
    found = _finite(value / 100 if kind == "share" else value)
    if kind == "count" and not found.is_integer():
        raise QuantityError("This has to be a whole number.")
    return found


def _parse_pressure(text: str, units: Units) -> float:
    value, unit = _split(text, "pressure")
    reading: Reading | None = None
    if match := re.search(r"\s*\(?(absolute|abs|gauge|vacuum|vac)\.?\)?$", unit, re.IGNORECASE):
        reading = "absolute" if match[1].lower().startswith("abs") else "gauge"
        unit = unit[: match.start()].strip()
    if unit == "%":
        if reading == "absolute":
            raise QuantityError("A percentage is a vacuum, counted from atmosphere: write 95 % or 50 mbar abs.")
        pascals, reading = abs(value) / 100 * units.barometer_pa, "gauge"
    else:
        factor, _ = _linear("pressure", _unit("pressure", unit) if unit else KINDS["pressure"].shown[units.system][0])
        pascals = value * factor
    if value < 0 and reading is None:
        reading = "gauge"
    if (reading or units.reading) == "gauge":
        pascals = units.barometer_pa - abs(pascals)
    if pascals < -1e-6 * units.barometer_pa or (value < 0 and reading == "absolute"):
        raise QuantityError("This is below a perfect vacuum. Check the unit, and gauge or absolute.")
    return _finite(max(pascals, 0.0))


def _parse_duration(text: str, units: Units) -> float:
    if match := re.match(r"^(\d+):(\d\d)(?::(\d\d))?\s*([a-z]*)$", text):
        first, second, third, unit = int(match[1]), int(match[2]), match[3], match[4]
        if third is not None or unit in ("h", "hr", "hours"):
            return float(first * 3600 + second * 60 + int(third or 0))
        if unit in ("min", "", "mins"):
            return float(first * 60 + second)
        raise QuantityError("Write a time like 40 min, 1:40 h or 25:30 min.")
    total, rest, before = 0.0, text, 0.0
    while rest:
        value, tail = _split(rest, "duration")
        match = re.match(r"^([a-zA-Z]*)\s*(.*)$", tail)
        unit, rest = (match[1], match[2]) if match else (tail, "")
        smaller = {0.0: 60.0, DAY_S: 3600.0, 3600.0: 60.0, 60.0: 1.0}.get(
            before
        )  # 2 h 30 is 2:30 h, 42 min 30 is 42:30
        if not unit and (rest or smaller is None):
            raise QuantityError("Write a time like 40 min, 1:40 h or 25:30 min.")
        factor = _linear("duration", _unit("duration", unit))[0] if unit else smaller or 60.0
        total, before = total + value * factor, factor
    if total < 0:
        raise QuantityError("A time cannot be negative here.")
    return _finite(total)


def parse_moment(text: str, start_s: float, units: Units | None = None) -> float:
    """Seconds after a start, at *start_s* in the day, of a time of day, the next that there is, or of a span from it
    that has its unit. Raises :class:`QuantityError`.

    >>> parse_moment("14:05", 13 * 3600.0), parse_moment("5:30 +1 d", 13 * 3600.0), parse_moment("6:45 h", 0.0)
    (3900.0, 59400.0, 24300.0)
    >>> parse_moment("14.05", 13 * 3600.0), parse_moment("90 min", 0.0)
    (3900.0, 5400.0)
    """
    text = text.strip()
    days = re.search(r"\+\s*(\d{1,2})\s*d$", text)
    clock = text[: days.start()].strip() if days else text
    if clock.endswith(("h", "n", "s", "d")):
        return parse(text, "duration", units)
    if not re.fullmatch(r"\d{1,2}[:.h]\d\d", clock):
        raise QuantityError("Write a time of day like 14:05, or how long after the start as 6:45 h.")
    after_s = parse_clock_time(clock) - start_s + (int(days[1]) * DAY_S if days else 0.0)
    return after_s if after_s >= 0 else after_s + DAY_S


def parse_clock_near(text: str, start_s: float) -> float:
    """Seconds from *start_s* in the day to the time of day *text*, before or after it, whichever is nearer. Raises
    :class:`QuantityError`.

    >>> parse_clock_near("9:20", 9.5 * 3600), parse_clock_near("23:50", 600.0), parse_clock_near("0:20", 23.5 * 3600)
    (-600.0, -1200.0, 3000.0)
    """
    return (parse_clock_time(text) - start_s + DAY_S / 2) % DAY_S - DAY_S / 2


def parse_clock_time(text: str) -> float:
    """Seconds since midnight of "14:05" or "7:30". Raises :class:`QuantityError`."""
    match = re.match(r"^\s*(\d{1,2})[:.h](\d\d)\s*$", text)
    if not match or int(match[1]) > 23 or int(match[2]) > 59:
        raise QuantityError(f"“{text.strip()}” is not a time of day. Write it like 14:05.")
    return float(int(match[1]) * 3600 + int(match[2]) * 60)
