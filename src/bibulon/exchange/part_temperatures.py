"""Temperatures of the part from text: what thermocouples showed, typed, pasted or from a logger's CSV."""

from __future__ import annotations

import math
import re
from datetime import datetime, timedelta

from pydantic import ValidationError

from bibulon.durations import DAY_S
from bibulon.exchange.stamps import StampError, split_stamp
from bibulon.job.curing import LoggedPoint
from bibulon.job.faults import explain_here
from bibulon.quantities import Units
from bibulon.quantity_text import QuantityError, cells_of, parse, parse_clock_time, unit_in_heading

MOST_POINTS = 5000
_NUMBER_FIRST = re.compile(r"[-+−\d.,\"]")


def read_part_temperatures(
    text: str, units: Units, start_s: float, opened_at: datetime | None = None
) -> tuple[LoggedPoint, ...]:
    """Points from lines of a time and a temperature, or of a time and one temperature for each thermocouple.

    Times are minutes since the first feed was opened, or another span with its unit; or of day as 9:40, when the shot
    starts *start_s* after midnight; or dates with times, when the first feed was opened at *opened_at*, or on the day
    of the first line where that is None. A heading may name the thermocouples, and units. Raises QuantityError naming
    the line.
    """
    points: list[LoggedPoint] = []
    heads: list[str] = []
    begin: datetime | None = opened_at
    last_s = float("-inf")
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        if not points and not _NUMBER_FIRST.match(line.lstrip()):
            heads = [head.strip().strip('"') for head in re.split(r"[;\t,]", line)]
            continue
        try:
            stamp, cells = split_stamp(line)
            if stamp is not None:
                begin = begin or _begun_before(stamp, start_s)
                time_s = (stamp - begin).total_seconds()
            else:
                first, *cells = cells_of(line, with_empty=True)
                time_s = _time_s(first, heads, start_s)
                if _is_clock(line):  # past midnight, once or more often
                    time_s += DAY_S * max(math.ceil((max(last_s, -DAY_S / 2) - time_s) / DAY_S), 0)
            cells = [cell if re.search(r"\d", cell) else "" for cell in cells]  # a broken thermocouple writes a word
            if not cells:
                raise QuantityError("write a time and a temperature, like 90; 31 °C or 10:30; 31 °C.")
            last_s = time_s
            for at, cell in enumerate(cells):
                if cell:
                    head = heads[at - len(cells)] if len(heads) > len(cells) else ""
                    points.append(_point(time_s, cell, head, at if len(cells) > 1 else None, units))
        except ValidationError as error:
            raise QuantityError(f"Line {number}: {explain_here(error, units)}") from error
        except (QuantityError, StampError) as error:
            raise QuantityError(f"Line {number}: {error}") from error
    return _thinned(points)


def _begun_before(stamp: datetime, start_s: float) -> datetime:
    """When the shot began whose first reading is at *stamp*: that day, or the day before where it is long past
    midnight."""
    begun = stamp.replace(hour=0, minute=0, second=0, microsecond=0) + timedelta(seconds=start_s)
    return begun - timedelta(days=1) if (stamp - begun).total_seconds() < -DAY_S / 2 else begun


def _is_clock(line: str) -> bool:
    return re.match(r"\s*\d{1,2}:\d{2}", line) is not None


def _time_s(cell: str, heads: list[str], start_s: float) -> float:
    """A time on the run clock: of day, or a span since the start, of minutes unless it or its heading says another."""
    if re.fullmatch(r"\d{1,2}:\d{2}", cell):
        return parse_clock_time(cell) - start_s
    if match := re.fullmatch(r"(\d{1,2}:\d{2}):(\d{2})", cell):
        return parse_clock_time(match[1]) + float(match[2]) - start_s
    unit = (unit_in_heading(heads[0], "duration") if heads else "") or "min"
    return parse(cell if re.search(r"[a-z:]", cell) else f"{cell} {unit}", "duration")


def _point(time_s: float, cell: str, head: str, column: int | None, units: Units) -> LoggedPoint:
    unit = unit_in_heading(head, "temperature")
    warm = parse(cell if re.search(r"[A-Za-z°]", cell) else f"{cell} {unit}".strip(), "temperature", units)
    name = ""
    if column is not None:
        bare = re.sub(r"\s*[(\[].*$", "", head).strip()
        name = bare.removesuffix(unit).strip(" _,") or f"T{column + 1}"
    return LoggedPoint(time_s=time_s, temperature_k=warm, name=name[:40])


def _thinned(points: list[LoggedPoint]) -> tuple[LoggedPoint, ...]:
    """*points*, of each thermocouple every so many, no more than a job holds."""
    names = list(dict.fromkeys(point.name for point in points))
    step = -(-len(points) // MOST_POINTS)
    if step <= 1:
        return tuple(points)
    kept = [point for name in names for point in [one for one in points if one.name == name][::step]]
    return tuple(sorted(kept, key=lambda point: point.time_s))[:MOST_POINTS]
