"""Film, tape and pleats from the outline and the mould's relief.

The tape runs round the part on the flange. Film of ``(1 + excess)`` times the taped area has edges longer by its root;
what has to be gathered to the length of the tape goes into pleats (:mod:`bibulon.bag.pleats`).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from shapely import LinearRing, LineString, Polygon, contains_xy, get_coordinates

from bibulon.bag.pleats import Pleat, Port, corners_of, gathering_of, pleats_of
from bibulon.bag.together import bagged_part, placings
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.cards import FilmCard, TapeCard
from bibulon.job.part import Bag, Part
from bibulon.job.places import FLAT
from bibulon.job.reads import derived
from bibulon.laminate.relief import developed_length_m, heights_at

WAYS = 9
"""Ways over the mould looked at for the longest."""
BOX_PLACES = 200
LEAST_BOX_M = 0.02
"""A mould that is lower asks for no box."""
FILM_JOINT_M = 0.05
"""Widths of film overlap so much where they are taped together."""


@dataclass(frozen=True)
class Box:
    """A box that film is folded to: how high its walls are, and where its corners stand on the plan, each with a seam
    as high."""

    height_m: float
    corners: tuple[Point, ...]

    @property
    def seams_m(self) -> float:
        return self.height_m * len(self.corners)


@dataclass(frozen=True)
class BagPlan:
    """Film size, tape length and pleats (places on the tape line)."""

    film_length_m: float
    film_width_m: float
    film_area_m2: float
    tape_m: float
    tape_line: tuple[Point, ...]
    excess_m: float
    pleats_needed: int
    """For the film's excess, and one at every corner and port."""
    pleats_for_film: int
    corners: int
    ports: int
    pleats_planned: int
    pleats: tuple[Pleat, ...]
    """In the order they are made."""
    courses: tuple[tuple[Point, ...], ...]
    """Every run of tape: round the part and round openings that are cut out, or along the two ends of a tube."""
    bagged: tuple[Point, ...] = ()
    """The outline of what lies under the film: the part's, or one that goes round several."""
    tube: bool = False
    box: Box | None = None
    stretch: float = 1.0
    """How many times as long as what it covers the film is, each way."""

    @property
    def pleat_places(self) -> tuple[Point, ...]:
        return tuple(pleat.place for pleat in self.pleats)

    @property
    def highest_pleat_m(self) -> float:
        return max((pleat.height_m for pleat in self.pleats), default=0.0)

    @property
    def lowest_pleat_m(self) -> float:
        return min((pleat.height_m for pleat in self.pleats), default=0.0)


@derived("bag plan", 64)
def bag_plan_of(job: Job) -> BagPlan:
    """The bag of *job*, with pleats beside its ports."""
    if job.parts_together == 1:
        return bag_plan(job.part, job.bag, ports_of(job), line_ends_of(job))
    every = placings(job)
    ports, ends = (
        tuple(
            replace(port, place=place([port.place])[0], label=f"{port.label}{_letter(number)}")
            for number, place in enumerate(every)
            for port in some
        )
        for some in (ports_of(job), line_ends_of(job))
    )
    return bag_plan(bagged_part(job), job.bag, ports, ends)


def _letter(number: int) -> str:
    """What tells the parts under one bag apart: a, b, c …"""
    return "abcdefghijkl"[number]


def ports_of(job: Job) -> tuple[Port, ...]:
    """Where the hose of each line comes up under the film."""
    ports = [(line, LineString(line.points).interpolate(line.port_at, normalized=True)) for line in job.lines]
    return tuple(Port((place.x, place.y), line.label) for line, place in ports)


def line_ends_of(job: Job) -> tuple[Port, ...]:
    """Where lines that are not closed end under the film."""
    return tuple(
        Port(place, line.label, is_end=True)
        for line in job.lines
        if not line.is_port and line.points[0] != line.points[-1]
        for place in (line.points[0], line.points[-1])
    )


