"""Feed lines, vent lines, flow media, bucket and catch pots."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator

from bibulon.job.base import Identifier, Label, Model, NotNegative, Point, Positive, Share
from bibulon.job.part import Outline, checked_outline


class AtTime(Model):
    """The valve is opened at a time on the run clock."""

    kind: Literal["at time"] = "at time"
    time_s: NotNegative = 0.0


class WhenReached(Model):
    """The valve is opened when resin has passed the whole of a line, as a rule the valve's own."""

    kind: Literal["when resin passes"] = "when resin passes"
    line: Identifier


Opening = Annotated[AtTime | WhenReached, Field(discriminator="kind")]


class Line(Model):
    """A feed or vent line on the plan with its hose and labelled valve."""

    id: Identifier
    kind: Literal["feed", "vent"]
    label: Label
    points: Annotated[tuple[Point, ...], Field(min_length=2)]
    tube: Identifier
    hose: Identifier
    hose_length_m: Positive = 2.0
    port_at: Share = 0.5
    """Where the hose joins, as a share of the line's length from its first point."""
    opens: Opening = AtTime()
    closes_s: NotNegative | None = None

    @field_validator("points")
    @classmethod
    def _has_length(cls, points: tuple[Point, ...]) -> tuple[Point, ...]:
        if all(point == points[0] for point in points):
            raise ValueError("a line needs two different points")
        return points


class MediaPatch(Model):
    """An area of flow media."""

    id: Identifier
    card: Identifier
    outline: Outline

    _check = field_validator("outline")(checked_outline)


class Bucket(Model):
    """Where the resin stands: height below the part (negative above) and what the dip tube leaves."""

    below_part_m: Annotated[float, Field(ge=-5, le=9)] = 0.5
    heel_kg: NotNegative = 0.3


class CatchPot(Model):
    """A catch pot (resin trap) between part and pump."""

    label: Label
    capacity_m3: Positive
