"""What is around a part while it cures: the shop's air, a heated mould, the ramps and holds that are planned."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from bibulon.job import Job
from bibulon.job.curing import Heats
from bibulon.resin.through_thickness import HELD_W_M2_K, Around

TO_AIR_W_M2K, TO_OVEN_W_M2K = 10.0, 25.0
"""Still air, and the air that an oven's fan moves, class defaults."""


@dataclass(frozen=True)
class Leg:
    """A ramp or a hold: from a time to another on the run clock, from a temperature to another."""

    begin_s: float
    end_s: float
    begin_k: float
    end_k: float
    heats: Heats


def legs_of(job: Job, end_of_fill_s: float) -> tuple[Leg, ...]:
    """The ramps and holds that are planned, in order; a step of no ramp jumps."""
    begins = job.curing.begins_s
    now = end_of_fill_s if begins is None else max(begins, end_of_fill_s)
    level = {"mould": job.mould_temperature_k, "oven": job.shop.temperature_k}
    legs: list[Leg] = []
    for step in job.curing.steps:
        begin_k = level[step.heats]
        if step.ramp_s > 0:
            legs.append(Leg(now, now + step.ramp_s, begin_k, step.to_k, step.heats))
        now += step.ramp_s
        if step.hold_s > 0:
            legs.append(Leg(now, now + step.hold_s, step.to_k, step.to_k, step.heats))
        now += step.hold_s
        level = {"mould": job.mould_temperature_k, "oven": job.shop.temperature_k, step.heats: step.to_k}
    return tuple(legs)


def around_of(job: Job, legs: tuple[Leg, ...]) -> Callable[[float], Around]:
    """What is around the part of *job* at a time on the run clock.

    Before the first leg, and for good where there is none, a mould that is heated is held at its temperature; after the
    last leg part and mould cool in the shop's air.
    """
    shop_k, mould_k, closed = job.shop.temperature_k, job.mould.temperature_k, job.in_mould
    air = Around(shop_k, TO_AIR_W_M2K, shop_k, TO_AIR_W_M2K)
    held = air
    if mould_k is not None:
        above = (mould_k, HELD_W_M2_K) if closed else (shop_k, TO_AIR_W_M2K)
        held = Around(mould_k, HELD_W_M2_K, *above)
    begins = np.array([leg.begin_s for leg in legs])

    def around(time_s: float) -> Around:
        if not legs or time_s < legs[0].begin_s:
            return held
        leg = legs[int(np.searchsorted(begins, time_s, side="right")) - 1]
        if time_s >= leg.end_s:
            return air
        share = (time_s - leg.begin_s) / (leg.end_s - leg.begin_s)
        warm_k = leg.begin_k + share * (leg.end_k - leg.begin_k)
        if leg.heats == "oven":
            return Around(warm_k, TO_OVEN_W_M2K, warm_k, TO_OVEN_W_M2K)
        return Around(warm_k, HELD_W_M2_K, *((warm_k, HELD_W_M2_K) if closed else (shop_k, TO_AIR_W_M2K)))

    return around


def turns_of(legs: tuple[Leg, ...]) -> tuple[float, ...]:
    """When what is around bends or jumps."""
    return tuple(sorted({time for leg in legs for time in (leg.begin_s, leg.end_s)}))
