"""Outlines drawn as strokes: straight, arcs through three places, smooth curves; flattened to points.

Sources: the circle through three points; cubic splines by chord length, natural at their ends, periodic if nothing
else closes them.
"""

from __future__ import annotations

import cmath
import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from bibulon.job.base import Point

Way = Literal["straight", "arc", "curve"]
SAGITTA_M = 0.0005
"""A flattened arc lies so near the true one."""
MOST_PIECES = 180
CURVE_PIECES = 16
"""Pieces of a smooth curve between two places of it."""
STRAIGHT_ENOUGH = 1e-9


@dataclass(frozen=True)
class Corner:
    """A place that was drawn, and how the stroke comes to it. An arc takes two: one on its way and its end."""

    place: Point
    way: Way = "straight"


def drawn(corners: Sequence[Corner], closing: Way | None = None) -> tuple[Point, ...]:
    """The points of the chain through *corners*; with *closing*, on to the first one that way (not repeated).

    An arc that has no end yet runs straight to its first place.
    """
    if not corners:
        return ()
    rest = list(corners[1:])
    if closing is not None and len(corners) > 1:
        rest.append(Corner(corners[0].place, closing))
        if len(rest) > 1 and all(corner.way == "curve" for corner in rest):
            return _rounded(_spline([corner.place for corner in (corners[0], *rest)], closed=True)[:-1])
    points = [corners[0].place]
    at = 0
    while at < len(rest):
        way, start = rest[at].way, points[-1]
        if way == "arc" and at + 1 < len(rest) and rest[at + 1].way == "arc":
            points += _arc(start, rest[at].place, rest[at + 1].place)
            at += 2
        elif way == "curve":
            end = at
            while end < len(rest) and rest[end].way == "curve":
                end += 1
            points += _spline([start, *(corner.place for corner in rest[at:end])], closed=False)[1:]
            at = end
        else:
            points.append(rest[at].place)
            at += 1
    return _rounded(points[:-1] if closing is not None and len(corners) > 1 else points)


def awaits_end(ways: Sequence[Way]) -> bool:
    """Whether the last corner is the middle of an arc whose end is not drawn yet."""
    run = 0
    for way in reversed(ways):
        if way != "arc":
            break
        run += 1
    return run % 2 == 1


def _rounded(points: Sequence[Point]) -> tuple[Point, ...]:
    return tuple((round(x, 5), round(y, 5)) for x, y in points)


def _arc(start: Point, through: Point, end: Point) -> list[Point]:
    """Points after *start* of the arc; straight if the three lie in one line."""
    a, b, c = (complex(*place) for place in (start, through, end))
    w = (c - a) / (b - a) if b != a else complex(1.0)
    if abs(w.imag) < STRAIGHT_ENOUGH:
        return [through, end]
    centre = a + (b - a) * (w - abs(w) ** 2) / (2j * w.imag)
    radius = abs(a - centre)
    first, middle, last = (cmath.phase(place - centre) for place in (a, b, c))
    turn = (last - first) % (2 * math.pi)
    if (middle - first) % (2 * math.pi) > turn:
        turn -= 2 * math.pi  # the other way round
    step = 2 * math.acos(max(1 - SAGITTA_M / radius, 0.0)) if radius > SAGITTA_M else math.pi / 2
    pieces = min(max(math.ceil(abs(turn) / step), 2), MOST_PIECES)
    angles = [first + turn * k / pieces for k in range(1, pieces)]
    arc = [centre + radius * cmath.exp(1j * angle) for angle in angles]
    return [*((place.real, place.imag) for place in arc), end]


def _spline(places: Sequence[Point], closed: bool) -> list[Point]:
    from scipy.interpolate import CubicSpline  # slow to load, and most outlines are straight

    kept = [place for at, place in enumerate(places) if at == 0 or place != places[at - 1]]
    if len(kept) < 3:
        return list(kept)
    given = np.array(kept, dtype=np.float64)
    length = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(given, axis=0).T))])
    curve = CubicSpline(length, given, bc_type="periodic" if closed else "natural")
    stations = [
        low + (high - low) * k / CURVE_PIECES for low, high in pairwise(length.tolist()) for k in range(CURVE_PIECES)
    ]
    return [(float(x), float(y)) for x, y in curve([*stations, length[-1]])]
