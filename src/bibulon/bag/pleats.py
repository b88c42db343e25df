"""Pleats: how much film has to be gathered where along the tape, and the pleats that do it.

Flat film lies on a mould once its edge is gathered to the length of the tape. Along a straight edge it has to go over
the longest way across the mould that runs beside the edge: at each place the film takes ``λ`` times that way's slope
there, ``λ`` being the root of the planned excess of area; less the slope along the tape itself that is what is
gathered. Along a curved edge the ways through the middle count, with their mean slope. A pleat of the height ``h``
gathers ``2h``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from shapely import LinearRing, LineString, Polygon, get_coordinates, line_interpolate_point
from shapely import Point as ShapelyPoint

from bibulon.arrays import Floats
from bibulon.job.base import Point
from bibulon.job.places import Relief
from bibulon.laminate.relief import heights_at

CORNER_DEG = 25.0
"""An edge that turns by more than this wants a pleat there."""
STATIONS = 360
"""Places along the tape that are looked at."""
WAYS, WAY_PLACES = 9, 160
"""Ways beside an edge that are looked at, and places on each."""
STRAIGHT = 0.985
"""A run of the tape whose ends are so far apart, as a share of its length, is straight."""
LEAST_APART_M = 0.12
"""Pleats stand no nearer: at a deep draw there are fewer, and larger ones."""
OVER = 0.25
"""A pleat may gather so much more, as a share, before there is one more."""
NEAR_TAPE_M = 0.12
"""A line that ends so near the tape stands up under the film there."""
BESIDE_M = 0.2
"""A pleat at a corner or port serves a line's end so near it too."""
DEEP = 1.6
"""A pleat that gathers so many times what the shop gathers in one is for a deep draw."""

PleatFor = Literal["corner", "port", "line end", "film", "deep draw"]


@dataclass(frozen=True)
class Pleat:
    """A pleat at a *place* of the tape, ``height_m`` over it, for what; ``of`` is the line of the port or end."""

    place: Point
    height_m: float
    why: PleatFor
    of: str = ""
    last: bool = False
    """The last one is folded the other way, to close."""


@dataclass(frozen=True)
class Port:
    """Where a hose comes up under the film, the label of its line, and how high it stands."""

    place: Point
    label: str = ""
    height_m: float = 0.03
    is_end: bool = False
    """Whether it is the end of a line and no hose."""


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Gathering:
    """What is gathered along a ring: ``along_m`` (n,) from its start, ``sum_m`` (n,) gathered up to there."""

    ring: LinearRing
    along_m: Floats
    sum_m: Floats

    @property
    def total_m(self) -> float:
        return float(self.sum_m[-1])

    def up_to(self, station_m: float) -> float:
        """What is gathered from the start of the ring up to *station_m*."""
        return float(np.interp(station_m, self.along_m, self.sum_m))

    def between(self, start_m: float, end_m: float) -> float:
        """What is gathered from one station on to another, past the ring's start where need be."""
        over = self.up_to(end_m) - self.up_to(start_m)
        return over if end_m > start_m else over + self.total_m

    def beyond(self, start_m: float, ends_m: Floats) -> Floats:
        """(n,) what is gathered from *start_m* on up to each of *ends_m*, which may lie past the ring's start."""
        past = ends_m > self.ring.length
        over = np.interp(np.where(past, ends_m - self.ring.length, ends_m), self.along_m, self.sum_m)
        return np.asarray(over + past * self.total_m - self.up_to(start_m))


def gathering_of(relief: Relief, ring: LinearRing, stretch: float) -> Gathering:
    """What is gathered along *ring* of film *stretch* times as long as what it covers, over the mould's *relief*."""
    corners = sorted(corners_of(ring))
    along = np.unique(np.concatenate([np.linspace(0.0, ring.length, STATIONS + 1), corners]))
    middles, spans = (along[1:] + along[:-1]) / 2, np.diff(along)
    density = np.full(len(spans), stretch - 1.0)
    if relief:
        slope = _slopes(relief, _places(ring, along))
        density = slope * (stretch - 1.0)  # as much as flat film has beyond the tape, and no less
        ends = [*corners, corners[0] + ring.length] if corners else [0.0, ring.length]
        for start, end in pairwise(ends):
            run = (middles - start) % ring.length < (end - start)
            density[run] = np.maximum(
                density[run], _over_mould(relief, ring, start, end, middles[run], stretch) - slope[run]
            )
    return Gathering(ring, along, np.concatenate([[0.0], np.cumsum(density * spans)]))


