"""The heat of cure of a stack against what bounds it, and the debulks of the tick-list against the corner's figures."""

from __future__ import annotations

import numpy as np
import pytest
from resin_cases import strip_of_batches
from scipy.integrate import solve_ivp

from bibulon.assess import assess, filled
from bibulon.cautions.registry import cautions_of
from bibulon.demo import demo_job
from bibulon.flow.fed_resin import FedBatch, FedResin
from bibulon.flow.refusal import MixedTooEarly
from bibulon.flow.self_heating import until_stopped
from bibulon.job.edits import changed, revised, with_card
from bibulon.laminate.compaction import HAND_PA, fibre_fraction, ply_thickness_m
from bibulon.laminate.corner import corner_move, most_proud_m
from bibulon.laminate.lay_list import lay_list
from bibulon.resin.card_law import law_of
from bibulon.resin.exotherm import FIBRE_HEAT_J_M3K, peak_temperature_k
from bibulon.resin.pot import fresh_course
from bibulon.stock import shelf_card

ROOM_K = 294.15


def test_a_film_stays_cool_and_a_block_nears_the_adiabatic_rise() -> None:
    resin = demo_job().resin
    law, wet = law_of(resin), 0.45 * resin.density_kg_m3
    adiabatic = law.heat_j_kg * wet / (wet * law.heat_capacity_j_kg_k + 0.55 * FIBRE_HEAT_J_M3K)
    rises = [peak_temperature_k(resin, ROOM_K, thick, 0.45) - ROOM_K for thick in (0.0005, 0.005, 0.02, 0.06)]
    assert 0 <= rises[0] < 1.5
    assert rises == sorted(rises)
    assert 0.85 * adiabatic < rises[-1] < adiabatic
    # a face against core is as good as the middle of twice the thickness
    against = peak_temperature_k(resin, ROOM_K, 0.01, 0.45, against_core=True)
    assert against == pytest.approx(peak_temperature_k(resin, ROOM_K, 0.02, 0.45), abs=1.0)


def test_a_slower_hardener_and_less_resin_stay_cooler() -> None:
    resin = demo_job().resin
    slower = revised(resin, film_gel=tuple(revised(point, time_s=3 * point.time_s) for point in resin.film_gel))
    hot = peak_temperature_k(resin, ROOM_K, 0.015, 0.45)
    assert peak_temperature_k(slower, ROOM_K, 0.015, 0.45) < hot - 5
    assert peak_temperature_k(resin, ROOM_K, 0.015, 0.40) < hot


@pytest.mark.parametrize("face", ["female", "male"])
def test_a_tight_corner_is_debulked_often_enough_not_to_bridge(face: str) -> None:
    job = demo_job()
    job = changed(job, layup=(revised(job.layup[1], count=20),))
    flat = sum(line.debulk for line in lay_list(job))
    tight = changed(job, mould=revised(job.mould, face=face, corner_radius_m=0.03))
    lines = lay_list(tight)
    debulks = [i for i, line in enumerate(lines) if line.debulk]
    assert len(debulks) > flat and not lines[-1].debulk
    packed = job.shop.barometer_pa - job.vacuum.cavity_pa
    card = next(card for card in job.cards if card.id == job.layup[0].card)
    each = ply_thickness_m(card, fibre_fraction(card, HAND_PA)) - ply_thickness_m(card, fibre_fraction(card, packed))
    between = max(after - before - 1 for before, after in zip([-1, *debulks], [*debulks, len(lines)], strict=True))
    assert between * each <= most_proud_m(90.0, face == "male") + each
    one, lot = (
        corner_move((revised(job.layup[0], count=count),), job.cards, packed, 0.03, 90.0, face == "male").gap_m
        for count in (1, between)
    )
    assert lot <= 0.0005 + one


