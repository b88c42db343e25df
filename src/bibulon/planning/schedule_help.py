"""What would let a schedule of batches hold, where none does."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from bibulon.arrays import Floats
from bibulon.assess import Assessment
from bibulon.job import Job
from bibulon.job.cards import ResinCard
from bibulon.job.charge import ChargePlan
from bibulon.job.edits import revised
from bibulon.quantities import Units, show
from bibulon.resin.batches import Batch, batches_of
from bibulon.resin.mixing import mixed_temperature_k, room_kg

COOLER_K, BATH_K = 5.0, 288.15
SLOWER = 2.0
MOST_PEOPLE = 20


@dataclass(frozen=True)
class Help:
    """Something that would let every batch be used up in time, in words, and how many batches it then takes."""

    words: str
    batches: int
    plan: ChargePlan | None = None
    """The charge with it, where it is one of the choices behind the charge."""


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Draw:
    """The resin that the fill of a job takes from its pots, (k,) masses at times; and the whole charge."""

    job: Job
    times_s: Floats
    drawn_kg: Floats
    total_kg: float


def draw_of(assessment: Assessment) -> Draw | None:
    """The draw of an assessment; None where it has no fill yet."""
    job, fill = assessment.job, assessment.fill
    if fill is None:
        return None
    drawn_kg = fill.drawn_m3.sum(axis=1) * job.resin.density_kg_m3 * job.parts_together
    return Draw(job, fill.times_s, drawn_kg, assessment.charge.total_kg)


def what_would_work(draw: Draw, hardeners: tuple[ResinCard, ...] = (), units: Units | None = None) -> tuple[Help, ...]:
    """What would make every batch of *draw* be used up in time. Single changes first, two together where no single one
    is enough."""
    job, times, drawn, total, units = draw.job, draw.times_s, draw.drawn_kg, draw.total_kg, units or Units()
    plan = revised(job.charge, batches=())

    def made(plan: ChargePlan, resin: ResinCard, mixed_k: float, times_s: Floats, room: float) -> tuple[Batch, ...]:
        return batches_of(
            plan, resin, mixed_k, total, times_s, drawn, job.bucket.heel_kg, air_k=job.shop.temperature_k, room_kg=room,
            weighed=job.weighed,
        )  # fmt: skip

    room = room_kg(job)
    room = math.inf if room is None else room
    mixed_k = mixed_temperature_k(job)
    bath = show(BATH_K, "temperature", units, 0)
    cooler = show(COOLER_K, "temperature difference", units)
    same = _Way("", plan, job.resin, mixed_k, room)
    ways = [
        replace(
            same,
            words="a second person with a second scale",
            plan=revised(plan, people=min(plan.people + 1, MOST_PEOPLE), scales=min(plan.scales + 1, MOST_PEOPLE)),
        ),
        replace(
            same,
            words=f"pots in a water bath of {bath}",
            plan=revised(plan, bath_k=BATH_K),
        ),
        replace(same, words="wide shallow trays", plan=revised(plan, pot_shape="tray")),
        replace(
            same,
            words=f"components {cooler} cooler",
            mixed_k=mixed_k - COOLER_K,
        ),
        *(replace(same, words=card.name, resin=card) for card in hardeners),
        replace(same, words="a fill half as fast, with feeds throttled or fewer", slower=SLOWER),
    ]
    if math.isfinite(room) and room < plan.largest_batch_kg:
        ways.append(replace(same, words="a bucket that takes the largest batch", room_kg=math.inf))
    found: list[Help] = []
    for way in ways:
        batches = made(way.plan, way.resin, way.mixed_k, times * way.slower, way.room_kg)
        if all(batch.in_time for batch in batches):
            found.append(Help(way.words, len(batches), way.chosen(plan, job)))
    if found:
        return tuple(found)
    person, *others = ways
    for way in others:
        both = revised(way.plan, people=person.plan.people, scales=person.plan.scales)
        batches = made(both, way.resin, way.mixed_k, times * way.slower, way.room_kg)
        if all(batch.in_time for batch in batches):
            together = replace(way, plan=both)
            found.append(Help(f"{person.words}, and {way.words}", len(batches), together.chosen(plan, job)))
    return tuple(found)


@dataclass(frozen=True)
class _Way:
    """A change that may help."""

    words: str
    plan: ChargePlan
    resin: ResinCard
    mixed_k: float
    room_kg: float
    slower: float = 1.0

    def chosen(self, before: ChargePlan, job: Job) -> ChargePlan | None:
        """The charge with it, where it is all that is changed."""
        alone = self.resin is job.resin and self.slower == 1.0 and self.mixed_k == mixed_temperature_k(job)
        return self.plan if alone and self.plan != before else None