def bag_plan(part: Part, bag: Bag, ports: tuple[Port, ...] = (), ends: tuple[Port, ...] = ()) -> BagPlan:
    """The bag of *part*: tape in the middle of the flange, film over it by the planned excess, pleats first at the
    corners and beside the *ports*, where hoses come up under the film, and where lines' *ends* lie beside the tape."""
    outline = part.outline.polygon
    taped = outline.buffer(part.flange_width_m / 2, join_style="mitre", mitre_limit=2.0)
    if not isinstance(taped, Polygon):  # cannot happen to one valid outline, but shapely cannot promise it
        taped = outline
    ring = LinearRing(taped.exterior.coords)
    stretch = math.sqrt(1 + bag.film_excess)
    box = taped.minimum_rotated_rectangle
    corners = [(x, y) for x, y in (box if isinstance(box, Polygon) else taped).exterior.coords]
    along, across = _developed_sides(part, taped, corners)
    sides = sorted((along, across))
    overhang = bag.tape_width_m * 2
    if bag.shape == "tube":
        return _tube(part, bag, ring, corners, (along, across), stretch)
    openings = _openings(part) if bag.openings == "cut out" else ()
    outer = tuple((x, y) for x, y in ring.coords)
    round_m = sum(developed_length_m(part.relief, list(course)) for course in (outer, *openings))
    folded = _box(part, ring, stretch) if bag.shape == "box" else None
    # the walls of a box stand by themselves: along the tape nothing has to be gathered for them
    gathering = gathering_of(part.relief if folded is None else FLAT, ring, stretch)
    as_needed = pleats_of(gathering, ports, bag.excess_per_pleat_m, None, ends)
    turns = len(corners_of(ring))
    needed = len(as_needed)
    pleats = as_needed if bag.pleats is None else pleats_of(gathering, ports, bag.excess_per_pleat_m, bag.pleats, ends)
    return BagPlan(
        film_length_m=sides[1] * stretch + overhang,
        film_width_m=sides[0] * stretch + overhang,
        film_area_m2=(sides[1] * stretch + overhang) * (sides[0] * stretch + overhang),
        tape_m=round_m + bag.tape_width_m * 4 * (1 + len(openings)) + (folded.seams_m if folded is not None else 0.0),
        tape_line=tuple((x, y) for x, y in ring.coords),
        excess_m=gathering.total_m,
        pleats_needed=needed,
        pleats_for_film=min(math.ceil(gathering.total_m / bag.excess_per_pleat_m - 1e-9), needed),
        corners=turns,
        ports=len(ports),
        pleats_planned=len(pleats),
        pleats=pleats,
        courses=(tuple((x, y) for x, y in ring.coords), *openings),
        bagged=tuple(part.outline),
        box=folded,
        stretch=stretch,
    )


def _box(part: Part, ring: LinearRing, stretch: float) -> Box | None:
    """The box of film for *part*, as high as its mould stands over the tape, or hangs under it; None on a flat one."""
    if not part.relief:
        return None
    tape_z = float(np.median(heights_at(part.relief, get_coordinates(ring.segmentize(ring.length / BOX_PLACES)))))
    on_part = part.relief.array[contains_xy(part.outline.polygon, part.relief.array[:, :2])]
    height = float(np.abs(on_part[:, 2] - tape_z).max()) if len(on_part) else 0.0
    round_part = part.outline.polygon.minimum_rotated_rectangle
    if height <= LEAST_BOX_M or not isinstance(round_part, Polygon):
        return None
    return Box(height * stretch, tuple((x, y) for x, y in round_part.exterior.coords[:-1]))


