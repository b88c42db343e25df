"""Two rigid halves held by force, and a film that is used again."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from mould_cases import lid as plain_lid
from mould_jobs import arm, injection, lid, pressed_shut
from shapely import box
from shapely.affinity import translate

from bibulon.assess import assess, filled
from bibulon.cautions import cautions_of
from bibulon.flow.cavity import weight_kg_m2
from bibulon.flow.fill import fill
from bibulon.flow.problem import flow_problem
from bibulon.job import Job
from bibulon.job.edits import changed, revised
from bibulon.job.pair import InjectionStep, UntilMass
from bibulon.laminate.cells import laminate_of
from bibulon.mould.clamp import Holding, holding, off_at_gel
from bibulon.mould.fittings import clamp_count, clamps_spread
from bibulon.mould.press import RimLoad, press_balance, press_forces, press_holds_pa
from bibulon.mould.shot_mass import shot_mass
from bibulon.planning.mould_recipe import recipe_for
from bibulon.quantities import Units


def strong(job: Job) -> Job:
    """Twelve bolts in place of what is on the plan."""
    return clamps_spread(changed(job, pair=revised(job.pair, clamp=revised(job.pair.clamp, force_n=25_000.0))), 12)


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
    full = (pair.clamp.count * pair.clamp.force_n - held) / sealed  # over the atmosphere, with the vent shut
    assert press_holds_pa(job, forces) == pytest.approx(full, rel=2e-3)
    lines = press_balance(job, forces, int(forces.opening_n.argmax()), Units())
    assert sum(line.force_n for line in lines) == pytest.approx(forces.left_n)


def test_a_rim_bears_a_load_off_the_middle_as_a_group_of_bolts_does() -> None:
    """Pressure that falls evenly from one end of a rectangle to nothing at the other acts at a third of its length;
    ``∮(x − l/2)² ds = l³/6 + w l²/2`` round it. Pressure that is even, and forces on a press, load all of it alike."""
    length, width, cells = 1.2, 0.5, 400
    x = (np.arange(cells) + 0.5) * length / cells
    forces = (1.0 - x / length) * 2.0 / cells
    places = np.column_stack([x, np.full(cells, width / 2)])
    rim, inertia = 2 * (length + width), length**3 / 6 + width * length**2 / 2
    load = RimLoad.of(box(0, 0, length, width))
    borne = load.forces_n(forces[None], places)[0]
    aside = np.array([900.0, -900.0])  # wherever the part lies on the plan
    far = RimLoad.of(translate(box(0, 0, length, width), *aside))
    assert far.forces_n(forces[None], places + aside)[0] == pytest.approx(borne, rel=1e-9)
    wanted = 1.0 + (length / 6) * (length / 2 - load.points_m[:, 0]) * rim / inertia
    assert borne == pytest.approx(wanted, rel=5e-3) and borne.max() == pytest.approx(wanted.max(), rel=5e-3)
    assert load.points_m[int(borne.argmax())][0] == pytest.approx(0.0, abs=0.02)
    assert load.shares(np.ones(1), np.array([[length / 2, width / 2]])) == pytest.approx(1.0)
    assert RimLoad.even(box(0, 0, length, width)).forces_n(forces[None], places) == pytest.approx(1.0)


def test_a_mould_that_is_fed_from_one_side_opens_there_first() -> None:
    both = pressed_shut(lid(), 100_000.0)
    one = changed(both, lines=tuple(line for line in both.lines if line.id != both.feeds[1].id))
    even, aside = (filled(assess(job), 400) for job in (both, one))
    assert even.press is not None and aside.press is not None
    assert even.press.worst_n.max() == pytest.approx(even.press.opening_n.max(), rel=5e-3)
    assert np.all(aside.press.worst_n >= aside.press.opening_n - 1e-6)
    assert aside.press.worst_n.max() > 1.1 * aside.press.opening_n.max()
    assert aside.press.asked_n == pytest.approx(1.5 * aside.press.worst_n.max())
    assert aside.press.worst_place[0] < 0.0 and one.feeds[0].points[0][0] < 0.3, "on the side of the inlet"
    (told,) = [caution for caution in cautions_of(aside) if caution.id == "clamps-too-weak"]
    assert "hardest" in told.message and told.place is not None and told.place[0] == pytest.approx(0.0, abs=0.01)
    lines = press_balance(one, aside.press, aside.press.at, Units())
    assert lines[-1].name == "Pressed off the middle"
    assert sum(line.force_n for line in lines) == pytest.approx(aside.press.left_n)
    held = changed(one, pair=revised(one.pair, clamp=revised(one.pair.clamp, kind="press")))
    guided = press_forces(held, aside.fill)
    assert guided.worst_n == pytest.approx(guided.opening_n) and guided.asked_n < aside.press.asked_n


def test_clamps_that_hold_the_shot_are_told_what_a_shut_vent_asks_of_them() -> None:
    """50 kPa are in the pot, the clamps give 1.1 times what the shot itself asks, and the house is content with 1.05;
    once the vent is shut as well they open."""
    pressed = pressed_shut(lid(), 50_000.0)
    a = filled(assess(changed(pressed, house=revised(pressed.house, clamp_reserve=1.05))), 400)
    assert a.press is not None
    each = 1.1 * float(a.press.worst_n.max()) / clamp_count(a.job)
    job = changed(a.job, pair=revised(a.job.pair, clamp=revised(a.job.pair.clamp, force_n=each)))
    tight = filled(assess(job), 400)
    assert tight.press is not None and press_holds_pa(job, tight.press) < 50_000.0
    assert {"vent-shut-opens"} == {"vent-shut-opens", "clamps-too-weak"} & {c.id for c in cautions_of(tight)}
    assert "vent-shut-opens" not in {c.id for c in cautions_of(filled(assess(strong(job)), 400))}


def test_twice_the_pressure_asks_for_more_clamps_and_a_rigid_mould_keeps_its_height() -> None:
    few, many = (
        press_forces(job, fill(flow_problem(job, 500)))
        for job in (pressed_shut(lid(), 100_000.0), pressed_shut(lid(), 200_000.0))
    )
    assert many.asked_n > few.asked_n and many.number > few.number
    assert many.asked_n == pytest.approx(1.5 * many.worst_n.max())
    a = filled(assess(pressed_shut(lid(), 100_000.0)), 400, levels=1)
    assert a.fill is not None and a.fill.upper is None and a.clamp is None
    assert a.stays_shut.kind == "force" and a.stays_shut.value is not None
    assert np.all(np.isfinite(few.opening_n))


@pytest.mark.parametrize("tolerance", [0.08, 0.01])
def test_the_vacuum_that_is_answered_keeps_the_part_as_near_as_it_says(tolerance: float) -> None:
    plain = lid()
    plain = changed(plain, series=revised(plain.series, thickness_tolerance=tolerance))

    def held_at(pressure_pa: float) -> tuple[Holding, float]:
        job = changed(plain, pair=revised(plain.pair, hold_pa=pressure_pa))
        result = filled(assess(job), 400).fill
        assert result is not None and result.upper is not None
        answer, off = holding(job, result.upper), off_at_gel(result)
        assert answer is not None and off is not None
        return answer, max(abs(off[0]), abs(off[1]))

    answer, before = held_at(60_000.0)
    assert answer.low_pa is not None and answer.high_pa is not None
    best = held_at(answer.best_pa)[1]
    assert best == pytest.approx(answer.off, abs=2e-4) and best < 0.002 < before
    for edge_pa in (answer.low_pa, answer.high_pa):
        assert held_at(edge_pa)[1] <= tolerance + 4e-4
    assert held_at(answer.high_pa + 2000.0)[1] > tolerance


def test_a_reusable_film_fills_as_film_does() -> None:
    film = changed(lid(), process="film infusion")
    skin = revised(film, process="reusable film")
    times = [fill(flow_problem(job, 400)).end_s for job in (film, skin)]
    assert times[0] == times[1]


@pytest.mark.parametrize("name", ["arm", "RTM"])
def test_a_proposed_recipe_is_faster_and_the_mould_stays_shut(name: str) -> None:
    made = arm() if name == "arm" else strong(pressed_shut(lid(), 50_000.0))
    job = injection(made, source="machine", rated_pa=1_000_000.0)
    before = filled(assess(job), 400)
    assert before.fill is not None and before.fill.fill_time_s is not None
    recipe = recipe_for(job, before.fill)
    after = filled(assess(recipe.job), 400)
    assert recipe.presses_pa > 0 and len(recipe.job.pair.injection.steps) == 2
    assert after.fill is not None and after.fill.fill_time_s is not None
    assert after.fill.fill_time_s < before.fill.fill_time_s and after.fill.mass_error < 1e-9
    assert after.stays_shut.value is not None and after.stays_shut.value > 0
    stops = {"mould-opens", "clamps-too-weak", "bladder-below-resin", "above-the-plate", "vent-shut-opens"}
    assert not stops & {caution.id for caution in cautions_of(after)}


def test_a_mould_that_holds_next_to_no_pressure_is_left_to_the_vacuum() -> None:
    before = filled(assess(lid()), 400)
    assert before.fill is not None
    assert recipe_for(lid(), before.fill).job == lid() and recipe_for(lid(), before.fill).presses_pa == 0


def test_a_bladder_job_fills_on_after_the_supply_lets_up() -> None:
    """The laminate, swollen at first, gives resin back; that is no dry area behind the vents."""
    first = InjectionStep(over_pressure_pa=80_000.0, until=UntilMass(mass_kg=0.6))
    job = injection(arm(), steps=(first, InjectionStep(over_pressure_pa=0.0)))
    result = filled(assess(job), 400).fill
    assert result is not None and result.stopped_by == "filled" and len(result.stage_begun_s) == 2
    drawn = result.drawn_m3.sum(axis=1)
    assert drawn.min() >= 0 and (np.diff(drawn) < 0).any() and result.mass_error < 1e-9


@pytest.mark.parametrize("make", [lid, arm])
def test_the_mass_of_a_shot_adds_up_and_the_word_is_given_in_time(make: Callable[[], Job]) -> None:
    a = filled(assess(make()), 400)
    assert a.fill is not None
    shot = shot_mass(a.job, a.fill)
    parts = shot.part_kg + shot.channel_kg + shot.lines_kg + shot.pot_kg
    assert parts == pytest.approx(shot.drawn_kg, rel=1e-9)
    assert shot.drawn_kg == pytest.approx(shot.drawn_m3 * a.job.resin.density_kg_m3)
    assert 0 < shot.runs_on_kg < 0.05 * shot.drawn_kg
    stopped = filled(assess(injection(a.job, stop="by mass", stop_kg=shot.stop_kg)), 400).fill
    assert stopped is not None and stopped.resin_drawn_m3 * a.job.resin.density_kg_m3 == pytest.approx(
        shot.stop_kg, rel=1e-3
    )
