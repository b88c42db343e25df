"""Bubbles told apart by how they come: gas of the resin, air of a hose, a leak; with what to do about each."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from bibulon.assess import Assessment
from bibulon.cautions.places import listed
from bibulon.flow.network import pipe_volume_m3
from bibulon.job.gear_cards import TubeCard
from bibulon.quantities import show
from bibulon.quantities_in_words import brief

BubblesSeen = Literal[
    "everywhere at once", "a steady trail from one place", "a burst after a valve was opened", "from the feed"
]
WAYS: tuple[BubblesSeen, ...] = get_args(BubblesSeen)


@dataclass(frozen=True)
class BubbleCause:
    """What bubbles are, in a few words, why that is thought of this job, and what to do."""

    cause: str
    because: str
    do: str


def bubbles_told(assessment: Assessment, seen: BubblesSeen, vacuum_pa: float | None = None) -> BubbleCause:
    """What bubbles *seen* in a shot of *assessment* are; *vacuum_pa* is the vacuum as it is read, if it is."""
    tell = {
        "everywhere at once": _everywhere,
        "a steady trail from one place": _trail,
        "a burst after a valve was opened": _burst,
        "from the feed": _from_feed,
    }
    return tell[seen](assessment, assessment.job.vacuum_pa if vacuum_pa is None else vacuum_pa)


def _everywhere(assessment: Assessment, vacuum_pa: float) -> BubbleCause:
    resin, units = assessment.job.resin, assessment.units
    at, lowest = show(vacuum_pa, "pressure", units), show(resin.lowest_pressure_pa, "pressure", units)
    if vacuum_pa < resin.lowest_pressure_pa:
        because = f"The vacuum stands at {at}; {resin.name} gases below {lowest}."
        return BubbleCause(
            "The resin gases", because, f"Let the pressure rise slowly to {lowest}: they go back into it."
        )
    because = f"The vacuum stands at {at}, above the {lowest} at which {resin.name} gases by its card."
    do = "Look whether it was stirred full of air, or is too warm; let the pressure rise a little and watch."
    return BubbleCause("Air stirred into the resin, or resin that is too warm", because, do)


def _trail(assessment: Assessment, vacuum_pa: float) -> BubbleCause:
    verdicts, units = assessment.hold_verdicts, assessment.units
    because = "No hold test says how large it is."
    if verdicts:
        leak = show(verdicts[-1][1].leak_pa_m3_s, "leak rate", units)
        passed = "passed" if verdicts[-1][1].passed else "failed"
        because = f"The last hold test {passed} with {leak}."
    there = "look at seal, joint or sleeve there"
    if not assessment.job.in_mould:
        there = "press tape, pleat root or port there, and put fresh tape over it"
    return BubbleCause(
        "A leak", because, f"Follow it upstream to where it begins: {there}. Do not clamp the feed for it."
    )


def _burst(assessment: Assessment, vacuum_pa: float) -> BubbleCause:
    job = assessment.job
    at_port = [feed for feed in job.feeds if job.plumbing.hose(feed.id).shut_at == "port"]
    because = "Its hose was planned to be shut at the bucket, where the vacuum empties it: it was not, or not tight."
    if at_port:
        volume = sum(pipe_volume_m3(job.card(feed.hose, TubeCard).bore_m, feed.hose_length_m) for feed in at_port)
        holds = brief(volume, "volume", assessment.units)
        because = (
            f"{listed(feed.label for feed in at_port)} shut at the port hold {holds} of air until they are opened."
        )
    do = "Let it go to the vent: do not clamp that vent early. Open what is left of such hoses before resin is there."
    return BubbleCause("Air of the hose", because, do)


def _from_feed(assessment: Assessment, vacuum_pa: float) -> BubbleCause:
    job, units = assessment.job, assessment.units
    heel = show(job.bucket.heel_kg, "mass", units)
    because = f"The dip tube draws air below {heel} in the bucket, or a joint of the feed hose does."
    do = "Clamp the feed at once, fill the bucket or press the joint, and open again; no air goes in while it is shut."
    return BubbleCause("Air through the feed", because, do)
