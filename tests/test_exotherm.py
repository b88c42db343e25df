"""The heat of cure of a stack against what bounds it, and the debulks of the tick-list against the corner's figures."""

from __future__ import annotations

import pytest

from bibulon.demo import demo_job
from bibulon.job.edits import changed, revised
from bibulon.laminate.compaction import HAND_PA, fibre_fraction, ply_thickness_m
from bibulon.laminate.corner import corner_move, most_proud_m
from bibulon.laminate.lay_list import lay_list
from bibulon.resin.card_law import law_of
from bibulon.resin.exotherm import FIBRE_HEAT_J_M3K, peak_temperature_k

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
