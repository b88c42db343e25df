"""What the fill counts, and what is done with the valves once the part is full."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from bibulon.job.base import Gap, Model


class FlowChoices(Model):
    """Effects that the fill counts or leaves out, gaps that resin may race along, and the valves after the fill."""

    thickening: Annotated[bool, Field(title="Resin thickens")] = True
    """The resin grows thicker with age; if not it stays as fresh as mixed until gel."""
    swelling: Annotated[bool, Field(title="Laminate swells")] = True
    """The laminate is thicker and more open where resin carries part of the pressure on it."""
    trapped_air: Annotated[bool, Field(title="Air is trapped")] = True
    """Dry places cut off from every vent keep their gas."""
    gravity: Annotated[bool, Field(title="Resin has weight")] = True
    """Resin climbs against its weight where the mould has heights."""
    by_batch: Annotated[bool, Field(title="Batches age apart")] = True
    """Each batch ages from its own pouring; if not all resin ages from the start of the shot."""
    core_gap_m: Gap = 0.0
    """Width of the gap beside every core edge."""
    edge_gap_m: Gap = 0.0
    """Width of the gap along the edge of the part."""
    feeds_after: Literal["clamped", "open", "to the pots"] = "clamped"
    """The feeds once the part is full; the bypass joins them to the pots."""
    vents_after: Literal["open", "shut"] = "open"
    """The vents once the part is full."""
