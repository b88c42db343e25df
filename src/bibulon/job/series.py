"""How many parts are wanted, what each has to keep to, and how long the steps of a shot take."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from bibulon.job.base import Amount, Model

StepTime = Annotated[float, Field(ge=0, le=604_800)]


class CyclePlan(Model):
    """How long the shop takes for the steps of one shot in a closed mould; injection and cure are worked out."""

    clean_s: StepTime = 600.0
    gel_coat_s: StepTime = 3600.0
    """Spraying, and until it is tacky."""
    load_s: StepTime = 900.0
    close_s: StepTime = 300.0
    vacuum_s: StepTime = 420.0
    """Both vacuums, and the hold test."""
    open_s: StepTime = 600.0
    lowers: Annotated[int, Field(ge=1, le=50)] = 1
    """Lower halves for the one upper half."""
    people: Annotated[int, Field(ge=1, le=50)] = 1
    shift_s: Annotated[float, Field(gt=0, le=86_400)] | None = None
    """How long a shift is; None: from the planned start of the shot to the end of the shift."""
    wanted_s: Annotated[float, Field(gt=0, le=604_800)] | None = None
    """A shot is wanted so often; None: as often as it comes."""
    labour_per_h: Amount | None = None
    mould_price: Amount | None = None
    """Of the pair, over its life in shots."""


class Series(Model):
    """The run that a job stands for."""

    quantity: Annotated[int, Field(ge=1, le=1_000_000)] = 1
    """Parts over the whole run."""
    thickness_tolerance: Annotated[float, Field(gt=0, le=1)] | None = None
    """Share that the thickness may be off to either side; None: whatever the process gives."""
    cycle: CyclePlan = CyclePlan()
