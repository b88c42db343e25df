"""What all cards have in common."""

from __future__ import annotations

from datetime import date
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from bibulon.job.base import (
    Amount,
    Identifier,
    Label,
    Model,
    Name,
)

Source = Literal["class default", "data sheet", "strip test", "past job", "measured"]


Spread = Annotated[float, Field(ge=1.0, le=100.0)]


class Measured(Model):
    """A value with its geometric spread (1.6 = a factor of 1.6 either way, one standard deviation) and its source."""

    value: Annotated[float, Field(ge=1e-20, le=1e-3)]
    spread: Spread = 1.0
    source: Source = "class default"


class Counted(Model):
    """What was found on the shelf of one card for a job, in the unit the card is sold by."""

    card: Identifier
    amount: Amount


class StockCard(Model):
    """What all cards have: ``price`` and ``in_hand`` count in the unit of ``sold_by``."""

    sold_by: ClassVar[str] = "piece"

    id: Identifier
    name: Name
    price: Amount | None = None
    """In the shop's money; None if nobody has said."""
    in_hand: Amount | None = None
    lot: Label = ""
    expires: date | None = None
    spread: Spread = 1.05
    """Geometric spread of the values that have none of their own."""
    source: Source = "class default"
    """Where the values are from that do not say so themselves."""
    note: str = ""
