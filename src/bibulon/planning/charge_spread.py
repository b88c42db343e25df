"""How much more or less resin than planned a part may take, and what then is to be done."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bibulon.assess import Assessment
from bibulon.laminate.cells import laminate_of

TOLERANCE_OF_CAVITY = 0.03
"""By what share a closed cavity may be higher than it was built to, where no tolerance is asked of it."""


@dataclass(frozen=True)
class ChargeSpread:
    """What the part may take by the spread of its fabrics, or of a cavity's height, against what is mixed.

    ``short_kg`` is missing where it takes the most: the feed is clamped by ``clamp_s`` and more mixed from ``mix_by_s``
    on, on the run clock; None where what is mixed is enough, or without a fill. ``over_kg`` stays over where it takes
    the least, at a cost of ``over_cost`` in the shop's money (None: no price).
    """

    least_kg: float
    most_kg: float
    mixed_kg: float
    short_kg: float
    clamp_s: float | None
    mix_by_s: float | None
    over_kg: float
    over_cost: float | None
    why: str


def charge_spread(assessment: Assessment) -> ChargeSpread:
    """How much more or less resin the part may take, one standard deviation either way, all of it to the same side."""
    job, charge = assessment.job, assessment.charge
    laminate, density = laminate_of(job), job.resin.density_kg_m3
    more = less = 0.0
    if job.closed:
        why = "the height of the cavity"
        tolerance = job.series.thickness_tolerance or TOLERANCE_OF_CAVITY
        for cell in laminate.cells:
            more += cell.area_m2 * tolerance * (cell.stack.cavity_m or cell.stack.thickness_m)
        less = more
    else:
        why = "how the fabrics pack, and how heavy they are"
        for cell in laminate.cells:
            stack = cell.stack
            fibre_m = stack.fibre_fraction * stack.laminate_thickness_m
            if fibre_m <= 0:
                continue
            loose = max(stack.fibre_fraction / stack.fibre_fraction_spread, 0.05)
            dense = min(stack.fibre_fraction * stack.fibre_fraction_spread, 0.95)
            more += cell.area_m2 * (fibre_m * stack.weight_spread * (1 / loose - 1) - stack.void_m)
            less += cell.area_m2 * (stack.void_m - fibre_m / stack.weight_spread * (1 / dense - 1))
    planned = charge.total_kg - next((item.mass_kg for item in charge.items if item.name == "Contingency"), 0.0)
    more_kg, less_kg = (max(volume, 0.0) * density * job.parts_together for volume in (more, less))
    most, least = planned + more_kg, planned - less_kg
    short = max(most - charge.total_kg, 0.0)
    clamp_s = mix_by_s = None
    if short > 0 and assessment.fill is not None:
        times, drawn = assessment.drawn_curve
        if len(times) > 1 and drawn[-1] > 0:
            thicker = drawn * (drawn[-1] + more_kg) / drawn[-1]
            gone = charge.total_kg - job.bucket.heel_kg
            clamp_s = float(np.interp(gone, thicker, times)) if thicker[-1] > gone else float(times[-1])
            mix_by_s = clamp_s - job.charge.mix_time_s
    over = max(charge.total_kg - least, 0.0)
    cost = None if job.resin.price is None else over * job.resin.price
    return ChargeSpread(least, most, charge.total_kg, short, clamp_s, mix_by_s, over, cost, why)
