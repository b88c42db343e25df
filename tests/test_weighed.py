"""What was weighed: the mix ratio, the dose of a catalyst, and how resin then ages in pots, fill and cure."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from sound_jobs import across, job_of, line, plies, rectangle

from bibulon.assess import Assessment, assess
from bibulon.cautions import cautions_of
from bibulon.cure.study import cure_study, wet_part
from bibulon.demo import demo_job
from bibulon.flow.scheduled import scheduled_fill
from bibulon.job import Job
from bibulon.job.charge import MixedBatch
from bibulon.job.dosing import dose_of, dosed
from bibulon.job.edits import changed, revised
from bibulon.job.resin_card import ResinCard
from bibulon.job.run import EventKind, RunEvent
from bibulon.quantities import Units
from bibulon.record.mixed_resin import standing_batches, too_old
from bibulon.resin.viscosity import film_gel_s
from bibulon.resin.weighed import ratio_words, weighed_off
from bibulon.stock import shelf_card

MASSES_KG = (2.6, 2.1)


def hatch() -> Job:
    """A plate of vinyl ester that takes two batches and fills in half an hour."""
    lines = (line("feed", "F1", across(0.03, 0.9)), line("vent", "V1", across(1.5, 0.9)))
    job = job_of("hatch", rectangle(0, 0, 1.5, 0.9), plies("glass-biax-800", 4), lines, resin="vinyl-ester", celsius=21)
    return changed(job, charge=revised(job.charge, largest_batch_kg=3.0))


def weighed(job: Job, *doses: float) -> Job:
    """*job* with its batches mixed, with these doses of catalyst."""
    mixed = tuple(
        MixedBatch(number=number, masses_kg=(mass / (1 + dose), mass * dose / (1 + dose)))
        for number, (mass, dose) in enumerate(zip(MASSES_KG, doses, strict=True), 1)
    )
    return changed(job, charge=revised(job.charge, mixed=mixed))


def filled(job: Job) -> Assessment:
    made = assess(job)
    made = replace(made, fill=scheduled_fill(job, 200))
    assert made.fill is not None and made.fill.fill_time_s is not None
    return replace(made, cure_found=cure_study(job, wet_part(made.fill), made.last_mixed))


@pytest.mark.parametrize("dose", [0.0125, 0.02])
def test_resin_that_was_weighed_with_another_dose_is_resin_that_was_planned_with_it(dose: float) -> None:
    """Fill, margin, pots, gel, release and peak are the same either way, and not those of the plan."""
    job = hatch()
    by_scale = filled(weighed(job, dose, dose))
    by_plan = filled(weighed(changed(job, charge=revised(job.charge, dose=dose)), dose, dose))
    as_planned = filled(weighed(job, *[dose_of(job.resin)] * 2))

    def told(made: Assessment) -> dict[str, float]:
        assert made.fill is not None and made.gel_margin_s is not None and made.cure_found is not None
        return {
            "fill": made.fill.end_s,
            "margin": made.gel_margin_s,
            "first gel": made.cure_found.first_gel_s,
            "peak": made.cure_found.hottest.peak_k - 293.15,
            "gel": made.cure.gel_s,
            "release": made.cure.release_s,
            "pot": made.batches[0].usable_until_s - made.batches[0].mix_s,
            "bucket": made.leftovers[0].peak_k - 293.15,
        }

    assert told(by_scale) == pytest.approx(told(by_plan), rel=0.015)
    for name, value in told(as_planned).items():
        assert (told(by_scale)[name] > value) == ((dose > dose_of(job.resin)) == (name in ("fill", "peak", "bucket")))


def test_each_batch_ages_by_its_own_dose() -> None:
    """The front is of the first batch and stops by its dose; what gels last is of the batch whose gel comes last."""
    job = hatch()
    usual = dose_of(job.resin)
    gel_s = {dose: film_gel_s(dosed(job.resin, dose), job.mould_temperature_k) for dose in (usual, 0.02)}
    hot_first, hot_last = filled(weighed(job, 0.02, usual)), filled(weighed(job, usual, 0.02))
    all_hot, all_usual = filled(weighed(job, 0.02, 0.02)), filled(weighed(job, usual, usual))
    margins = [made.fill.margin_s for made in (all_hot, hot_first, hot_last, all_usual) if made.fill is not None]
    assert margins[0] == pytest.approx(margins[1], rel=0.05) and margins[2] == pytest.approx(margins[3], rel=0.05)
    assert margins[0] < 0.6 * margins[3]
    faster = gel_s[usual] / gel_s[0.02]
    for made, front, behind in ((hot_first, faster, 1.0), (hot_last, 1.0, faster)):
        assert made.fill is not None
        x = made.fill.mesh.points_m[made.fill.place, 0]
        near, far = made.fill.faster[x < 0.2].mean(), made.fill.faster[x > 1.4].mean()
        assert far == pytest.approx(front, abs=0.02), "the first batch goes through to the vent"
        assert 0.3 < (near - front) / (behind - front) < 0.9, "the second comes through the media first"
    for made, doses in ((hot_first, (0.02, usual)), (hot_last, (usual, 0.02))):
        gels = {batch.mix_s + gel_s[dose]: batch.mix_s for batch, dose in zip(made.batches, doses, strict=False)}
        assert made.last_mixed.mixed_s == pytest.approx(gels[max(gels)])


def test_a_dose_within_the_range_sets_no_pot_aside_and_one_beyond_it_does() -> None:
    job = hatch()
    ids = {caution.id: caution.message for caution in cautions_of(assess(weighed(job, 0.02, dose_of(job.resin))))}
    assert "mix-ratio-off" not in ids
    assert (
        "weighed with 2.00 % of catalyst, where 1.50 % are planned: a thin layer gels in"
        in (ids["dose-not-as-planned"])
    )
    ids = {caution.id: caution.message for caution in cautions_of(assess(weighed(job, 0.035, dose_of(job.resin))))}
    assert ids["mix-ratio-off"] == (
        "B1 was weighed with 3.50 % of Peroxide catalyst, where the maker's range is 1.00 % to 2.50 %."
    )
    assert "dose-not-as-planned" not in ids


EPOXY, PEROXIDE = demo_job().resin, shelf_card("vinyl-ester")
assert isinstance(PEROXIDE, ResinCard)
WORDS = {
    (EPOXY, (2.0, 0.60)): "",
    (EPOXY, (2.0, 0.66)): "10 % too much Slow hardener",
    (EPOXY, (2.0, 0.54)): "10 % too little Slow hardener",
    (EPOXY, (2.0, 6.0)): "10 times as much Slow hardener as it should have",
    (EPOXY, (0.6, 2.0)): "600 g of Resin and 2.000 kg of Slow hardener: in the order Slow hardener, Resin "
    "it would be right",
    (EPOXY, (0.0, 2.0)): "one of its components missing",
    (EPOXY, (2.0, 0.0)): "100 % too little Slow hardener",
    (PEROXIDE, (5.0, 0.10)): "",
    (PEROXIDE, (5.0, 0.0)): "0.00 % of Peroxide catalyst, where the maker's range is 1.00 % to 2.50 %",
    (PEROXIDE, (0.075, 5.0)): "75.0 g of Resin and 5.000 kg of Peroxide catalyst: in the order Peroxide "
    "catalyst, Resin it would be right",
}


@pytest.mark.parametrize(("resin", "masses_kg"), WORDS, ids=lambda one: str(getattr(one, "id", one)))
def test_what_is_wrong_with_a_weighing_is_told_by_component(resin: ResinCard, masses_kg: tuple[float, ...]) -> None:
    assert ratio_words(resin, masses_kg, 0.02, Units()) == WORDS[resin, masses_kg]


def test_parts_by_volume_on_the_scale_are_told_as_such() -> None:
    parts = (100, 36)
    ours = tuple(
        revised(component, parts_by_volume=part) for component, part in zip(EPOXY.components, parts, strict=True)
    )
    assert weighed_off(EPOXY, (2.0, 0.6)) == pytest.approx(0)
    words = ratio_words(revised(EPOXY, components=ours), (2.0, 0.72), 0.02, Units())
    assert words == "20 % too much Slow hardener, for the parts by volume were put on the scale"


def test_a_batch_as_planned_changes_nothing_in_the_fill() -> None:
    """What is off by less than a scale shows is not resin of another dose."""
    job = hatch()
    fills = [scheduled_fill(weighed(job, *[dose_of(job.resin) * share] * 2), 120) for share in (1.0, 1.004)]
    assert fills[1].age_s == pytest.approx(fills[0].age_s, rel=1e-9) and np.all(fills[1].faster == 1.0)


@pytest.mark.parametrize(("ticked_s", "old_s"), [(106.0, 106.0), (3.0, 360.0)])
def test_a_batch_is_as_old_as_its_tick_says_unless_that_came_as_it_was_poured(ticked_s: float, old_s: float) -> None:
    """Six minutes are planned to mix it. It is that old on the console, in the plan's batches and for the cure."""
    job = hatch()
    poured = datetime(2026, 12, 1, 8, 30, tzinfo=UTC)
    logged: tuple[tuple[float, EventKind, str], ...] = (
        (ticked_s, "step done", "mix B1"), (0.0, "batch added", "B1"), (-60.0, "started", ""),
    )  # fmt: skip
    run = tuple(
        RunEvent(number=number, at=poured - timedelta(seconds=before_s), clock_s=0.0, kind=kind, label=label, mass_kg=2)
        for number, (before_s, kind, label) in enumerate(logged, 1)
    )
    for known in (2, 3):  # before the first feed is opened, and after
        made = filled(changed(job, run=run[:known]))
        begun, at = (60.0, None) if known == 2 else (60.0, 0.0)
        (standing,) = standing_batches(made, poured + timedelta(seconds=60), at)
        assert standing.age_s == pytest.approx(old_s + begun)
    (first, *_) = made.batches
    assert -first.mix_s == pytest.approx(old_s + 60.0)
    assert first.pour_s == 0.0 and first.late_s == 0.0, "it is there when it is needed"
    ended = changed(made.job, run=(*run, revised(run[2], number=4, kind="finished", clock_s=2000.0)))
    assert assess(ended).last_mixed.mixed_s == pytest.approx(-old_s - 60.0)
    early = revised(run[0], at=poured - timedelta(minutes=30))  # ticked too early, or it stood: on the safe side
    stood = assess(changed(ended, run=(early, *ended.run[1:])))
    assert stood.batches == () and stood.last_mixed.mixed_s == pytest.approx(-360.0 - 60.0)


