"""What all parts of a Job share: frozen models, points, identifiers."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field


class Model(BaseModel):
    """A frozen, hashable value; unknown fields, infinities and NaN are refused."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, use_attribute_docstrings=True)


def _on_the_plan(point: tuple[float, float]) -> tuple[float, float]:
    if not all(math.isfinite(c) and abs(c) <= 1000 for c in point):
        raise ValueError("a point lies more than 1 km from the origin")
    return point


Point = Annotated[tuple[float, float], AfterValidator(_on_the_plan)]
"""A place on the plan: x to the right and y up, in metres."""

StationId = Literal["part", "layup", "lines", "bag", "mould", "hold", "charge", "shoot", "cure", "log", "series"]
"""A place in the work: where a caution is mended, a note shown."""
Identifier = Annotated[str, Field(min_length=1, max_length=80)]
Label = Annotated[str, Field(max_length=40)]
Name = Annotated[str, Field(max_length=200)]
Length = Annotated[float, Field(ge=1e-6, le=1000)]
Thickness = Annotated[float, Field(gt=0, le=1)]
Gap = Annotated[float, Field(ge=0, le=0.1)]
Coordinate = Annotated[float, Field(ge=-1000, le=1000)]
ArealWeight = Annotated[float, Field(gt=0, le=200)]
Density = Annotated[float, Field(ge=1, le=25_000)]
Mass = Annotated[float, Field(ge=0, le=100_000)]
BatchMass = Annotated[float, Field(ge=0.001, le=100_000)]
Pressure = Annotated[float, Field(ge=0, le=1_000_000)]
PressureDifference = Annotated[float, Field(gt=0, le=1_000_000)]
Duration = Annotated[float, Field(ge=0, le=2_592_000)]
"""Up to thirty days."""
LongTime = Annotated[float, Field(ge=1, le=1e9)]
"""Up to thirty years: what is not to happen at all."""
Exponent = Annotated[float, Field(ge=0, le=2)]
Amount = Annotated[float, Field(ge=0, le=1e9)]
Share = Annotated[float, Field(ge=0, le=1)]
Temperature = Annotated[float, Field(ge=233.15, le=523.15)]
"""A shop or mould temperature in kelvin (−40 to 250 °C)."""
