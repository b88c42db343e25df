"""Feed lines, vent lines, flow media, bucket and catch pots."""

from __future__ import annotations

from collections.abc import Collection
from typing import Annotated, Any, Literal

from pydantic import Field, field_validator, model_validator

from bibulon.job.base import Duration, Identifier, Label, Length, Mass, Model, Point, Pressure, Share, Thickness
from bibulon.job.places import Outline


class AtTime(Model):
    """The valve is opened at a time on the run clock."""

    kind: Literal["at time"] = "at time"
    time_s: Duration = 0.0


class WhenReached(Model):
    """The valve is opened when resin has passed the whole of a line, as a rule the valve's own."""

    kind: Literal["when resin passes"] = "when resin passes"
    line: Identifier


class WhenAtPoint(Model):
    """The valve is opened when resin has come to a place on the plan."""

    kind: Literal["when resin is at a place"] = "when resin is at a place"
    place: Point


class WhenFull(Model):
    """The valve is opened when this share of the pores is full."""

    kind: Literal["when so much is full"] = "when so much is full"
    share: Share


class WhenBatchUsed(Model):
    """The valve is opened when the batch of this number is used up."""

    kind: Literal["when a batch is used up"] = "when a batch is used up"
    batch: Annotated[int, Field(ge=1, le=200)]


class WhenTurned(Model):
    """The valve is turned when another is opened, clamped or throttled."""

    kind: Literal["when another valve turns"] = "when another valve turns"
    line: Identifier
    to: Literal["open", "clamped", "throttled"] = "open"


Trigger = Annotated[
    AtTime | WhenReached | WhenAtPoint | WhenFull | WhenBatchUsed | WhenTurned, Field(discriminator="kind")
]
"""What a valve is turned by."""


ValveState = Literal["open", "clamped", "throttled"]
ValveAction = Literal["opened", "clamped", "throttled"]
ACTIONS: dict[ValveState, ValveAction] = {"open": "opened", "clamped": "clamped", "throttled": "throttled"}
"""What is done to a valve that is to stand so."""


class Turn(Model):
    """What is done to a valve once it was opened, and when; it waits until what stands before it was done."""

    to: ValveState
    when: Trigger = AtTime()
    share: Annotated[float, Field(ge=0.01, le=1)] = 0.5
    """Of what the open hose carries, that a throttled one lets through."""


