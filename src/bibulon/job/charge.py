"""The resin that is planned to be mixed, and in what batches."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from bibulon.job.base import BatchMass, Duration, Identifier, Mass, Model


class ChargePlan(Model):
    """Choices behind the resin charge."""

    resin: Identifier
    contingency: Annotated[float, Field(ge=0, le=1)] = 0.1
    """Share of the computed charge mixed on top of it."""
    bleed_kg: Mass = 0.3
    in_hand_kg: Mass | None = None
    """Resin (all components) in the shop for this job; None if not counted yet."""
    largest_batch_kg: BatchMass = 8.0
    pot_life_share: Annotated[float, Field(gt=0.05, le=1)] = 0.6
    """A batch is used up within this share of its own pot life."""
    mix_time_s: Annotated[float, Field(ge=1, le=86_400)] = 360.0
    """What one person needs to weigh and mix one batch."""
    gel_margin_s: Duration = 1200.0
    """The fill has to end this long before gel."""
