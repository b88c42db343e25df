"""The resin that is planned to be mixed, and in what batches."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Annotated

from pydantic import Field

from bibulon.job.base import BatchMass, Duration, Identifier, Mass, Model, Temperature
from bibulon.job.resin_card import PotShape
from bibulon.job.run import MIXING, RunEvent, times_on_run_clock
from bibulon.quantity_text import QuantityError, parse_clock_near


class PlannedBatch(Model):
    """A batch that somebody has planned: how much, and from when it is mixed on the run clock."""

    mass_kg: BatchMass
    mix_s: Annotated[float, Field(ge=-864_000, le=2_592_000)] | None = None
    """None: as late as it may be."""


LEAST_WEIGHED_KG = 1e-3
"""Less on the scale is no batch."""
LEAST_SHARE_OF_MIXING = 0.25
"""A batch that is poured sooner after its mixing was ticked, as a share of what mixing takes, was ticked late."""


@dataclass(frozen=True)
class Weighed:
    """A batch as it was mixed, on the run clock; None where it was not written down."""

    mass_kg: float
    mix_s: float | None
    temperature_k: float | None
    begun_s: float | None = None
    """When the log has its mixing begun."""
    poured_s: float | None = None
    """When the log has it poured: it was mixed by then, whether or not anybody wrote down from when on."""
    masses_kg: tuple[float, ...] = ()
    """On the scale, by component; none where only the log tells of it."""

    def known_since(self, takes_s: float) -> float | None:
        """When its mixing, which *takes_s*, was begun, as it was written down or by the log; None if nothing says."""
        return self.mixed_by_s(takes_s) if self.mix_s is None else self.mix_s

    def mixed_by_s(self, takes_s: float) -> float | None:
        """When its mixing, which *takes_s*, was begun by what the log says; None if it says nothing.

        It counts from the tick that it was begun. Where there is none, or one that came too short before it was poured
        to be true, it was begun so long before it was poured.
        """
        if self.poured_s is None:
            return self.begun_s
        if self.begun_s is not None and self.poured_s - self.begun_s >= LEAST_SHARE_OF_MIXING * takes_s:
            return self.begun_s
        return self.poured_s - takes_s


class MixedBatch(Model):
    """A batch as it was mixed: what the mixing sheet has in writing."""

    shot: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    """How many shots had been begun before that which it is for; one that is rehearsed is none."""
    number: Annotated[int, Field(ge=1, le=999)]
    masses_kg: Annotated[tuple[Mass, ...], Field(max_length=12)]
    """On the scale, by component."""
    mixed_at: Annotated[str, Field(max_length=40)] = ""
    """The time of day from which it was mixed, as it was written down."""
    temperature_k: Temperature | None = None
    by: Annotated[str, Field(max_length=80)] = ""

    def on_clock(self, start_s: float) -> Weighed:
        """It on the run clock of a shot that begins at that time of day; a time that is none is left out."""
        mix_s: float | None
        try:
            mix_s = parse_clock_near(self.mixed_at, start_s)
        except QuantityError:
            mix_s = None
        return Weighed(sum(self.masses_kg), mix_s, self.temperature_k, masses_kg=self.masses_kg)


def as_mixed(sheets: Iterable[MixedBatch], shot: tuple[RunEvent, ...], start_s: float) -> tuple[Weighed, ...]:
    """The first batches of a *shot* as they were mixed, up to one that nobody has written down or that weighed nothing.

    What the *sheets* do not say is taken from the log, once the shot has begun, at *start_s* in the day.
    """
    by_number = {sheet.number: sheet for sheet in sheets}
    times = times_on_run_clock(event for event in shot if event.kind in ("started", "batch added", "step done"))
    first = {event.label: event for event in reversed(shot) if event.number in times}
    done: list[Weighed] = []
    while True:
        label = f"B{len(done) + 1}"
        begun, poured = first.get(MIXING.format(label)), first.get(label)
        if sheet := by_number.get(len(done) + 1):
            batch = sheet.on_clock(start_s)
        elif logged := poured or begun:
            batch = Weighed(logged.mass_kg or 0.0, None, None)
        else:
            break
        if batch.mass_kg < LEAST_WEIGHED_KG:
            break
        if begun is not None:
            batch = replace(batch, begun_s=times[begun.number])
        if poured is not None:
            batch = replace(batch, poured_s=times[poured.number])
        done.append(batch)
    return tuple(done)


class ChargePlan(Model):
    """Choices behind the resin charge."""

    resin: Identifier
    contingency: Annotated[float, Field(ge=0, le=1)] = 0.1
    """Share of the computed charge mixed on top of it."""
    bleed_kg: Mass = 0.3
    in_hand_kg: Mass | None = None
    """Resin (all components) in the shop for this job; None if not counted yet."""
    largest_batch_kg: BatchMass = 8.0
    pot_life_share: Annotated[float, Field(gt=0.05, le=1)] = 0.6
    """A batch is used up within this share of its own pot life."""
    mix_time_s: Annotated[float, Field(ge=1, le=86_400)] = 360.0
    """What one person needs to weigh and mix one batch."""
    gel_margin_s: Duration = 1200.0
    """The fill has to end this long before gel."""
    dose: Annotated[float, Field(gt=0, le=1)] | None = None
    """Catalyst as a share of the mass of all else, for a resin that is dosed; None: as the card's parts have it."""
    component_k: Annotated[tuple[Temperature | None, ...], Field(max_length=12)] = ()
    """How warm each component is when it is mixed; None or missing: as the shop."""
    pot_shape: PotShape = "bucket"
    bath_k: Temperature | None = None
    """Of the water bath that pots stand in; None: in air."""
    people: Annotated[int, Field(ge=1, le=20)] = 1
    """Who can mix."""
    scales: Annotated[int, Field(ge=1, le=20)] = 1
    batches: Annotated[tuple[PlannedBatch, ...], Field(max_length=200)] = ()
    """Batches planned by hand; none: as few as pot life allows."""
    mixed: Annotated[tuple[MixedBatch, ...], Field(max_length=5000)] = ()
