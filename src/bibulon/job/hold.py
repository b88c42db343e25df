"""Vacuum hold (drop) tests and the shop's rules for judging them."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from itertools import pairwise
from typing import Annotated, Literal

from pydantic import AwareDatetime, Field, field_validator

from bibulon.job.base import Duration, Identifier, Model, Pressure, PressureDifference, Temperature

Stage = Literal["before the feed hose", "with the feed hose", "last before mixing"]
STAGES: tuple[Stage, ...] = ("before the feed hose", "with the feed hose", "last before mixing")

Rule = Literal["no visible drop", "drop per time", "pressure reached", "long soak", "leak rate"]


class HoldTest(Model):
    """Readings of the isolated bag: ``(time_s, absolute pressure_pa)`` in order of time."""

    id: Identifier
    stage: Stage
    taken_at: AwareDatetime
    """When its last reading was taken, or it was written down."""
    kept_at: AwareDatetime | None = None
    """When it was kept with the job, by the clock of then."""
    readings: Annotated[tuple[tuple[Duration, Pressure], ...], Field(min_length=2, max_length=200_000)]
    flange_readings: Annotated[tuple[tuple[Duration, Pressure], ...], Field(max_length=200_000)] = ()
    """Of a closed mould's flange, held at the same time as its cavity."""
    barometer_readings: Annotated[tuple[tuple[Duration, Pressure], ...], Field(max_length=200_000)] = ()
    temperature_readings: Annotated[tuple[tuple[Duration, Temperature], ...], Field(max_length=200_000)] = ()
    """Of the shop: both on the clock of ``readings``, and taken out of them."""
    gauge: Literal["absolute", "relative"] = "absolute"
    """What the gauge counts from: nothing at all, or the atmosphere of the moment."""
    pots_included: bool = True
    source: str = "typed"
    of_plan: Annotated[tuple[tuple[str, str], ...], Field(max_length=40)] = ()
    """What was held: the parts of the plan that a test stands for, each with its digest."""

    @field_validator("readings", "flange_readings", "barometer_readings", "temperature_readings")
    @classmethod
    def _in_order(cls, readings: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
        if any(later[0] <= earlier[0] for earlier, later in pairwise(readings)):
            raise ValueError("the times of the readings have to grow from one to the next")
        return readings


def in_order_taken(tests: Sequence[HoldTest]) -> tuple[HoldTest, ...]:
    """*tests*, as a job has them in the order they were kept, in the order they were taken.

    One that says it was taken after another was kept, which it was not, was taken by a clock that was ahead: it counts
    as taken before that one.
    """
    taken: list[datetime] = []  # of the tests from the last on
    for number, test in reversed(list(enumerate(tests))):
        later = zip(reversed(tests[number + 1 :]), taken, strict=True)
        clock_was_ahead = (when for one, when in later if one.kept_at is not None and one.kept_at < test.taken_at)
        taken.append(min((test.taken_at, *clock_was_ahead)))
    return tuple(test for _, _, test in sorted(zip(reversed(taken), range(len(tests)), tests, strict=True)))


class HoldFigures(Model):
    """The house rules that a hold test has to pass, alone or combined, and their figures."""

    rules: tuple[Rule, ...] = ("drop per time", "pressure reached")
    visible_drop_pa: PressureDifference = 100.0
    """The smallest drop that can be seen on the shop's gauge."""
    short_hold_s: Annotated[float, Field(gt=0, le=2_592_000)] = 300.0
    drop_pa_per_600_s: PressureDifference = 500.0
    """The tolerated drop in ten minutes for one square metre; it grows with the root of the area."""
    reach_pa: PressureDifference = 5_000.0
    soak_s: Annotated[float, Field(gt=0, le=2_592_000)] = 12 * 3600.0
    leak_pa_m3_s: Annotated[float, Field(gt=0, le=10_000)] = 0.01


class SizedRules(HoldFigures):
    """Rules for parts that are no larger than so much."""

    up_to_m2: Annotated[float, Field(gt=0, le=1e6)]


class HoldRules(HoldFigures):
    """The house rules for a part of any size: those of ``smaller`` for parts up to their areas, else its own."""

    smaller: Annotated[tuple[SizedRules, ...], Field(max_length=4)] = ()

    @field_validator("smaller")
    @classmethod
    def _growing(cls, smaller: tuple[SizedRules, ...]) -> tuple[SizedRules, ...]:
        if any(later.up_to_m2 <= earlier.up_to_m2 for earlier, later in pairwise(smaller)):
            raise ValueError("two sets of rules are for the same size, or not in order of size")
        return smaller

    def for_area(self, area_m2: float) -> HoldFigures:
        """The rules for a part of that area."""
        return next((rules for rules in self.smaller if area_m2 <= rules.up_to_m2), self)
