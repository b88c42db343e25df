"""The part: its outline, the flange round it and the conditions of the shop."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from typing import Annotated, Any, Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field, ValidatorFunctionWrapHandler, WrapValidator, field_validator, model_validator
from shapely import Polygon
from shapely.validation import explain_validity

from bibulon.job.base import Coordinate, Identifier, Length, Model, Name, Point
from bibulon.remembered import ByIdentity

SMALLEST_AREA_M2 = 1e-4


FARTHEST_M = 1000.0
Height = tuple[float, float, float]
"""A place x, y on the plan and how high the mould's face is there, in metres."""
_places = ByIdentity[tuple[Point, ...], npt.NDArray[np.float64]](64)
_shapes = ByIdentity[tuple[Point, ...], Polygon](16)


def places_of(points: tuple[Point, ...]) -> npt.NDArray[np.float64]:
    """(n, 2) *points* as an array that cannot be changed."""
    known = _places.get(points)
    if known is not None:
        return known
    places = np.array(points, dtype=np.float64).reshape(-1, 2)
    places.setflags(write=False)
    return _places.put(points, value=places)


def checked_outline(points: tuple[Point, ...]) -> tuple[Point, ...]:
    """*points* without a repeated last point. Raises ValueError if they do not bound one plain area."""
    if len(points) > 1 and points[0] == points[-1]:
        points = points[:-1]
    if len(points) < 3:
        raise ValueError("an outline needs at least three points")
    places = places_of(points)
    far = np.flatnonzero(~(np.abs(places) <= FARTHEST_M).all(axis=1))
    if len(far):
        raise ValueError(f"point {far[0] + 1} of the outline lies more than 1 km from the origin")
    polygon = Polygon(places)
    if not polygon.is_valid and polygon.convex_hull.area >= SMALLEST_AREA_M2:
        raise ValueError(f"the outline crosses or touches itself: {explain_validity(polygon)} (metres)")
    if not polygon.area >= SMALLEST_AREA_M2:
        raise ValueError("the outline encloses no area")
    return points


def _shape(outline: tuple[Point, ...], holes: tuple[tuple[Point, ...], ...]) -> Polygon:
    known = _shapes.get(outline, holes)
    return known if known is not None else _shapes.put(outline, holes, value=Polygon(places_of(outline), holes))


def _is_a_surface(relief: tuple[Height, ...]) -> tuple[Height, ...]:
    seen = set()
    for number, (x, y, z) in enumerate(relief, 1):
        if not max(abs(x), abs(y), abs(z)) <= FARTHEST_M:
            raise ValueError(f"point {number} of the relief lies more than 1 km from the origin")
        if (x, y) in seen:
            raise ValueError(f"the relief has two heights at {x:g}, {y:g} m")
        seen.add((x, y))
    return relief


def _once(check: Callable[[Any], tuple[tuple[float, ...], ...]]) -> WrapValidator:
    """Read and *check* places, but not those that have been: every edit checks a job again, with thousands of them."""

    good = ByIdentity[tuple[tuple[float, ...], ...], bool](256)

    def checked(places: object, read: ValidatorFunctionWrapHandler) -> tuple[tuple[float, ...], ...]:
        if isinstance(places, tuple) and good.get(places):
            return places
        made = check(read(places))
        good.put(made, value=True)
        return made

    return WrapValidator(checked)


Outline = Annotated[tuple[tuple[float, float], ...], Field(min_length=3), _once(checked_outline)]
"""Places round one plain area, within :data:`FARTHEST_M` of the origin."""
Relief = Annotated[tuple[Height, ...], Field(max_length=20_000), _once(_is_a_surface)]
"""Points of the mould's face over the plan, each with its height; between them it is made of flat triangles."""