def test_what_only_a_mixing_sheet_tells_stands_mixed_until_the_part_is_full() -> None:
    """Nothing is in the log: the sheet's time of day says how old the first batch is; the second has none."""
    job = weighed(hatch(), *[dose_of(hatch().resin)] * 2)
    sheets = (revised(job.charge.mixed[0], mixed_at="8:00"), job.charge.mixed[1])
    job = changed(job, charge=revised(job.charge, mixed=sheets), flow=revised(job.flow, feeds_after="open"))
    job = changed(job, shop=revised(job.shop, shot_start_s=8.5 * 3600))
    made = replace(assess(job), fill=scheduled_fill(job, 120))
    assert made.fill is not None
    (first,) = standing_batches(made, datetime(2026, 12, 1, 8, 20, tzinfo=UTC), None)
    assert (first.number, first.age_s) == (1, 1200.0)
    (later,) = standing_batches(made, datetime(2026, 12, 1, 9, 30, tzinfo=UTC), None)
    assert "Batch 1 was mixed 90 min ago: too old to begin with" in too_old((later,), False, Units())
    running = standing_batches(made, datetime(2026, 12, 1, 8, 30, tzinfo=UTC), 0.0)
    assert (running[0].number, running[0].age_s) == (1, 1800.0)
    assert standing_batches(made, datetime(2026, 12, 1, 9, 30, tzinfo=UTC), made.fill.end_s + 1) == (), (
        "its feeds stay open"
    )