@pytest.mark.parametrize("tau_s", [30.0, 1353.0, 5414.0, 1e12])
def test_resin_that_lies_in_a_laminate_stops_when_its_own_equation_says(tau_s: float) -> None:
    """Three parcels of different age, warmth and catalyst, followed to where they stop, against an ordinary equation of
    age and excess; what keeps all its heat warms by what it cures."""
    job = demo_job()
    law, mould_k, share = law_of(job.resin), 297.15, 0.6
    fed = FedResin(law, mould_k, (FedBatch(1.0, 0.0, fresh_course(mould_k)),))
    still = fed.still
    age, faster, excess = np.array([0.0, 2000.0, 3500.0]), np.array([1.0, 1.2, 0.8]), np.array([0.0, 5.0, -3.0])
    found = until_stopped(fed, age, faster, excess, np.full(3, tau_s), np.full(3, share))
    if tau_s == 1e12:
        kept_k = share * law.adiabatic_rise_k * (still.cure[-1] - np.interp(age, still.times_s, still.cure))
        assert found.most_k == pytest.approx(excess + kept_k, rel=1e-3)

    def stopped(_: float, state: np.ndarray, __: float) -> float:
        return float(state[0]) - still.stops_s

    def slopes(_: float, state: np.ndarray, of: float) -> list[float]:
        speed = of * float(fed.factors(np.array(state[1]))[0])
        before, after = np.interp([state[0], state[0] + 1.0], still.times_s, still.cure)
        return [speed, share * law.adiabatic_rise_k * (after - before) * speed - state[1] / tau_s]

    stopped.terminal = True
    for at in range(3):
        began = [age[at], excess[at]]
        course = solve_ivp(slopes, (0, 2e4), began, args=(faster[at],), events=stopped, rtol=1e-7, max_step=60.0)
        assert found.left_s[at] == pytest.approx(course.t[-1], rel=0.01)
    late = until_stopped(fed, still.times_s[-1:] + 100.0, np.ones(1), np.zeros(1), np.ones(1), np.ones(1))
    assert late.left_s == pytest.approx([-100.0])


def test_a_batch_that_has_run_away_in_its_pot_is_refused_as_too_old_to_pour() -> None:
    """Batches of 10 kg of polyester for a block: the first stands mixed for half an hour while the next are made."""
    job = with_card(strip_of_batches(0.0), shelf_card("polyester"))
    block = changed(
        job,
        layup=(revised(job.layup[0], count=430),),
        charge=revised(job.charge, resin="polyester", batches=(), largest_batch_kg=20.0),
        shop=revised(job.shop, temperature_k=300.15),
    )
    made = filled(assess(block), 200)
    assert isinstance(made.refusal, MixedTooEarly) and made.fill is None and made.causes == ()


def test_a_pad_whose_fill_takes_its_time_is_warmer_and_stops_sooner_than_a_plate() -> None:
    """The same flow through eight plies and through forty millimetres of them: as quick, but the pad keeps its heat."""
    job = strip_of_batches(0.0)
    margins = []
    for count in (8, 86):
        batches = tuple(revised(batch, mass_kg=batch.mass_kg * count / 8) for batch in job.charge.batches)
        thick = changed(
            job,
            layup=(revised(job.layup[0], count=count),),
            charge=revised(job.charge, batches=batches, largest_batch_kg=40.0),
            shop=revised(job.shop, temperature_k=301.15),
        )
        made = filled(assess(thick), 300).fill
        assert made is not None and made.margin_s is not None and made.margin_held_s is not None, made
        margins.append((made.margin_s, made.margin_held_s))
        asked = changed(thick, charge=revised(thick.charge, gel_margin_s=2400.0))
        told = filled(assess(asked), 300)
        short = [one for one in cautions_of(told) if one.id == "margin-short"]
        assert len(short) == (count == 86), "what is lost to heat is told as that"
        assert all("own cure" in one.message and "cooler mould" in one.remedy for one in short)
        assert told.causes == (), "no hose and no fabric is to blame"
    (plate_s, plate_held_s), (pad_s, pad_held_s) = margins
    assert 0.95 * plate_held_s < plate_s < plate_held_s and 0.9 * plate_held_s < pad_held_s
    assert pad_s < 0.7 * pad_held_s
