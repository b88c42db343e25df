"""The house rules by which a plan and a run are judged, with the figures that ship as defaults."""

from __future__ import annotations

from bibulon.job.base import Model, Positive


class HouseRules(Model):
    """Thresholds of the cautions; a shop may set each to its own figure."""

    vacuum_rise_pa: Positive = 1_000.0
    """During a shot, the vacuum may lose so much against its best."""
