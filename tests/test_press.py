"""Two rigid halves held by force, and a film that is used again."""

from __future__ import annotations

import numpy as np
import pytest
from mould_cases import lid as plain_lid
from mould_jobs import lid, pressed_shut
from shapely import box

from bibulon.assess import assess, filled
from bibulon.flow.cavity import weight_kg_m2
from bibulon.flow.fill import fill
from bibulon.flow.problem import flow_problem
from bibulon.job.edits import changed, revised
from bibulon.laminate.cells import laminate_of
from bibulon.mould.press import press_forces


def test_the_force_that_opens_a_press_is_the_sum_by_hand() -> None:
    """1.1 m × 0.8 m, the inner seal 30 mm outside: before any resin the cavity's vacuum pulls it shut; when full, the
    pressure lies between that and the supply's."""
    job = changed(plain_lid(box(0, 0, 1.1, 0.8)), process="RTM")
    forces = press_forces(job, fill(flow_problem(job, 600)))
    sealed, rim = 1.16 * 0.86, 2 * (1.16 + 0.86)
    pair, air = job.pair, job.shop.barometer_pa
    fibre = laminate_of(job).cells[0].stack.fibre_load_pa
    assert fibre is not None
    seals = pair.inner_seal.spring_n_m + pair.outer_seal.spring_n_m
    held = fibre * 0.88 + seals * rim - weight_kg_m2(pair.upper) * 9.81 * sealed
    assert forces.opening_n[0] == pytest.approx((pair.cavity_pa - air) * sealed + held, rel=2e-3)
    assert forces.opening_n.max() < held  # the supply is at the atmosphere's pressure
    assert forces.spacing_m == pytest.approx(rim / pair.clamp.count)


def test_twice_the_pressure_asks_for_more_clamps_and_a_rigid_mould_keeps_its_height() -> None:
    few, many = (
        press_forces(job, fill(flow_problem(job, 500)))
        for job in (pressed_shut(lid(), 100_000.0), pressed_shut(lid(), 200_000.0))
    )
    assert many.asked_n > few.asked_n and many.number > few.number
    assert many.asked_n == pytest.approx(1.5 * many.opening_n.max())
    a = filled(assess(pressed_shut(lid(), 100_000.0)), 400, levels=1)
    assert a.fill is not None and a.fill.upper is None and a.clamp is None
    assert a.stays_shut.kind == "force" and a.stays_shut.value is not None
    assert np.all(np.isfinite(few.opening_n))


def test_a_reusable_film_fills_as_film_does() -> None:
    film = changed(lid(), process="film infusion")
    skin = revised(film, process="reusable film")
    times = [fill(flow_problem(job, 400)).end_s for job in (film, skin)]
    assert times[0] == times[1]
