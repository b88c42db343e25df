"""What happened on the day, in order."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AwareDatetime, Field

from bibulon.job.base import Label, Model, Point

EventKind = Literal[
    "ply laid",
    "ply taken up",
    "debulked",
    "debulk cleared",
    "check ticked",
    "check cleared",
    "photographed",
    "started",
    "valve opened",
    "valve clamped",
    "front marked",
    "batch added",
    "step done",
    "reading",
    "note",
    "vacuum let go",
    "finished",
]


class RunEvent(Model):
    """One entry of the run log; ``clock_s`` counts from the opening of the first feed."""

    number: Annotated[int, Field(ge=1)]
    at: AwareDatetime
    clock_s: float
    kind: EventKind
    label: Label = ""
    text: Annotated[str, Field(max_length=2000)] = ""
    by: Label = ""
    """Who did it, where that was asked."""
    photograph: Annotated[str, Field(max_length=1_500_000, pattern=r"^[A-Za-z0-9+/=]*$")] = ""
    """A picture, made small, as JPEG in base64."""
    place: Point | None = None
    mass_kg: Annotated[float, Field(ge=0)] | None = None
    vacuum_pa: Annotated[float, Field(ge=0)] | None = None
    temperature_k: Annotated[float, Field(ge=0)] | None = None
    rehearsal: bool = False
    """True when the simulated instruments, not real ones, were on the bench."""
