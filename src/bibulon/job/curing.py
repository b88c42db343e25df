"""How a part is cured: ramps and holds of a heated mould or an oven, and what its glass transition is to be."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from bibulon.job.base import Duration, Label, Model, Temperature, Thickness

Heats = Literal["mould", "oven"]
"""What is heated: the mould, whose face is then held at the temperature; or the air of an oven round part and mould."""


class HeatStep(Model):
    """A ramp to a temperature, and a hold there."""

    heats: Heats = "mould"
    to_k: Temperature
    ramp_s: Duration = 1800.0
    hold_s: Duration = 7200.0


class LoggedPoint(Model):
    """What a thermocouple at the part showed at a time on the run clock."""

    time_s: Annotated[float, Field(ge=-864_000, le=2_592_000)]
    temperature_k: Annotated[float, Field(ge=200, le=700)]
    name: Label = ""
    """Of the thermocouple, where there are several."""
    shot: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    """Of how many shots there had been before the one that it was read in."""


class Curing(Model):
    """What is planned for the cure; nothing: at the shop's temperature, or the mould's where that is heated."""

    steps: Annotated[tuple[HeatStep, ...], Field(max_length=20)] = ()
    begins_s: Duration | None = None
    """When the first ramp begins, on the run clock; None: at the end of the fill."""
    tg_wanted_k: Temperature | None = None
    """Glass transition that the part has to have in use."""
    logged: Annotated[tuple[LoggedPoint, ...], Field(max_length=5000)] = ()
    """Temperatures of the part that were measured."""
    wall_m: Thickness | None = None
    """How thick the mould is; None: as is usual for its kind."""

    def read_in(self, shot: int) -> tuple[LoggedPoint, ...]:
        """The temperatures of the part that were typed or brought in, of the shot before which there had been so
        many."""
        return tuple(point for point in self.logged if point.shot == shot)
