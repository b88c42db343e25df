"""Viscosity, charge, batches and cure."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.demo import demo_job
from bibulon.job import Job
from bibulon.job.edits import changed, revised
from bibulon.resin.batches import batches_of
from bibulon.resin.charge import charge_of
from bibulon.resin.cure import cure_plan
from bibulon.resin.viscosity import arrhenius, film_gel_s, fresh_viscosity_pa_s, pot_life_s, rheology


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
    plan = cure_plan(demo)
    assert plan.release_s == pytest.approx(1.5 * plan.gel_s)
    assert plan.shift_end_s == pytest.approx(7.5 * 3600)


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
        assert later.pour_s == pytest.approx(earlier.used_s)
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