class ReliefSection(Model):
    """The mould's height along a line: ``across`` says what stays the same on it, at ``at_m``; points are the other
    coordinate and the height."""

    across: Literal["x", "y"]
    at_m: Coordinate
    points: Annotated[tuple[tuple[Coordinate, Coordinate], ...], Field(min_length=2, max_length=200)]

    @field_validator("points")
    @classmethod
    def _runs_on(cls, points: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
        if any(after[0] <= before[0] for before, after in pairwise(points)):
            raise ValueError("the places of a section have to grow along it")
        return points


class ReliefFigures(Model):
    """Figures that a relief is made from: arches over length and width, a rim, and sections or single heights."""

    along_m: Coordinate = 0.0
    across_m: Coordinate = 0.0
    edge_depth_m: Coordinate = 0.0
    """How much the face rises (negative: falls) towards its edge."""
    edge_width_m: Length = 0.05
    """Over this width."""
    sections: Annotated[tuple[ReliefSection, ...], Field(max_length=100)] = ()
    heights: Annotated[tuple[tuple[Coordinate, Coordinate, Coordinate], ...], Field(max_length=500)] = ()

    @model_validator(mode="after")
    def _one_way(self) -> ReliefFigures:
        if self.sections and self.heights:
            raise ValueError("a relief is made from sections or from single heights, not from both")
        if len({section.across for section in self.sections}) > 1:
            raise ValueError("all sections have to be taken at an x, or all at a y")
        if len({section.at_m for section in self.sections}) < len(self.sections):
            raise ValueError("two sections are taken at the same place")
        if len({(x, y) for x, y, _ in self.heights}) < len(self.heights):
            raise ValueError("two heights are given for the same place")
        return self


class Part(Model):
    """The part seen from above, and the clean flange round it that takes the sealing tape."""

    outline: Outline
    holes: Annotated[tuple[Outline, ...], Field(max_length=500)] = ()
    """Openings in the part, inside its outline and apart from one another."""
    flange_width_m: Annotated[float, Field(ge=0, le=100)] = 0.1
    relief: Relief = ()
    """Points x, y and height of the mould's face; between them it is made of flat triangles. Empty: a flat mould."""
    relief_from: ReliefFigures | None = None
    """The figures that the relief was made from; None if it is flat or came from a mesh."""

    @model_validator(mode="after")
    def _holes_lie_inside(self) -> Part:
        if not self.holes:
            return self
        outline = _shape(self.outline, ())
        shapes = [Polygon(hole) for hole in self.holes]
        for number, hole in enumerate(shapes, 1):
            if not outline.contains_properly(hole):
                raise ValueError(f"hole {number} does not lie inside the outline")
            if any(hole.intersects(other) for other in shapes[: number - 1]):
                raise ValueError(f"hole {number} touches another hole")
        return self

    @property
    def shape(self) -> Polygon:
        """The area of the part, without its holes."""
        return _shape(self.outline, self.holes)


class Region(Model):
    """A named area of the plan that plies and core can be limited to."""

    name: Name
    outline: Outline
    bonded: bool = False
    """Something is bonded to its face later."""


class Shop(Model):
    """The shop and the conditions of the day; clock times count in seconds from midnight."""

    name: Name = ""
    temperature_k: Annotated[float, Field(ge=263.15, le=333.15)] = 294.15
    barometer_pa: Annotated[float, Field(ge=50_000, le=110_000)] = 101_325.0
    shot_start_s: Annotated[float, Field(ge=0, lt=86_400)] = 9 * 3600.0
    shift_end_s: Annotated[float, Field(ge=0, le=172_800)] = 17 * 3600.0


class Vacuum(Model):
    """The vacuum planned under the film, and the pump that has to make it."""

    cavity_pa: Annotated[float, Field(ge=0, le=100_000)] = 3_000.0
    pump_ultimate_pa: Annotated[float, Field(ge=0, le=100_000)] = 200.0
    pump_speed_m3_s: Annotated[float, Field(gt=0, le=100)] = 16 / 3600


class Bag(Model):
    """Film and pleats; ``pleats`` is the number planned, None for as many as the film needs."""

    film_excess: Annotated[float, Field(ge=0, le=2)] = 0.3
    """Film area over the developed surface."""
    excess_per_pleat_m: Annotated[float, Field(ge=0.005, le=10)] = 0.15
    pleats: Annotated[int, Field(ge=0, le=500)] | None = None
    tape_width_m: Annotated[float, Field(ge=0.001, le=1)] = 0.012
    film: Identifier | None = None
    tape: Identifier | None = None
