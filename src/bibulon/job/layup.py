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


class CutChoices(Model):
    """How plies are joined and cut."""

    overlap_m: Annotated[float, Field(ge=0, le=0.2)] = 0.025
    """Pieces of one ply overlap so much where they meet."""
    stagger_m: Annotated[float, Field(ge=0, le=1.0)] = 0.1
    """Joints of neighbouring plies are to lie at least so far apart."""
    allowance_m: Annotated[float, Field(ge=0, le=0.1)] = 0.0
    """What is left standing round each piece, to be trimmed."""
