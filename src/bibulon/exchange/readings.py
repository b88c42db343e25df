"""Readings in and logs out as CSV; readings can also be pasted from a sheet or a note."""

from __future__ import annotations

import csv
import io
import math
import re
from contextlib import suppress
from datetime import datetime, timedelta
from itertools import pairwise
from typing import Literal

from bibulon.durations import DAY_S, run_clock
from bibulon.exchange.stamps import StampError, split_stamp
from bibulon.job import Job
from bibulon.job.hold_record import Channel
from bibulon.job.run import RunEvent
from bibulon.quantities import QuantityKind, Units, number_shown, unit_shown
from bibulon.quantity_text import QuantityError, cells_of, parse, unit_in_heading
from bibulon.refusal import Refusal

MOST_READINGS = 100_000
LARGEST_TIME = 1e9
"""Of a reading, in the unit it is in: beyond it stands no time."""
FIRST_OF_DAY_H = 4
"""Hours and minutes that begin earlier may count from the beginning of a test; later ones are of day."""
LEAST_BAROMETER_PA, MOST_BAROMETER_PA = 50_000.0, 110_000.0
_TIME_UNITS = {"s": 1.0, "sec": 1.0, "min": 60.0, "h": 3600.0, "hours": 3600.0, "minutes": 60.0, "seconds": 1.0}


class ReadingsError(Refusal):
    """Readings that cannot be used; the message names the line."""


def parse_readings(text: str, units: Units, time_unit: str = "min") -> tuple[tuple[float, float], ...]:
    """``(time_s, absolute pressure_pa)`` pairs from text: two columns, split by comma, semicolon, tab or blanks.

    Times are minutes, or carry their unit ("5 min"), or are hours and minutes, of day too and past midnight ("23:50"),
    or have their date, as data loggers write them. A pressure may carry its unit ("28.4 inHg"). A heading line may
    name units, ``time (min), vacuum_inHg``; it holds for bare numbers. Raises :class:`ReadingsError`.
    """
    pressure_unit, column = "", 1
    readings: list[tuple[float, float]] = []
    dated: bool | None = None
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        try:
            stamp, after = split_stamp(line)
            cells = cells_of(line, with_empty=True) if stamp is None else ["", *after]
            if len(cells) < 2 or not cells[1]:
                raise QuantityError(f"a time and a pressure are needed, found “{line.strip()[:40]}”.")
            if stamp is None and not readings and not re.match(r"^\s*[+\-−]?[\d.,]", cells[0]):
                time_unit, pressure_unit, column = _heading(cells, time_unit)
                continue
            if dated is not None and dated != (stamp is not None):
                raise QuantityError("its time is written in another way than the first.")
            dated = stamp is not None
            time_s = _time(cells[0], time_unit) if stamp is None else stamp.timestamp()
            if readings and ":" in cells[0]:  # past midnight, once or more often
                time_s += DAY_S * max(math.ceil((readings[-1][0] - time_s - DAY_S / 2) / DAY_S), 0)
            pressure = cells[column if len(cells) >= abs(column) else 1]
            pressure = pressure if re.search(r"[A-Za-z%]", pressure) else f"{pressure} {pressure_unit}"
            readings.append((time_s, parse(pressure, "pressure", units)))
        except (QuantityError, StampError) as error:
            raise ReadingsError(f"Line {number}: {error}") from error
        if len(readings) > MOST_READINGS:
            raise ReadingsError(f"There are more than {MOST_READINGS} readings; thin them out first.")
    if len(readings) < 2:
        raise ReadingsError("At least two readings are needed, each a time and a pressure on a line of its own.")
    for line_number, (earlier, later) in enumerate(pairwise(readings), 2):
        if later[0] <= earlier[0]:
            raise ReadingsError(f"Reading {line_number}: its time is not after the one before.")
    start = readings[0][0]
    return tuple((time_s - start, pressure) for time_s, pressure in readings)


def counted_from(text: str) -> Literal["absolute", "relative"] | None:
    """What the gauge counts from by the words at the readings in *text*, as "28 inHg vac" or "34 mbar abs"; None where
    they say nothing, or do not agree."""
    lines = [line for line in text.splitlines() if re.match(r"\s*[\d\"]", line)]
    words = re.findall(r"(?i)\b(abs(?=olute\b|\b)|vac(?=uum\b|\b)|gauge\b)", "\n".join(lines))
    said = {"absolute" if word.lower() == "abs" else "relative" for word in words}
    kinds: tuple[Literal["absolute", "relative"], ...] = ("absolute", "relative")
    return next((kind for kind in kinds if said == {kind}), None)


def reading_line(channel: Channel, time_s: float, value: float, units: Units) -> str:
    """A reading of an instrument as a line that :func:`parse_readings` or :func:`parse_drift` reads."""
    kinds: dict[Channel, QuantityKind] = {"barometer": "pressure difference", "shop": "temperature"}
    kind = kinds.get(channel, "pressure")
    return f"{round(time_s, 2) / 60:.2f}, {number_shown(value, kind, units):.2f} {unit_shown(kind, units)}"


