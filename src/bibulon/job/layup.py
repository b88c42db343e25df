"""The ply book: what lies on the tool, in order from the tool face."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from bibulon.job.base import Identifier, Model, Name


class Layer(Model):
    """One entry of the ply book: a fabric or a core, ``count`` times, over the whole part or one region."""

    id: Identifier
    card: Identifier
    angle_deg: Annotated[float, Field(ge=-360, le=360)] = 0.0
    region: Name | None = None
    count: Annotated[int, Field(ge=1, le=500)] = 1
