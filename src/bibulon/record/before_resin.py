"""Before resin is let in: what is checked, and how old the hold test is by then."""

from __future__ import annotations

from datetime import datetime

from bibulon.assess import Assessment
from bibulon.job import CLAMPED_BY_VACUUM, WITH_BLADDER, Job
from bibulon.quantities_in_words import age_words, brief

HELD = "check hold"
"""The step that asks for the hold test."""
IN_SPITE_OF_LEAK = "although the last hold test failed"
"""What a note in the log says where resin was mixed or let in all the same, with the name of who decided it."""
READY_CHECKS = {
    "hold": ("Last hold test read and passed", "Vacuum on, pump and its spare running, pots empty and shut."),
    "people": (
        "Everyone at a labelled valve, gloves and glasses on",
        "Feeds clamped. Bucket below the part, dip tube to the floor.",
    ),
}
"""What is checked before the first feed is opened: the label in the log, what is so, and what goes with it."""


def held_ago(assessment: Assessment, now: datetime) -> str:
    """How long ago the last hold test was read, and what speaks against beginning on it; empty where none is kept."""
    if not assessment.hold_verdicts:
        return ""
    test, verdict = assessment.hold_verdicts[-1]
    if not verdict.passed:
        return "The last test did not pass: find the leak and hold again."
    age_s, most_s = (now - test.taken_at).total_seconds(), assessment.job.house.hold_age_s
    if age_s < 0:  # by a clock that is set otherwise
        return ""
    words = f"The last test was read {age_words(age_s)} ago"
    return f"{words}, and {brief(most_s, 'duration')} is the most: hold again." if age_s > most_s else f"{words}."


def _as_tested(job: Job, passed: str) -> str:
    return passed if job.hold_tests else "No test is kept at Hold: hold first. "


def ready_checks(job: Job) -> dict[str, tuple[str, str]]:
    """What is checked before the first feed of *job* is opened."""
    if not job.in_mould:
        held, vacuum = READY_CHECKS["hold"]
        return {**READY_CHECKS, "hold": (held, f"{_as_tested(job, '')}{vacuum}")}
    source = job.pair.injection.source
    supply = {
        "bucket": "Dip tube to the floor of the bucket, no air in the hose.",
        "pressure pot": "Pot shut, relief valve free, no air in the hose.",
        "machine": "Recipe set, hose free of air" + (" and warm." if job.pair.injection.recirculated else "."),
    }[source]
    if job.process in CLAMPED_BY_VACUUM:
        held = "Both spaces hold"
    elif job.process in WITH_BLADDER:
        held = "Cavity and bladder hold"
    else:
        held = "Cavity holds, clamps shut"
    return {
        "hold": (
            held,
            f"{_as_tested(job, 'Read and passed. ')}Pump and its spare proved before anything is mixed; catch pot "
            "empty, its lid on.",
        ),
        "people": ("Vent open, hands clear", f"Somebody watches the pot. Gloves and glasses on. {supply}"),
    }
