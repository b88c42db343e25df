"""Cautions about the bucket and the catch pots at the two ends of the lines."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.cautions.places import beside_feeds
from bibulon.cautions.registry import Finding, Fix, InMould, caution
from bibulon.job import UNDER_FILM
from bibulon.job.edits import changed, revised, with_pot
from bibulon.quantities_in_words import brief, brief_each


@caution(
    "bucket-above-part",
    "stop",
    "lines",
    why="Resin standing above the part runs in by itself, lifts the film and floods the laminate.",
    remedy="Stand the bucket below the part.",
    fix=Fix("Stand it half a metre below", lambda job: changed(job, bucket=revised(job.bucket, below_part_m=0.5))),
    of_plan=True,
    processes=UNDER_FILM,
)
def bucket_above(assessment: Assessment) -> Iterator[Finding]:
    below = assessment.job.bucket.below_part_m
    if below < 0:
        above = brief(-below, "length", assessment.units)
        yield Finding(f"The bucket stands {above} above the part.", beside_feeds(assessment.job))


@caution(
    "pot-too-small",
    "stop",
    "lines",
    why="Resin that overruns the catch pot gets into the pump; the vacuum is lost with it.",
    remedy="Put a catch pot between part and pump that holds the bleed and as much again.",
    fix=Fix("Put a catch pot in", lambda job: with_pot(job), lambda job: not job.pots),
    in_mould=InMould(station="mould"),
)
def pot_size(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if not job.pots:
        yield Finding("There is no catch pot between the part and the pump.")
        return
    density = job.resin.density_kg_m3
    bleed = job.charge.bleed_kg / density
    if assessment.fill is not None:
        bleed = max(bleed, assessment.fill.caught_m3 * job.parts_together)
    room, reserve = sum(pot.capacity_m3 for pot in job.pots), job.house.pot_reserve
    if room < reserve * bleed:
        has, wants = brief_each((room, reserve * bleed), "volume", assessment.units)
        yield Finding(f"The catch pots hold {has}; the expected bleed with reserve is {wants}.")


@caution(
    "one-pot-large-part",
    "note",
    "lines",
    why="On a large part the bleed varies more, and a full pot cannot be changed under vacuum.",
    remedy="Set two pots in series.",
    of_plan=True,
)
def one_pot(assessment: Assessment) -> Iterator[Finding]:
    area = assessment.area_together_m2
    if len(assessment.job.pots) == 1 and area > assessment.job.house.large_part_m2:
        yield Finding(f"One catch pot for {brief(area, 'area', assessment.units)}.")