class Line(Model):
    """A feed or vent line on the plan with its hose and labelled valve."""

    id: Identifier
    kind: Literal["feed", "vent"]
    label: Label
    points: Annotated[tuple[Point, ...], Field(min_length=2)]
    tube: Identifier
    hose: Identifier
    hose_length_m: Length = 2.0
    port_at: Share = 0.5
    """Where the hose joins, as a share of the line's length from its first point."""
    hose_way: Annotated[tuple[Point, ...], Field(max_length=40)] = ()
    """Places on the plan that the hose is led past from there, the last where it ends; empty: not drawn."""
    opens: Trigger = AtTime()
    """When a feed is opened first; a vent is open from the start."""
    turns: Annotated[tuple[Turn, ...], Field(max_length=20)] = ()
    """What is done to its valve after that, in this order."""
    fed_by: Identifier | None = None
    """What the hose of a feed comes from: another feed or a manifold; None: the bucket."""
    membrane: bool = False
    """A vent that lets air through but holds resin back."""
    ends_sealed: bool = True
    """Of a membrane: whether its ends are closed, so that resin cannot get in there."""
    level_pa: Pressure | None = None
    """Absolute pressure that a vent is kept at by a regulator of its own; None: the vacuum of the job."""
    bridge: Literal["nothing", "mesh", "peel ply"] = "nothing"
    """What leads the air to a vent that lies off the part."""
    is_port: bool = False
    """An inlet or vent at a place, as through a mould half: its two points are the sides of its bore."""

    @property
    def word(self) -> str:
        """What it is called: an inlet where a feed is a port."""
        return "inlet" if self.is_port and self.kind == "feed" else self.kind

    @property
    def place(self) -> Point:
        """The middle between its ends: where a port is."""
        (x0, y0), (x1, y1) = self.points[0], self.points[-1]
        return (x0 + x1) / 2, (y0 + y1) / 2

    def is_branch(self, manifolds: Collection[str]) -> bool:
        """Whether a feed hangs on another feed, and not on the bucket or one of the *manifolds*."""
        return self.fed_by is not None and self.fed_by not in manifolds

    def has_valve(self, manifolds: Collection[str]) -> bool:
        """Whether it is worked by itself: a branch that nothing is planned for has nothing to clamp, under the film."""
        planned = bool(self.turns) or not isinstance(self.opens, AtTime) or self.opens.time_s > 0
        return planned or not self.is_branch(manifolds)

    @property
    def is_clamped(self) -> bool:
        """Whether its valve is clamped by plan before the end, whatever is done after."""
        return any(turn.to == "clamped" for turn in self.turns)

    @property
    def waits_for(self) -> tuple[str, ...]:
        """The other lines that its valve goes by."""
        triggers = (self.opens, *(turn.when for turn in self.turns))
        return tuple(trigger.line for trigger in triggers if isinstance(trigger, WhenReached | WhenTurned))

    @model_validator(mode="before")
    @classmethod
    def _from_earlier(cls, data: Any) -> Any:
        """Lines from before ``turns`` had one time of clamping at most, ``closes_s``."""
        if isinstance(data, dict) and "closes_s" in data:
            data = dict(data)
            closes_s = data.pop("closes_s")
            if closes_s is not None and "turns" not in data:
                data["turns"] = ({"to": "clamped", "when": {"kind": "at time", "time_s": closes_s}},)
        return data

    @model_validator(mode="after")
    def _vents_are_not_throttled(self) -> Line:
        if self.kind == "vent" and any(turn.to == "throttled" for turn in self.turns):
            raise ValueError("a vent is opened or clamped, not throttled")
        return self

    @field_validator("points")
    @classmethod
    def _has_length(cls, points: tuple[Point, ...]) -> tuple[Point, ...]:
        if all(point == points[0] for point in points):
            raise ValueError("a line needs two different points")
        return points


class Manifold(Model):
    """A pipe beside the part, fed by one hose from the bucket, that hoses of feeds come from: those of all parts that
    are made together, or of one each."""

    id: Identifier
    label: Label
    tube: Identifier
    length_m: Length = 1.0
    hose: Identifier
    hose_length_m: Length = 1.0
    each_part: bool = False
    """Whether each of several parts has one of its own."""


class MediaPatch(Model):
    """An area of flow media."""

    id: Identifier
    card: Identifier
    outline: Outline
    layers: Annotated[int, Field(ge=1, le=5)] = 1
    """How often it lies over itself."""
    stretched: Annotated[float, Field(ge=0, le=1)] = 0.0
    """By how much it is drawn longer than it came off the roll, as a share: it is thinner by that."""


class Bucket(Model):
    """Where the resin stands, what presses it, and what the dip tube leaves: a bucket, a pressure pot or a machine."""

    below_part_m: Annotated[float, Field(ge=-5, le=9)] = 0.5
    """Height of the bucket below the part; negative above it."""
    heel_kg: Mass = 0.3
    over_pressure_pa: Annotated[float, Field(ge=0, le=1_000_000)] = 0.0
    """Pressure over the atmosphere in a pressure pot, or the most that a machine gives; 0 for an open bucket."""
    rate_m3_s: Annotated[float, Field(ge=0, le=0.1)] = 0.0
    """Flow that a machine holds while its pressure allows; 0 where the vacuum or the pot draws what it may."""


class CatchPot(Model):
    """A catch pot (resin trap) between part and pump."""

    label: Label
    capacity_m3: Annotated[float, Field(gt=0, le=1000)]
    lid: bool = True
    """Whether a lid with a sound seal is on it."""
    place: Point | None = None
    """Where it stands on the plan of a mould; None: beside the vent."""
    barb_m: Thickness | None = None
    """Bore of the hose that goes on its barbs; None: not measured."""
    liner: bool = False
    """Whether a liner stands in it, so that it is used again."""
    inlets: Annotated[int, Field(ge=1, le=20)] | None = None
    """Hoses that can be put on its lid from the part's side; None: not counted."""
