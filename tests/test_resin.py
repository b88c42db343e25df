"""Viscosity, charge, batches and cure."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from mould_jobs import injection, lid
from shapely import Polygon

from bibulon.assess import Assessment, assess, filled
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.durations import clock_time
from bibulon.flow.fed_resin import FedBatch, FedResin
from bibulon.flow.refusal import FlowRefusal
from bibulon.flow.scheduled import scheduled_fill
from bibulon.job import Job
from bibulon.job.cards import CoreCard, MediaCard
from bibulon.job.charge import MixedBatch, PlannedBatch, Weighed
from bibulon.job.dosing import dose_of
from bibulon.job.edits import changed, revised, with_card, with_line
from bibulon.job.gear_cards import TubeCard
from bibulon.job.layup import CoreLaying
from bibulon.job.lines import Manifold, WhenBatchUsed
from bibulon.job.places import FLAT
from bibulon.job.resin_card import ResinCard
from bibulon.job.run import EventKind, RunEvent
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.relief import developed_length_m
from bibulon.mould.shot_mass import shot_mass
from bibulon.quantities import show
from bibulon.resin.batches import batches_of, unplanned_kg
from bibulon.resin.card_law import law_of
from bibulon.resin.charge import Taken, charge_of
from bibulon.resin.cure import LastMixed, cure_plan
from bibulon.resin.mixing import measures_of, pot_of
from bibulon.resin.pot import Pot, pot_course
from bibulon.resin.pot_life import pot_life_s
from bibulon.resin.rheology import rheology
from bibulon.resin.viscosity import arrhenius, film_gel_s, fresh_viscosity_pa_s, sheet_pot_life_s
from bibulon.stock import shelf, shelf_card


def test_arrhenius_goes_through_its_points(demo: Job) -> None:
    low, high = demo.resin.viscosity[0], demo.resin.viscosity[-1]
    points = [(one.temperature_k, one.viscosity_pa_s) for one in (low, high)]
    assert arrhenius(points, low.temperature_k, 0) == pytest.approx(low.viscosity_pa_s)
    middle = 2 / (1 / low.temperature_k + 1 / high.temperature_k)
    assert arrhenius(points, middle, 0) == pytest.approx(np.sqrt(low.viscosity_pa_s * high.viscosity_pa_s))
    assert arrhenius(points[:1], low.temperature_k + 10, 6500.0) < low.viscosity_pa_s
    assert fresh_viscosity_pa_s(demo.resin, 298.15) == pytest.approx(0.26, rel=0.02)


@given(temperature=st.floats(285, 310), time=st.floats(1, 5000))
def test_the_fluidity_clock_runs_both_ways(temperature: float, time: float) -> None:
    flow = rheology(demo_job().resin, temperature)
    assert flow.time_at(flow.fluidity_time(time)) == pytest.approx(time, rel=1e-9)
    assert flow.viscosity_at(flow.flow_limit_s) == pytest.approx(1.0)


def test_more_in_the_pot_and_a_warmer_shop_shorten_everything(demo: Job) -> None:
    assert pot_life_s(demo.resin, 293.15, 1.0) == pytest.approx(90 * 60, rel=0.03)
    assert pot_life_s(demo.resin, 293.15, 8.0) < 0.6 * pot_life_s(demo.resin, 293.15, 1.0)
    assert film_gel_s(demo.resin, 303.15) < film_gel_s(demo.resin, 293.15)
    plan = cure_plan(demo, LastMixed(0.0))
    assert plan.release_s == pytest.approx(1.5 * plan.gel_s)
    assert plan.shift_end_s == pytest.approx(7.5 * 3600)


@pytest.mark.parametrize(
    ("starts_h", "ends_h", "begun_h", "left_h"),
    [
        (9.0, 17.0, None, 8.0),
        (22.0, 6.0, None, 8.0),  # a night shift
        (22.0, 6.0, 0.5, 5.5),  # begun after midnight
        (22.0, 6.0, 21.75, 8.25),
        (9.0, 17.0, 21.5, -4.5),  # begun after its shift
        (17.5, 17.0, None, -0.5),
        (9.0, 17.0, 6.0, 11.0),
    ],
)
def test_the_end_of_the_shift_is_that_of_the_shot(
    demo: Job, starts_h: float, ends_h: float, begun_h: float | None, left_h: float
) -> None:
    job = changed(demo, shop=revised(demo.shop, shot_start_s=starts_h * 3600, shift_end_s=ends_h * 3600))
    if begun_h is not None:
        at = datetime(2026, 11, 5, int(begun_h), round(begun_h % 1 * 60), tzinfo=UTC)
        job = changed(job, run=(RunEvent(number=1, at=at, clock_s=0.0, kind="started"),))
    assert cure_plan(job, LastMixed(0.0)).shift_end_s == pytest.approx(left_h * 3600)
    lid_job = changed(lid(), shop=job.shop, run=job.run)
    planned_h = max(left_h if begun_h is None else (ends_h - starts_h) % 24, 0.0)
    assert assess(lid_job).cycle.shots_per_shift == int(planned_h * 3600 / assess(lid_job).cycle.every_s)


def test_charge_adds_up_by_hand(panel: Job) -> None:
    charge = charge_of(panel)
    masses = {item.name: item.mass_kg for item in charge.items}
    vf = 0.53 * ((101_325 - 2000) / 95_000) ** 0.07
    laminate = 0.4 * 2.4 / 2560 / vf * (1 - vf) * 1120
    assert masses["Laminate"] == pytest.approx(laminate)
    assert masses["Lines"] == pytest.approx(np.pi / 4 * 0.009**2 * 0.8 * 1120)
    assert masses["Hoses"] == pytest.approx(np.pi / 4 * 0.019**2 * 0.1 * 1120)
    computed = sum(mass for name, mass in masses.items() if name != "Contingency")
    assert masses["Contingency"] == pytest.approx(0.1 * computed)
    resin, hardener = charge.components
    assert resin.mass_kg / hardener.mass_kg == pytest.approx(100 / 30)
    assert resin.mass_kg + hardener.mass_kg == pytest.approx(charge.total_kg)
    assert hardener.volume_m3 == pytest.approx(hardener.mass_kg / 960)


def early_vent(job: Job) -> Job:
    """One more vent, that resin comes to half-way."""
    vent = revised(job.vents[0], id="v2", label="V2", points=((0.2, 0.35), (0.6, 0.35)))
    return changed(job, lines=(*job.lines, vent))


def after_the_fill(**choices: str) -> Callable[[Job], Job]:
    return lambda job: changed(job, flow=revised(job.flow, **choices))


@pytest.mark.parametrize(
    ("make", "more"),
    [
        (early_vent, "Bleed"),
        (after_the_fill(feeds_after="open"), "Drawn after the fill"),
        (after_the_fill(feeds_after="open", vents_after="shut"), "Drawn after the fill"),
        (lambda job: changed(job, bag=revised(job.bag, parts=2)), "Bleed"),
    ],
)
def test_the_charge_is_what_is_drawn_until_gel_and_the_heel(demo: Job, make: Callable[[Job], Job], more: str) -> None:
    """Whatever runs past the part: nobody planned a bleed, nor mixes anything on top."""
    bare = changed(demo, charge=revised(demo.charge, contingency=0.0, bleed_kg=0.0))
    made = filled(assess(make(bare)), 200, levels=1)
    fill = made.fill
    assert fill is not None and fill.stopped_by == "filled" and fill.after is not None
    weight = demo.resin.density_kg_m3 * made.job.parts_together
    drawn_kg = (fill.resin_drawn_m3 + fill.after.drawn_m3) * weight
    assert made.charge.total_kg == pytest.approx(drawn_kg + demo.bucket.heel_kg, rel=0.005)
    assert sum(batch.mass_kg for batch in made.batches) == pytest.approx(made.charge.total_kg)
    items = {item.name: item.mass_kg for item in made.charge.items}
    assert items[more] > 0.2 and items["Bleed"] == pytest.approx(float(fill.in_pots_m3[-1]) * weight)
    planned = filled(assess(changed(made.job, charge=revised(made.job.charge, bleed_kg=20.0))), 200, levels=1).charge
    kept = {item.name: item.mass_kg for item in planned.items}
    assert kept["Bleed"] == 20.0 and kept.get("Drawn after the fill", 0.0) == pytest.approx(
        max(items["Bleed"] + items.get("Drawn after the fill", 0.0) - 20.0, 0.0), abs=0.2
    )


def test_every_line_of_the_demos_charge_by_hand(demo: Job) -> None:
    """Grooved, perforated core with joints over part of the panel, media, peel ply, manifold, bleed and heel."""
    hose = demo.feeds[0].hose
    manifold = Manifold(id="m1", label="M1", tube=demo.feeds[0].tube, hose=hose, length_m=1.5, hose_length_m=0.8)
    demo = changed(demo, manifolds=(manifold,), core_laying=CoreLaying(joint_gap_m=0.003))
    charge = charge_of(demo, taken=Taken(swollen_m3=0.002))
    density = demo.resin.density_kg_m3
    items = {item.name: item for item in charge.items}
    masses = {name: item.mass_kg for name, item in items.items()}
    core = demo.card("foam-grooved-perforated-25", CoreCard)
    cored = [cell.area_m2 for cell in laminate_of(demo).cells if core.id in {layer.card for layer in cell.stack.layers}]
    pitch = core.groove_pitch_m
    grooves = core.groove_width_m * core.groove_depth_m * (2 / pitch - core.groove_width_m / pitch**2)
    holes = np.pi / 4 * core.perforation_diameter_m**2 / pitch**2 * core.thickness_m
    joints = 0.003 * core.thickness_m * (1 / core.sheet_length_m + 1 / core.sheet_width_m)
    assert core.perforation_pitch_m == pitch and 0 < sum(cored) < laminate_of(demo).total.area_m2
    volume = sum(cored) * (grooves + holes + joints)
    assert masses["Core grooves and perforations"] == pytest.approx(volume * density)
    assert f"over {show(sum(cored), 'area')}" in items["Core grooves and perforations"].how
    assert masses["Core surface"] == pytest.approx(sum(cored) * core.surface_uptake_kg_m2, rel=1e-6)
    media = demo.card("media-knitted", MediaCard)
    laid = sum(Polygon(one.outline).area for one in demo.media)
    assert masses["Flow media"] == pytest.approx(laid * media.thickness_m * media.porosity * density, rel=0.01)
    tubes = [(line.tube, developed_length_m(FLAT, line.points)) for line in demo.lines] + [(manifold.tube, 1.5)]
    hoses = [(line.hose, line.hose_length_m) for line in demo.lines] + [(manifold.hose, 0.8)]
    for name, runs in (("Lines", tubes), ("Hoses", hoses)):
        bores = sum(np.pi / 4 * demo.card(tube, TubeCard).bore_m ** 2 * long for tube, long in runs)
        assert masses[name] == pytest.approx(bores * density)
        assert f"bore of {show(sum(long for _, long in runs), 'distance')} in 4 lines" in items[name].how
    assert masses["Laminate swollen"] == pytest.approx(0.002 * density)
    assert masses["Bleed"] == demo.charge.bleed_kg and masses["Bucket heel"] == demo.bucket.heel_kg
    kept = ("Laminate", "Core grooves and perforations", "Core surface")
    assert charge.in_part_kg == pytest.approx(sum(masses[name] for name in kept))
    assert charge.waste_kg == pytest.approx(sum(mass for name, mass in masses.items() if name not in kept))


def test_resin_stops_at_whichever_comes_first_and_ages_as_it_gels(demo: Job) -> None:
    resin, cool = demo.resin, demo.resin.film_gel[0].temperature_k
    flow = rheology(resin, cool)
    assert flow.thickening_s == pytest.approx(resin.thickening_time_s)
    assert flow.flow_limit_s == pytest.approx(
        resin.thickening_time_s * np.log(resin.flow_limit_pa_s / fresh_viscosity_pa_s(resin, cool))
    )
    warm = rheology(resin, cool + 12)
    assert warm.thickening_s / flow.thickening_s == pytest.approx(
        film_gel_s(resin, cool + 12) / film_gel_s(resin, cool)
    )
    gels = rheology(revised(resin, flow_limit_pa_s=1e6), cool)
    assert (gels.stopped_by, gels.stops_s) == ("gel", pytest.approx(film_gel_s(resin, cool)))
    thick = rheology(revised(resin, flow_limit_pa_s=0.6), cool)
    assert (thick.stopped_by, thick.stops_s) == ("flow limit", pytest.approx(thick.flow_limit_s))
    assert thick.stops_s < gels.stops_s
    stiff = rheology(revised(resin, flow_limit_pa_s=0.01), cool)
    assert stiff.stops_s == 0.0, "what is thicker than the limit to begin with does not flow"
    one = arrhenius([(cool, 100.0)], cool + 10, 6500.0)
    assert one == pytest.approx(100.0 * np.exp(6500.0 * (1 / (cool + 10) - 1 / cool)))


@pytest.mark.parametrize("resin", [card for card in shelf() if isinstance(card, ResinCard)], ids=lambda card: card.id)
def test_resin_from_a_cool_pot_is_as_old_and_as_thick_as_if_it_had_been_kept_so_long(resin: ResinCard) -> None:
    """However slowly its cure begins: a pot in a bath at the mould's temperature, and the card's own e-fold time."""
    law, kept_k = law_of(resin), resin.film_gel[0].temperature_k
    pot = pot_course(law, resin.density_kg_m3, 0.01, kept_k, Pot("tray", kept_k, kept_k, tray_depth_m=0.001))
    fed, flow = FedResin(law, kept_k, (FedBatch(1.0, 0.0, pot),)), rheology(resin, kept_k)
    flown = fed.flown(np.array([0.0]))
    for share in (0.01, 0.05, 0.1, 0.3, 0.6):
        kept_s = share * flow.stops_s
        assert fed.at(1, kept_s)[0] == pytest.approx(kept_s, rel=0.03), share
        assert fed.flown(np.array([kept_s])) - flown == pytest.approx(flow.fluidity_time(kept_s), rel=1e-3), share


@given(mass=st.floats(0.001, 50), temperature=st.floats(288, 305))
def test_pot_life_follows_its_power_of_the_mass(mass: float, temperature: float) -> None:
    resin = demo_job().resin
    sheet = arrhenius([(one.temperature_k, one.time_s) for one in resin.pot_life], temperature, 0)
    share = (max(mass, 0.05) / resin.pot_life_mass_kg) ** resin.pot_life_mass_exponent
    assert sheet_pot_life_s(resin, temperature, mass) == pytest.approx(sheet / share)
    assert pot_life_s(resin, temperature, mass) <= sheet / share * (1 + 1e-9)
    if mass >= 2 * resin.pot_life_mass_kg:
        assert pot_life_s(resin, temperature, mass) == pytest.approx(sheet / share), "the sheet is the more careful"


def test_batches_are_numbered_levelled_and_mixed_one_after_the_other(demo: Job) -> None:
    """Ten kilograms over a long draw in pots of at most four: three alike; over a quick one mixed before the start."""
    plan = revised(demo.charge, largest_batch_kg=4.0, pot_life_share=0.9)
    resin = revised(demo.resin, pot_life_mass_exponent=0.0)
    slow = batches_of(plan, resin, 293.15, 10.0, np.array([0.0, 3600.0]), np.array([0.0, 8.0]))
    assert [one.number for one in slow] == [1, 2, 3]
    assert [one.mass_kg for one in slow] == pytest.approx([10 / 3] * 3)
    assert [one.pour_s for one in slow] == pytest.approx([0.0, 1500.0, 3000.0])
    assert [one.used_s for one in slow] == pytest.approx([1500.0, 3000.0, 3600.0])
    assert [one.mix_s for one in slow] == pytest.approx([time - plan.mix_time_s for time in (0.0, 1500.0, 3000.0)])
    life = 0.9 * pot_life_s(resin, 293.15, 10 / 3)
    assert [one.usable_until_s - one.mix_s for one in slow] == pytest.approx([life] * 3)
    quick = batches_of(plan, resin, 293.15, 10.0, np.array([0.0, 30.0]), np.array([0.0, 8.0]))
    last = 25.0 - plan.mix_time_s
    assert [one.mix_s for one in quick] == pytest.approx([last - 2 * plan.mix_time_s, last - plan.mix_time_s, last])
    heel = batches_of(plan, resin, 293.15, 10.0, np.array([0.0, 3600.0]), np.array([0.0, 8.0]), 0.4)
    poured = np.cumsum([0.0, *(each.mass_kg for each in heel)])
    for each, before in zip(heel[1:], poured[1:], strict=False):
        assert before - 8.0 * each.pour_s / 3600.0 == pytest.approx(0.4), "the bucket never falls below its heel"
    given = batches_of(plan, resin, 293.15, 10.0, np.array([0.0, 3600.0]), np.array([0.0, 8.0]), 0.4, (3.2,))
    assert [each.mass_kg for each in given] == pytest.approx([3.2, 3.2, 3.6]), "as the fill took them"
    one = batches_of(plan, resin, 293.15, 3.9, np.array([0.0, 3600.0]), np.array([0.0, 3.0]))
    assert len(one) == 1 and one[0].mass_kg == pytest.approx(3.9)
    assert batches_of(plan, resin, 293.15, 3.9, np.array([0.0]), np.array([0.0])) == ()
    # what was weighed comes first as it was: two kilograms, mixed ten minutes early; eight are left, in two
    done = (Weighed(2.0, -960.0, 301.15),)
    rest = batches_of(plan, resin, 293.15, 10.0, np.array([0.0, 3600.0]), np.array([0.0, 8.0]), weighed=done)
    assert [each.mass_kg for each in rest] == pytest.approx([2.0, 4.0, 4.0])
    assert (rest[0].mix_s, rest[0].used_s, rest[1].pour_s) == pytest.approx((-960.0, 900.0, 900.0))
    assert rest[0].usable_until_s + 960.0 == pytest.approx(
        0.9 * pot_life_s(resin, 301.15, 2.0, Pot(plan.pot_shape, 293.15))
    )
    assert [each.mixed_k for each in rest] == [301.15, 293.15, 293.15]
    by_hand = revised(plan, batches=(PlannedBatch(mass_kg=4.0), PlannedBatch(mass_kg=3.0), PlannedBatch(mass_kg=3.0)))
    hand = batches_of(by_hand, resin, 293.15, 10.0, np.array([0.0, 3600.0]), np.array([0.0, 8.0]), weighed=done)
    assert [each.mass_kg for each in hand] == pytest.approx([2.0, 3.0, 3.0])
    assert unplanned_kg(by_hand, 10.0, done) == pytest.approx(2.0) and unplanned_kg(by_hand, 10.0) == 0.0
    # pots that have to be small at first cannot all be alike: they stay as large as each may be
    bent = batches_of(demo.charge, demo.resin, 303.15, 30.0, np.linspace(0, 7200, 50), np.linspace(0, 5.5, 50) ** 2)
    assert len({round(each.mass_kg, 3) for each in bent}) > 1 and sum(each.mass_kg for each in bent) == pytest.approx(
        30
    )


@given(
    total=st.floats(0.5, 80),
    minutes=st.floats(5, 120),
    largest=st.floats(1, 12),
    share=st.floats(0.2, 0.9),
    bend=st.floats(0.4, 1.5),
)
def test_batches_cover_the_charge_within_their_pot_life(
    total: float, minutes: float, largest: float, share: float, bend: float
) -> None:
    job = demo_job()
    plan = revised(job.charge, largest_batch_kg=largest, pot_life_share=share)
    time = np.linspace(0, minutes * 60, 40)
    drawn = 0.9 * total * (time / time[-1]) ** bend
    batches = batches_of(plan, job.resin, 294.15, total, time, drawn)
    assert sum(batch.mass_kg for batch in batches) == pytest.approx(total)
    assert max(batch.mass_kg for batch in batches) <= largest + 1e-9
    for earlier, later in itertools.pairwise(batches):
        assert later.mix_s >= earlier.mix_s + plan.mix_time_s - 1e-6, "one person mixes one at a time"
        before_kg = sum(batch.mass_kg for batch in batches[: earlier.number - 1])
        if before_kg < drawn[-1] - 1e-9:
            assert later.pour_s == pytest.approx(earlier.used_s)
        else:
            assert later.pour_s == pytest.approx(earlier.pour_s + plan.mix_time_s), "never drawn, mixed to be at hand"
    for batch in batches:
        assert batch.mix_s + plan.mix_time_s <= batch.pour_s + 1e-6
        life = pot_life_s(job.resin, 294.15, batch.mass_kg)
        assert batch.in_time == (batch.used_s - batch.mix_s <= share * life + 1e-6)


def test_a_hot_shop_needs_more_batches(demo: Job) -> None:
    time, drawn = np.linspace(0, 3600, 50), np.linspace(0, 20, 50)
    counts = [len(batches_of(demo.charge, demo.resin, t, 20.0, time, drawn)) for t in (290.15, 303.15)]
    assert counts[1] > counts[0]


def test_a_lone_component_ratio_is_refused(demo: Job) -> None:
    with pytest.raises(ValueError, match="components"):
        changed(demo, cards=(revised(demo.resin, components=demo.resin.components[:1]),))


def test_the_vacuum_stays_on_until_the_last_batch_has_gelled() -> None:
    """By hand: release is that of the batch mixed last, whenever the first feed was opened. Without heat of its own a
    stack cures as the film of the card does."""
    job = demo_job()
    job = with_card(job, revised(job.resin, heat_j_kg=10_000.0))
    made = filled(assess(job), 400)
    count = len(made.batches)
    assert count > 2
    gel = film_gel_s(job.resin, job.mould_temperature_k)
    last = made.batches[-1]
    assert last.mix_s > 0
    assert made.cure.gel_s == pytest.approx(last.mix_s + gel, rel=0.01)
    assert made.cure.release_s == pytest.approx(last.mix_s + gel * job.resin.release_after_gel_factor, rel=0.01)
    # as the log says it was: the last poured ten minutes later than planned
    at = datetime(2026, 3, 12, 9, 30, tzinfo=UTC)
    poured = [batch.pour_s for batch in made.batches[:-1]] + [last.pour_s + 600.0]
    run = tuple(
        RunEvent(number=number, at=at, clock_s=clock, kind="batch added", label=f"B{number}")
        for number, clock in enumerate(poured, 1)
    )
    late = replace(made, job=changed(job, run=run))
    assert late.cure.gel_s == pytest.approx(last.pour_s + 600.0 - job.charge.mix_time_s + gel, rel=0.01)
    warm = filled(assess(demo_job()), 400)
    assert made.cure.gel_s - 3600 < warm.cure.gel_s < made.cure.gel_s, "its own heat makes it gel sooner"


def test_resin_that_a_machine_mixes_is_as_young_as_the_clamping_of_the_last_inlet() -> None:
    """A shot that took longer than planned has younger resin in it: its vacuum may go that much later."""
    job = changed(demo_job(DEMO_FILES[2]), run=())
    job = changed(job, pair=revised(job.pair, injection=revised(job.pair.injection, source="machine")))
    planned = filled(assess(job), 250)
    at = datetime(2026, 3, 12, 9, 30, tzinfo=UTC)

    def logged(*entries: tuple[float, EventKind, str]) -> Assessment:
        run = tuple(
            RunEvent(number=number, at=at, clock_s=clock_s, kind=kind, label=label)
            for number, (clock_s, kind, label) in enumerate(entries, 1)
        )
        return replace(planned, job=changed(job, run=run))

    first: tuple[tuple[float, EventKind, str], ...] = (
        (-300.0, "valve clamped", "all feeds"), (0.0, "valve opened", "I1"), (2.0, "valve opened", "I2"),
    )  # fmt: skip
    assert logged(first[0]).last_mixed.mixed_s == logged(*first).last_mixed.mixed_s == planned.fill.end_s, (
        "none was opened, or is"
    )
    half = (*first, (900.0, "valve clamped", "I1"))
    assert logged(*half).last_mixed.mixed_s == planned.fill.end_s
    done = (*half, (1500.0, "valve clamped", "all feeds"), (1600.0, "valve clamped", "I2"))
    late = logged(*done)
    assert late.last_mixed.mixed_s == 1500.0
    later_s = 1500.0 - planned.fill.end_s
    assert late.cure.release_s - planned.cure.release_s == pytest.approx(later_s, rel=0.02)
    again = logged(*done, (1700.0, "valve opened", "I2"), (1800.0, "valve clamped", "I2"))
    assert again.last_mixed.mixed_s == 1800.0


def test_what_was_weighed_is_reckoned_with_in_the_fill_and_after_it() -> None:
    """One batch, mixed a good quarter of an hour earlier than planned, at the temperature of the mould, with no heat of
    its own: the margin is as much less, and the vacuum may go as much earlier."""
    job = changed(demo_job(DEMO_FILES[2]), run=())
    job = with_card(job, revised(job.resin, heat_j_kg=10_000.0))
    before = filled(assess(job), 300)
    (batch,) = before.batches
    masses = tuple(measure.mass_kg for measure in measures_of(job.resin, batch.mass_kg))

    def weighed(mixed_at: str, temperature_k: float | None = None, shot: int = 0) -> Job:
        record = MixedBatch(shot=shot, number=1, masses_kg=masses, mixed_at=mixed_at, temperature_k=temperature_k)
        return changed(job, charge=revised(job.charge, mixed=(record,)))

    planned_s = job.shop.shot_start_s + batch.mix_s
    early = filled(assess(weighed(clock_time(planned_s - 930.0))), 300)
    assert early.batches[0].mix_s == pytest.approx(batch.mix_s - 930.0)
    assert before.gel_margin_s is not None and early.gel_margin_s is not None
    assert before.gel_margin_s - early.gel_margin_s == pytest.approx(930.0, rel=0.05)
    assert before.cure.release_s - early.cure.release_s == pytest.approx(930.0, rel=0.02)
    warm = filled(assess(weighed("", job.mould_temperature_k + 8.0)), 300)
    assert warm.gel_margin_s is not None and warm.gel_margin_s < before.gel_margin_s - 60.0
    # the shot is begun at another time than planned: what was written down counts from there; a rehearsal does not
    begun_at = datetime(2026, 3, 12, 14, 30, tzinfo=UTC)
    first = RunEvent(number=1, at=begun_at, clock_s=0.0, kind="started")
    anew = RunEvent(number=2, at=begun_at, clock_s=0.0, kind="new run")
    begun = RunEvent(number=3, at=begun_at, clock_s=0.0, kind="started")
    late = changed(weighed("14:20", shot=1), run=(first, anew, begun))
    assert late.shot_start_s == 14.5 * 3600 and late.weighed == (Weighed(sum(masses), -600.0, None, masses_kg=masses),)
    rehearsed = changed(late, run=(first, anew, revised(begun, rehearsal=True)))
    assert rehearsed.shot_start_s == job.shop.shot_start_s
    assert changed(weighed("14:20"), run=(first, anew)).weighed == (), "it was weighed for the shot before"
    assert changed(weighed("14:20"), run=(revised(first, rehearsal=True), anew)).weighed, "a rehearsal takes no resin"
    nothing = revised(job.charge, mixed=(MixedBatch(number=1, masses_kg=(0.0, 0.0)),))
    assert filled(assess(changed(job, charge=nothing)), 250).batches == filled(assess(job), 250).batches


def test_the_plan_and_the_fill_agree_when_a_batch_is_used_up_and_the_heel_stays(demo: Job) -> None:
    made = filled(assess(demo), 400)
    fill, density = made.fill, demo.resin.density_kg_m3
    assert fill is not None and len(made.batches) > 2
    for number, batch in enumerate(made.batches[:-1], 1):
        used_m3 = fill.problem.fed.used_up_m3(number)
        if used_m3 < fill.resin_drawn_m3:
            assert fill.drawn_at(batch.used_s) == pytest.approx(used_m3, rel=1e-3)
            left = sum(batch.mass_kg for batch in made.batches[:number]) - fill.drawn_at(batch.used_s) * density
            assert left == pytest.approx(demo.bucket.heel_kg, abs=0.01)


@pytest.mark.parametrize("celsius", [26.0, 32.0])
def test_where_pot_life_asks_for_smaller_batches_the_fill_ages_by_those(demo: Job, celsius: float) -> None:
    """A feed that opens when a batch is used up opens when the plan says that it is."""
    warm = changed(demo, shop=revised(demo.shop, temperature_k=celsius + 273.15))
    warm = changed(warm, charge=revised(warm.charge, people=3, scales=3))
    for number in (1, 2):
        job = with_line(warm, revised(warm.line("feed-2"), opens=WhenBatchUsed(batch=number)))
        made = filled(assess(job), 400, levels=2)
        assert made.fill is not None and len(made.batches) > number
        assert all(batch.in_time for batch in made.batches)
        assert made.batches[0].mass_kg < 0.95 * job.charge.largest_batch_kg
        (opened,) = [event.time_s for event in made.fill.events if event.line == "feed-2"]
        assert opened == pytest.approx(made.batches[number - 1].used_s, rel=0.01)
        given = [batch.volume_m3 * job.resin.density_kg_m3 for batch in made.fill.problem.fed.batches]
        planned = [batch.mass_kg for batch in made.batches]
        assert planned[:-1] == pytest.approx((given + given[-1:] * len(planned))[: len(planned) - 1])


def test_the_rim_channel_of_an_arched_lid_is_as_long_as_its_mould_is_round() -> None:
    flat, radius_m = lid(), 0.8
    (x0, y0), (x1, y1) = np.min(flat.part.outline, axis=0), np.max(flat.part.outline, axis=0)
    arch = ((x, math.sqrt(radius_m**2 - (x - (x0 + x1) / 2) ** 2)) for x in np.linspace(x0, x1, 121).tolist())
    relief = tuple((x, y, z) for x, z in arch for y in (float(y0), float(y1)))
    arched = changed(flat, part=revised(flat.part, relief=relief))
    one, other = (filled(assess(job), 300) for job in (flat, arched))
    assert one.fill is not None and other.fill is not None
    arc_m = 2 * radius_m * math.asin((x1 - x0) / 2 / radius_m)
    masses = [next(item.mass_kg for item in made.charge.items if item.name == "Rim channel") for made in (one, other)]
    round_m = flat.part.outline.polygon.length
    assert masses[1] / masses[0] == pytest.approx((round_m + 2 * (arc_m - (x1 - x0))) / round_m, rel=0.01)
    was, now = shot_mass(flat, one.fill), shot_mass(arched, other.fill)
    assert now.channel_kg == pytest.approx(masses[1]) and now.lines_kg == pytest.approx(was.lines_kg, rel=0.005)


def test_filler_makes_a_shot_heavier_thicker_and_cooler_and_leaves_dose_and_volume() -> None:
    """20 % by mass of mineral (2,700 kg/m³) in a resin of 1,110: by hand 1,258 kg/m³, 9.3 % of the volume and so 1.29
    times as thick; resin, catalyst and filler are weighed by 80 to 20."""
    plain, share = lid(), 0.2
    job = injection(plain, filler_share=share)
    before, after = (filled(assess(one), 500) for one in (plain, job))
    assert after.job.resin.density_kg_m3 == pytest.approx(1 / (0.8 / 1110 + 0.2 / 2700), rel=1e-6)
    volume = 0.2 / 2700 / (0.2 / 2700 + 0.8 / 1110)
    thick = (1 - volume / 0.64) ** (-2.5 * 0.64)
    assert before.fill is not None and after.fill is not None
    assert after.fill.end_s == pytest.approx(thick * before.fill.end_s, rel=0.02)
    measured = filled(assess(injection(plain, filler_share=share, filler_thickens=3.0)), 500)
    assert measured.fill is not None and measured.fill.end_s == pytest.approx(3 * before.fill.end_s, rel=0.04)
    was, now = (shot_mass(one.job, one.fill) for one in (before, after) if one.fill is not None)
    assert now.drawn_m3 == pytest.approx(was.drawn_m3, rel=0.01)
    assert now.part_kg / was.part_kg == pytest.approx(after.job.resin.density_kg_m3 / 1110, rel=0.01)
    weighed = {measure.name: measure.mass_kg for measure in measures_of(job.resin, 5.0)}
    assert weighed["Filler"] == pytest.approx(1.0) and sum(weighed.values()) == pytest.approx(5.0)
    assert weighed["Peroxide catalyst"] / weighed["Resin"] == pytest.approx(dose_of(plain.resin))
    neat, mix = law_of(plain.resin), law_of(job.resin)
    assert mix.heat_j_kg == pytest.approx(0.8 * neat.heat_j_kg)
    assert float(mix.rate(300.0, 0.05)) == pytest.approx(float(neat.rate(300.0, 0.05)), rel=1e-9)
    cool, hot = (
        pot_course(law_of(one.resin), one.resin.density_kg_m3, 5.0, 295.0, pot_of(one)).temperature_k.max()
        for one in (job, plain)
    )
    assert 295.0 < cool < hot - 10.0
    film = changed(job, process="film infusion")
    assert film.resin == changed(plain, process="film infusion").resin, "what a mould is filled with is not the film's"


def test_batches_beyond_those_planned_are_like_the_last_however_many() -> None:
    law = law_of(shelf_card("epoxy-slow"))
    pot = pot_course(law, 1120.0, 4.0, 294.15, Pot())
    volumes = (0.004, 0.001, 0.003)
    fed = FedResin(law, 294.15, tuple(FedBatch(volume, 0.0, pot) for volume in volumes), heel_m3=0.0045)
    poured = [0.0, 0.004, 0.005, 0.008, 0.011, 0.014]
    assert [fed.used_up_m3(number) for number in range(6)] == pytest.approx([max(one - 0.0045, 0.0) for one in poured])
    assert [fed.left_m3(number) for number in range(4)] == pytest.approx([0.0, 0.004, 0.0045, 0.0045])
    assert fed.used_up_m3(100_000) == pytest.approx(0.008 + 99_997 * 0.003 - 0.0045)


@pytest.mark.parametrize(("largest_kg", "heel_kg"), [(0.001, 0.4), (4.5, 100_000.0)])
def test_tens_of_thousands_of_batches_are_refused_in_words(largest_kg: float, heel_kg: float) -> None:
    job = changed(demo_job(), charge=revised(demo_job().charge, largest_batch_kg=largest_kg))
    with pytest.raises(FlowRefusal, match="hands and scales"):
        scheduled_fill(changed(job, bucket=revised(job.bucket, heel_kg=heel_kg)), 150)
