"""Outlines of common parts by length and width."""

from __future__ import annotations

import math
from collections.abc import Callable

from bibulon.job.base import Point

ROUND_POINTS = 72
NARROW_END = 0.4
"""A trapezium's and a gore's short end, as a share of the long one (a gore's is a tenth)."""
L_LEG = 0.4
"""Width of an L's legs, as a share of its size."""


def _rounded(places: list[tuple[float, float]]) -> tuple[Point, ...]:
    return tuple((round(x, 5), round(y, 5)) for x, y in places)


def rectangle(length_m: float, width_m: float) -> tuple[Point, ...]:
    """Corners from the lower left, against the clock."""
    return ((0.0, 0.0), (length_m, 0.0), (length_m, width_m), (0.0, width_m))


def disc(length_m: float, width_m: float) -> tuple[Point, ...]:
    """An ellipse; a disc if length and width are the same."""
    turns = [2 * math.pi * k / ROUND_POINTS for k in range(ROUND_POINTS)]
    return _rounded([(length_m / 2 * (1 + math.cos(a)), width_m / 2 * (1 + math.sin(a))) for a in turns])


def trapezium(length_m: float, width_m: float) -> tuple[Point, ...]:
    """The long end at the left."""
    inset = width_m * (1 - NARROW_END) / 2
    return _rounded([(0, 0), (length_m, inset), (length_m, width_m - inset), (0, width_m)])


def gore(length_m: float, width_m: float) -> tuple[Point, ...]:
    """A gore of a dome, seen from above: its sides close in as the sine of the way to the crown."""
    stations = [k / (ROUND_POINTS // 3) for k in range(ROUND_POINTS // 3 + 1)]
    half = [width_m / 2 * max(math.cos(s * math.pi / 2), NARROW_END / 4) for s in stations]
    below = [(s * length_m, width_m / 2 - h) for s, h in zip(stations, half, strict=True)]
    above = [(s * length_m, width_m / 2 + h) for s, h in zip(stations, half, strict=True)]
    return _rounded([*below, *reversed(above)])


def ell(length_m: float, width_m: float) -> tuple[Point, ...]:
    """An L with its corner at the lower left."""
    along, up = length_m * L_LEG, width_m * L_LEG
    return _rounded([(0, 0), (length_m, 0), (length_m, up), (along, up), (along, width_m), (0, width_m)])


def tube(length_m: float, width_m: float) -> tuple[Point, ...]:
    """A tube of the diameter *width_m*, slit along and laid flat."""
    return _rounded(list(rectangle(length_m, math.pi * width_m)))


TEMPLATES: dict[str, Callable[[float, float], tuple[Point, ...]]] = {
    "rectangle": rectangle,
    "disc": disc,
    "trapezium": trapezium,
    "gore": gore,
    "L": ell,
    "tube laid flat": tube,
}
"""Name of each template, and its outline for a length and a width (a tube's width is its diameter)."""
