"""Outlines and reliefs: frozen runs of places that own what is worked out of them once, their array, area and hash.

They are tuples of places, equal to plain ones, and checked when they are made: every edit checks a job again, and one
may have thousands of places.

>>> square = Outline([(0, 0), (1, 0), (1, 1), (0, 1), (0, 0)])
>>> len(square), square.polygon.area
(4, 1.0)
"""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Iterable
from functools import cached_property
from typing import Annotated, Any, Self, TypeVar

import numpy as np
from pydantic import Field, GetCoreSchemaHandler
from pydantic_core import CoreSchema, core_schema
from shapely import Polygon, get_parts, set_precision
from shapely.geometry.base import BaseGeometry
from shapely.validation import explain_validity

from bibulon.arrays import Floats
from bibulon.job.base import Point

SMALLEST_AREA_M2 = 1e-4
FARTHEST_M = 1000.0
Element = TypeVar("Element")
Height = tuple[float, float, float]
"""A place x, y on the plan and how high the mould's face is there, in metres."""


class _Places(tuple[Element, ...]):
    """A tuple of places that owns its array and its hash."""

    def __new__(cls, places: Iterable[Any] = ()) -> Self:
        """Raises ValueError if the *places* cannot be used."""
        return places if isinstance(places, cls) else cls._unchecked(cls._checked(tuple(places)))

    @classmethod
    @abstractmethod
    def _checked(cls, places: tuple[Any, ...]) -> tuple[Any, ...]:
        """The *places* as they are kept. Raises ValueError if they cannot be used."""

    @classmethod
    def _unchecked(cls, places: tuple[Any, ...]) -> Self:
        return super().__new__(cls, places)

    def __reduce__(self) -> tuple[Any, ...]:
        return self._unchecked, (tuple(self),)

    @cached_property
    def _hash(self) -> int:
        return super().__hash__()

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        return self is other or super().__eq__(other)

    def __ne__(self, other: object) -> bool:
        return not self == other

    @cached_property
    def array(self) -> Floats:
        """(n, 2) or (n, 3) the places, as an array that cannot be changed."""
        array = np.array(self, dtype=np.float64)
        array.setflags(write=False)
        return array

    @classmethod
    def __get_pydantic_core_schema__(cls, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        def read(places: Any, plain: Any) -> Any:
            return places if isinstance(places, cls) else cls(plain(places))

        return core_schema.no_info_wrap_validator_function(read, handler.generate_schema(cls._stored_as()))

    @classmethod
    @abstractmethod
    def _stored_as(cls) -> Any:
        """The type by which they are read from a file."""


class Outline(_Places[Point]):
    """Places round one plain area, within :data:`FARTHEST_M` of the origin; a repeated last one is left out."""

    @classmethod
    def _checked(cls, places: tuple[Any, ...]) -> tuple[Any, ...]:
        if len(places) > 1 and places[0] == places[-1]:
            places = places[:-1]
        if len(places) < 3:
            raise ValueError("an outline needs at least three points")
        array = np.array(places, dtype=np.float64)
        far = np.flatnonzero(~(np.abs(array) <= FARTHEST_M).all(axis=1))
        if len(far):
            raise ValueError(f"point {far[0] + 1} of the outline lies more than 1 km from the origin")
        polygon = Polygon(array)
        if not polygon.is_valid and polygon.convex_hull.area >= SMALLEST_AREA_M2:
            raise ValueError(f"the outline crosses or touches itself: {explain_validity(polygon)} (metres)")
        if not polygon.area >= SMALLEST_AREA_M2:
            raise ValueError("the outline encloses no area")
        return places

    @cached_property
    def polygon(self) -> Polygon:
        """The area inside it."""
        return Polygon(self.array)

    @classmethod
    def _stored_as(cls) -> Any:
        return Annotated[tuple[tuple[float, float], ...], Field(min_length=3)]


def ring_of(shape: BaseGeometry, grid_m: float = 1e-4) -> Outline | None:
    """The outline of *shape* with its corners on a grid, as a person would type them; crumbs that this leaves fall
    away. None where it is empty, in pieces, or has holes."""
    pieces = [piece for piece in get_parts(set_precision(shape, grid_m)) if piece.area > SMALLEST_AREA_M2]
    if len(pieces) != 1 or not isinstance(pieces[0], Polygon) or pieces[0].interiors:
        return None
    places = round(-math.log10(grid_m))
    return Outline((round(x, places), round(y, places)) for x, y in pieces[0].exterior.coords[:-1])


class Relief(_Places[Height]):
    """Points of the mould's face over the plan, each with its height; between them it is made of flat triangles."""

    @classmethod
    def _checked(cls, places: tuple[Any, ...]) -> tuple[Any, ...]:
        seen = set()
        for number, (x, y, z) in enumerate(places, 1):
            if not max(abs(x), abs(y), abs(z)) <= FARTHEST_M:
                raise ValueError(f"point {number} of the relief lies more than 1 km from the origin")
            if (x, y) in seen:
                raise ValueError(f"the relief has two heights at {x:g}, {y:g} m")
            seen.add((x, y))
        return places

    @classmethod
    def _stored_as(cls) -> Any:
        return Annotated[tuple[Height, ...], Field(max_length=20_000)]


FLAT = Relief()
"""The face of a mould without heights."""


def places_of(points: tuple[Point, ...]) -> Floats:
    """(n, 2) *points* as an array that is not to be changed."""
    return points.array if isinstance(points, Outline) else np.array(points, dtype=np.float64).reshape(-1, 2)
