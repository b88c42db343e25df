"""Where the resin of a shot goes, in mass and in volume, and the mass at which to stop it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.laminate.closed_mould import channel_section_m2
from bibulon.laminate.relief import rim_length_m
from bibulon.mould.injection import injection_course
from bibulon.mould.shots import FIGURES, chart_of, shots_of

CLAMPED_IN_S = 2.0
"""From the word until the inlets are clamped."""


@dataclass(frozen=True)
class ShotMass:
    """The resin of a shot (kg): in the part, the rim channel, lines and hoses, and the pot until gel; drawn in all, as
    the volume (m³) that a machine counts too; and the mass at which the word is given, since some still runs on."""

    part_kg: float
    channel_kg: float
    lines_kg: float
    pot_kg: float
    drawn_kg: float
    drawn_m3: float
    stop_kg: float
    pot_usual_kg: tuple[float, float] | None
    """Between what limits the shop's own shots lie; None with too few."""

    @property
    def runs_on_kg(self) -> float:
        """What still comes in from the word until the inlets are clamped."""
        return self.drawn_kg - self.stop_kg


def shot_mass(job: Job, fill: FillResult) -> ShotMass:
    """The resin of a shot of *job* as its *fill* has it."""
    density, course = job.resin.density_kg_m3, injection_course(job, fill)
    drawn_m3 = float(course.drawn_m3[-1])
    channel_m3 = 0.0
    if job.closed and job.pair.channel.profile != "none":
        channel_m3 = channel_section_m2(job.pair.channel) * rim_length_m(job.part)
    bled_m3 = 0.0 if fill.after is None else fill.after.bled_m3
    word_s = max(fill.end_s - CLAMPED_IN_S, 0.0)
    stop_m3 = float(np.interp(word_s, course.times_s, course.drawn_m3))
    chart = chart_of(FIGURES[0], shots_of(job))
    usual = None
    if chart is not None and chart.low is not None and chart.high is not None:
        usual = max(chart.low, 0.0), chart.high
    return ShotMass(
        part_kg=(float(fill.in_part_m3[-1]) - bled_m3) * density,
        channel_kg=channel_m3 * density,
        lines_kg=(float(fill.in_lines_m3[-1]) - channel_m3) * density,
        pot_kg=(float(fill.in_pots_m3[-1]) + bled_m3) * density,
        drawn_kg=drawn_m3 * density,
        drawn_m3=drawn_m3,
        stop_kg=stop_m3 * density,
        pot_usual_kg=usual,
    )
