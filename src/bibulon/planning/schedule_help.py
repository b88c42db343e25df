"""What would let a schedule of batches hold, where none does.

Where the first batch is too thick by the time it is poured, there is no fill whose draw would tell when each is wanted:
the draw of a fill with resin as it is just mixed stands in for it.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import islice

from bibulon.arrays import Floats
from bibulon.assess import Assessment, assess
from bibulon.flow.refusal import FlowRefusal
from bibulon.flow.result import FillResult
from bibulon.flow.scheduled import scheduled_fill
from bibulon.job import Job
from bibulon.job.cards import ResinCard
from bibulon.job.charge import ChargePlan
from bibulon.job.edits import changed, revised
from bibulon.quantities import Units, show
from bibulon.resin.batches import Batch, batches_of
from bibulon.resin.mixing import mixed_temperature_k, room_kg

COOLER_K, BATH_K = 5.0, 288.15
SLOWER = 2.0
LARGER = (1.5, 2.0, 3.0, 4.0, 6.0, 8.0)
MORE_PEOPLE = 4
MOST_PEOPLE = 20
ROUGH_NODES = 400


@dataclass(frozen=True)
class Help:
    """Something that would let every batch be used up in time, in words, and how many batches it then takes."""

    words: str
    batches: int
    plan: ChargePlan | None = None
    """The charge with it, where it is one of the choices behind the charge."""


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Draw:
    """The resin that the fill of a job takes from its pots, (k,) masses at times, as if no batch had been waited for;
    and the whole charge."""

    job: Job
    times_s: Floats
    drawn_kg: Floats
    total_kg: float


def draw_of(assessment: Assessment) -> Draw | None:
    """The draw of an assessment; None where it has no fill yet."""
    return None if assessment.fill is None else _draw(assessment, assessment.fill)


def draw_of_fresh(job: Job) -> Draw | FlowRefusal:
    """The draw of *job* filled roughly with resin that is just mixed, however it is planned; or why it cannot be."""
    try:
        fill = scheduled_fill(changed(job, flow=revised(job.flow, by_batch=False)), ROUGH_NODES, after=True)
    except FlowRefusal as refusal:
        return refusal
    return _draw(replace(assess(job), fill=fill), fill)


def _draw(assessment: Assessment, fill: FillResult) -> Draw:
    job = assessment.job
    drawn_kg = fill.drawn_m3.sum(axis=1) * job.resin.density_kg_m3 * job.parts_together
    return Draw(job, fill.flowing_s, drawn_kg, assessment.charge.total_kg)


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
    hands = [replace(same, words=words, plan=more) for words, more in _more_hands(plan)]
    ways = [
        replace(same, words=f"pots in a water bath of {bath}", plan=revised(plan, bath_k=BATH_K)),
        replace(same, words="wide shallow trays", plan=revised(plan, pot_shape="tray")),
        replace(same, words=f"components {cooler} cooler", mixed_k=mixed_k - COOLER_K),
        *(replace(same, words=card.name, resin=card) for card in hardeners),
        replace(same, words="a fill half as fast, with feeds throttled or fewer", slower=SLOWER),
    ]
    if math.isfinite(room) and room < plan.largest_batch_kg:
        ways.append(replace(same, words="a bucket that takes the largest batch", room_kg=math.inf))
    masses = [times_as_large * plan.largest_batch_kg for times_as_large in LARGER]
    larger = [
        replace(same, words=f"batches of up to {show(kg, 'mass', units)}", plan=revised(plan, largest_batch_kg=kg))
        for kg in masses
        if kg <= min(room, total)
    ]

    def helping(way: _Way) -> Iterator[Help]:
        batches = made(way.plan, way.resin, way.mixed_k, times * way.slower, way.room_kg)
        if all(batch.in_time for batch in batches):
            yield Help(way.words, len(batches), way.chosen(plan, job))

    found = []
    for rising in (hands, larger):  # the least of it that is enough
        found += list(islice((one for way in rising for one in helping(way)), 1))
    found += [one for way in ways for one in helping(way)]
    for way in ways if hands and not found else []:
        both = revised(way.plan, people=hands[0].plan.people, scales=hands[0].plan.scales)
        found += helping(replace(way, words=f"{hands[0].words}, and {way.words}", plan=both))
    return tuple(found)


def _more_hands(plan: ChargePlan) -> Iterator[tuple[str, ChargePlan]]:
    """*plan* with one more pot mixed at a time, with two, and so on: what it takes in words, and the plan."""
    at_once = min(plan.people, plan.scales)
    for hands in range(at_once + 1, min(at_once + MORE_PEOPLE, MOST_PEOPLE) + 1):
        more = revised(plan, people=max(hands, plan.people), scales=max(hands, plan.scales))
        people, scales = more.people - plan.people, more.scales - plan.scales
        words = [f"{people} more {'person' if people == 1 else 'people'} to mix"] if people else []
        words += [f"{scales} more {'scale' if scales == 1 else 'scales'}"] if scales else []
        yield " and ".join(words), more


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