def _places(ring: LinearRing, stations: Floats) -> Floats:
    return get_coordinates(line_interpolate_point(ring, stations % ring.length))


def _slopes(relief: Relief, places: Floats) -> Floats:
    """(n−1,) length over the mould from place to place, over that on the plan."""
    steps = np.hypot(*np.diff(places, axis=0).T)
    rises = np.diff(heights_at(relief, places))
    return np.asarray(np.hypot(steps, rises) / np.maximum(steps, 1e-12))


def _over_mould(relief: Relief, ring: LinearRing, start: float, end: float, stations: Floats, stretch: float) -> Floats:
    """What film takes over the mould per length of tape, at *stations* of the run of *ring* from *start* to *end*."""
    first, last = (np.array(ring.interpolate(at % ring.length).coords[0]) for at in (start, end))
    reach = float(np.hypot(*(last - first)))
    area = Polygon(ring)
    if reach < STRAIGHT * (end - start):
        return np.full(len(stations), stretch * _mean_slope(relief, area))
    way = (last - first) / max(reach, 1e-12)
    inward = np.array([-way[1], way[0]])
    shares = np.linspace(0.0, 1.0, WAY_PLACES)
    corners = get_coordinates(area.exterior)
    depths = (corners - first) @ inward
    deepest = float(depths[np.argmax(np.abs(depths))])
    longest, slope = 0.0, np.ones(WAY_PLACES - 1)
    for share in np.linspace(0.0, 1.0, WAYS + 2)[1:-1]:
        places = first + deepest * share * inward + shares[:, None] * (last - first)
        there = _slopes(relief, places)
        if float(there.sum()) > longest:
            longest, slope = float(there.sum()), there
    at = ((stations - start) % ring.length) / max(end - start, 1e-12)
    return np.asarray(stretch * slope[np.clip((at * (WAY_PLACES - 1)).astype(int), 0, WAY_PLACES - 2)])


def _mean_slope(relief: Relief, area: Polygon) -> float:
    """Length over the mould of ways through the middle of *area*, over that on the plan, as a mean."""
    middle, reach = area.centroid, math.hypot(area.bounds[2] - area.bounds[0], area.bounds[3] - area.bounds[1])
    ratios = []
    for angle in np.linspace(0.0, np.pi, 8, endpoint=False):
        step = np.array([math.cos(angle), math.sin(angle)]) * reach
        here = np.array([middle.x, middle.y])
        way = LineString([here - step, here + step]).intersection(area)
        if way.length > 0:
            ends = get_coordinates(way)[[0, -1]]
            places = np.linspace(ends[0], ends[1], WAY_PLACES)
            ratios.append(float(_slopes(relief, places).mean()))
    return float(np.mean(ratios)) if ratios else 1.0


def corners_of(ring: LinearRing) -> list[float]:
    """Distances along *ring* of the corners that turn by more than ``CORNER_DEG``, sharpest first."""
    points = get_coordinates(ring)
    strokes = np.diff(points, axis=0)
    lengths = np.hypot(strokes[:, 0], strokes[:, 1])
    headings = np.degrees(np.arctan2(strokes[:, 1], strokes[:, 0]))
    turns = np.abs((headings - np.roll(headings, 1) + 180) % 360 - 180)
    along = np.concatenate([[0.0], np.cumsum(lengths)[:-1]])
    sharp = np.flatnonzero(turns > CORNER_DEG)
    return [float(place) for place in along[sharp[np.argsort(-turns[sharp], kind="stable")]]]


