"""Durations and times of day as text."""

from __future__ import annotations

import math
from collections.abc import Sequence

DAY_S = 86_400.0
TO_THE_SECOND_S = 600.0
"""Shorter durations are shown to the second."""


def show_duration(value: float, to_the_second_s: float = TO_THE_SECOND_S) -> str:
    sign, value = ("−" if value < 0 else ""), abs(value)
    if value < 90:
        return f"{sign}{value:.0f} s"
    if value < 100 * 60:
        minutes, seconds = divmod(round(value), 60)
        exact = seconds and value < to_the_second_s
        return f"{sign}{minutes}:{seconds:02d} min" if exact else f"{sign}{value / 60:.0f} min"
    if value < 48 * 3600:
        minutes = round(value / 60)
        return f"{sign}{minutes // 60}:{minutes % 60:02d} h"
    return f"{sign}{value / 86400:.1f} d"


def duration_to_the_second(value_s: float) -> str:
    """*value_s* with its seconds, however long it is.

    >>> duration_to_the_second(20.0), duration_to_the_second(1187.4), duration_to_the_second(-9020.0)
    ('20 s', '19:47 min', '−2:30:20 h')
    """
    if not math.isfinite(value_s):
        return "–"
    minutes, seconds = divmod(round(abs(value_s)), 60)
    if minutes == 0:
        return show_duration(value_s, math.inf)
    sign = "−" if value_s < 0 else ""
    if abs(value_s) < 100 * 60:
        return f"{sign}{minutes}:{seconds:02d} min"
    return f"{sign}{minutes // 60}:{minutes % 60:02d}:{seconds:02d} h"


def durations_alike(values_s: Sequence[float]) -> tuple[str, ...]:
    """*values_s* as text in one unit, where they stand beside one another: round minutes stay minutes.

    >>> durations_alike((60, 120, 300)), durations_alike((30, 60)), durations_alike((3600, 7200))
    (('1 min', '2 min', '5 min'), ('30 s', '60 s'), ('1:00 h', '2:00 h'))
    """
    largest = max(values_s, default=0.0)
    if largest < 100 * 60 and all(value % 60 == 0 for value in values_s):
        return tuple(f"{value / 60:.0f} min" for value in values_s)
    if largest >= 100 * 60:
        return tuple(f"{round(value / 60) // 60}:{round(value / 60) % 60:02d} h" for value in values_s)
    return tuple(show_duration(value) for value in values_s)


def clock_time(seconds: float) -> str:
    """Time of day; a day later or before is marked.

    >>> clock_time(50_700.0), clock_time(86_400.0), clock_time(-300.0)
    ('14:05', '00:00 +1 d', '23:55 −1 d')
    """
    days, rest = divmod(round(seconds), 86400)
    text = f"{rest // 3600:02d}:{rest % 3600 // 60:02d}"
    return text if days == 0 else f"{text} {'+' if days > 0 else '−'}{abs(days)} d"


def run_clock(seconds: float) -> str:
    """A running clock, "0:07:42"; "−0:07:42" before it is started.

    >>> run_clock(462.9), run_clock(-462.9), run_clock(-0.4)
    ('0:07:42', '−0:07:42', '0:00:00')
    """
    total = int(abs(seconds))
    sign = "−" if seconds < 0 and total else ""
    return f"{sign}{total // 3600}:{total % 3600 // 60:02d}:{total % 60:02d}"
