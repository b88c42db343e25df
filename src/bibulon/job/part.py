"""The part: its outline, the flange round it and the conditions of the shop."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import AwareDatetime, Field, field_validator, model_validator
from shapely import Polygon

from bibulon.durations import DAY_S
from bibulon.job.base import Amount, Coordinate, Identifier, Length, Model, Name
from bibulon.job.places import FLAT, Outline, Relief
from bibulon.remembered import Newest

_shapes = Newest[tuple[Outline, tuple[Outline, ...]], Polygon]("bibulon.job.part shapes", 16)


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
    relief: Relief = FLAT
    """Points x, y and height of the mould's face; between them it is made of flat triangles. Empty: a flat mould."""
    relief_from: ReliefFigures | None = None
    """The figures that the relief was made from; None if it is flat or came from a mesh."""

    @model_validator(mode="after")
    def _holes_lie_inside(self) -> Part:
        if not self.holes:
            return self
        for number, hole in enumerate(self.holes, 1):
            if not self.outline.polygon.contains_properly(hole.polygon):
                raise ValueError(f"hole {number} does not lie inside the outline")
            if any(hole.polygon.intersects(other.polygon) for other in self.holes[: number - 1]):
                raise ValueError(f"hole {number} touches another hole")
        return self

    @property
    def shape(self) -> Polygon:
        """The area of the part, without its holes."""
        if not self.holes:
            return self.outline.polygon
        made_of = self.outline, self.holes
        return _shapes.get_or_put(made_of, lambda: Polygon(self.outline.array, [hole.array for hole in self.holes]))


class Region(Model):
    """A named area of the plan that plies and core can be limited to."""

    name: Name
    outline: Outline
    bonded: bool = False
    """Something is bonded to its face later."""
    peel_ply: Literal["as the rest", "laid", "left out"] = "as the rest"
    """Whether the job's peel ply lies here, whatever is said of the rest of the part."""


LONGEST_SHIFT_S = 16 * 3600.0
"""A shift whose end comes before the start of the shot by the clock ends on the day after, unless it would then be
longer than this: such a shot is begun after its shift."""


class Shop(Model):
    """The shop and the conditions of the day; clock times count in seconds from midnight."""

    name: Name = ""
    temperature_k: Annotated[float, Field(ge=263.15, le=333.15)] = 294.15
    barometer_pa: Annotated[float, Field(ge=50_000, le=110_000)] = 101_325.0
    shot_start_s: Annotated[float, Field(ge=0, lt=86_400)] = 9 * 3600.0
    shift_end_s: Annotated[float, Field(ge=0, le=172_800)] = 17 * 3600.0

    @property
    def shift_left_s(self) -> float:
        """From the planned start of the shot to the end of its shift, past midnight if need be; negative if it is to
        begin after the shift."""
        left_s = self.shift_end_s - self.shot_start_s
        return left_s + DAY_S if left_s <= 0 and left_s + DAY_S <= LONGEST_SHIFT_S else left_s


class Vacuum(Model):
    """The vacuum planned under the film, and the pump that has to make it."""

    cavity_pa: Annotated[float, Field(ge=0, le=100_000)] = 3_000.0
    pump_ultimate_pa: Annotated[float, Field(ge=0, le=100_000)] = 200.0
    pump_speed_m3_s: Annotated[float, Field(gt=0, le=100)] = 16 / 3600


class Skin(Model):
    """A reusable film: a skin of silicone or one sprayed on the mould, good for so many shots."""

    kind: Literal["silicone", "sprayed"] = "silicone"
    price: Amount | None = None
    life_shots: Annotated[int, Field(ge=1, le=1_000_000)] = 80
    shots: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    """Shots that it had made before this job's log."""
    put_in_at: AwareDatetime | None = None
    """When it was put in new, if it was in this job's log: only shots that were begun later count."""


class Bag(Model):
    """Film and pleats; ``pleats`` is the number planned, None for as many as the film needs."""

    film_excess: Annotated[float, Field(ge=0, le=2)] = 0.3
    """Film area over the developed surface."""
    excess_per_pleat_m: Annotated[float, Field(ge=0.005, le=10)] = 0.15
    pleats: Annotated[int, Field(ge=0, le=500)] | None = None
    tape_width_m: Annotated[float, Field(ge=0.001, le=1)] = 0.012
    shape: Literal["sheet", "tube", "box"] = "sheet"
    """A sheet taped all round on the flange; a tube that goes round part and mould and is taped at its two ends; or a
    sheet that is folded to a box as high as the mould, its four corners sealed, and taped like the first."""
    mould_thickness_m: Annotated[float, Field(ge=0, le=5)] = 0.02
    """Of the mould, or the plate under it, that a tube goes round."""
    openings: Literal["covered", "cut out"] = "covered"
    """Whether the film runs over holes of the part, or is cut out there and taped round them."""
    film: Identifier | None = None
    tape: Identifier | None = None
    parts: Annotated[int, Field(ge=1, le=12)] = 1
    """Parts that lie under it and are shot at once, each like the one that is drawn, with lines of its own that are fed
    from the same bucket and opened together."""
    parts_apart_m: Annotated[float, Field(ge=0, le=100)] = 0.1
    """From one to the next."""
    parts_along: Literal["x", "y"] = "x"
    """They lie side by side this way."""
    parts_mirrored: bool = False
    """Every other one is the other hand."""
    skin: Skin = Skin()
    """In place of film, tape and pleats where the film is reusable."""
