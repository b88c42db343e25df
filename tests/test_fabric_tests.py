"""Strip tests and thickness readings give back what they were made from, with a band that holds it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.desk.dialogs.strip_test import parse_fronts
from bibulon.job.cards import FabricCard
from bibulon.job.layup import Layer
from bibulon.laminate.compaction import fibre_fraction
from bibulon.laminate.corner import corner_move
from bibulon.laminate.fabric_tests import FabricTestRefusal, fit_packing, fit_strip
from bibulon.quantities import Units
from bibulon.quantity_text import QuantityError
from bibulon.stock import shelf_card


@given(k=st.floats(1e-12, 1e-8), vf=st.floats(0.15, 0.65), mu=st.floats(0.05, 1.0), delay=st.floats(0, 200))
def test_a_clean_strip_test_is_read_exactly(k: float, vf: float, mu: float, delay: float) -> None:
    time = delay + np.linspace(60, 1800, 9)
    front = np.sqrt(2 * k * 90_000 / ((1 - vf) * mu) * (time - delay))
    fit = fit_strip(list(zip(time, front, strict=True)), vf, mu, 90_000)
    assert fit.permeability_m2 == pytest.approx(k, rel=1e-6) and fit.delay_s == pytest.approx(delay, abs=1e-3)
    assert fit.low_m2 <= k * (1 + 1e-6) and fit.high_m2 >= k * (1 - 1e-6) and fit.spread < 1.001


def test_the_band_holds_the_truth_as_often_as_it_says() -> None:
    rng, truth, held = np.random.default_rng(5), 1.2e-10, 0
    time = np.linspace(60, 1500, 8)
    square = 2 * truth * 95_000 / (0.47 * 0.3) * time
    for _ in range(300):
        front = np.sqrt(np.maximum(square + rng.normal(0, 0.01 * square[-1], len(time)), 0))
        fit = fit_strip(list(zip(time, np.maximum.accumulate(front), strict=True)), 0.53, 0.3, 95_000)
        held += fit.low_m2 <= truth <= fit.high_m2
    assert 0.90 <= held / 300 <= 0.99


def test_thickness_readings_give_the_packing_law_back() -> None:
    card = shelf_card("glass-mat-450")
    assert isinstance(card, FabricCard)
    pressures = (5_000.0, 20_000.0, 50_000.0, 95_000.0)
    readings = [
        (p, 4 * card.areal_weight_kg_m2 / (card.fibre_density_kg_m3 * fibre_fraction(card, p))) for p in pressures
    ]
    fit = fit_packing(readings, 4, card)
    assert fit.fibre_fraction == pytest.approx(card.fibre_fraction) and fit.exponent == pytest.approx(
        card.compaction_exponent
    )
    rough = [(p, h * (1 + 0.02 * (-1) ** i)) for i, (p, h) in enumerate(readings)]
    fit = fit_packing(rough, 4, card)
    assert abs(fit.exponent - card.compaction_exponent) < 3 * fit.exponent_error
    with pytest.raises(FabricTestRefusal, match="count of plies"):
        fit_packing(readings, 40, card)
    with pytest.raises(FabricTestRefusal, match="too close"):
        fit_packing([(95_000, 0.004), (95_500, 0.004)], 4, card)


def test_readings_that_tell_nothing_are_refused() -> None:
    for readings, said in (
        (((0, 0), (60, 0.1)), "three readings"),
        (((0, 0.0), (60, 0.1), (60, 0.2)), "Times have to grow"),
        (((0, 0.0), (60, 0.1), (120, 0.05)), "goes back"),
        (((0, 0.1), (60, 0.1), (120, 0.1)), "does not move"),
    ):
        with pytest.raises(FabricTestRefusal, match=said):
            fit_strip(readings, 0.5, 0.3, 95_000)


def test_fronts_are_read_as_people_write_them() -> None:
    text = "time (min), front (mm)\n1, 80\n2 min; 0.113 m\n4\t160 mm\n0:09:00, 240\n16  320\n"
    wanted = np.array([(60, 0.08), (120, 0.113), (240, 0.16), (540, 0.24), (960, 0.32)])
    assert np.array(parse_fronts(text, Units())) == pytest.approx(wanted)
    with pytest.raises(QuantityError, match="Line 2"):
        parse_fronts("1, 80\n2, far\n", Units())


def test_cloth_that_cannot_slide_stands_off_a_corner() -> None:
    card = shelf_card("glass-mat-450")
    assert isinstance(card, FabricCard)
    layers = (Layer(id="a", card=card.id, count=4),)
    move = corner_move(layers, (card,), 95_000, 0.02, 90, male=False)
    loose, packed = (
        4 * card.areal_weight_kg_m2 / (card.fibre_density_kg_m3 * fibre_fraction(card, p)) for p in (2e3, 95e3)
    )
    assert (move.loose_m, move.packed_m) == pytest.approx((loose, packed))
    assert move.slide_m == pytest.approx(np.pi / 2 * (loose - packed))
    # a cloth of the length of the loose path, laid on the packed flanges: tangents and an arc of a larger radius
    radius = 0.02 - packed + move.gap_m / (2**0.5 - 1)
    short = 2 * (radius - (0.02 - packed)) - np.pi / 2 * (radius - (0.02 - packed))
    assert short == pytest.approx(move.slide_m)
    assert move.goes == int(np.ceil(move.gap_m / 0.0005))
    assert move.plies == 4 and move.each_ply, "more goes than there are plies"
    stiff = card.model_copy(update={"compaction_exponent": 0.01})
    assert not corner_move(layers, (stiff,), 95_000, 0.02, 90, male=False).each_ply
    wrinkle = corner_move(layers, (card,), 95_000, 0.001, 90, male=True)
    assert wrinkle.gap_m == wrinkle.slide_m
    with pytest.raises(ValueError, match="thicker than the radius"):
        corner_move(layers, (card,), 95_000, 0.001, 90, male=False)
    with pytest.raises(ValueError, match="degrees"):
        corner_move(layers, (card,), 95_000, 0.02, 179, male=False)
