"""A resin card from its data sheet: tables read and written, constants fitted; doses, mixing, schedules, hardeners."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.assess import assess, filled
from bibulon.demo import demo_job
from bibulon.exchange.resin_sheet import TABLES, SheetError, read_table, table_text, with_tables
from bibulon.job.dosing import dose_fit, dose_of, dosed
from bibulon.job.edits import changed, revised
from bibulon.job.resin_card import CupPoint, CureConstants, PotLifePoint, ResinCard, TgPoint, TimePoint, ViscosityAtAge
from bibulon.planning.charge_spread import charge_spread
from bibulon.planning.hardeners import compare_hardeners, hardeners_of
from bibulon.planning.schedule_help import draw_of, what_would_work
from bibulon.quantities import Units
from bibulon.resin.card_law import law_of
from bibulon.resin.fitting import FitRefusal, fit_cure, fit_rows
from bibulon.resin.law import isothermal
from bibulon.resin.mixing import (
    component_temperatures_k,
    heat_shares,
    measures_of,
    mixed_temperature_k,
    ratios_disagree,
    warm_component_to_k,
)
from bibulon.resin.pot import Pot, pot_course
from bibulon.resin.pot_life import pot_life_s
from bibulon.resin.rheology import rheology
from bibulon.resin.sheet_lines import reversed_trend, sheet_contradiction, sheet_figures
from bibulon.resin.viscosity import film_gel_s, fresh_viscosity_pa_s
from bibulon.stock import shelf, shelf_card
from bibulon.stock.choice import hardeners_for

METRIC = Units()
TABLE = {table.name: table for table in TABLES}


def known_card() -> tuple[ResinCard, CureConstants]:
    """A card whose sheet was made by known constants: two gels, viscosities against time, three pots and a cup."""
    ln_k2 = math.log(4.5e-4) + 6800 / 298.15
    known = CureConstants(
        ln_k1=ln_k2 - 4.0, slope1_k=6800, ln_k2=ln_k2, slope2_k=6800, m=1, n=1.5, gel_cure=0.55, steepness=1.2, bend=1.5
    )
    resin = demo_job().resin
    law = law_of(revised(resin, cure=known))

    def viscosity(at_k: float, time_s: float) -> float:
        return math.exp(float(law.ln_viscosity(at_k, law.aged(at_k, 0.0, time_s))))

    cup = pot_course(law, resin.density_kg_m3, 0.2, 298.15, Pot(air_k=298.15))
    return (
        revised(
            resin,
            film_gel=tuple(
                TimePoint(temperature_k=at, time_s=law.time_to(at, law.gel_cure)) for at in (293.15, 303.15)
            ),
            viscosity_aged=tuple(
                ViscosityAtAge(temperature_k=298.15, time_s=time, viscosity_pa_s=viscosity(298.15, time))
                for time in (900.0, 1800.0, 2700.0, 3600.0)
            ),
            pot_life=tuple(
                PotLifePoint(
                    temperature_k=at,
                    mass_kg=mass,
                    time_s=pot_course(law, resin.density_kg_m3, mass, at, Pot(air_k=at)).life_s,
                )
                for mass, at in ((0.15, 296.15), (1.0, 296.15), (1.0, 303.15))
            ),
            cup_tests=tuple(
                CupPoint(mass_kg=0.2, mixed_k=298.15, time_s=time, temperature_k=float(cup.at(time)[0]))
                for time in (600.0, 1200.0, 2400.0)
            ),
        ),
        known,
    )


def test_a_fit_finds_the_constants_that_made_the_sheet_and_says_what_it_took_for_granted() -> None:
    card, known = known_card()
    fit = fit_cure(card)
    assert fit.spread < 1.05 and max(abs(row.off) for row in fit.rows if row.kind != "temperature") < 0.12
    assert max(abs(row.off) for row in fit.rows if row.kind == "temperature") < 2.0
    assert fit.heat_j_kg is None, "its cup was read while it was hardly warmer"
    assert fit.constants.slope2_k == pytest.approx(known.slope2_k, rel=0.12)
    assert fit.constants.ln_k1 - fit.constants.ln_k2 == pytest.approx(known.ln_k1 - known.ln_k2, abs=0.8)
    assert any("heat of cure" in words for words in fit.assumed)
    assert (fit.coldest_k, fit.warmest_k) == (293.15, 303.15)
    # what is fitted is what is used: the flow's clock, the pot, the gel
    fitted = revised(card, cure=fit.constants)
    flow, law = rheology(fitted, 298.15), law_of(fitted)
    assert flow.gel_s == pytest.approx(law.time_to(298.15, law.gel_cure))
    assert flow.viscosity_at(2700.0) == pytest.approx(card.viscosity_aged[2].viscosity_pa_s, rel=0.1)
    assert flow.time_at(flow.fluidity_time(1234.0)) == pytest.approx(1234.0, rel=1e-6)
    assert pot_life_s(fitted, 296.15, 1.0) == pytest.approx(card.pot_life[1].time_s, rel=0.12)
    assert [row.measured for row in fit_rows(card, fit.constants)] == [row.measured for row in fit.rows]


def test_the_glass_transition_cured_through_is_found_from_cures_that_fall_short_of_it() -> None:
    """Three cures of the sheet, none of them cured through, by a law of known constants: 372 K is found within 2 K."""
    card, known = known_card()
    law = law_of(revised(card, cure=known, tg_full_k=372.0))
    cures = ((313.15, 24 * 3600.0), (333.15, 8 * 3600.0), (343.15, 6 * 3600.0))
    made = tuple(
        TgPoint(cured_k=at, cured_s=span, tg_k=float(law.tg_k(law.aged(at, 0.0, span, glass=True))))
        for at, span in cures
    )
    assert made[0].tg_k < made[1].tg_k < 370.0
    fit = fit_cure(revised(card, tg=made))
    assert fit.tg_full_k == pytest.approx(372.0, abs=2.0)
    rows = [row for row in fit.rows if row.what == "glass transition"]
    assert [row.measured for row in rows] == [point.tg_k for point in made]
    assert max(abs(row.off) for row in rows) < 3.0 and fit.warmest_k == 303.15, "a cure's oven trusts nothing more"
    typed = fit_cure(revised(card, tg=made, tg_full_k=390.0))
    assert typed.tg_full_k is None and max(row.off for row in typed.rows if row.what == "glass transition") > 8.0


def test_a_cup_that_runs_off_tells_the_heat_of_cure_and_leaves_the_rest_as_it_is() -> None:
    card, known = known_card()
    released = 310e3  # J/kg; epoxy is taken for 420 where nothing tells it
    law = law_of(card.model_copy(update={"cure": known, "heat_j_kg": released}))
    cup = pot_course(law, card.density_kg_m3, 0.3, 298.15, Pot(air_k=298.15))
    hot = int(np.argmax(cup.temperature_k))
    assert cup.hottest_k > 298.15 + 60
    times = np.linspace(0.2, 1.1, 12) * cup.times_s[hot]
    # read 20 s late, to whole degrees
    read = np.round(cup.at(np.maximum(times - 20.0, 0.0))[0])
    cups = tuple(
        CupPoint(mass_kg=0.3, mixed_k=298.15, time_s=float(at), temperature_k=float(warm))
        for at, warm in zip(times, read, strict=True)
    )
    lives = tuple(
        one.model_copy(
            update={
                "time_s": pot_course(
                    law, card.density_kg_m3, one.mass_kg or 1.0, one.temperature_k, Pot(air_k=one.temperature_k)
                ).life_s
            }
        )
        for one in card.pot_life
    )
    sheet = card.model_copy(update={"cup_tests": cups, "pot_life": lives})
    fit = fit_cure(sheet)
    assert fit.heat_j_kg == pytest.approx(released, rel=0.06)
    assert not any("heat" in words for words in fit.assumed) and fit.spread < 1.06
    assert max(row.fitted for row in fit.rows if row.what == "cup") == pytest.approx(read.max(), abs=4.0)
    # a heat of the sheet is held, and its cup then lies off
    given = fit_cure(sheet.model_copy(update={"heat_j_kg": 420e3}))
    assert given.heat_j_kg is None and max(abs(row.off) for row in given.rows if row.what == "cup") > 8.0


def test_the_thickening_time_of_a_card_is_held_before_gel_where_the_fit_has_a_bound() -> None:
    card = shelf_card("polyester")
    assert isinstance(card, ResinCard)
    assert card.thickening_time_s == card.film_gel[0].time_s, "resin grows e-fold in the time in which it gels"
    cups = tuple(
        CupPoint(mass_kg=0.2, mixed_k=293.15, time_s=60.0 * minutes, temperature_k=celsius + 273.15)
        for minutes, celsius in ((10, 20.6), (20, 22), (30, 25), (40, 33), (45, 45), (50, 90), (55, 120), (60, 115))
    )
    fit = fit_cure(card.model_copy(update={"cup_tests": cups}))
    thickening = next(row for row in fit.rows if row.what == "thickening")
    assert thickening.at_s == 1800.0 and abs(thickening.off) < 0.05
    assert fit.spread < 1.2 and fit.heat_j_kg is not None


def test_too_little_is_not_fitted() -> None:
    card, _ = known_card()
    bare = card.model_copy(
        update={"film_gel": card.film_gel[:1], "pot_life": (), "viscosity_aged": (), "cup_tests": ()}
    )
    with pytest.raises(FitRefusal, match="One figure alone"):
        fit_cure(bare)


def test_tables_are_written_as_they_are_read() -> None:
    card, _ = known_card()
    for table in TABLES:
        text = table_text(table, card, METRIC)
        if text:
            read = read_table(table, text, METRIC)
            kept = getattr(card, table.name)
            assert len(read) == len(kept)
            for one, other in zip(read, kept, strict=True):
                for field, _ in table.columns:
                    value = getattr(other, field) or card.pot_life_mass_kg
                    assert getattr(one, field) == pytest.approx(value, rel=2e-4)
    pasted = "T (°C);gel (h)\n# of the film\n20;5\n30;2.5\n"
    gels = read_table(TABLE["film_gel"], pasted, METRIC)
    assert [(one.temperature_k, one.time_s) for one in gels] == [(293.15, 18_000.0), (303.15, 9000.0)]
    (tray,) = read_table(TABLE["pot_life"], "500 g; 23 °C; 60 min; tray", METRIC)
    assert (tray.shape, tray.mass_kg, tray.time_s) == ("tray", 0.5, 3600.0)
    dosed_card = with_tables(card, {"dose": read_table(TABLE["dose"], "1 %; 20 °C; 90 min\n2 %; 20 °C; 50", METRIC)})
    assert dosed_card.dose is not None and (dosed_card.dose.least, dosed_card.dose.most) == (0.01, 0.02)


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("viscosity", "20 °C", "Line 1: 2 figures are needed"),
        ("viscosity", "", "At least one line"),
        ("film_gel", "20 °C; 5 h\n25 °C; soon", "Line 2"),
        ("boiling", "25 °C; 8 kg", "Line 1"),
        ("pot_life", "1 kg; 20 °C; 60 min; jug", "a bucket or a tray"),
        ("dose", "250 %; 20 °C; 60 min", "Line 1"),
        ("cup_tests", "1 kg; 20 °C; 5 min; 900 °C", "Line 1, temperature read: This has to be at most .* °C"),
        ("viscosity_aged", "25 °C; 0; 270\n25 °C; -5 min; 280", "Line 2, time since mixing: A time cannot be negative"),
        ("viscosity", "20 °C; 300-400 mPas", "Line 1, viscosity of the fresh mix: .* is a range"),
        ("viscosity", ",", "Line 1: 2 figures are needed"),
        ("boiling", "25 °C; 30 bar", "Line 1, absolute .*: This has to be at most 2000.0 mbar"),
    ],
)
def test_a_table_that_cannot_be_read_names_its_line(name: str, text: str, said: str) -> None:
    assert all(len(one.column_words) == len(one.columns) for one in TABLES), "each figure has its words"
    with pytest.raises(SheetError, match=said):
        read_table(TABLE[name], text, METRIC)


@pytest.mark.parametrize("again", ["68 °F; 380", "20.2 °C; 380", "19.6 °C; 341"])
def test_figures_at_one_temperature_do_not_tell_how_it_goes_with_warmth(again: str) -> None:
    """Measured twice in a shop, or written in two units: taken together, with the usual slope."""
    card, _ = known_card()
    twice = with_tables(card, {"viscosity": read_table(TABLE["viscosity"], f"20 °C; 360\n{again}", METRIC)})
    once = with_tables(card, {"viscosity": read_table(TABLE["viscosity"], "20 °C; 360", METRIC)})
    for at_k in (278.15, 293.15, 308.15):
        assert fresh_viscosity_pa_s(twice, at_k) == pytest.approx(fresh_viscosity_pa_s(once, at_k), rel=0.05)
    gels = with_tables(card, {"film_gel": read_table(TABLE["film_gel"], "20 °C; 5 h\n68 °F; 5.2 h", METRIC)})
    assert film_gel_s(gels, 303.15) == pytest.approx(film_gel_s(gels, 293.15) / 2, rel=0.1)
    assert not reversed_trend(gels) and sheet_contradiction(gels, METRIC) == ""


def test_a_dose_table_with_each_dose_at_its_own_temperature_takes_what_warmth_does_as_usual() -> None:
    polyester = shelf_card("polyester")
    assert isinstance(polyester, ResinCard)
    apart = read_table(TABLE["dose"], "1 %; 20 °C; 80 min\n2 %; 30 °C; 24 min", METRIC)
    fit = dose_fit(with_tables(polyester, {"dose": apart}))
    assert fit is not None and fit.slope_k == 6500.0
    assert fit.gel_s(0.01, 293.15) == pytest.approx(80 * 60) and fit.gel_s(0.02, 303.15) == pytest.approx(24 * 60)
    assert 0.6 < fit.power < 0.9


# -- doses and mixing --------------------------------------------------------------------------------------------------


def test_a_dose_moves_gel_pot_and_parts_together() -> None:
    resin = shelf_card("polyester")
    assert isinstance(resin, ResinCard) and resin.dose is not None
    assert dose_of(resin) == pytest.approx(0.012)
    fit = dose_fit(resin)
    assert fit is not None
    for point in resin.dose.points:
        assert fit.gel_s(point.dose, point.temperature_k) == pytest.approx(point.gel_s, rel=0.06)
    more = dosed(resin, 0.018)
    assert dose_of(more) == pytest.approx(0.018)
    slower = (0.012 / 0.018) ** fit.power
    assert more.film_gel[0].time_s == pytest.approx(slower * resin.film_gel[0].time_s)
    law, before = law_of(more), law_of(resin)
    assert law.time_to(295.0, law.gel_cure) == pytest.approx(slower * before.time_to(295.0, before.gel_cure), rel=1e-3)
    assert dosed(resin, None) == resin and dosed(demo_job().resin, 0.02) == demo_job().resin


@given(warm=st.floats(283, 318), cool=st.floats(283, 318), wanted=st.floats(288, 305))
def test_the_component_that_is_warmed_as_told_makes_the_mix_as_wanted(warm: float, cool: float, wanted: float) -> None:
    job = demo_job()
    job = changed(job, charge=revised(job.charge, component_k=(warm, cool)))
    assert min(warm, cool) - 1e-9 <= mixed_temperature_k(job) <= max(warm, cool) + 1e-9
    to_k = warm_component_to_k(job, 0, wanted)
    if 240 < to_k < 520:
        told = changed(job, charge=revised(job.charge, component_k=(to_k, cool)))
        assert mixed_temperature_k(told) == pytest.approx(wanted)
    assert sum(heat_shares(job.resin)) == pytest.approx(1.0)
    assert component_temperatures_k(changed(job, charge=revised(job.charge, component_k=(None, cool))))[0] == (
        job.shop.temperature_k
    )


def test_volumes_are_measured_by_their_own_ratio() -> None:
    resin = demo_job().resin
    one, two = measures_of(resin, 1.3)
    assert (one.mass_kg, two.mass_kg) == pytest.approx((1.0, 0.3))
    assert two.volume_m3 == pytest.approx(0.3 / 960) and not two.small
    assert measures_of(resin, 0.1)[1].small == "4 spoons of 5 ml and 81 drops"
    ours = tuple(
        revised(component, parts_by_volume=part) for component, part in zip(resin.components, (100, 36), strict=True)
    )
    by_volume = revised(resin, components=ours)
    assert ratios_disagree(by_volume) < 0.01 and ratios_disagree(resin) == 0.0
    small, large = measures_of(by_volume, 1.3)
    assert large.volume_m3 / small.volume_m3 == pytest.approx(0.36)


# -- pots --------------------------------------------------------------------------------------------------------------


def test_a_bath_and_a_tray_keep_a_pot_longer_and_cooler() -> None:
    resin = shelf_card("epoxy-extra-slow")
    assert isinstance(resin, ResinCard)
    law = law_of(resin)
    ways = {
        "bucket": Pot(air_k=293.15), "tray": Pot("tray", 293.15), "bath": Pot(air_k=293.15, bath_k=288.15),
    }  # fmt: skip
    hottest = {name: pot_course(law, 1110.0, 5.0, 293.15, pot).hottest_k for name, pot in ways.items()}
    assert hottest["bath"] < hottest["tray"] < hottest["bucket"] and hottest["bath"] < 303
    lives = {name: pot_life_s(resin, 293.15, 5.0, pot) for name, pot in ways.items()}
    assert lives["bucket"] < lives["tray"] and lives["bucket"] < lives["bath"]
    warmer = pot_life_s(resin, 303.15, 5.0, Pot(air_k=293.15))
    assert warmer < lives["bucket"], "warm components shorten it"


def test_pot_life_of_the_sheet_is_that_of_the_balance_it_begins_by() -> None:
    for name in ("epoxy-slow", "epoxy-medium", "epoxy-extra-slow"):
        card = shelf_card(name)
        assert isinstance(card, ResinCard)
        course = pot_course(law_of(card), card.density_kg_m3, 1.0, 293.15, Pot(air_k=293.15))
        assert course.life_s == pytest.approx(card.pot_life[0].time_s, rel=0.03)


# -- schedules and hardeners -------------------------------------------------------------------------------------------


def test_what_would_make_a_schedule_work_does() -> None:
    job = demo_job()
    hot = changed(job, shop=revised(job.shop, temperature_k=305.15))
    made = filled(assess(hot), 400)
    assert not all(batch.in_time for batch in made.batches)
    draw = draw_of(made)
    assert draw is not None
    helps = what_would_work(draw, hardeners_for(hot)[1:])
    used = [one for one in helps if one.plan is not None]
    assert {"1 more person to mix and 1 more scale", "pots in a water bath of 15 °C"} <= {one.words for one in helps}
    for one in used:
        assert one.plan is not None
        again = filled(assess(changed(hot, charge=one.plan)), 400)
        assert all(batch.in_time for batch in again.batches), one.words


def test_the_spread_of_the_charge_by_hand() -> None:
    """Where plies pack looser by their spread more resin is wanted: clamp and mix by the clock, or throw away."""
    job = demo_job()
    made = filled(assess(job), 400)
    spread = charge_spread(made)
    plan = made.charge.total_kg
    assert spread.least_kg < plan / 1.1 < spread.most_kg and spread.over_kg == pytest.approx(plan - spread.least_kg)
    assert job.resin.price is not None and spread.over_cost == pytest.approx(spread.over_kg * job.resin.price)
    bare = changed(job, charge=revised(job.charge, contingency=0.0))
    tight = charge_spread(filled(assess(bare), 400))
    assert tight.short_kg > 0 and tight.clamp_s is not None and tight.mix_by_s is not None
    assert tight.mix_by_s == pytest.approx(tight.clamp_s - job.charge.mix_time_s)


def test_hardeners_stand_side_by_side_and_the_surest_is_told() -> None:
    job = demo_job()
    cards = hardeners_for(job)
    assert len(cards) == 4 and cards[0].id == job.charge.resin
    shares: list[float] = []
    found = compare_hardeners(job, hardeners_of(job, cards), shares.append, nodes=300)
    assert len(shares) > 20 and shares == sorted(shares) and shares[-1] <= 1.0, "its progress never goes back"
    rows = {row.hardener.card.id: row for row in found.rows}
    assert found.surest is not None and found.rows[found.surest].hardener.card.id == "epoxy-slow"
    slow, extra = rows["epoxy-slow"], rows["epoxy-extra-slow"]
    assert slow.margin_s is not None and extra.margin_s is not None and extra.margin_s > slow.margin_s
    assert extra.vacuum_off_s > slow.vacuum_off_s and rows["epoxy-fast"].refusal
    late = changed(job, shop=revised(job.shop, shift_end_s=13 * 3600.0))
    none = compare_hardeners(late, hardeners_of(late, cards[:1]), nodes=300)
    assert none.surest is None and "after the end of the shift" in none.reason


def test_doses_of_a_catalyst_stand_side_by_side_within_the_makers_range() -> None:
    job = demo_job("seed-hopper-lid.bibulon")
    job = changed(job, charge=revised(job.charge, dose=0.009, component_k=(295.15, 293.15)))
    trials = hardeners_of(job, hardeners_for(job))
    doses = [one.dose or 0.0 for one in trials]
    assert (doses[0], doses[-1]) == (0.008, 0.02) and 0.009 in doses and 0.012 in doses and doses == sorted(doses)
    assert [one.is_in(job) for one in trials] == [dose == 0.009 for dose in doses]
    found = compare_hardeners(job, trials, nodes=150)
    gels = [row.gel_s for row in found.rows]
    assert gels == sorted(gels, reverse=True), "more catalyst gels sooner"
    fit = dose_fit(job.card(job.charge.resin, ResinCard))
    assert fit is not None
    assert gels[0] / gels[-1] == pytest.approx((0.02 / 0.008) ** fit.power, rel=0.15)
    assert found.surest is not None
    taken = found.rows[found.surest].hardener.taken(job)
    assert taken.charge.dose == doses[found.surest] and taken.charge.component_k == job.charge.component_k


def test_resin_kept_at_a_temperature_ages_as_its_ordinary_equation() -> None:
    law = law_of(demo_job().resin)
    still = isothermal(law, 296.0)
    cures = np.linspace(0.02, float(still.cure[-1]), 5)
    for cure in cures:
        age = float(np.interp(cure, still.cure, still.times_s))
        assert law.aged(296.0, 0.0, age) == pytest.approx(cure, rel=1e-3)
    assert float(law.fluidity(296.0, law.gel_cure)) == 0.0
    assert law.cure_at_tg(float(law.tg_k(0.7))) == pytest.approx(0.7)


def misread(card: ResinCard, table: str, at: int, share: float) -> ResinCard:
    """*card* with a figure of a table that is so many times what it was."""
    points = list(getattr(card, table))
    field = {"viscosity": "viscosity_pa_s", "boiling": "pressure_pa"}.get(table, "time_s")
    points[at] = revised(points[at], **{field: share * getattr(points[at], field)})
    return revised(card, **{table: tuple(points)})


@pytest.mark.parametrize("card", [card for card in shelf() if isinstance(card, ResinCard)], ids=lambda card: card.id)
@pytest.mark.parametrize("share", [0.1, 10.0], ids=["a tenth", "tenfold"])
def test_a_figure_copied_wrong_is_told_from_the_others_of_its_table(card: ResinCard, share: float) -> None:
    assert sheet_contradiction(card, Units()) == "", "as it is on the shelf"
    for table in ("viscosity", "film_gel", "pot_life"):
        for at in range(len(getattr(card, table))):
            wrong = misread(card, table, at, share)
            found = max(sheet_figures(wrong), key=lambda figure: abs(figure.spreads_off))
            off = math.log(found.measured / found.by_others)
            if len(getattr(card, table)) > 2:  # of two either may be the wrong one
                assert found.temperature_k == getattr(wrong, table)[at].temperature_k and off * math.log(share) > 0
            assert abs(off) == pytest.approx(math.log(10), abs=0.35)
            said = sheet_contradiction(wrong, Units())
            assert table.replace("_", " ") in said, said


def test_two_figures_that_cannot_be_in_that_order_are_told() -> None:
    card = shelf_card("epoxy-slow")
    points = card.viscosity[:2]
    turned = tuple(
        revised(point, viscosity_pa_s=other.viscosity_pa_s) for point, other in zip(points, points[::-1], strict=True)
    )
    assert sheet_contradiction(revised(card, viscosity=points), Units()) == ""
    said = sheet_contradiction(revised(card, viscosity=turned), Units())
    assert said == "The viscosity is 260 mPa·s at 20.0 °C and 360 mPa·s at 25.0 °C: it goes the other way with warmth."
    assert sheet_contradiction(revised(card, viscosity=points[:1]), Units()) == "", "one figure speaks against nothing"
