"""What the fill counts, and what is done with the valves once the part is full."""

from __future__ import annotations

from typing import Literal

from bibulon.job.base import Gap, Model


class FlowChoices(Model):
    """Effects that the fill counts or leaves out, gaps that resin may race along, and the valves after the fill."""

    thickening: bool = True
    """The resin grows thicker with age; if not it stays as fresh as mixed until gel."""
    swelling: bool = True
    """The laminate is thicker and more open where resin carries part of the pressure on the film."""
    trapped_air: bool = True
    """Dry places cut off from every vent keep their gas."""
    gravity: bool = True
    """Resin feels its weight inside a part with heights."""
    by_batch: bool = True
    """Each batch ages from its own pouring; if not all resin ages from the start of the shot."""
    core_gap_m: Gap = 0.0
    """Width of the gap beside every core edge."""
    edge_gap_m: Gap = 0.0
    """Width of the gap along the edge of the part."""
    feeds_after: Literal["clamped", "open"] = "clamped"
    """The feeds once the part is full."""
    vents_after: Literal["open", "shut"] = "open"
    """The vents once the part is full."""
