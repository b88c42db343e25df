"""What a station lets be seen and edited on the plan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from bibulon.job.base import StationId

LayerName = Literal[
    "stack",
    "fill",
    "field",
    "media",
    "marked cells",
    "corners",
    "joints",
    "fittings",
    "bag",
    "rim",
    "lines",
    "proposal",
    "sizes",
    "region names",
    "marks of the front",
    "leaks",
]
"""Layers of the plan beside those that are always there (part, regions, relief, outline, cautions)."""


@dataclass(frozen=True)
class Shown:
    """The layers that a station shows, and the kinds of object that can be moved and reshaped there.

    ``cautions_of`` is the station whose cautions are placed on the plan.
    """

    cautions_of: StationId
    layers: frozenset[LayerName]
    edits: tuple[str, ...] = ()
