"""What the hoses of a job are put on, clamped with and led through; dip tube and bucket; bypass; what stands before
the pump. A hose is named by what it belongs to: the identifier of its line or manifold, or one of the names below."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Annotated, Literal

from pydantic import Field, model_validator

from bibulon.job.base import Identifier, Label, Length, Model, Thickness

Through = Literal["tape", "film"]
DipCut = Literal["flat", "at an angle", "notched"]
ShutAt = Literal["bucket", "port"]
BucketSize = Annotated[float, Field(ge=0.02, le=3)]
ReducerEnd = Literal["start", "end"]

PUMP_HOSE = "pump"
"""The hose from the last pot, or the regulator, to the pump."""
REGULATOR_HOSE = "regulator"
"""The hose from the last pot to the regulator."""
BYPASS_HOSE = "bypass"


def hose_between_pots(one: str, other: str) -> str:
    """The name of the hose from the pot with the label *one* to that with the label *other*."""
    return f"pots {one} {other}"


class FittedHose(Model):
    """What is chosen about the ends of a hose; None: what the shelf has that fits."""

    id: Identifier
    port: Identifier | None = None
    """The fitting where the hose joins its line."""
    clamp: Identifier | None = None
    through: Through = "tape"
    """What the hose goes through into the bag."""
    tape_turns: Annotated[int, Field(ge=0, le=10)] = 1
    """Turns of tape round a hose that goes through the tape."""
    shut_at: ShutAt = "bucket"
    """Where the hose of a feed is shut until it is opened: at the bucket it is empty of air, at the port it is not."""
    tightest_bend_m: Length | None = None
    """Radius of the tightest bend on its way; None: not looked at."""
    reducer_at_start: Identifier | None = None
    reducer_at_end: Identifier | None = None
    elbow: Identifier | None = None
    elbows: Annotated[int, Field(ge=0, le=20)] = 0
    """How many elbows are put where its drawn way is tightest, and which."""

    @property
    def cards(self) -> Iterable[str]:
        """The identifiers of the cards that are chosen."""
        chosen = self.port, self.clamp, self.reducer_at_start, self.reducer_at_end, self.elbow
        return (card for card in chosen if card is not None)


class BucketShape(Model):
    """A round bucket, wider at the top as a rule: diameters inside, and its height."""

    known: bool = False
    """Whether it was measured; else what is left under the dip tube is typed."""
    base_m: BucketSize = 0.25
    top_m: BucketSize = 0.29
    height_m: BucketSize = 0.3

    def volume_m3(self, depth_m: float) -> float:
        """What stands in it *depth_m* deep: a frustum of a cone, ``π h (d₀² + d₀ d₁ + d₁²) / 12``."""
        depth = min(max(depth_m, 0.0), self.height_m)
        width = self.base_m + (self.top_m - self.base_m) * depth / self.height_m
        return math.pi * depth * (self.base_m**2 + self.base_m * width + width**2) / 12

    def depth_m(self, volume_m3: float) -> float:
        """How deep *volume_m3* stands in it, its height at the most: the frustum solved for its height."""
        if volume_m3 <= 0:
            return 0.0
        if volume_m3 >= self.volume_m3(self.height_m):
            return self.height_m
        slope = (self.top_m - self.base_m) / self.height_m
        if abs(slope) < 1e-9:
            return volume_m3 / (math.pi * self.base_m**2 / 4)
        width_cubed = self.base_m**3 + 12 * volume_m3 * slope / math.pi
        return (math.cbrt(max(width_cubed, 0.0)) - self.base_m) / slope


class DipTube(Model):
    """The end of the hose that stands on the bucket's floor."""

    cut: DipCut = "at an angle"
    opening_m: Annotated[float, Field(ge=0, le=0.3)] = 0.015
    """Height over the floor of the highest point of the cut or notch, where it draws air first."""

    @property
    def draws_air_at_m(self) -> float:
        """The depth of resin at which it draws air: that of its opening; a flat cut on the floor has none."""
        return 0.0 if self.cut == "flat" else self.opening_m


class Bypass(Model):
    """A hose from the feed side to the first pot, shut until surplus resin is drawn off late."""

    label: Label = "BP"
    hose: Identifier
    hose_length_m: Length = 3.0
    source: Identifier | None = None
    """The feed or manifold whose hose it is teed into; None: the bucket."""
    clamps: Annotated[int, Field(ge=0, le=10)] = 2


class Plumbing(Model):
    """Everything between bucket and pump that is not a line on the plan."""

    hoses: Annotated[tuple[FittedHose, ...], Field(max_length=500)] = ()
    dip: DipTube = DipTube()
    bucket: BucketShape = BucketShape()
    between_pots_m: Length = 1.0
    pump_hose: Identifier | None = None
    """The tube between pots and to the pump; None: as the first vent's hose."""
    pump_hose_m: Length = 2.0
    pump_barb_m: Thickness | None = None
    """Bore of the hose that goes on the pump's barb; None: not measured."""
    regulator: bool = False
    regulator_barb_m: Thickness | None = None
    regulator_hose_m: Length = 1.0
    spare_pump: bool = False
    bypass: Bypass | None = None

    @model_validator(mode="after")
    def _hoses_are_named_once(self) -> Plumbing:
        names = [hose.id for hose in self.hoses]
        if len(set(names)) != len(names):
            raise ValueError("two entries are for one hose")
        return self

    def hose(self, name: str) -> FittedHose:
        """What is chosen about the hose of that *name*: nothing, for one without an entry."""
        return next((hose for hose in self.hoses if hose.id == name), FittedHose(id=name))
