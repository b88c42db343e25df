"""Cautions about hold tests and vacuum."""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import datetime, time, timedelta

from bibulon.assess import Assessment
from bibulon.bag.checks import bag_checks
from bibulon.cautions.places import listed
from bibulon.cautions.registry import Finding, Fix, InMould, caution
from bibulon.cure.answers import gases_below, safe_vacuum
from bibulon.job import CLAMPED_BY_VACUUM, UNDER_FILM, Job
from bibulon.job.edits import changed, revised
from bibulon.job.held_plan import changed_since
from bibulon.job.hold import HoldRules
from bibulon.quantities_in_words import age_words, brief, brief_each
from bibulon.vacuum.gauge_kind import gauge_counts_from
from bibulon.vacuum.hold import fallen_pa

NEARLY_ATMOSPHERE = 0.5
CURE_WARMS_K = 15.0
"""By so much a laminate warms as it cures, where that is not followed."""
LONG_HOLD_S = 2 * 3600.0
"""In less the barometer hardly moves."""


@caution(
    "hold-not-done",
    "caution",
    "hold",
    why="A leak draws air into the laminate until gel; it cannot be mended once resin is in.",
    remedy="Hold the vacuum, isolated from the pump, and enter the readings at Hold.",
)
def hold_not_done(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.job.hold_tests:
        yield Finding("No hold test has been entered.")


@caution(
    "hold-not-repeated",
    "caution",
    "hold",
    why="Fitting the feed hose opens new joints: the test before it says nothing of them.",
    remedy="Hold again with the feed hose fitted and clamped.",
)
def hold_not_repeated(assessment: Assessment) -> Iterator[Finding]:
    tests = assessment.hold_verdicts
    if tests and tests[-1][0].stage == "before the feed hose":
        yield Finding("The last hold test was done before the feed hose was fitted.")


@caution(
    "hold-too-old",
    "caution",
    "hold",
    why="Bags are leaned on, hoses are moved, tape creeps: a test says nothing of a bag hours later.",
    remedy="Hold again, just before the resin is mixed.",
    in_mould=InMould(
        why="Seals creep, tubes are moved, clamps are touched: a test says nothing of a mould hours later."
    ),
)
def hold_too_old(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.hold_verdicts:
        return
    job, test = assessment.job, assessment.hold_verdicts[-1][0]
    ended = test.taken_at
    started = next((event.at for event in job.shot if event.kind == "started"), None)
    planned = datetime.combine(assessment.on, time(), ended.tzinfo) + timedelta(seconds=job.shop.shot_start_s)
    age_s = ((started or planned) - ended).total_seconds()
    if age_s > job.house.hold_age_s:
        is_, most = age_words(age_s), brief(job.house.hold_age_s, "duration")
        was, when = ("was", "began") if started else ("will be", "begins")
        text = f"The last hold test {was} {is_} old when the shot {when}; {most} is the most."
        yield Finding(text, subject=test.id)


@caution(
    "hold-touched-since",
    "caution",
    "hold",
    why="Whatever was lifted, moved or pressed on after the test may leak now, and the test does not know.",
    remedy="Hold again: five minutes of hold against the whole part.",
)
def hold_touched_since(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.hold_verdicts:
        return
    job, test = assessment.job, assessment.hold_verdicts[-1][0]
    kinds = ("bag touched", "ply laid", "ply taken up", "debulked")
    bag = {check.label for check in bag_checks(job)}
    for event in job.run:
        done = event.kind in kinds or (event.kind == "check cleared" and event.label in bag)
        if done and event.at > test.taken_at:
            what = " ".join(word for word in (event.kind, event.label or event.text) if word)
            yield Finding(f"After the last hold test something was touched: {what}, {event.at:%H:%M}.", subject=test.id)
            return


@caution(
    "hold-plan-changed",
    "caution",
    "hold",
    why="What was added or moved after the test has joints that the test knows nothing of.",
    remedy="Hold again with everything as it is now.",
    of_plan=True,
)
def hold_plan_changed(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.hold_verdicts:
        return
    test = assessment.hold_verdicts[-1][0]
    what = changed_since(assessment.job, test.of_plan)
    if what:
        yield Finding(f"Changed on the plan since the last hold test: {listed(what)}.", subject=test.id)


@caution(
    "hold-drift-unknown",
    "note",
    "hold",
    why="A gauge that counts from the atmosphere moves with the barometer: overnight that looks like a leak, or hides "
    "one.",
    remedy="Read the barometer at the start and at the end and type it in, or take an absolute gauge.",
    of_plan=True,
)
def hold_drift_unknown(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.hold_verdicts:
        return
    test = assessment.hold_verdicts[-1][0]
    length = test.readings[-1][0] - test.readings[0][0]
    if test.gauge == "relative" and length > LONG_HOLD_S and len(test.barometer_readings) < 2:
        held = brief(length, "duration")
        yield Finding(f"The last hold test took {held} on a gauge that counts from the atmosphere.", subject=test.id)


@caution(
    "hold-too-short",
    "caution",
    "hold",
    why="A leak that fills the bag in half an hour does not show on a gauge in seconds.",
    remedy="Leave the bag isolated for as long as the house asks, and read the gauge at least at its start and end.",
    in_mould=InMould(
        why="A leak that fills the cavity in half an hour does not show on a gauge in seconds.",
        remedy="Leave the mould shut off for as long as the house asks, and read the gauge at least at its start and "
        "end.",
    ),
)
def hold_too_short(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.hold_verdicts:
        return
    test, least = assessment.hold_verdicts[-1][0], assessment.job.house.shortest_hold_s
    length = test.readings[-1][0] - test.readings[0][0]
    if length < least:
        held, asked = brief_each((length, least), "duration")
        yield Finding(f"The last hold test lasted {held}; the house asks for {asked}.", subject=test.id)


@caution(
    "hold-no-rule",
    "caution",
    "hold",
    why="Without a rule every test passes, a bag full of holes too.",
    remedy="Choose at Hold by which rule the shop judges a bag.",
    fix=Fix("Judge by the usual rules", lambda job: changed(job, hold_rules=HoldRules())),
    in_mould=InMould(
        why="Without a rule every test passes, a mould full of holes too.",
        remedy="Choose at Hold by which rule the shop judges a mould.",
    ),
)
def hold_no_rule(assessment: Assessment) -> Iterator[Finding]:
    if assessment.job.hold_tests and not assessment.hold_figures.rules:
        yield Finding("No house rule is chosen: nothing judges the hold test.")


@caution(
    "hold-falling",
    "caution",
    "hold",
    why="An isolated bag never gets better by itself: the pump was still on it, or what cooled down or drifted hides "
    "a leak.",
    remedy="Shut the valve to the pump, let the gauge and the shop settle, and hold again.",
    in_mould=InMould(
        why="A mould that is shut off never gets better by itself: the pump was still on it, or what cooled down or "
        "drifted hides a leak."
    ),
)
def hold_falling(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.hold_verdicts:
        return
    test, pair = assessment.hold_verdicts[-1][0], assessment.pair_reading
    if pair is not None and pair.leak == "across":
        return  # the one falls as the other draws on it
    for there, readings in (("", test.readings), (" in the flange", test.flange_readings)):
        fell = fallen_pa(test, readings) if readings else 0.0
        if fell >= max(assessment.hold_figures.visible_drop_pa, 1.0):
            by = brief(fell, "pressure difference", assessment.units)
            yield Finding(f"The pressure{there} falls by {by} during the last hold test.", subject=test.id)
            return


@caution(
    "hold-without-pots",
    "caution",
    "hold",
    why="A leak at the lid of a catch pot, or at its hose, draws air through the shot like any other; a test that "
    "leaves the pots out says nothing of them.",
    remedy="Hold once more with the pots open to the bag.",
    in_mould=InMould(remedy="Hold once more with the pots open to the cavity."),
)
def hold_without_pots(assessment: Assessment) -> Iterator[Finding]:
    job, tests = assessment.job, assessment.hold_verdicts
    if job.pots and tests and not tests[-1][0].pots_included:
        pots = listed(pot.label for pot in job.pots)
        yield Finding(f"The last hold test leaves out {pots}.", subject=tests[-1][0].id)


@caution(
    "hold-failed",
    "stop",
    "hold",
    why="A bag that does not hold is not infused: the dry materials cost more than the search.",
    remedy="Find the leak (Hunt a leak, at Hold: which branch to shut next, where to look first), mend it and hold "
    "again.",
    in_mould=InMould(
        why="A mould that does not hold is not injected: air that leaks in stays in the part.",
        remedy="Find the leak (seals, tubes in their sleeves, pots, the mould itself), mend it and hold again.",
    ),
)
def hold_failed(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.hold_verdicts:
        return
    test, verdict = assessment.hold_verdicts[-1]
    failed = [f"“{rule.rule}”: {rule.text}" for rule in verdict.rules if not rule.passed]
    if failed:
        yield Finding(f"The last hold test ({test.stage}) fails {'; and '.join(failed)}.", subject=test.id)


@caution(
    "gauge-misread",
    "caution",
    "hold",
    why="A vacuum gauge that counts down from atmosphere, read as absolute, hides a bag that is nearly full of air.",
    remedy="Check whether the gauge shows absolute pressure or vacuum, and set it for the readings.",
    processes=UNDER_FILM,
)
def gauge_misread(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.hold_verdicts:
        return
    test = assessment.hold_verdicts[-1][0]
    lowest = min(pressure for _, pressure in test.readings)
    if lowest > NEARLY_ATMOSPHERE * assessment.job.shop.barometer_pa:
        reading = brief(lowest, "pressure", assessment.units)
        yield Finding(
            f"The last hold test ({test.stage}) never gets below {reading}: it was perhaps read as vacuum, not as "
            "absolute pressure.",
            subject=test.id,
        )


def _as_the_readings_say(job: Job) -> Job:
    *before, last = job.hold_tests
    kind = gauge_counts_from(last)
    return job if kind is None else changed(job, hold_tests=(*before, revised(last, gauge=kind)))


@caution(
    "gauge-kind-doubtful",
    "caution",
    "hold",
    why="A gauge that counts from the atmosphere moves with it: read as absolute, the weather passes for a leak, or "
    "hides one.",
    remedy="Look at the gauge's plate, and say at the readings what it counts from.",
    fix=Fix(
        "Keep it as the readings say",
        _as_the_readings_say,
        lambda job: bool(job.hold_tests) and _as_the_readings_say(job) != job,
    ),
    processes=UNDER_FILM,
)
def gauge_kind_doubtful(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.hold_verdicts:
        return
    test = assessment.hold_verdicts[-1][0]
    kind = gauge_counts_from(test)
    if kind is not None and kind != test.gauge:
        does = "follow the barometer" if kind == "relative" else "do not follow the barometer"
        counts = "the atmosphere" if kind == "relative" else "nothing at all"
        kept = "absolute" if kind == "relative" else "counting from the atmosphere"
        yield Finding(
            f"The readings of the last hold test {does}: the gauge counts from {counts}, and is kept as {kept}.",
            subject=test.id,
        )


NO_LESS_PULL = 0.01
"""A pump that stays above the planned pressure by no more than this share of it reaches it."""


@caution(
    "pump-cannot-reach",
    "caution",
    "hold",
    why="The pump never gets down to the planned vacuum, and the plan is reckoned with a pull that is not there.",
    remedy="Mend what leaks, use a pump that goes deeper or has more speed, or plan less vacuum.",
)
def pump_cannot_reach(assessment: Assessment) -> Iterator[Finding]:
    ultimate, base = assessment.job.vacuum.pump_ultimate_pa, assessment.pump_base_pa
    if base > assessment.job.vacuum_pa * (1 + NO_LESS_PULL):
        reach, planned = brief_each((base, assessment.job.vacuum_pa), "pressure", assessment.units)
        leak = " with the measured leak" if ultimate <= assessment.job.vacuum_pa else " by itself"
        yield Finding(f"The pump can reach {reach}{leak}; the plan counts on {planned}.")


@caution(
    "pump-slow",
    "caution",
    "lines",
    why="A pump that takes long to empty the bag carries off little of what leaks in, and its level is long in coming.",
    remedy="Take a pump of more speed, or smaller pots and shorter hoses.",
    of_plan=True,
)
def pump_slow(assessment: Assessment) -> Iterator[Finding]:
    takes, most = assessment.pump_down_s, assessment.job.house.pump_down_s
    if most < takes < math.inf:
        took, allowed = brief_each((takes, most), "duration")
        yield Finding(f"The pump takes {took} to pull down to the planned vacuum; the house allows {allowed}.")


def _deepest_pa(job: Job) -> float:
    """The deepest vacuum to plan: by the resin's card, as warm as the resin comes in and some warmer as it cures."""
    safe = safe_vacuum(job, None) if job.resin.boiling else None
    warmer = 0.0 if safe is None else safe.boiling.deepest_pa(max(safe.filling_k, safe.after_k) + CURE_WARMS_K)
    return max(job.resin.lowest_pressure_pa, warmer)


@caution(
    "resin-boils",
    "caution",
    "hold",
    why="Under too deep a vacuum the resin itself gases: bubbles everywhere that no vent takes away.",
    remedy="Regulate the vacuum to a pressure that the resin's data sheet allows.",
    fix=Fix(
        "Plan the deepest that it allows",
        lambda job: changed(job, vacuum=revised(job.vacuum, cavity_pa=_deepest_pa(job))),
    ),
)
def resin_boils(assessment: Assessment) -> Iterator[Finding]:
    job, planned = assessment.job, assessment.job.vacuum_pa
    lowest, at_k = gases_below(job, assessment.cure_study)
    if planned < lowest * (1 - 1e-6):
        at = "" if at_k is None else f" at {brief(at_k, 'temperature', assessment.units)}"
        plan, limit = brief_each((planned, lowest), "pressure", assessment.units)
        yield Finding(f"The planned vacuum of {plan} is below the {limit} at which {job.resin.name} gases{at}.")


@caution(
    "flange-not-held",
    "caution",
    "hold",
    why="The flange is the clamp: a wing seal that leaks lets the mould open when resin is in it.",
    remedy="Hold both spaces at once, and enter the flange's readings beside the cavity's.",
    of_plan=True,
    processes=CLAMPED_BY_VACUUM,
)
def flange_not_held(assessment: Assessment) -> Iterator[Finding]:
    tests = assessment.hold_verdicts
    if tests and len(tests[-1][0].flange_readings) < 2:
        yield Finding("The last hold test read the cavity alone.")


@caution(
    "spaces-leak",
    "stop",
    "hold",
    why="What leaks while nothing is pressed leaks worse when resin is in, and air in the part cannot be taken out.",
    remedy="Mend what is named, and hold both spaces again.",
    of_plan=True,
    processes=CLAMPED_BY_VACUUM,
)
def spaces_leak(assessment: Assessment) -> Iterator[Finding]:
    pair = assessment.pair_reading
    if pair is not None and not pair.stands and pair.leak != "unsure":
        yield Finding(pair.text(assessment.units))
