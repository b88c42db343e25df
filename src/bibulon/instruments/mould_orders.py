"""What is done to a served mould before or during its shot, and how the simulator has it answer.

The supply is set to another pressure or rate, or the flange to another vacuum. The plan is filled anew with what was
done: up to that moment as it went, from then on as ordered.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from bibulon.assess import Assessment, assess, filled
from bibulon.instruments.simulated_mould import Curve, MouldWorld
from bibulon.job import CLAMPED_BY_VACUUM
from bibulon.job.edits import revised, with_pair
from bibulon.job.pair import InjectionStep, UntilTime
from bibulon.mould.injection import injection_course
from bibulon.quantities import QuantityKind, Units
from bibulon.quantity_text import parse

NODES, LEVELS = 400, 1
MOST_STEPS = 20
TURNS_S = 0.001
"""A step of the recipe begins within so much of its time."""


def pressed(plan: Assessment, over_pa: float, at_s: float) -> Assessment | None:
    """*plan* with pot or machine at *over_pa* over the atmosphere from *at_s* of the run clock, and no more than it is
    rated for, as its relief valve sees to."""
    injection = plan.job.pair.injection
    if injection.source == "bucket" or over_pa < 0:
        return None
    return _supplied(plan, InjectionStep(over_pressure_pa=min(over_pa, injection.rated_pa)), at_s)


def rated(plan: Assessment, rate_m3_s: float, at_s: float) -> Assessment | None:
    """*plan* with a machine that gives *rate_m3_s* from *at_s*, for as long as what it is rated for is enough."""
    injection = plan.job.pair.injection
    if injection.source != "machine" or rate_m3_s <= 0:
        return None
    return _supplied(plan, InjectionStep(rate_m3_s=rate_m3_s, over_pressure_pa=injection.rated_pa), at_s)


def flange_set(plan: Assessment, flange_pa: float, at_s: float) -> Assessment | None:
    """*plan* with another pressure, absolute, between its seals; None where no flange vacuum holds the mould."""
    job = plan.job
    if job.process not in CLAMPED_BY_VACUUM or not 0 <= flange_pa <= job.shop.barometer_pa:
        return None
    return _filled(assess(with_pair(job, flange_pa=flange_pa)))


ORDERS: dict[str, tuple[QuantityKind, Callable[[Assessment, float, float], Assessment | None]]] = {
    "press": ("pressure difference", pressed),
    "rate": ("flow rate", rated),
    "flange": ("pressure", flange_set),
}
"""The words of the orders, what each counts in, and what it makes of a plan; None for what cannot be done."""


def after_order(plan: Assessment, word: str, text: str, at_s: float) -> Assessment | None:
    """*plan* once an order of :data:`ORDERS` was carried out at *at_s*; None where it cannot be. Raises
    :class:`~bibulon.quantity_text.QuantityError` for a figure that is none, ``ValueError`` for one out of bounds."""
    kind, do = ORDERS[word]
    return do(plan, parse(text, kind, Units(barometer_pa=plan.job.shop.barometer_pa)), at_s)


def _supplied(plan: Assessment, step: InjectionStep, at_s: float) -> Assessment | None:
    """*plan* with its recipe as it went up to *at_s*, and *step* from then on."""
    injection, kept = plan.job.pair.injection, list[InjectionStep]()
    if plan.fill is not None and at_s > 0:
        course = injection_course(plan.job, plan.fill)
        for went, (begun_s, ended_s) in zip(injection.steps, course.steps_s, strict=False):
            if ended_s < min(at_s, plan.fill.end_s):
                kept.append(went)
            elif begun_s < at_s:
                kept.append(revised(went, until=UntilTime(time_s=at_s)))
    if len(kept) >= MOST_STEPS:
        return None
    return _filled(assess(with_pair(plan.job, injection=revised(injection, steps=(*kept, step)))))


def _filled(plan: Assessment) -> Assessment | None:
    done = filled(plan, NODES, levels=LEVELS)
    return None if done.fill is None else done


def joined(before: MouldWorld, after: MouldWorld, at_s: float) -> MouldWorld:
    """The mould *before* until *at_s*, and what it does *after* from then on: nothing that is in leaves it again, and
    it opens no sooner."""
    opens_s = None if after.opens_s is None else max(after.opens_s, at_s)
    if before.opens_s is not None and before.opens_s <= at_s:
        opens_s = before.opens_s
    return replace(
        after,
        opens_s=opens_s,
        drawn=joined_curve(before.drawn, after.drawn, at_s),
        caught=joined_curve(before.caught, after.caught, at_s),
        flow=_switched(before.flow, after.flow, at_s),
        supply=_switched(before.supply, after.supply, at_s),
    )


def _switched(before: Curve, after: Curve, at_s: float) -> Curve:
    """What is as *before* until *at_s*, and at once as *after* has it from then on."""
    then = [point for point in after if point[0] > at_s + TURNS_S]
    return (*(point for point in before if point[0] < at_s), *((at_s, value) for _, value in then[:1]), *then) or after


def joined_curve(before: Curve, after: Curve, at_s: float) -> Curve:
    """What grows along *before* until *at_s*, and goes on from there as *after* grows."""
    were, grow = np.array(before).T, np.array(after).T
    had, has = float(np.interp(at_s, *were)), float(np.interp(at_s, *grow))
    begin = [point for point in before if point[0] < at_s]
    return (*begin, (at_s, had), *((time_s, had + amount - has) for time_s, amount in after if time_s > at_s))
