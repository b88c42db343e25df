"""Cautions about weighing and mixing: the dose of a catalyst, ratios, batches planned by hand."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.cautions.places import listed
from bibulon.cautions.registry import Finding, Fix, InMould, caution
from bibulon.durations import clock_time
from bibulon.job import Job
from bibulon.job.dosing import dose_of
from bibulon.job.edits import changed, revised
from bibulon.quantities_in_words import brief, brief_each, percent
from bibulon.resin.batches import MOST_BATCHES, SHORT_SHARE
from bibulon.resin.mixing import mixed_temperature_k, ratios_disagree
from bibulon.resin.weighed import dose_off, dose_words, dosed_in_range, ratio_words, weighed_off

RATIOS_APART = 0.02


def _dose_in_range(job: Job) -> Job:
    dose = job.resin.dose
    if dose is None:
        return job
    return changed(job, charge=revised(job.charge, dose=min(max(dose_of(job.resin), dose.least), dose.most)))


@caution(
    "catalyst-out-of-range",
    "stop",
    "charge",
    why="Too little catalyst never cures through, too much boils, cracks and burns; neither can be put right later.",
    remedy="Dose within the maker's range, by temperature; never more to hurry. Warm or cool the shop instead.",
    fix=Fix("Take the nearest dose of the range", _dose_in_range),
    of_plan=True,
)
def catalyst_out_of_range(assessment: Assessment) -> Iterator[Finding]:
    resin = assessment.job.resin
    if resin.dose is None:
        return
    planned = dose_of(resin)
    if not resin.dose.least * (1 - 1e-6) <= planned <= resin.dose.most * (1 + 1e-6):
        least, most = percent(resin.dose.least, 2), percent(resin.dose.most, 2)
        yield Finding(
            f"{percent(planned, 2)} of {resin.dose.component} are planned; the maker's range is {least} to {most}."
        )


@caution(
    "mix-ratio-off",
    "stop",
    "charge",
    why="Resin of the wrong ratio stays soft or brittle wherever it has gone, and no cure mends it.",
    remedy="Set the pot aside, away from people, and weigh another. If some is in the part, ask the maker.",
)
def mix_ratio_off(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    wrong = [one for one in job.mixed if abs(weighed_off(job.resin, one.masses_kg)) > job.house.ratio_off]
    if not wrong:
        return
    worst = max(wrong, key=lambda one: abs(weighed_off(job.resin, one.masses_kg)))
    words = ratio_words(job.resin, worst.masses_kg, job.house.ratio_off, assessment.units)
    others = [f"B{one.number}" for one in wrong if one is not worst]
    more = f" The ratio of {listed(others)} is wrong as well." if others else ""
    yield Finding(f"B{worst.number} was weighed with {words}.{more}")


@caution(
    "dose-not-as-planned",
    "caution",
    "charge",
    why="Resin with more catalyst gels sooner and gets hotter, with less it gels later: it is cured through either way "
    "while the dose is within the maker's range.",
    remedy="Nothing is to be set aside: fill, pots, margin and cure are reckoned with the dose that was weighed. Dose "
    "the batches to come as planned, or plan them with this dose.",
)
def dose_not_as_planned(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    off = [(one, dose_off(job.resin, one.masses_kg)) for one in job.mixed if dosed_in_range(job.resin, one.masses_kg)]
    off = [(one, share) for one, share in off if abs(share) > job.house.ratio_off]
    if not off or job.resin.dose is None:
        return
    worst, _ = max(off, key=lambda pair: abs(pair[1]))
    others = [f"B{one.number}" for one, _ in off if one is not worst]
    more = f" {listed(others)} {'are' if len(others) > 1 else 'is'} off as well." if others else ""
    yield Finding(f"{dose_words(job, worst, assessment.units)}{more}")


@caution(
    "ratios-disagree",
    "caution",
    "charge",
    why="One of the ratios is wrong, or a density: whoever measures by the other mixes resin that never cures.",
    remedy="Ask the maker which holds, and correct the card.",
    of_plan=True,
)
def ratios_apart(assessment: Assessment) -> Iterator[Finding]:
    resin = assessment.job.resin
    off = ratios_disagree(resin)
    if off > RATIOS_APART:
        yield Finding(f"By volume the card of {resin.name} mixes {percent(off)} otherwise than by weight and density.")


@caution(
    "batch-comes-late",
    "caution",
    "charge",
    why="The bucket is down to its heel before the next batch is there: the dip tube draws air into the part.",
    remedy="Mix it sooner, make the batch before it larger, or clamp the feeds until it is there, as the fill reckons.",
    in_mould=InMould(remedy="Mix it sooner, make the batch before it larger, or clamp the inlets until it is there."),
)
def batch_comes_late(assessment: Assessment) -> Iterator[Finding]:
    late = [batch for batch in assessment.batches if batch.comes_late]
    if late:
        start = assessment.job.shot_start_s
        worst = max(late, key=lambda batch: batch.late_s)
        wanted = clock_time(start + worst.pour_s - worst.late_s)
        others = [batch for batch in late if batch is not worst]
        more = f" {listed(f'B{batch.number}' for batch in others)} come late too." if others else ""
        cause = next((cause for cause in assessment.causes[:1] if cause.kind == "batch"), None)
        if cause is not None:  # the margin is missed, and for this most of all
            share = brief(cause.share, "share", assessment.units)
            more += f" That holds the fill back: with every batch in time the part fills in {share} of the time."
        yield Finding(f"B{worst.number} is wanted at {wanted} and mixed {brief(worst.late_s, 'duration')} later.{more}")


@caution(
    "batches-short",
    "stop",
    "charge",
    why="What is in no batch is not mixed: the feed runs dry with the part half full.",
    remedy="Add a batch, make them larger, or let the program plan them.",
    fix=Fix(
        "Plan as few as will do",
        lambda job: changed(job, charge=revised(job.charge, batches=())),
        lambda job: bool(job.charge.batches),
    ),
)
def batches_short(assessment: Assessment) -> Iterator[Finding]:
    wanted = assessment.charge.total_kg
    if missing := assessment.unplanned_kg:
        has, needs = brief_each((wanted - missing, wanted), "mass", assessment.units)
        yield Finding(f"The batches that are planned by hand come to {has}; the charge is {needs}.")
        return
    planned = sum(batch.mass_kg for batch in assessment.batches)
    if len(assessment.batches) >= MOST_BATCHES and wanted - planned > SHORT_SHARE * wanted:
        has, needs = brief_each((planned, wanted), "mass", assessment.units)
        yield Finding(f"More than {MOST_BATCHES} batches are not planned: they come to {has}; the charge is {needs}.")


@caution(
    "weighed-mix-off",
    "caution",
    "charge",
    why="A warmer mix gels sooner, a colder one flows slower. Fill, pots and margin are reckoned with it now.",
    remedy="Bring the components to the planned temperature, and measure the mix, not the drums.",
)
def weighed_mix_off(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    planned = mixed_temperature_k(job)
    off = [
        (record.temperature_k - planned, record)
        for record in job.mixed
        if record.temperature_k is not None and abs(record.temperature_k - planned) > job.house.mix_temperature_k
    ]
    if off:
        _, record = max(off, key=lambda pair: abs(pair[0]))
        assert record.temperature_k is not None
        is_, plan = brief_each((record.temperature_k, planned), "temperature", assessment.units)
        more = f" {len(off) - 1} more are off as well." if len(off) > 1 else ""
        yield Finding(f"B{record.number} was mixed at {is_}; its components should make {plan}.{more}")