def _openings(part: Part) -> tuple[tuple[Point, ...], ...]:
    """Where tape runs round the holes of *part*: in the middle of a flange inside them, where they are wide enough for
    one."""
    courses = []
    for hole in part.holes:
        inside = hole.polygon.buffer(-part.flange_width_m / 2, join_style="mitre", mitre_limit=2.0)
        if isinstance(inside, Polygon) and not inside.is_empty:
            courses.append(tuple((x, y) for x, y in inside.exterior.coords))
    return tuple(courses)


def _tube(
    part: Part, bag: Bag, ring: LinearRing, corners: list[Point], sides_m: tuple[float, float], stretch: float
) -> BagPlan:
    """A tube of film round *part* and mould along the longer of the two *sides_m* of the box round what is taped, whose
    *corners* begin along the first: laid flat it is half as wide as the way round is long, and it is closed with tape
    across its two ends. Nothing has to be gathered along its length."""
    longer = 0 if sides_m[0] >= sides_m[1] else 1
    flat_m = sides_m[1 - longer] * stretch + bag.mould_thickness_m
    tape_each_m = flat_m + 2 * bag.tape_width_m
    length_m = sides_m[longer] * stretch + bag.mould_thickness_m + 8 * bag.tape_width_m
    ends = ((1, 2), (3, 0)) if longer == 0 else ((0, 1), (2, 3))
    return BagPlan(
        film_length_m=length_m,
        film_width_m=flat_m,
        film_area_m2=2 * length_m * flat_m,
        tape_m=2 * tape_each_m,
        tape_line=tuple((x, y) for x, y in ring.coords),
        excess_m=0.0,
        pleats_needed=0,
        pleats_for_film=0,
        corners=0,
        ports=0,
        pleats_planned=0,
        pleats=(),
        courses=tuple((corners[one], corners[other]) for one, other in ends),
        bagged=tuple(part.outline),
        tube=True,
        stretch=stretch,
    )


def _developed_sides(part: Part, taped: Polygon, corners: list[Point]) -> tuple[float, float]:
    """The two sides of the box round what is taped, each as long as the longest way over the mould beside it."""
    first, second, third = (np.array(corner) for corner in corners[:3])
    sides = (second - first, third - second)
    if not part.relief:
        return float(np.linalg.norm(sides[0])), float(np.linalg.norm(sides[1]))
    lengths_m = []
    for way, step in (sides, sides[::-1]):
        origin = first if way is sides[0] else second
        into = step if way is sides[0] else -step
        longest = 0.0
        for share in np.linspace(0, 1, WAYS):
            start = origin + into * share
            line = LineString([start, start + way])
            on_part = line.intersection(taped).length
            if on_part > 0:
                over = developed_length_m(part.relief, [(x, y) for x, y in line.coords])
                longest = max(longest, over)
        lengths_m.append(longest)
    return lengths_m[0], lengths_m[1]


@dataclass(frozen=True)
class BagMaterials:
    """What the bag takes off the rolls: film in so many ``widths`` of its roll side by side, and metres of each; money
    is None where a price is missing or nothing is chosen."""

    film_widths: int
    film_m: float
    tape_m: float
    cost: float | None


def bag_materials(plan: BagPlan, film: FilmCard | None, tape: TapeCard | None) -> BagMaterials:
    """Film and tape for *plan* off the rolls of those cards, for one bag; a tube is two sheets with a seam along each
    side."""
    sheets, each = 2 if plan.tube else 1, 1
    if film is not None and plan.film_width_m > film.width_m:
        each = math.ceil((plan.film_width_m - FILM_JOINT_M) / max(film.width_m - FILM_JOINT_M, 0.05) - 1e-9)
    widths = sheets * each
    metres = widths * plan.film_length_m
    seams_m = (widths - sheets + (2 if plan.tube else 0)) * plan.film_length_m
    tape_m = plan.tape_m + seams_m
    cost = None
    if film is not None and tape is not None and film.price is not None and tape.price is not None:
        cost = metres * film.width_m * film.price + tape_m * tape.price
    return BagMaterials(widths, metres, tape_m, cost)
