"""The Assessment: everything that follows from a Job.

Each part is a pure function of the fields it reads, computed when first asked for. The fill is the one slow part: the
command line computes it at once (:func:`filled`), the desk hands in the newest it has.

>>> from bibulon.demo import demo_job
>>> 15 < assess(demo_job()).charge.total_kg < 40
True
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from datetime import date
from functools import cached_property

import numpy as np

from bibulon.arrays import Floats
from bibulon.bag.film import BagPlan, bag_plan_of
from bibulon.cure.answers import demould_s
from bibulon.cure.as_logged import Colder, colder_than_planned
from bibulon.cure.study import CureStudy, cure_study, wet_part
from bibulon.figures import Figure
from bibulon.fineness import FULL_LEVELS, FULL_NODES
from bibulon.flow.causes import Cause, causes_of
from bibulon.flow.refusal import FlowRefusal
from bibulon.flow.resin_at import drawn_kg, resin_at
from bibulon.flow.result import STOP_WORDS, FillResult
from bibulon.flow.scheduled import batches_in, scheduled_fill
from bibulon.job import CLAMPED_BY_FORCE, WITH_BLADDER, Job
from bibulon.job.edits import revised
from bibulon.job.hold import HoldFigures, HoldTest, in_order_taken
from bibulon.job.words import space_word
from bibulon.laminate.cells import Laminate, laminate_of
from bibulon.laminate.joints import Ply, plies_of
from bibulon.moments import Moment, planned_moments
from bibulon.mould.bladder import bladder_figure
from bibulon.mould.clamp import ClampMargin, clamp_margin, shut_figure
from bibulon.mould.cycle import Cycle, cycle_of
from bibulon.mould.press import PressForces, press_figure, press_forces
from bibulon.plumbing.volumes import evacuated_m3, pots_m3
from bibulon.quantities import QuantityKind, Units, show
from bibulon.quantities_in_words import show_full
from bibulon.resin.batches import COARSE_SHARE, SHORT_SHARE, Batch, unplanned_kg
from bibulon.resin.charge import NOTHING_TAKEN, Charge, charge_of
from bibulon.resin.cure import CurePlan, LastMixed, cure_plan, last_mixed
from bibulon.resin.leftover import Leftover, leftovers_of
from bibulon.resin.rheology import Rheology, poured, rheology
from bibulon.resin.viscosity import film_gel_s
from bibulon.vacuum.hold import HoldVerdict, judge
from bibulon.vacuum.pump import base_pressure_pa, pump_down_s
from bibulon.vacuum.two_spaces import PairReading, read_pair
from bibulon.workers.report import Progress, no_progress

AS_LONG = 0.98
"""A margin of at least this share of another is as long."""


@dataclass(frozen=True)
class Assessment:
    """What follows from ``job``; ``fill`` is None while not computed, ``refusal`` says why it cannot be."""

    job: Job
    units: Units
    fill: FillResult | None = None
    refusal: FlowRefusal | None = None
    on: date = field(default_factory=date.today)
    """The day that it is judged on: materials may be out of date."""
    causes: tuple[Cause, ...] = ()
    """What holds the fill back, the worst first."""
    cure_found: CureStudy | None = None
    """The cure, where somebody has worked it out."""
    follows_cure: bool = False
    """Whether it is worked out here when it is asked for; it takes up to a second."""
    fill_is_coarse: bool = False
    """Whether the fill is a coarse one, shown until the full one is there."""

    @cached_property
    def laminate(self) -> Laminate:
        return laminate_of(self.job)

    @cached_property
    def plies(self) -> tuple[Ply, ...]:
        """Every ply with its pieces and joints."""
        return plies_of(self.job)

    @cached_property
    def charge(self) -> Charge:
        return charge_of(self.job, self.units, self.fill.taken if self.fill else NOTHING_TAKEN)

    @cached_property
    def bag(self) -> BagPlan:
        return bag_plan_of(self.job)

    @cached_property
    def cure_study(self) -> CureStudy | None:
        """The cure through every stack, later by what was read; None without a fill, and while the desk's is coming."""
        planned, colder = self.cure_as_planned, self.colder
        return planned if planned is None or colder is None else replace(planned, later_s=colder.later_s)

    @cached_property
    def colder(self) -> Colder | None:
        """By how much the part is colder than its cure was planned, if that matters."""
        planned = self.cure_as_planned
        return None if planned is None else colder_than_planned(self.job, planned)

    @cached_property
    def cure_as_planned(self) -> CureStudy | None:
        """The cure, whatever was read."""
        if self.cure_found is not None or self.fill is None or not self.follows_cure:
            return self.cure_found
        return cure_study(self.job, wet_part(self.fill), self.last_mixed)

    @cached_property
    def cure(self) -> CurePlan:
        """Gel and release of the resin mixed last: through the stack where that is known, else at the mould's
        temperature. What is not reached while the cure is followed stands at the end of that."""
        plan, study = cure_plan(self.job, self.last_mixed), self.cure_study
        if study is None or not study.stacks:
            return plan
        gel_s, release_s = (min(time, study.end_s + study.later_s) for time in (study.last_gel_s, study.vacuum_off_s))
        off_s = demould_s(self.job, study)
        return replace(plan, gel_s=gel_s, release_s=release_s, demould_s=off_s, later_s=study.later_s)

    @cached_property
    def leftovers(self) -> tuple[Leftover, ...]:
        """What is left in the bucket once the part is full, and in the catch pots with all that bleeds until gel, and
        how hot it gets there; none without a fill. What bleeds is taken to be in the pot from the end of the fill."""
        if self.fill is None:
            return ()
        density = self.job.resin.density_kg_m3 * self.job.parts_together
        at_end = resin_at(self.job, self.fill, self.batches, self.fill.end_s)
        bucket_kg, caught_kg, after = at_end.bucket_kg, at_end.pots_kg, self.fill.after
        if after is not None:
            bucket_kg, caught_kg = bucket_kg - after.drawn_m3 * density, caught_kg + after.bled_m3 * density
        return leftovers_of(self.job, self.batches, self.fill.end_s, bucket_kg, caught_kg)

    @cached_property
    def last_mixed(self) -> LastMixed:
        """The resin that gels last."""
        return last_mixed(self.job, self.batches, 0.0 if self.fill is None else self.fill.end_s)

    @property
    def flows_until_s(self) -> float:
        """When the resin that fills the last places stops flowing, on the run clock; with no fill the first poured."""
        if self.fill is None or self.gel_margin_s is None:
            return self.resin_flow.stops_s
        return self.fill.end_s + self.gel_margin_s

    @cached_property
    def resin_flow(self) -> Rheology:
        """The resin as it flows from its pouring on."""
        return poured(rheology(self.job.resin, self.job.mould_temperature_k), self.job.stands_mixed_s)

    @cached_property
    def batches(self) -> tuple[Batch, ...]:
        """Batches by the simulated draw; empty while there is no fill."""
        if self.fill is None:
            return ()
        return batches_in(self.job, self.fill)

    @cached_property
    def unplanned_kg(self) -> float:
        """How much of the charge is in no batch, where they are planned by hand."""
        least = COARSE_SHARE if self.fill_is_coarse else SHORT_SHARE
        return unplanned_kg(self.job.charge, self.charge.total_kg, self.job.weighed, least)

    @cached_property
    def evacuated_m3(self) -> float:
        """Volume under vacuum in a hold test without the pots: pores, media, core and the bores of lines, manifolds and
        hoses."""
        return evacuated_m3(self.job, self.laminate)

    @property
    def pots_m3(self) -> float:
        """The volume of the catch pots, and of the hoses between them."""
        return pots_m3(self.job)

    @cached_property
    def hold_verdicts(self) -> tuple[tuple[HoldTest, HoldVerdict], ...]:
        """Every hold test with its verdict, in the order taken."""
        return tuple((test, self.judged(test)) for test in in_order_taken(self.job.hold_tests))

    @property
    def hold_figures(self) -> HoldFigures:
        """The house rules for a part of this size."""
        return self.job.hold_rules.for_area(self.area_together_m2)

    @property
    def area_together_m2(self) -> float:
        """The area of all parts that are shot together."""
        return self.job.parts_together * self.laminate.total.area_m2

    def judged(self, test: HoldTest) -> HoldVerdict:
        """The verdict of the house rules on *test*."""
        pots = self.pots_m3 if test.pots_included else 0.0
        rules = self.hold_figures
        if self.job.in_mould:  # the cavity is regulated to less than all the vacuum there is
            rules = revised(rules, rules=tuple(rule for rule in rules.rules if rule != "pressure reached"))
        return judge(
            test,
            rules,
            self.area_together_m2,
            self.evacuated_m3 + pots,
            film_gel_s(self.job.resin, self.job.mould_temperature_k),
            self.units,
        )

    @cached_property
    def gel_margin_s(self) -> float | None:
        """How long the resin that fills the last places would still flow at the mould's temperature, or until the first
        resin in the part has gelled by the heat of its own cure, which may come sooner."""
        if self.fill is None or self.fill.margin_s is None:
            return None
        return min(self.fill.margin_s, self._own_heat_margin_s)

    @property
    def _own_heat_margin_s(self) -> float:
        """From the end of the fill to the first gel in the part, warmed by its cure; infinite while that is not
        known."""
        if self.fill is None or self.cure_study is None or not self.cure_study.stacks:
            return math.inf
        return max(self.cure_study.first_gel_s - self.fill.end_s, 0.0)

    @property
    def why_no_fill(self) -> str:
        """What is said where a figure of the fill would stand, while there is none."""
        return str(self.refusal) if self.refusal else "The fill is being computed."

    @cached_property
    def clamp(self) -> ClampMargin | None:
        """The margin of a closed mould's clamp over the fill; None under film, in a rigid mould and with no fill."""
        upper = self.fill.upper if self.fill is not None else None
        return clamp_margin(self.job, upper) if upper is not None else None

    @cached_property
    def press(self) -> PressForces | None:
        """The forces on two rigid halves over the fill; None where no force holds them together and with no fill."""
        if self.fill is None or self.job.process not in CLAMPED_BY_FORCE:
            return None
        return press_forces(self.job, self.fill)

    @cached_property
    def pair_reading(self) -> PairReading | None:
        """What the last hold test says of a closed mould's two spaces; None where they were not held together."""
        if not self.job.closed or not self.hold_verdicts:
            return None
        return read_pair(self.hold_verdicts[-1][0], self.hold_figures, self.area_together_m2)

    @property
    def stays_shut(self) -> Figure:
        """What the clamp holds at least beyond what pulls at it."""
        if self.fill is None:
            return self._not_filled("line force")
        if self.job.process in CLAMPED_BY_FORCE:
            assert self.press is not None
            return press_figure(self.job, self.press, self.units)
        if self.job.process in WITH_BLADDER:
            return bladder_figure(self.job, self.fill, self.units)
        return shut_figure(self.job, self.fill, self.units)

    @cached_property
    def cycle(self) -> Cycle:
        """The cycle of a closed mould over a shift; injection and cure as simulated, or as the card has them."""
        inject_s = self.fill.end_s if self.fill is not None else 0.0
        return cycle_of(self.job, inject_s, max(self.cure.planned_release_s - inject_s, 0.0))

    # -- the verdict strip -------------------------------------------------------------------------------------------

    def _not_filled(self, kind: QuantityKind) -> Figure:
        return Figure(None, kind, self.why_no_fill)

    @property
    def fill_time(self) -> Figure:
        if self.fill is None:
            return self._not_filled("duration")
        how = (
            f"Simulated on {len(self.fill.place)} nodes with {self._show(self.fill.problem.drive_pa)} "
            f"driving resin of {show(self.resin_flow.viscosity_pa_s, 'viscosity', self.units)}"
        )
        if self.fill.fill_time_s is None:
            why, full = STOP_WORDS[self.fill.stopped_by], show_full(self.fill.filled_fraction)
            return Figure(None, "duration", f"{how}. {why}; {full} of it is filled.")
        lag = show(self.fill.lag_max_s, "duration", self.units)
        return Figure(self.fill.fill_time_s, "duration", f"{how}. The tool side lags by up to {lag}.")

    @property
    def gel_margin(self) -> Figure:
        if self.fill is None:
            return self._not_filled("duration")
        stops = show(self.resin_flow.stops_s, "duration", self.units)
        cause = "gels in the part" if self.resin_flow.stopped_by == "gel" else "is too thick to flow"
        if self.gel_margin_s is None:
            return Figure(None, "duration", f"The part is not full when the resin {cause} after {stops}.")
        temperature = show(self.job.mould_temperature_k, "temperature", self.units)
        asked = f"The house asks for {show(self.job.charge.gel_margin_s, 'duration', self.units)}."
        how = f"Resin {cause} {stops} after it was poured, at {temperature}; what fills the last places has this left."
        held_s = self.fill.margin_held_s
        if held_s is not None and self.gel_margin_s < AS_LONG * held_s:
            how = "As warm as it is and gets by its own cure, what fills the last places flows so long after the fill"
            if self.fill.margin_s is not None and self.gel_margin_s < self.fill.margin_s:
                how = "By the heat of its own cure the first resin in the part gels so long after the fill"
            how = f"{how}; kept at {temperature} it would have {show(held_s, 'duration', self.units)}."
        return Figure(self.gel_margin_s, "duration", f"{how} {asked}")

    @property
    def charge_mass(self) -> Figure:
        return Figure(
            self.charge.total_kg,
            "mass",
            f"{show(self.charge.in_part_kg, 'mass', self.units)} stays in the part, the rest is in media, lines, "
            "bucket, bleed and contingency. Charge shows every line.",
        )

    @property
    def dry_area(self) -> Figure:
        if self.fill is None:
            return self._not_filled("area")
        area = self.fill.dry_area_m2 if self.fill.fill_time_s is None else 0.0
        return Figure(area, "area", "Plan area that the simulated resin never reaches.")

    @property
    def vacuum(self) -> Figure:
        """The last hold test's lowest pressure."""
        if not self.hold_verdicts:
            return Figure(None, "pressure", "No hold test has been entered yet.")
        test, verdict = self.hold_verdicts[-1]
        lowest = min(pressure for _, pressure in test.readings)
        return Figure(
            lowest,
            "pressure",
            f"Lowest reading of the last hold test, {test.stage}. "
            f"Leak {show(verdict.leak_pa_m3_s, 'leak rate', self.units)}.",
        )

    def _show(self, difference_pa: float) -> str:
        return show(difference_pa, "pressure difference", self.units, 0)

    # -- the time rail -----------------------------------------------------------------------------------------------

    @cached_property
    def moments(self) -> tuple[Moment, ...]:
        """Everything planned, on one clock."""
        return planned_moments(self.job, self.fill, self.batches, self.cure, self.pots_full_s, self.units)

    @property
    def pots_full_s(self) -> float | None:
        """When the catch pots hold no more; None if they take all that leaves the part until the end of the fill."""
        room = sum(pot.capacity_m3 for pot in self.job.pots)
        if self.fill is None or not self.job.pots or self.fill.in_catch_pots_m3[-1] <= room:
            return None
        return float(np.interp(room, self.fill.in_catch_pots_m3, self.fill.times_s))

    @cached_property
    def pump_base_pa(self) -> float:
        """Base pressure the pump reaches with the last measured leak; by itself where none was measured."""
        leak = max(self.hold_verdicts[-1][1].leak_pa_m3_s, 0.0) if self.hold_verdicts else 0.0
        return base_pressure_pa(self.job.vacuum.pump_ultimate_pa, self.job.vacuum.pump_speed_m3_s, leak)

    @property
    def pump_down_s(self) -> float:
        """How long the pump takes to bring bag or cavity, pots and hoses down to the planned vacuum, with the leak that
        was measured last if one was; infinite if it never does."""
        volume, speed = self.evacuated_m3 + self.pots_m3, self.job.vacuum.pump_speed_m3_s
        return pump_down_s(volume, speed, self.job.shop.barometer_pa, self.job.vacuum_pa, self.pump_base_pa)

    @property
    def pump_down(self) -> Figure:
        volume = f"{show(self.evacuated_m3 + self.pots_m3, 'volume', self.units)} of {space_word(self.job)}"
        level = show(self.job.vacuum_pa, "pressure", self.units)
        how = f"V/S · ln for {volume}, hoses and pots down to {level}; dry fibre and thin hoses take longer."
        if not math.isfinite(self.pump_down_s):
            return Figure(None, "duration", f"The pump never comes to {level}.")
        return Figure(self.pump_down_s, "duration", how)

    @cached_property
    def drawn_curve(self) -> tuple[Floats, Floats]:
        """Times (s) and resin drawn (kg) of the fill; empty arrays without one."""
        if self.fill is None:
            return np.zeros(0), np.zeros(0)
        return self.fill.times_s, drawn_kg(self.job, self.fill)


def assess(job: Job, units: Units | None = None) -> Assessment:
    """The Assessment of *job* without its fill. Pressures in gauge readings use the job's own barometer."""
    return Assessment(job, replace(units or Units(), barometer_pa=job.shop.barometer_pa))


def filled(
    assessment: Assessment, nodes: int = FULL_NODES, progress: Progress = no_progress, levels: int = FULL_LEVELS
) -> Assessment:
    """*assessment* with its fill computed, or with the refusal."""
    try:
        fill = scheduled_fill(assessment.job, nodes, levels, after=True, progress=progress)
        causes = causes_of(assessment.job, fill)
        return replace(assessment, fill=fill, refusal=None, causes=causes, follows_cure=True)
    except FlowRefusal as refusal:
        return replace(assessment, fill=None, refusal=refusal, causes=())
