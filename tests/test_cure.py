"""Heat and cure through the stack of a whole part: stacks apart, the last resin, ramps and holds, what is answered."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
from conftest import rectangle
from resin_cases import strip_of_batches
from scipy.integrate import solve_ivp
from shapely import Polygon
from sound_jobs import two_cores_butted

from bibulon.assess import Assessment, assess, filled
from bibulon.cautions import cautions_of
from bibulon.cure.answers import (
    demould_s,
    load_s,
    post_cure,
    remedies,
    safe_vacuum,
    stands_k,
    too_hot,
    trim_s,
    wanted_tg_k,
    warm_before_handling,
)
from bibulon.cure.as_logged import hottest_read
from bibulon.cure.schedule import around_of, legs_of
from bibulon.cure.study import CureStudy, WetPart, cure_study
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.durations import clock_time
from bibulon.flow.scheduled import scheduled_fill
from bibulon.job import Job
from bibulon.job.cards import CoreCard
from bibulon.job.curing import Curing, HeatStep, LoggedPoint
from bibulon.job.edits import changed, revised, with_card
from bibulon.job.layup import Layer
from bibulon.job.part import Part, Region
from bibulon.job.plumbing import BucketShape
from bibulon.job.resin_card import BoilingPoint
from bibulon.job.run import RunEvent
from bibulon.laminate.cells import laminate_of
from bibulon.quantities import show
from bibulon.record.run_list import run_list
from bibulon.resin.batches import Batch
from bibulon.resin.boiling import ABOVE, boiling_of
from bibulon.resin.card_law import law_of
from bibulon.resin.cure import LastMixed
from bibulon.resin.law import isothermal
from bibulon.resin.leftover import DEPTHS_M, Leftover, leftover_of
from bibulon.resin.mixing import mixed_temperature_k, pot_of
from bibulon.resin.pot import Pot, pot_course
from bibulon.stock import shelf_card
from bibulon.stock.choice import hardeners_for


def cured(job: Job) -> tuple[Assessment, CureStudy]:
    made = filled(assess(job), 400)
    assert made.cure_study is not None
    return made, made.cure_study


@pytest.fixture(scope="module")
def deck() -> tuple[Assessment, CureStudy]:
    return cured(demo_job())


def pad() -> Job:
    """A pad of 40 mm of plies on a warm day, fed along one edge with media over it."""
    job = demo_job()
    ply = next(layer for layer in job.layup if not job.is_core(layer.card))
    job = changed(
        job,
        part=Part(outline=rectangle(0, 0, 0.8, 0.5)),
        layup=(Layer(id="p", card=ply.card, count=86),),
        regions=(),
        media=(),
        shop=revised(job.shop, temperature_k=297.15),
    )
    resin = shelf_card("epoxy-extra-slow")
    job = with_card(job, resin)
    feed, vent = job.feeds[0], job.vents[0]
    lines = (
        revised(feed, points=((0.02, 0.05), (0.02, 0.45)), port_at=0.5),
        revised(vent, points=((0.78, 0.05), (0.78, 0.45)), port_at=0.5),
    )
    return changed(job, lines=lines, charge=revised(job.charge, resin=resin.id))


def test_every_place_has_the_cure_of_its_stack_and_the_last_resin_counts(deck: tuple[Assessment, CureStudy]) -> None:
    made, study = deck
    assert made.fill is not None
    latest = [one for one in study.stacks if one.latest]
    assert len({one.stack.layers for one in study.stacks}) == len(latest) > 1
    for one in latest:
        assert one.age_s == pytest.approx(made.fill.end_s - made.last_mixed.mixed_s)
    gels = np.array([one.course.cured_to_s(study.law.gel_cure) for one in study.stacks])
    there_s = study.at_points(gels)
    for number, one in enumerate(study.stacks):
        there = np.flatnonzero(study.of_point == number)
        assert len(there) or one.latest
    for stack in {id(one.stack): one.stack for one in study.stacks}.values():
        groups = [number for number, one in enumerate(study.stacks) if one.stack is stack and not one.latest]
        there = np.flatnonzero(np.isin(study.of_point, groups))
        by_age = there[np.argsort(study.ages_s[there])]
        assert np.all(np.diff(there_s[by_age]) <= 1e-6), "older resin gels sooner"
        assert gels[groups].min() <= there_s[there].min() and there_s[there].max() <= gels[groups].max()
        assert len(groups) < 3 or len(np.unique(there_s[there])) > 10, "straight between what was worked out"
    assert (
        study.first_gel_s
        < study.last_gel_s
        < study.vacuum_off_s
        <= demould_s(made.job, study)
        <= load_s(made.job, study)
    )
    assert made.cure.gel_s == study.last_gel_s and made.cure.release_s == study.vacuum_off_s
    moments = {moment.kind: moment.start_s for moment in made.moments}
    assert moments["release"] == study.vacuum_off_s and moments["demould"] == demould_s(made.job, study)


def test_the_resin_that_comes_last_is_the_freshest_and_ages_carry_to_the_cure(
    deck: tuple[Assessment, CureStudy],
) -> None:
    """Where the front ends lies older resin than at the feed; the oldest gels first."""
    made, study = deck
    fill = made.fill
    assert fill is not None and fill.problem.fed is not None
    young, old = (np.percentile(fill.age_s, q) for q in (5, 95))
    assert young < old <= fill.end_s + 1200
    by_age = sorted((one for one in study.stacks if not one.latest), key=lambda one: one.age_s)
    layers = by_age[0].stack.layers
    alike = [one for one in by_age if one.stack.layers == layers]
    gels = [one.course.cured_to_s(study.law.gel_cure) for one in alike]
    assert gels == sorted(gels, reverse=True), "resin of a greater age gels sooner"
    still = isothermal(study.law, made.job.mould_temperature_k)
    cool = study.stacks[int(np.argmin([one.peak_k for one in study.stacks]))]
    begun = float(cool.course.cure[0, cool.course.cures][0])
    assert begun == pytest.approx(float(np.interp(cool.age_s, still.times_s, still.cure)), abs=1e-3)


def test_a_batch_is_mixed_with_the_heel_that_it_is_poured_on() -> None:
    """Half and half: what is drawn at the end is as old as both between them, by hand from the times of pouring."""
    made = filled(assess(strip_of_batches(0.25)), 300, levels=1)
    fill, poured = made.fill, [one for one in made.batches if made.fill and one.pour_s < made.fill.end_s - 1]
    assert fill is not None and len(poured) > 3
    mix_s, before_s = poured[0].pour_s - poured[0].mix_s, poured[0].pour_s
    for one in poured[1:]:
        heel_s = mix_s + one.pour_s - before_s
        mix_s, before_s = (heel_s + one.pour_s - one.mix_s) / 2, one.pour_s
    drawn_s = mix_s + fill.end_s - before_s
    assert drawn_s < fill.age_s.min() < drawn_s + 120, "and it is some while in the hose"


def test_where_resin_never_came_it_is_not_reckoned_as_just_mixed() -> None:
    """A strip that rises beyond what the vacuum lifts: its dry end is as old as the front."""
    job = strip_of_batches(0.0)
    (x0, y0, x1, y1) = Polygon(job.part.outline).bounds
    rises = ((x0, y0, 0.0), (x0, y1, 0.0), (x1, y0, 12.0), (x1, y1, 12.0))
    made = filled(assess(changed(job, part=revised(job.part, relief=rises))), 200, levels=1)
    assert made.fill is not None and made.fill.fill_time_s is None
    wet = made.fill.saturation[-1] > 0
    assert 10 < wet.sum() < len(wet) - 10
    assert made.fill.age_s[~wet].min() > np.percentile(made.fill.age_s[wet], 75)


def test_of_very_many_stacks_the_thickest_is_followed_however_small_it_is() -> None:
    """Forty pads of two to eighty plies more on a plate, the thickest the smallest."""
    job, ply = pad(), pad().layup[0].card
    regions = []
    for at in range(40):
        x, y, wide = 0.05 + 0.07 * (at % 10), 0.05 + 0.1 * (at // 10), 0.06 - 0.001 * at
        regions.append(Region(name=f"r{at}", outline=rectangle(x, y, x + wide, y + wide)))
    pads = (Layer(id=f"l{at}", card=ply, region=f"r{at}", count=2 + 2 * at) for at in range(40))
    job = changed(job, regions=tuple(regions), layup=(Layer(id="p", card=ply, count=2), *pads))
    cells = laminate_of(job).cells
    own_m, area = ([of(cell) for cell in cells] for of in (lambda c: c.stack.laminate_thickness_m, lambda c: c.area_m2))
    thickest = int(np.argmax(own_m))
    assert len(set(own_m)) == 41 and area[thickest] == min(area)
    points = np.array([cell.polygon.representative_point().coords[0] for cell in cells])
    still = np.zeros(len(points))
    study = cure_study(job, WetPart(600.0, points, still + 900.0, still, still + 1.0), LastMixed(-300.0))
    assert study.hottest.stack.laminate_thickness_m == own_m[thickest]
    assert np.all(study.of_point >= 0), "no hole is left in the map"
    followed_m = [study.stacks[number].stack.laminate_thickness_m for number in study.of_point]
    assert len(set(followed_m)) == 30 and np.all(np.array(followed_m) >= np.array(own_m) - 1e-12)
    assert sum({one.stack: one.area_m2 for one in study.stacks}.values()) == pytest.approx(sum(area))


def test_a_thick_pad_gets_hot_and_what_helps_is_told_with_what_it_gives() -> None:
    made, study = cured(pad())
    (hot, *_) = too_hot(made.job, study)
    assert study.hottest.stack.laminate_thickness_m == pytest.approx(0.04, abs=0.002)
    assert study.hottest.peak_k > made.job.mould_temperature_k + 30
    ids = {caution.id for caution in cautions_of(made)}
    assert "cure-too-hot" in ids
    fill, margin = made.fill, made.gel_margin_s
    assert fill is not None and fill.margin_held_s is not None and margin is not None
    # it is too thick to flow before it gels, and that sooner than resin that the mould holds at its temperature
    assert margin == fill.margin_s and margin < min(0.75 * fill.margin_held_s, study.first_gel_s - fill.end_s)
    assert "own cure" in made.gel_margin.how and show(fill.margin_held_s, "duration") in made.gel_margin.how
    helps = remedies(made.job, study.start_s, hot, hardeners_for(made.job)[1:])
    by_words = {one.words: one.peak_k for one in helps}
    assert by_words["in two shots, each half as thick"] < hot.peak_k - 5
    assert list(by_words.values()) == sorted(by_words.values())
    inside = study.hottest.course
    middle = inside.temperature_k[:, inside.cures]
    hottest = int(np.argmax(middle.max(axis=0)))
    assert 0.3 < hottest / middle.shape[1] <= 1.0, "not at the mould, which takes heat away"


def test_each_core_is_held_to_what_it_stands_itself() -> None:
    """The cooler of two cores is the one that stands less."""
    job = two_cores_butted()
    (light, dense), ply = (layer for layer in job.layup if layer.region), job.layup[0].card
    other = revised(job.card(dense.card, CoreCard), id="other", name="other foam")
    pad = Layer(id="pad", card=ply, region=dense.region, count=20)
    job = changed(with_card(job, other), layup=(*job.layup[:-2], revised(dense, card=other.id), pad, job.layup[-1]))
    at = np.array([[0.4, 0.4], [1.2, 0.4]])
    study = cure_study(job, WetPart(600.0, at, *(np.full(2, value) for value in (900.0, 0.0, 1.0))), LastMixed(-300.0))
    peaks_k = [(one.place[0] > 0.8, one.core_peak_k or 0.0) for one in study.stacks]
    cool_k, hot_k = (max(peak_k for right, peak_k in peaks_k if right == there) for there in (False, True))
    assert hot_k > cool_k + 5
    for most_cool_k, most_hot_k, told in (
        (cool_k - 1, hot_k + 1, [cool_k]), (cool_k - 1, hot_k - 3, [hot_k]), (500.0, 500.0, []),
    ):  # fmt: skip
        limited = job
        for name, most_k in ((light.card, most_cool_k), (other.id, most_hot_k)):
            limited = with_card(limited, revised(limited.card(name, CoreCard), highest_temperature_k=most_k))
        assert [one.peak_k for one in too_hot(limited, study) if one.what == "core"] == told


def test_ramps_and_holds_follow_one_another_and_bring_the_glass_transition(deck: tuple[Assessment, CureStudy]) -> None:
    made, study = deck
    job = changed(made.job, curing=Curing(tg_wanted_k=343.15))
    assert "tg-not-reached" in {caution.id for caution in cautions_of(replace(made, job=job))}
    assert not math.isfinite(load_s(job, study)) and wanted_tg_k(job) == 343.15
    hold = post_cure(job, study)
    assert hold is not None
    steps = (
        HeatStep(heats="mould", to_k=313.15, ramp_s=3600, hold_s=3600),
        HeatStep(heats="oven", to_k=hold.hold_k, ramp_s=7200, hold_s=hold.hold_s + 3600),
    )
    planned = changed(job, curing=revised(job.curing, steps=steps))
    legs = legs_of(planned, 1000.0)
    assert [leg.begin_s for leg in legs] == [1000.0, 4600.0, 8200.0, 15_400.0]
    assert all(before.end_s == after.begin_s for before, after in itertools.pairwise(legs))
    around = around_of(planned, legs)
    shop = job.shop.temperature_k
    assert around(0.0).below_k == shop
    assert around(1000.0 + 1800.0).below_k == pytest.approx((shop + 313.15) / 2, abs=0.01)
    assert around(2800.0).above_k == shop, "a heated mould leaves the bag in the shop's air"
    assert around(16_000.0).above_k == pytest.approx(hold.hold_k) and around(1e9).below_k == shop
    after = replace(made, job=planned)
    found = cured_again(after)
    assert math.isfinite(found.tg_over_s(343.15)), "the hold that was answered does bring it"
    assert found.last_gel_s < study.last_gel_s
    assert "tg-not-reached" not in {caution.id for caution in cautions_of(after)}


def cured_again(made: Assessment) -> CureStudy:
    study = made.cure_study
    assert study is not None
    return study


def test_under_film_the_skin_on_the_core_stays_cool_on_a_heated_mould(deck: tuple[Assessment, CureStudy]) -> None:
    """A core keeps the heat of the mould from the skin over it: that gels last, and release waits for it."""
    made, _ = deck
    heated = changed(made.job, curing=Curing(steps=(HeatStep(heats="mould", to_k=318.15, ramp_s=1800, hold_s=14_400),)))
    study = cured_again(replace(made, job=heated))
    cored = next(one for one in study.stacks if one.core_peak_k is not None and one.latest)
    names = np.array([slab.name for slab in cored.slabs])[cored.course.slab]
    plies = np.flatnonzero(names == "plies")
    core = np.flatnonzero(names == "core")
    gels = cored.course.first_s(cored.course.cure / study.law.gel_cure)
    assert gels[plies[plies < core[0]]].max() < gels[plies[plies > core[-1]]].min()


def test_the_deepest_vacuum_is_that_which_does_not_boil_the_resin() -> None:
    job = demo_job()
    points = (BoilingPoint(temperature_k=293.15, pressure_pa=800), BoilingPoint(temperature_k=313.15, pressure_pa=2400))
    card = revised(job.resin, boiling=points, lowest_pressure_pa=0.0)
    line = boiling_of(card)
    assert line is not None and line.assumed == ""
    slope = math.log(2400 / 800) / (1 / 313.15 - 1 / 293.15)
    exact = 800 * math.exp(slope * (1 / 303.15 - 1 / 293.15))
    assert line.pressure_pa(303.15) == pytest.approx(exact)
    job = with_card(job, card)
    safe = safe_vacuum(job, None)
    assert safe is not None and safe.filling_pa == pytest.approx(ABOVE * line.pressure_pa(job.shop.temperature_k))
    made = filled(assess(changed(job, vacuum=revised(job.vacuum, cavity_pa=0.8 * safe.filling_pa))), 400)
    (boils,) = [caution for caution in cautions_of(made) if caution.id == "resin-boils"]
    assert boils.fix is not None
    mended = filled(assess(boils.fix.apply(made.job)), 400)
    assert "resin-boils" not in {caution.id for caution in cautions_of(mended)}
    assert boiling_of(revised(card, boiling=())) is None


def test_a_lid_is_cured_between_two_walls_that_are_both_heated() -> None:
    job = demo_job(DEMO_FILES[2])
    made, plain = cured(job)
    _, warm = cured(changed(job, curing=Curing(steps=(HeatStep(to_k=323.15, ramp_s=600, hold_s=7200),))))
    assert [slab.name for slab in plain.stacks[0].slabs][0::3] != []
    assert plain.stacks[0].slabs[0].name == "mould" and plain.stacks[0].slabs[-1].name == "upper half"
    assert warm.last_gel_s < plain.last_gel_s and demould_s(made.job, warm) < demould_s(made.job, plain)


def soft_at(study: CureStudy, time_s: float, over_k: float) -> bool:
    """Whether any resin of the part is soft then, by its own temperature and cure."""
    for one in study.stacks:
        course = one.course
        for column in np.flatnonzero(course.cures):
            warm = float(np.interp(time_s, course.times_s, course.temperature_k[:, column]))
            cure = float(np.interp(time_s, course.times_s, course.cure[:, column]))
            if float(study.law.tg_k(cure)) < max(warm, study.shop_k) + over_k - 0.05:
                return True
    return False


def test_a_part_that_is_hot_is_hard_only_once_its_glass_transition_is_over_its_own_heat() -> None:
    job = demo_job(DEMO_FILES[2])
    hot = Curing(steps=(HeatStep(to_k=333.15, ramp_s=600, hold_s=3600),))
    made, study = cured(changed(job, curing=hot))
    off_s, cut_s = demould_s(made.job, study), trim_s(made.job, study)
    assert off_s > study.vacuum_off_s and not soft_at(study, off_s, 10.0) and soft_at(study, off_s - 120, 10.0)
    assert cut_s > off_s and not soft_at(study, cut_s, 20.0)
    warmest = max(float(np.interp(cut_s, one.course.times_s, one.course.temperature_k.max(axis=1)))
                  for one in study.stacks)  # fmt: skip
    assert warmest <= 318.2, "and is cut when it can be touched"
    stiffer = changed(made.job, house=revised(made.job.house, trim_over_k=30.0))
    assert trim_s(stiffer, study) >= cut_s


def test_a_part_is_taken_off_before_the_oven_that_makes_it_soft_again(deck: tuple[Assessment, CureStudy]) -> None:
    made, plain = deck
    off_s = demould_s(made.job, plain)
    oven = Curing(steps=(HeatStep(heats="oven", to_k=343.15, ramp_s=600, hold_s=7200),), begins_s=off_s + 900)
    heated, study = cured(changed(made.job, curing=oven))
    assert demould_s(heated.job, study) == pytest.approx(off_s, abs=120)
    assert soft_at(study, off_s + 900 + 900, 10.0)
    assert math.isfinite(load_s(heated.job, study))


def test_a_green_part_is_warmed_as_told_to_what_it_is_to_stand(deck: tuple[Assessment, CureStudy]) -> None:
    made, study = deck
    job, off_s = made.job, demould_s(made.job, study)
    hold = warm_before_handling(job, study)
    assert hold is not None and hold.hold_s <= 4 * 3600
    cure, times = study.least_cure_at(off_s), np.linspace(0, hold.hold_s, 4001)
    for step in np.diff(times):
        cure += float(step) * float(study.law.rate_as_glass(hold.hold_k, np.array([cure]))[0])
    assert float(study.law.tg_k(cure)) >= wanted_tg_k(job) - 0.3
    words = next(step.detail for step in run_list(made) if step.id == "demould")
    assert show(hold.hold_k, "temperature") in words and show(hold.hold_s, "duration") in words


@pytest.mark.parametrize(("left_kg", "depth_m"), [(0.3, None), (3.0, None), (3.0, 0.06)])
def test_what_is_left_in_the_bucket_gets_as_hot_as_its_balance_says(left_kg: float, depth_m: float | None) -> None:
    job = demo_job()
    batch = Batch(1, 8.0, 294.15, -300.0, 0.0, 1500.0, 4000.0, True)
    left = leftover_of(job, "in the bucket", left_kg, batch, 1500.0, depth_m)
    assert left is not None and left.runs_away
    law, shop_k = law_of(job.resin), job.shop.temperature_k
    volume = left_kg / job.resin.density_kg_m3
    face_m2 = 1.5 * math.pi * (4 * volume / math.pi) ** (2 / 3)
    if depth_m is not None:
        face_m2 = 2 * volume / depth_m + 4 * math.sqrt(volume * depth_m)
    loss = 9.0 * face_m2 / (left_kg * law.heat_capacity_j_kg_k)
    before = pot_course(law, job.resin.density_kg_m3, 8.0, mixed_temperature_k(job), pot_of(job)).at(1800.0)

    def slopes(_: float, state: np.ndarray) -> list[float]:
        rate = float(law.rate(float(state[0]), min(float(state[1]), 1.0)))
        return [law.adiabatic_rise_k * rate - loss * (state[0] - shop_k), rate]

    done = solve_ivp(
        slopes, (0, 86_400), [float(one) for one in before], "Radau", rtol=1e-8, atol=1e-8, max_step=120.0
    )  # fmt: skip
    peak = int(np.argmax(done.y[0]))
    assert left.peak_k == pytest.approx(done.y[0][peak], abs=1.0)
    assert left.peak_s == pytest.approx(1500 + done.t[peak], abs=120)
    assert left.out_by_s == pytest.approx(1500 + done.t[np.argmax(done.y[0] > mixed_temperature_k(job) + 20)], abs=300)
    cold = done.t[np.flatnonzero(np.abs(done.y[0] - shop_k) > 5)[-1]]
    assert left.cold_s == pytest.approx(1500 + cold, abs=600)
    assert left.spread_m in DEPTHS_M[1:]
    thin, thick = (
        pot_course(
            law, job.resin.density_kg_m3, left_kg, float(before[0]), Pot("tray", shop_k, None, depth), float(before[1])
        ).hottest_k
        for depth in (left.spread_m, DEPTHS_M[DEPTHS_M.index(left.spread_m) - 1])
    )
    assert thin <= 333.15 < thick


def logged_at(job: Job, *points: tuple[float, float], name: str = "") -> Job:
    logged = tuple(LoggedPoint(time_s=time_s, temperature_k=warm_k, name=name) for time_s, warm_k in points)
    return changed(job, curing=revised(job.curing, logged=(*job.curing.logged, *logged)))


def test_a_part_that_is_read_colder_than_planned_keeps_its_vacuum_as_much_longer() -> None:
    """Resin without heat of its own, so that both are cured at one temperature: the span between two degrees of cure is
    an integral, and a thermocouple is believed to a kelvin."""
    job = demo_job()
    job = with_card(job, revised(job.resin, heat_j_kg=10_000.0))
    made, planned = cured(job)
    start_s, mould_k = planned.start_s, job.mould_temperature_k
    begin = min(float(one.course.cure[0].max()) for one in planned.stacks if one.latest)

    def span_s(warm_k: float) -> float:
        cures = np.linspace(begin, planned.release_cure, 20_001)
        return float(np.trapezoid(1 / planned.law.rate_as_glass(warm_k, cures), cures))

    assert planned.vacuum_off_s == pytest.approx(start_s + span_s(mould_k), rel=0.01)

    def as_read(*points: tuple[float, float]) -> Assessment:
        return replace(made, job=logged_at(job, *points), cure_found=planned)

    every_hour = [(start_s + 3600.0 * hour, mould_k - 7.0) for hour in range(5)]
    for points in (every_hour, every_hour[:1]):  # what was read once stays so
        late = as_read(*points)
        later_s = span_s(mould_k - 6.0) - span_s(mould_k)
        assert later_s > 3 * 3600 and late.cure.release_s - made.cure.release_s == pytest.approx(later_s, rel=0.01)
        assert late.cure_study is not None and late.colder is not None and late.colder.planned_k > late.colder.read_k
        assert trim_s(job, late.cure_study) >= demould_s(job, late.cure_study) >= late.cure.release_s
        until = clock_time(job.shot_start_s + late.cure.release_s)
        (said,) = [one for one in cautions_of(late) if one.id == "part-colder-than-planned"]
        assert until in said.message and until in " ".join(step.detail for step in run_list(late))
    # cold in the first two hours only: half of the readings cost less than half, as it hardens slowly at first
    soon = as_read(*every_hour[:2], (start_s + 7201.0, mould_k), (start_s + 14_400.0, mould_k))
    assert 600.0 < soon.cure.release_s - made.cure.release_s < 0.5 * later_s
    for points in (
        [(start_s + 3600.0, mould_k + 9.0)],  # one warm place does not tell that all is warm
        [(start_s + 3600.0, mould_k - 0.9)],
        [(start_s - 3600.0, mould_k - 9.0)],  # before the part was full
    ):
        assert as_read(*points).cure == made.cure
    two = replace(made, job=logged_at(logged_at(job, *every_hour, name="skin"), (start_s, mould_k), name="core"))
    assert two.cure.release_s == pytest.approx(late.cure.release_s, rel=0.005), "by the coldest of them"
    for name, counts in (("Mould, outside", False), ("cold spot 2", True)):
        named = replace(made, job=logged_at(job, *every_hour, name=name), cure_found=planned)
        assert (named.cure.release_s > made.cure.release_s) == counts
    frozen = as_read((start_s, 255.0))
    assert frozen.cure.release_s >= planned.vacuum_off_s + 2 * 86_400.0, "not before it is warmed"


def test_a_part_that_is_read_hotter_than_it_stands_is_said() -> None:
    job = demo_job()
    what, most_k = stands_k(job)
    for warm_k, told in ((most_k - 1.0, False), (most_k + 8.0, True)):
        found = [one for one in cautions_of(assess(logged_at(job, (7200.0, warm_k)))) if "hotter" in one.id]
        assert bool(found) == told and all(what in one.message and "at 11:30" in one.message for one in found)
    # off the mould, in an oven, it has no film that could soften
    made, planned = cured(job)
    off_s = demould_s(job, planned)
    assert what in ("film", "mould") and stands_k(job, taken_off=True)[1] > most_k + 8.0
    for time_s, told in ((off_s - 60.0, True), (off_s + 60.0, False)):
        read = replace(made, job=logged_at(job, (time_s, most_k + 8.0)), cure_found=planned)
        assert any("hotter" in one.id for one in cautions_of(read)) == told


def test_what_was_read_in_a_shot_before_says_nothing_of_this_one() -> None:
    job = demo_job()
    cold = logged_at(job, (7200.0, 280.0))
    assert [point.temperature_k for point in cold.curing.read_in(cold.shot_number)] == [280.0]
    at = datetime(2026, 3, 12, 9, 30, tzinfo=UTC)
    run = tuple(
        RunEvent(number=number, at=at, clock_s=0.0, kind=kind) for number, kind in enumerate(("started", "new run"), 1)
    )
    for entries, counts in ((1, True), (2, False)):
        job = changed(cold, run=run[:entries])
        assert bool(job.curing.read_in(job.shot_number)) == counts and (hottest_read(job) is not None) == counts


def test_what_is_left_is_as_deep_as_it_stands_in_its_own_bucket_or_pot() -> None:
    """61 g on the floor of a catch pot of 2 L are a skin of 4 mm; alone, as deep as wide, they would get to 150 °C."""
    made = filled(assess(demo_job(DEMO_FILES[2])), 300, levels=1)

    def kept(job: Job) -> dict[str, Leftover]:
        return {left.where: left for left in filled(assess(job), 300, levels=1).leftovers}

    caught = kept(made.job)["in the catch pots"]
    assert 0.03 < caught.mass_kg < 0.1 and not caught.runs_away and caught.peak_k < 310
    assert "left in the catch pots" not in {step.id for step in run_list(made)}
    warm = replace(made.leftovers[0], peak_k=331.0, out_by_s=1500.0)
    assert not warm.runs_away, "58 °C: warmer by 30 K, and harmless"
    narrow = changed(made.job, pots=tuple(revised(pot, capacity_m3=1.0e-4) for pot in made.job.pots))
    assert kept(narrow)["in the catch pots"].runs_away
    hot = [
        kept(changed(made.job, plumbing=revised(made.job.plumbing, bucket=bucket)))["in the bucket"].peak_k
        for bucket in (
            BucketShape(known=True, base_m=wide_m, top_m=wide_m, height_m=0.3) for wide_m in (0.12, 0.2, 0.35)
        )
    ]
    assert hot[0] > hot[1] > hot[2] + 5


def test_what_is_left_is_told_where_it_stands() -> None:
    made = filled(assess(demo_job(DEMO_FILES[3])), 200, levels=1)
    (step,) = (step for step in run_list(made) if step.id == "left in the pressure pot")
    assert "left in the pressure pot" in step.text and "pressure is let off before it is opened" in step.detail
    assert not any("bucket" in other.text for other in run_list(made))


def test_what_bleeds_until_gel_stands_in_the_catch_pots_too() -> None:
    job = demo_job()
    fill = scheduled_fill(job, 400, 2, after=True)
    assert fill.after is not None and fill.after.bled_m3 > 4 * fill.in_pots_m3[-1], "most comes after the fill"
    caught_m3 = float(fill.in_pots_m3[-1]) + fill.after.bled_m3
    made = replace(assess(job), fill=fill)
    (kept,) = (left for left in made.leftovers if left.where == "in the catch pots")
    assert kept.mass_kg == pytest.approx(caught_m3 * job.resin.density_kg_m3) and kept.runs_away
    assert "pot-too-small" not in {one.id for one in cautions_of(made)}
    small = changed(job, pots=(revised(job.pots[0], capacity_m3=1.2 * caught_m3),))
    assert "pot-too-small" in {one.id for one in cautions_of(replace(assess(small), fill=fill))}


def test_next_to_nothing_left_is_not_reckoned_and_the_run_list_takes_out_what_gets_hot(
    deck: tuple[Assessment, CureStudy],
) -> None:
    made, _ = deck
    assert leftover_of(made.job, "in the bucket", 0.01, made.batches[-1], 1000.0) is None
    steps = {step.id: step for step in run_list(made)}
    kept = {left.where: left for left in made.leftovers}
    bucket = kept["in the bucket"]
    end_s = made.fill.end_s if made.fill else 0.0
    poured = sum(batch.mass_kg for batch in made.batches)
    assert bucket.mass_kg == pytest.approx(poured - made.drawn_curve[1][-1], rel=1e-6)
    step = steps["left in the bucket"]
    assert "The vacuum stays on" in steps["left in the catch pots"].detail
    assert step.due_s == end_s and clock_time(made.job.shop.shot_start_s + bucket.out_by_s) in step.detail
