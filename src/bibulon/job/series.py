"""How many parts are wanted, and what each has to keep to."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from bibulon.job.base import Model


class Series(Model):
    """The run that a job stands for."""

    quantity: Annotated[int, Field(ge=1, le=1_000_000)] = 1
    """Parts over the whole run."""
    thickness_tolerance: Annotated[float, Field(gt=0, le=1)] | None = None
    """Share that the thickness may be off to either side; None: whatever the process gives."""