def last_read_at(text: str, now: datetime) -> datetime | None:
    """When the last of the readings in *text* was read: by its date, or its time of day, which was the last such before
    *now*; None where they count from the beginning."""
    lines = [line for line in text.splitlines() if re.match(r'\s*"?\d', line)]
    if not lines:
        return None
    with suppress(StampError):
        if (stamp := split_stamp(lines[-1])[0]) is not None:
            return stamp
        first, last = (re.match(r"\s*(\d{1,2}):(\d{2})\b", line) for line in (lines[0], lines[-1]))
        if first and last and int(first[1]) >= FIRST_OF_DAY_H and int(last[1]) < 24 and int(last[2]) < 60:
            read = now.replace(hour=int(last[1]), minute=int(last[2]), second=0, microsecond=0)
            return read if read <= now else read - timedelta(days=1)
    return None


def parse_drift(text: str, units: Units) -> tuple[tuple[tuple[float, float], ...], tuple[tuple[float, float], ...]]:
    """Readings of the barometer (Pa) and of the shop's temperature (K) from text, each a time in minutes and a value
    with its unit on a line of its own. Raises :class:`ReadingsError`."""
    barometer: list[tuple[float, float]] = []
    temperature: list[tuple[float, float]] = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        cells = cells_of(line, with_empty=True)
        if len(cells) < 2:
            raise ReadingsError(f"Line {number}: a time and a value are needed, as “0  1013 mbar” or “0  21 °C”.")
        if ":" in cells[0]:
            raise ReadingsError(f"Line {number}: give its time in minutes since the first reading.")
        warm = re.search(r"(°|\b[CKF]\b|\bdeg)", cells[1]) is not None
        try:
            time_s = _time(cells[0], "min")
            value = parse(cells[1], "temperature" if warm else "pressure difference", units)
        except QuantityError as error:
            raise ReadingsError(f"Line {number}: {error}") from error
        if not warm and not LEAST_BAROMETER_PA <= value <= MOST_BAROMETER_PA:
            raise ReadingsError(
                f"Line {number}: no barometer shows that; give the pressure with its unit, as 1013 mbar."
            )
        column = temperature if warm else barometer
        if column and time_s <= column[-1][0]:
            raise ReadingsError(f"Line {number}: its time is not after the one before.")
        column.append((time_s, value))
    return tuple(barometer), tuple(temperature)


def _heading(cells: list[str], time_unit: str) -> tuple[str, str, int]:
    """The unit of time and of pressure that a heading names, and in which column, from the last on, the pressures are;
    the second where it does not say."""
    named = unit_in_heading(cells[0], "duration").lower()
    if named:
        if named not in _TIME_UNITS:
            raise ReadingsError(f"The heading counts time in “{named}”; s, min or h are understood.")
        time_unit = named
    units = [unit_in_heading(cell, "pressure") for cell in cells]
    with_unit = [at for at, unit in enumerate(units) if at and unit]
    pressures = [at for at in with_unit if _of_pressure(units[at])] or (with_unit if len(cells) == 2 else [])
    if not pressures:
        return time_unit, "", 1
    return time_unit, units[pressures[0]], pressures[0] - len(cells)


def _of_pressure(unit: str) -> bool:
    try:
        parse(f"1 {unit}", "pressure")
    except QuantityError:
        return False
    return True


def _time(text: str, unit: str) -> float:
    if clock := re.fullmatch(r"(\d{1,2}):(\d{2})(?::(\d{2}))?", text.strip()):
        return float(3600 * int(clock[1]) + 60 * int(clock[2]) + int(clock[3] or 0))
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        return parse(text, "duration")
    if not abs(value) <= LARGEST_TIME:
        raise QuantityError(f"“{text.strip()}” is no time of a test.")
    return value * _TIME_UNITS[unit]


def log_csv(job: Job) -> str:
    """The run log as CSV, SI units named in the heading."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(
        ["number", "at", "clock", "clock_s", "event", "label", "x_m", "y_m", "mass_kg", "vacuum_pa_abs",
         "temperature_k", "rehearsal", "text", "by", "photograph"]
    )  # fmt: skip
    for event in job.run:
        writer.writerow(_row(event))
    return stream.getvalue()


def _row(event: RunEvent) -> list[object]:
    x, y = event.place if event.place else ("", "")
    return [
        event.number,
        event.at.isoformat(timespec="seconds"),
        run_clock(event.clock_s),
        f"{event.clock_s:.1f}",
        event.kind,
        _plain(event.label),
        x,
        y,
        "" if event.mass_kg is None else f"{event.mass_kg:.3f}",
        "" if event.vacuum_pa is None else f"{event.vacuum_pa:.0f}",
        "" if event.temperature_k is None else f"{event.temperature_k:.2f}",
        "yes" if event.rehearsal else "",
        _plain(event.text),
        _plain(event.by),
        "yes" if event.photograph else "",
    ]


def _plain(text: str) -> str:
    """Text that a spreadsheet does not take for a formula."""
    return f"'{text}" if text[:1] in ("=", "+", "-", "@") else text
