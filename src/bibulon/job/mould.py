"""The mould: what it is made of, how it stands to the part, and what is known of it on the day."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from bibulon.job.base import Length, Model, Name, Temperature

MouldKind = Literal["rigid composite", "metal", "glass plate", "foam", "wood or board", "flexible"]
Face = Literal["female", "male", "flat"]
Hand = Literal["single", "left", "right"]


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
    draft_deg: Annotated[float, Field(ge=0, le=90)] = 3.0
    corner_radius_m: Length | None = None
    """The tightest corner that fibre has to follow."""