def pleats_of(
    gathering: Gathering,
    ports: tuple[Port, ...],
    per_pleat_m: float,
    planned: int | None,
    ends: tuple[Port, ...] = (),
) -> tuple[Pleat, ...]:
    """The pleats round the tape in the order they are made: one at each corner and port, and where a line *ends* beside
    the tape with none of these near; those between them so that all of a run gather alike. With as many as it takes
    (*planned* None) none gathers much more than *per_pleat_m*, but at deep draws, where they would stand too near."""
    ring = gathering.ring
    corners = corners_of(ring)
    at_ports = _spread([float(ring.project(ShapelyPoint(port.place))) for port in ports], ring.length)
    served = _ends_to_serve(ring, ends, [*corners, *at_ports])
    ports, at_ports = (*ports, *(end for end, _ in served)), [*at_ports, *(station for _, station in served)]
    wanted = list(dict.fromkeys([*corners, *at_ports]))
    fixed = sorted(wanted if planned is None else wanted[:planned])
    if not fixed and (planned is None or planned > 0) and (planned or gathering.total_m > 0):
        fixed = [0.0]
    runs = _runs(fixed, ring.length)
    takes = [gathering.between(start, end) if end - start < ring.length else gathering.total_m for start, end in runs]
    if planned is None:
        counts = [max(math.ceil(taken / per_pleat_m - OVER) - 1, 0) for taken in takes]
        between = [_apart(gathering, run, count) for run, count in zip(runs, counts, strict=True)]
    else:
        counts = [0] * len(runs)
        for _ in range(planned - len(fixed)):
            counts[max(range(len(runs)), key=lambda at: (takes[at] / (counts[at] + 1), _length(runs[at]), -at))] += 1
        between = [_alike(gathering, run, count) for run, count in zip(runs, counts, strict=True)]
    stations = sorted({*fixed, *(station % ring.length for some in between for station in some)})
    return tuple(_pleat(gathering, stations, at, corners, at_ports, ports, per_pleat_m) for at in range(len(stations)))


def _ends_to_serve(ring: LinearRing, ends: tuple[Port, ...], taken: list[float]) -> list[tuple[Port, float]]:
    """The *ends* of lines beside the tape that stand near none of the *taken* stations, with their own."""
    served: list[tuple[Port, float]] = []
    stations = list(taken)
    for end in ends:
        place = ShapelyPoint(end.place)
        station = float(ring.project(place))
        apart = (min(abs(station - other), ring.length - abs(station - other)) for other in stations)
        if ring.distance(place) <= NEAR_TAPE_M and min(apart, default=math.inf) > BESIDE_M:
            served.append((end, station))
            stations.append(station)
    return served


def _spread(stations: list[float], length_m: float) -> list[float]:
    """*stations* on a ring, those that stand too near one before them moved on along it."""
    spread = list(stations)
    before = -math.inf
    for at in sorted(range(len(stations)), key=lambda at: stations[at]):
        if spread[at] - before < LEAST_APART_M:
            spread[at] = (before + LEAST_APART_M) % length_m
        before = spread[at]
    return spread


def _runs(stations: list[float], length_m: float) -> list[tuple[float, float]]:
    """From each of *stations* to the next, the last one past the ring's start."""
    return [*pairwise(stations), (stations[-1], stations[0] + length_m)] if stations else []


def _length(run: tuple[float, float]) -> float:
    return run[1] - run[0]


def _alike(gathering: Gathering, run: tuple[float, float], count: int) -> list[float]:
    """*count* stations inside *run* between which alike is gathered; where nothing is, as far apart as they go."""
    start, end = run
    span = np.linspace(start, end, 512)
    sums = gathering.beyond(start, span)
    if sums[-1] <= 1e-9:
        return [float(start + (end - start) * (at + 1) / (count + 1)) for at in range(count)]
    sums = sums + np.linspace(0.0, 1e-6 * sums[-1], len(span))
    return [float(np.interp(sums[-1] * (at + 1) / (count + 1), sums, span)) for at in range(count)]


def _apart(gathering: Gathering, run: tuple[float, float], count: int) -> list[float]:
    """As many of *count* stations inside *run* as stand far enough apart: at a deep draw fewer, and larger ones."""
    while count > 0:
        inside = _alike(gathering, run, count)
        if min(after - before for before, after in pairwise([run[0], *inside, run[1]])) >= LEAST_APART_M:
            return inside
        count -= 1
    return []


def _pleat(
    gathering: Gathering, stations: list[float], at: int, corners: list[float], at_ports: list[float],
    ports: tuple[Port, ...], per_pleat_m: float,
) -> Pleat:  # fmt: skip
    here, before, after = stations[at], stations[at - 1], stations[(at + 1) % len(stations)]
    takes = (gathering.between(before, here) + gathering.between(here, after)) / 2
    place = gathering.ring.interpolate(here)
    here_ports = [port for port, station in zip(ports, at_ports, strict=True) if station == here]
    why: PleatFor = "film" if takes < DEEP * per_pleat_m else "deep draw"
    if here_ports:
        why = "line end" if all(port.is_end for port in here_ports) else "port"
    elif here in corners:
        why = "corner"
    height = max([takes / 2, *(port.height_m for port in here_ports)])
    labels = ", ".join(port.label for port in here_ports)
    return Pleat((place.x, place.y), height, why, labels, last=at == len(stations) - 1)
