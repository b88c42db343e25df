"""What there is at a place of the plan, in words: for the line under it, as the pointer moves."""

from __future__ import annotations

import numpy as np

from bibulon.assess import Assessment
from bibulon.desk.plan.maps import PlanMap
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.words import far_side_word
from bibulon.laminate.relief import heights_at
from bibulon.quantities import Units, show
from bibulon.quantities_in_words import percent

APART = "  ·  "


def described_at(assessment: Assessment, at: Point, shows_fill: bool, shown: PlanMap | None) -> str:
    """The place, its height, the stack there, when resin comes to it, and the value of the map that is *shown*."""
    units = assessment.units
    text = f"{show(at[0], 'length', units)}, {show(at[1], 'length', units)}"
    cell = assessment.laminate.at(*at)
    if cell is None:
        return text
    if relief := assessment.job.part.relief:
        text += f", {show(float(heights_at(relief, np.array([at]))[0]), 'length', units)} high"
    if cell.stack.layers:
        text += (
            f"{APART}{show(cell.stack.thickness_m, 'thickness', units)} thick, Vf {percent(cell.stack.fibre_fraction)}"
        )
    if shows_fill and assessment.fill is not None:
        text += _fill_at(assessment.job, assessment.fill, at, units)
        value = None if shown is None else shown.grid.at(*at)
        if shown is not None and value is not None:
            text += f"{APART}{shown.name[:1].lower()}{shown.name[1:]} {shown.text(value, units)}"
    return text


def _fill_at(job: Job, fill: FillResult, at: Point, units: Units) -> str:
    """When resin comes to each level, from the far side down; nothing off the part as it was filled."""
    try:
        times = fill.level_times_at(*at)
    except ValueError:
        return ""
    names = {"bag side": far_side_word(job)}
    said = [
        f"{names.get(name, name)} {'never' if time_s is None else show(time_s, 'duration', units)}"
        for name, time_s in times[::-1]
    ]
    return f"{APART}resin at {', '.join(said)}"
