"""Cautions about heat and cure through the stack, ramps and holds."""

from __future__ import annotations

import math
from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.cautions.registry import Finding, Rank, caution
from bibulon.cure.answers import post_cure, stands_k, too_hot, wanted_tg_k
from bibulon.cure.as_logged import hottest_read
from bibulon.durations import clock_time
from bibulon.quantities_in_words import brief, brief_each, percent

WORTH_SAYING_S = 600.0
"""A part that is cured less than this later than planned is as planned."""
NAMES = {
    "resin": "The resin", "core": "The core", "mould": "The mould", "film": "The film", "tape": "The tape",
}  # fmt: skip


@caution(
    "cure-too-hot",
    "caution",
    "cure",
    why="What gets hotter than it stands scorches, softens or shrinks: resin cracks, foam crushes, moulds warp.",
    remedy="Cool it: thinner shots, a slower hardener, a cooler mould or hold. Cure lists what each gives.",
)
def cure_too_hot(assessment: Assessment) -> Iterator[Finding]:
    study = assessment.cure_study
    if study is None:
        return
    hot = too_hot(assessment.job, study)
    if not hot:
        return
    worst = max(hot, key=lambda one: one.peak_k - one.most_k)
    gets, stands = brief_each((worst.peak_k, worst.most_k), "temperature", assessment.units)
    others = [one.what for one in hot if one is not worst]
    more = f" So do{'' if others[1:] else 'es'} the {' and the '.join(others)}." if others else ""
    rank: Rank = "stop" if worst.what == "resin" else "caution"
    yield Finding(
        f"{NAMES[worst.what]} gets {gets} in the cure and stands {stands}.{more}", worst.stack.place, rank=rank
    )


@caution(
    "cure-stands-still",
    "caution",
    "cure",
    why="Resin that is colder than its glass transition hardly cures on: the part stays soft, however long it is left.",
    remedy="Warm the mould, plan a hold, or take a faster hardener; ask the maker for the least temperature.",
)
def cure_stands_still(assessment: Assessment) -> Iterator[Finding]:
    study = assessment.cure_study
    if study is None or not study.stacks or math.isfinite(study.vacuum_off_s):
        return
    least = study.least_cure_at(study.end_s)
    span = brief(study.end_s - study.start_s, "duration")
    gels = "has not gelled" if not math.isfinite(study.last_gel_s) else "is not fit to let the vacuum go"
    yield Finding(f"{span} after the fill the least cured resin is {percent(least)} cured and {gels}.")


@caution(
    "part-colder-than-planned",
    "caution",
    "cure",
    why="Resin gels and hardens by its own temperature: colder than planned it takes longer, whatever the clock says.",
    remedy="Keep the vacuum on, warm the part within the data sheet, and go by a sample that lies as cold.",
)
def part_colder_than_planned(assessment: Assessment) -> Iterator[Finding]:
    colder = assessment.colder
    if colder is None or colder.later_s < WORTH_SAYING_S:
        return
    read, planned = brief_each((colder.read_k, colder.planned_k), "temperature", assessment.units)
    later = brief(colder.later_s, "duration")
    until = clock_time(assessment.job.shot_start_s + assessment.cure.release_s)
    at = clock_time(assessment.job.shot_start_s + colder.at_s)
    yield Finding(
        f"A thermocouple at the part read {read} at {at} where the plan has {planned}: by what was read the vacuum has "
        f"to stay on until {until}, {later} later than planned."
    )


@caution(
    "part-hotter-than-it-stands",
    "stop",
    "cure",
    why="What gets hotter than it stands scorches, softens or shrinks: resin cracks, foam crushes, moulds warp.",
    remedy="Take heating and covers off and cool the part from outside; leave the vacuum on, and keep clear of fumes.",
)
def part_hotter_than_it_stands(assessment: Assessment) -> Iterator[Finding]:
    job, off_s = assessment.job, assessment.cure.demould_s
    off_s = math.inf if off_s is None else off_s
    for taken_off, span_s in ((False, (-math.inf, off_s)), (True, (off_s, math.inf))):
        what, most_k = stands_k(job, taken_off)
        hottest = hottest_read(job, *span_s)
        if hottest is not None and hottest[1] > most_k:
            read, most = brief_each((hottest[1], most_k), "temperature", assessment.units)
            at = clock_time(job.shot_start_s + hottest[0])
            yield Finding(f"A thermocouple at the part read {read} at {at}; the {what} stands {most}.")
            return


@caution(
    "tg-not-reached",
    "caution",
    "cure",
    why="Above its glass transition the part softens: it creeps under load, and its print shows in the sun.",
    remedy="Plan a post-cure, warmed up no faster than the resin cures, or take a resin that stands more.",
)
def tg_not_reached(assessment: Assessment) -> Iterator[Finding]:
    study, job = assessment.cure_study, assessment.job
    if study is None or not study.stacks or job.curing.tg_wanted_k is None:
        return
    wanted = wanted_tg_k(job)
    if math.isfinite(study.tg_over_s(wanted)):
        return
    reached = float(study.law.tg_k(study.least_cure_at(study.end_s)))
    has, wants = brief_each((reached, wanted), "temperature", assessment.units)
    hold = post_cure(job, study)
    if hold is None:
        help_ = " No hold of this resin brings it."
    else:
        at, span = brief(hold.hold_k, "temperature", assessment.units), brief(hold.hold_s, "duration")
        help_ = f" {span} at {at} would."
    yield Finding(f"The cure as planned brings a glass transition of {has}; {wants} is wanted.{help_}")
