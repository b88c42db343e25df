"""Dates with times as data loggers write them at the beginning of a line: "2026-11-29 19:30:00", "29.11.2026;19:30"."""

from __future__ import annotations

import re
from datetime import datetime

_STAMP = re.compile(
    r"""^\s*"?(?:(?P<year>\d{4})-(?P<month>\d{1,2})-(?P<day>\d{1,2})
    |(?P<day_first>\d{1,2})\.(?P<then_month>\d{1,2})\.(?P<then_year>\d{4}))
    [T\s;,]+(?P<hour>\d{1,2}):(?P<minute>\d{2})(?::(?P<second>\d{2})(?:(?:\.|,(?=\d+\s*[;\t]))(?P<part>\d{1,6}))?)?
    \ ?(?P<zone>Z|[+\-]\d{2}:?\d{2}\b)?"?\ *(?P<apart>[;,\t]?)\s*""",
    re.VERBOSE,
)
_ANOTHER = re.compile(r"^\s*\"?\d{1,4}[/.\-]\d{1,2}[/.\-]\d{1,4}\b")


class StampError(ValueError):
    """A date that cannot be read, or could be read as two."""


def split_stamp(line: str) -> tuple[datetime | None, list[str]]:
    """The date and time that *line* begins with, in this computer's zone unless it names one, and the cells after it,
    apart by what stands after the time; None and no cell where it begins with another thing. Raises
    :class:`StampError`."""
    match = _STAMP.match(line)
    if match is None:
        if _ANOTHER.match(line):
            raise StampError("write a date as 2026-11-29 19:30 or 29.11.2026 19:30, with its time after it")
        return None, []
    said = match.groupdict()
    year, month, day = (
        (said["year"], said["month"], said["day"])
        if said["year"]
        else (said["then_year"], said["then_month"], said["day_first"])
    )
    text = f"{year}-{int(month):02}-{int(day):02}T{int(said['hour']):02}:{said['minute']}:{said['second'] or '00'}"
    if said["part"]:
        text += f".{said['part']:0<6}"
    try:
        stamp = datetime.fromisoformat(text + (said["zone"] or "")).astimezone()
    except (ValueError, OverflowError) as error:  # the first and the last year have moments outside the calendar
        raise StampError("there is no such day or time") from error
    rest = line[match.end() :]
    apart = re.escape(said["apart"]) or (r"[;\t]" if re.search(r"[;\t]", rest) else r"\s+(?=[-+−.\d])")
    return stamp, [cell.strip().strip('"') for cell in re.split(apart, rest)]
