"""The mould: what it is made of, how it stands to the part, and what is known of it on the day."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator

from bibulon.job.base import Label, Length, Model, Name, Point, Temperature

MouldKind = Literal["rigid composite", "metal", "glass plate", "foam", "wood or board", "flexible"]
Face = Literal["female", "male", "flat"]
Hand = Literal["single", "left", "right"]


class Corner(Model):
    """A corner of the mould that fibre has to follow."""

    label: Label
    place: Point
    radius_m: Annotated[float, Field(ge=1e-4, le=5)]
    turn_deg: Annotated[float, Field(ge=5, le=150)] = 90.0
    """By how much the mould's face turns there."""
    inside: bool = True
    """Whether fibre is pushed into it (female), or goes round it."""
    edge: Annotated[tuple[Point, ...], Field(max_length=20)] = ()
    """Its course on the plan, where it runs along an edge, ``place`` being on it; empty: it is at one place."""

    @field_validator("edge")
    @classmethod
    def _runs(cls, edge: tuple[Point, ...]) -> tuple[Point, ...]:
        if edge and (len(edge) < 2 or all(point == edge[0] for point in edge)):
            raise ValueError("an edge runs from one place to another")
        return edge


class Mould(Model):
    """The mould card."""

    kind: MouldKind = "rigid composite"
    face: Face = "flat"
    two_good_faces: bool = False
    """The part is to be smooth on both sides."""
    hand: Hand = "single"
    """Which of a mirrored pair this is."""
    release: Name = ""
    """Release agent and how it was put on."""
    temperature_k: Temperature | None = None
    """None: that of the shop."""
    highest_temperature_k: Temperature | None = None
    """What it stands; None: as is usual for its kind."""
    draft_deg: Annotated[float, Field(ge=-60, le=90)] = 3.0
    """Of its steepest walls; below zero where they lean over the part."""
    corner_radius_m: Length | None = None
    """The tightest corner that fibre has to follow, where none are listed."""
    corners: Annotated[tuple[Corner, ...], Field(max_length=100)] = ()
    """Corners, each at its place."""

    pieces: Annotated[tuple[Annotated[Name, Field(min_length=1)], ...], Field(max_length=30)] = ()
    """Of a mould that comes apart, in the order in which they are taken off."""
    pieces_sealed: Literal["not sealed", "on the outside", "on the resin side"] = "not sealed"
    """How the joints between the pieces are sealed."""

    @field_validator("corners")
    @classmethod
    def _labelled_once(cls, corners: tuple[Corner, ...]) -> tuple[Corner, ...]:
        labels = [corner.label for corner in corners]
        if len(set(labels)) < len(labels):
            raise ValueError("two corners have the same label")
        return corners
