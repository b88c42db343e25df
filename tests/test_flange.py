"""The flange of a closed mould against strips worked out otherwise, and what it does without a pump, by hand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from mould_cases import lid as plain_lid
from mould_jobs import lid, pair, pressed_shut, upper
from scipy.integrate import solve_bvp
from shapely import box

from bibulon.assess import assess, filled
from bibulon.cautions import cautions_of
from bibulon.job.edits import changed, revised
from bibulon.mould.clamp import clamp_margin
from bibulon.mould.flange import between_seals_m3, flange_gives, flange_thick_enough_m, without_pump
from bibulon.mould.press import press_forces


def strip_gives_m(load: float, span: float, stiff: float, far_end_held: bool, near_end_held: bool) -> float:
    """The deepest point of an elastic strip under an even load: ``w'''' = q/D`` solved as an equation of its own."""

    def ends(near: np.ndarray, far: np.ndarray) -> np.ndarray:
        return np.array([near[0], near[1 if near_end_held else 2], far[0], far[1 if far_end_held else 2]])

    along = np.linspace(0.0, 1.0, 201)
    done = solve_bvp(
        lambda _, w: np.vstack([w[1], w[2], w[3], np.ones_like(w[0])]), ends, along, np.zeros((4, 201)), tol=1e-8
    )
    return float(np.abs(done.y[0]).max()) * load * span**4 / stiff


@pytest.mark.parametrize(("edge", "held"), [("held flat", True), ("free to turn", False)])
def test_a_flange_under_vacuum_gives_as_a_strip_between_its_seals(edge: str, held: bool) -> None:
    job = upper(pair(lid(), flange_thickness_m=0.007, flange_pa=20_000.0), edge=edge)
    found = flange_gives(job, None)
    assert found is not None and found.thickness_m == 0.007
    stiff = 9e9 * 0.007**3 / (12 * (1 - 0.3**2))
    exact = strip_gives_m(job.shop.barometer_pa - 20_000.0, job.pair.flange_m, stiff, False, held)
    assert found.gives_m == pytest.approx(exact, rel=0.004)
    assert flange_gives(upper(job, rigid=True), None) is None


def test_rigid_halves_give_between_two_clamps_as_a_beam_held_at_both() -> None:
    job = pair(pressed_shut(lid(), 100_000.0), flange_thickness_m=0.02)
    job = changed(job, pair=revised(job.pair, fittings=(), clamp=revised(job.pair.clamp, count=8)))
    made = filled(assess(job), 400, levels=1)
    assert made.fill is not None
    found, forces = flange_gives(job, made.fill), press_forces(job, made.fill)
    assert found is not None
    rim_m = forces.spacing_m * 8
    stiff = job.pair.upper.modulus_pa * job.pair.flange_m * 0.02**3 / 12
    exact = strip_gives_m(float(forces.opening_n.max()) / rim_m, forces.spacing_m, stiff, True, True)
    assert found.gives_m == pytest.approx(exact, rel=1e-3)
    assert flange_gives(pair(job, flange_thickness_m=None), made.fill) is None, "nobody has said how thick it is"
    assert flange_thick_enough_m(job) is None


def test_the_thickness_that_is_planned_is_just_enough() -> None:
    job = pair(lid(), flange_thickness_m=0.004)
    (caution,) = [one for one in cautions_of(assess(job)) if one.id == "flange-gives"]
    assert caution.fix is not None
    mended = caution.fix.apply(job)
    thick_m = mended.pair.flange_thickness_m
    assert thick_m is not None and "flange-gives" not in {one.id for one in cautions_of(assess(mended))}
    thinner = flange_gives(pair(job, flange_thickness_m=thick_m - 0.0005), None)
    assert thinner is not None and thinner.gives_m > 0.8 * thinner.follows_m
    foil = pair(job, flange_thickness_m=1e-5)
    (caution,) = [one for one in cautions_of(assess(foil)) if one.id == "flange-gives"]
    assert "more than 7.00 mm" in caution.message and caution.fix is not None
    assert caution.fix.apply(foil).pair.flange_thickness_m == thick_m
    soft = upper(pair(foil, flange_m=2.0), modulus_pa=1e6)
    (caution,) = [one for one in cautions_of(assess(soft)) if one.id == "flange-gives"]
    assert caution.fix is None, "no thickness will do"


def test_a_flange_without_its_pump_rises_as_in_the_hold_test_and_slower_by_its_reservoir() -> None:
    """1.1 m × 0.8 m: the air between the seals by hand, 2 Pa/s of rise, and the pressure that leaves no margin."""
    job = pair(plain_lid(box(0, 0, 1.1, 0.8)), reservoir_m3=None)
    off, wide = job.pair.seal_off_m, job.pair.flange_m
    inner, outer = ((1.1 + 2 * by) * (0.8 + 2 * by) for by in (off, off + wide))
    assert between_seals_m3(job) == pytest.approx(0.003 * (outer - inner))
    made = filled(assess(job), 400, levels=1)
    assert made.fill is not None and made.fill.upper is not None
    margin = clamp_margin(job, made.fill.upper)
    found = without_pump(job, margin, 2.0)
    assert found is not None
    room_pa = float(margin.margin_n_m.min()) / wide  # a metre of rim holds by the flange's width
    assert found.until_pa == pytest.approx(job.pair.flange_pa + room_pa)
    assert found.lasts_s == pytest.approx(room_pa / 2.0)
    behind = without_pump(pair(job, reservoir_m3=2 * between_seals_m3(job)), margin, 2.0)
    assert behind is not None and behind.lasts_s == pytest.approx(3 * found.lasts_s)
    open_anyway = replace(margin, margin_n_m=margin.margin_n_m - 1e6)
    assert without_pump(job, open_anyway, 2.0) is None
    by_weight = replace(margin, margin_n_m=margin.margin_n_m + 1e6)
    never = without_pump(job, by_weight, 2.0)
    assert never is not None and never.lasts_s == np.inf, "it needs no vacuum in the flange"
