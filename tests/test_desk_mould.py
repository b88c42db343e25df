"""Closed moulds in the window: the process chosen, the station worked by mouse and by keyboard."""

from __future__ import annotations

import re
from types import SimpleNamespace

import numpy as np
import pytest
from driving import (
    LEFT,
    at,
    bench,
    caution_ids,
    choose,
    click,
    drag,
    field_of,
    press,
    push,
    put_lid,
    settle,
    texts,
    tick,
    type_into,
)
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractItemView, QApplication, QCheckBox, QPlainTextEdit, QPushButton, QWidget
from shapely import Polygon

from bibulon.demo import DEMO_FILES, demo_job
from bibulon.desk.app import wait_for_fill
from bibulon.desk.benches import shoot
from bibulon.desk.benches.part import PROCESS_WORDS
from bibulon.desk.dialogs.process_advice import AdviceDialog
from bibulon.desk.plan.spoken import spoken_objects
from bibulon.desk.stations import stations_for
from bibulon.desk.widgets.fields import QuantityField
from bibulon.desk.widgets.line_chart import LineChart
from bibulon.desk.window import Window
from bibulon.job import EVERY_PROCESS
from bibulon.job.edits import with_pair
from bibulon.job.held_plan import held_plan
from bibulon.job.pair import Injection, InjectionStep, MouldPair, UntilMass
from bibulon.job.storage import dump, parse
from bibulon.mould.clamp import highest_injection_pa, off_at_gel
from bibulon.mould.fittings import gauge_pa
from bibulon.mould.pots import pot_key, pot_places
from bibulon.mould.press import press_holds_pa
from bibulon.mould.shot_checks import shot_checks
from bibulon.mould.shot_mass import shot_mass
from bibulon.mould.shots import shots_of
from bibulon.quantities import Units
from bibulon.quantities_in_words import brief


def test_the_process_is_changed_and_changed_back_and_nothing_is_lost(window: Window, qtbot) -> None:
    before = window.document.job
    window.go("bag")
    window.go("part")
    choose(window, "Process", "light RTM")
    qtbot.waitUntil(lambda: window.rail.buttons["mould"].isVisible(), timeout=10_000)
    closed = window.document.job
    assert closed.closed and closed.pair.cavity_m is not None
    assert not window.rail.buttons["bag"].isVisible()
    shared = ("part", "layup", "lines", "media", "bag", "charge", "cards", "vacuum", "bucket")
    assert all(getattr(closed, name) == getattr(before, name) for name in shared)
    press(window, Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    assert window.station == "mould"
    assert not re.search("pleat|tape", texts(bench(window)))
    window.go("part")
    choose(window, "Process", "film infusion")
    qtbot.waitUntil(lambda: window.rail.buttons["bag"].isVisible(), timeout=10_000)
    assert window.document.job.pair.cavity_m == closed.pair.cavity_m
    press(window, Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    assert window.station == "bag" and "seal" not in texts(bench(window)).replace("Sealing tape", "").lower()
    window.undo()
    window.undo()
    window.refresh()
    assert window.document.job == before


def test_the_vent_is_dragged_off_and_the_mould_says_so(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("mould")
    was = window.document.assessment.fill
    drag(window, (0.55, 0.4), (0.25, 0.2))
    wait_for_fill(window)
    window.refresh()
    vent = window.document.job.line("vent-1")
    assert vent.place == pytest.approx((0.25, 0.2), abs=0.011)
    assert was is not None and window.document.assessment.fill is not was
    assert "vent-off-last" in caution_ids(window)
    window.plan.choose("vent-1")
    window.refresh()
    type_into(bench(window), "Place x, y", "550, 400")
    wait_for_fill(window)
    window.refresh()
    assert window.document.job.line("vent-1").place == pytest.approx((0.55, 0.4), abs=1e-4)
    assert "vent-off-last" not in caution_ids(window)


def test_an_inlet_is_put_on_the_rim_by_hand_and_by_keyboard(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("mould")
    press(window, Qt.Key.Key_I)
    click(window, 0.5, 0.06)  # near the lower rim: it snaps onto it
    job = window.document.job
    assert job.lines[-1].label == "I3" and job.lines[-1].place == pytest.approx((0.5, 0.0), abs=0.012)
    press(window, Qt.Key.Key_E)
    for _ in range(4):
        press(window, Qt.Key.Key_Right)
    press(window, Qt.Key.Key_Return)
    job = window.document.job
    assert job.lines[-1].label == "V2" and job.lines[-1].is_port
    drag(window, job.lines[-2].place, (0.7, 0.3))
    assert window.document.job.lines[-2].place[1] == pytest.approx(0.0, abs=0.012), "an inlet stays on the rim"
    assert parse(dump(window.document.job)) == window.document.job


def test_a_caution_that_comes_at_the_head_does_not_move_what_is_in_sight(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("mould")
    side = bench(window)
    choose(window, "From", "machine that draws from a pot")  # a longer choice may take a line more itself
    wait_for_fill(window)
    window.refresh()
    settle(side)
    field = next(one for one in side.findChildren(QuantityField) if one.name.text() == "Filler")
    side.ensureWidgetVisible(field)
    settle(side)
    bar, before = side.verticalScrollBar(), field.mapTo(side, QPoint(0, 0)).y()
    scrolled = bar.value()
    assert scrolled > 0
    cautions = set(caution_ids(window))
    type_into(side, "Resin at", "30 °C")
    wait_for_fill(window)
    window.refresh()
    settle(side)
    assert "cold-slug" in set(caution_ids(window)) - cautions
    assert bar.value() > scrolled + 20, "a card came above"
    assert field.mapTo(side, QPoint(0, 0)).y() == pytest.approx(before, abs=2)


def test_what_the_clamp_allows_is_said_and_used(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("mould")
    a = window.document.assessment
    assert a.fill is not None and a.fill.upper is not None
    highest = highest_injection_pa(a.job, a.fill.upper)
    assert highest is not None
    assert f"up to {brief(highest, 'pressure difference')} over the atmosphere" in texts(bench(window))
    choose(window, "Plan shows", "thickness off, at gel")
    answer, off = window.plan._answer(), off_at_gel(a.fill)
    assert answer is not None and window.plan.map.make is not None and off is not None
    shown = window.plan.map.make(window.document, answer, 0.0)
    assert shown is not None and (shown.lowest, shown.highest) == (-0.08, 0.08)  # what is asked
    assert np.nanmax(shown.grid.values) == pytest.approx(off[1], abs=2e-4)
    push(bench(window), "Use it")
    wait_for_fill(window)
    window.refresh()
    injection = window.document.job.pair.injection
    assert injection.source == "pressure pot"
    assert 0 <= highest - injection.steps[-1].over_pressure_pa <= 100.0
    assert not {"mould-opens", "above-the-plate"} & caution_ids(window)
    # an answer that is used brings no new caution: the flange's stays as deep as the cavity's and as the house asks
    before = caution_ids(window)
    for answer_of in ("Use it: Flange:", "Use it: Hold at"):
        use = next(one for one in bench(window).findChildren(QPushButton) if one.accessibleName().startswith(answer_of))
        QTest.mouseClick(use, Qt.MouseButton.LeftButton)
        wait_for_fill(window)
        window.refresh()
        assert caution_ids(window) <= before
    pair, shop = window.document.job.pair, window.document.job.shop
    assert shop.barometer_pa - pair.flange_pa >= window.document.job.house.flange_vacuum_pa
    assert pair.flange_pa <= pair.cavity_pa


def show_sum(window: Window) -> None:
    box = next(box for box in bench(window).findChildren(QCheckBox) if box.text() == "Show the sum")
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
    window.refresh()


def test_the_sum_by_hand_adds_up_on_the_screen(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("mould")
    show_sum(window)
    found = [float(text.replace("−", "-")) for text in re.findall(r"(−?[\d.]+) kN\b(?!/)", texts(bench(window)))]
    *forces, left = found[:7]
    assert len(forces) == 6 and sum(forces) == pytest.approx(left, abs=0.31)


def test_a_recipe_is_built_step_by_step_and_one_that_never_ends_is_refused(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("mould")
    choose(window, "From", "machine that draws from a pot")
    push(bench(window), "Add a step")
    window.refresh()
    choose(window, "Holds", "a rate")
    window.refresh()
    type_into(bench(window), "Rate", "2 L/min")
    type_into(bench(window), "Pressure", "300 mbar")
    choose(window, "Lasts", "until a pressure")
    window.refresh()
    field = type_into(bench(window), "To pressure", "500 mbar")
    assert "never end" in field.error.text() and field.editor.text() == "500 mbar"
    QTest.keyClick(field.editor, Qt.Key.Key_Escape)
    type_into(bench(window), "To pressure", "100 mbar")
    steps = window.document.job.pair.injection.steps
    assert steps[0].rate_m3_s == pytest.approx(2e-3 / 60)
    assert steps[0].until.kind == "until a pressure" and steps[0].until.over_pressure_pa == pytest.approx(10_000.0)
    wait_for_fill(window)
    window.refresh()
    fill = window.document.assessment.fill
    assert fill is not None and len(fill.stage_begun_s) == 2


def test_a_machine_that_mixes_at_its_head_brings_fresh_resin_and_has_no_batches(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("mould")
    choose(window, "From", "machine that draws from a pot")
    wait_for_fill(window)
    qtbot.waitUntil(lambda: window.document.assessment.cure_study is not None, timeout=240_000)
    before = window.document.assessment
    choose(window, "From", "machine that mixes at its head")
    wait_for_fill(window)
    qtbot.waitUntil(lambda: window.document.assessment.cure_study is not None, timeout=240_000)
    after = window.document.assessment
    assert before.fill is not None and after.fill is not None and before.batches and not after.batches
    assert after.fill.age_s.max() < after.fill.end_s + 1 < before.fill.age_s.min()
    assert after.last_mixed.mixed_s == after.fill.end_s and after.cure.gel_s > before.cure.gel_s + 100
    window.go("charge")
    assert "there are no batches" in texts(bench(window)) and "Who can mix" not in texts(bench(window))
    window.undo()
    window.refresh()
    assert "Who can mix" in texts(bench(window))


def test_filler_typed_at_mould_is_in_the_charge_and_on_the_mixing_desk(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("mould")
    wait_for_fill(window)
    before = window.document.assessment.charge.total_kg
    type_into(bench(window), "Filler", "20 %")
    wait_for_fill(window)
    window.refresh()
    assert "1258 kg/m³, 1.3 × as thick" in texts(bench(window))
    assert 1.1 < window.document.assessment.charge.total_kg / before < 1258 / 1110
    type_into(bench(window), "Density measured", "1.15 kg/L")
    assert "filler-settled" in caution_ids(window)
    window.go("charge")
    said = texts(bench(window))
    assert "Filler is at" in said and "Peroxide catalyst\nFiller" in said


def test_the_advice_opens_the_job_that_way(window: Window, qtbot) -> None:
    dialog = AdviceDialog(window.document, window)
    dialog.show()
    push(dialog, "Make this job by light RTM")
    assert window.document.job.process == "light RTM"
    qtbot.waitUntil(lambda: window.rail.buttons["mould"].isVisible(), timeout=10_000)


def test_a_shot_is_logged_and_the_next_begins_from_it(window: Window, qtbot) -> None:
    """Twenty shots a day: each is kept whole, and only the readings are asked anew."""
    put_lid(window, qtbot)
    before = len(shots_of(window.document.job))
    window.go("shoot")
    for _ in range(12):
        if window.run.started:
            break
        window.bench_of("shoot").do_next()
    assert window.run.started
    window.refresh()
    tick(window.bench_of("shoot").ticks.list, 4)
    window.refresh()
    assert "fingers clear" in window.document.job.shot[-1].text
    type_into(bench(window), "Grams in the pot", "310")
    type_into(bench(window), "Flange vacuum", "230 mbar")
    type_into(bench(window), "Resin", "24.5 °C")
    push(bench(window), "All inlets clamped")
    push(bench(window), "Shot ended")
    window.refresh()
    shot = shots_of(window.document.job)[-1]
    assert len(shots_of(window.document.job)) == before + 1
    assert shot.figures["pot"] == pytest.approx(0.310) and shot.figures["flange"] == pytest.approx(23_000.0)
    assert shot.figures["resin temperature"] == pytest.approx(297.65)
    window.run.log("vacuum let go")
    push(bench(window), "Next shot")
    window.refresh()
    assert not any(check.ticked for check in shot_checks(window.document.job, window.document.assessment.units))
    field = type_into(bench(window), "Grams in the pot", "?")
    assert field.error.text(), "the reading of the shot before is not shown as this one's"
    press(window, Qt.Key.Key_0, Qt.KeyboardModifier.AltModifier)
    assert window.station == "series"
    assert f"Shot {before + 1}: grams in the pot beyond the limits" in texts(bench(window))
    assert str(before + 1) in texts(bench(window))
    seal = window.document.job.pair.outer_seal
    left = f"Shots left, outer seal\n{seal.life_shots - seal.shots - before - 1}"
    assert left in texts(bench(window))
    choose(window, "Put in a new", "outer seal")
    assert f"Shots left, outer seal\n{seal.life_shots}" in texts(bench(window))
    window.undo()
    assert left in texts(bench(window))


def test_rtm_and_reusable_film_have_stations_of_their_own(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("part")
    choose(window, "Process", "RTM")
    qtbot.waitUntil(lambda: window.document.job.process == "RTM", timeout=10_000)
    window.refresh()
    window.go("mould")
    wait_for_fill(window)
    window.refresh()
    said = texts(bench(window))
    assert "Opened by" in said and "In the flange" not in said
    type_into(bench(window), "Each holds", "20 kN")
    assert window.document.job.pair.clamp.force_n == pytest.approx(20_000.0)
    wait_for_fill(window)
    show_sum(window)
    said = texts(bench(window))
    assert "The latches\n80.0 kN\n4 latches × 20.0 kN." in said and "Flange vacuum" not in said
    choose(window, "Held by", "press")
    wait_for_fill(window)
    window.refresh()
    said = texts(bench(window))
    assert "The press gives" in said and "How many" not in said and "They sit every" not in said
    assert "opens the mould, the press gives 20.0 kN" in said
    window.undo()
    wait_for_fill(window)
    forces, reserve = window.document.assessment.press, window.document.job.house.clamp_reserve
    assert forces is not None
    safe = press_holds_pa(window.document.job, forces, reserve)
    push(bench(window), "Use it")  # the first of them: what the clamps hold with the vent shut
    job = window.document.job
    assert job.pair.injection.source == "pressure pot"
    assert job.pair.injection.steps[-1].over_pressure_pa == pytest.approx(safe, abs=150.0)
    window.go("part")
    choose(window, "Process", "reusable film")
    qtbot.waitUntil(lambda: window.rail.buttons["bag"].isVisible(), timeout=10_000)
    window.go("bag")
    assert not re.search("[Pp]leat", texts(bench(window)))
    type_into(bench(window), "Costs", "480")
    assert "6.00 €" in texts(bench(window))
    type_into(bench(window), "Has made", "80")
    assert "Shots left\n0" in texts(bench(window)) and "skin-past-its-life" in caution_ids(window)
    push(bench(window), "A new skin is put in")
    assert "Shots left\n80" in texts(bench(window)) and "skin-past-its-life" not in caution_ids(window)


def test_both_spaces_are_held_at_once_and_the_leak_is_named(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("hold")
    boxes = {box.accessibleName(): box for box in bench(window).findChildren(QPlainTextEdit)}
    minutes = (0, 1, 2.5, 5, 7.5, 10)
    boxes["Readings: time and pressure"].setPlainText("\n".join(f"{m}, {513 + 0.03 * m:.2f} mbar" for m in minutes))
    flange = boxes["Readings of the flange: time and pressure"]
    flange.setPlainText("\n".join(f"{m}, {223 + 4.0 * m:.1f} mbar" for m in minutes))
    qtbot.waitUntil(lambda: "outer (wing) seal" in texts(bench(window)), timeout=10_000)
    push(bench(window), "Keep this test")
    window.refresh()
    assert len(window.document.job.hold_tests[-1].flange_readings) == 6
    assert "spaces-leak" in caution_ids(window) and not flange.toPlainText()


def test_the_recipe_is_edited_on_the_time_rail(window: Window, qtbot) -> None:
    """An end is dragged along the clock, a pressure up; a double click divides a step, Delete joins it again."""
    put_lid(window, qtbot)
    window.go("mould")
    steps = (
        InjectionStep(rate_m3_s=8e-5, over_pressure_pa=20_000.0, until=UntilMass(mass_kg=2.5)),
        InjectionStep(over_pressure_pa=5_000.0),
    )
    machine = Injection(source="machine", rated_pa=400_000.0, steps=steps)
    window.document.edit("recipe", with_pair(window.document.job, injection=machine))
    wait_for_fill(window)
    rail = window.time_rail.canvas

    def steps_now() -> tuple[InjectionStep, ...]:
        wait_for_fill(window)
        return window.document.job.pair.injection.steps

    def drag_on_rail(start: tuple[float, float], end: tuple[float, float]) -> None:
        first, last = (QPoint(round(x), round(y)) for x, y in (start, end))
        QTest.mousePress(rail, LEFT, Qt.KeyboardModifier.NoModifier, first)
        QTest.mouseMove(rail, (first + last) / 2)
        QTest.mouseMove(rail, last)
        QTest.mouseRelease(rail, LEFT, Qt.KeyboardModifier.NoModifier, last)

    course = rail.recipe.course()
    assert course is not None and len(course.steps_s) == 2
    end_s, later_s = course.steps_s[0][1], course.steps_s[0][1] * 0.8
    scale = rail.scale()
    drag_on_rail((scale.x(end_s), 125), (scale.x(later_s), 125))
    until = steps_now()[0].until
    assert isinstance(until, UntilMass)
    wanted = course.drawn_at(scale.time(round(scale.x(later_s)))) * window.document.job.resin.density_kg_m3
    assert until.mass_kg == pytest.approx(wanted, rel=6e-3)
    course, scale = rail.recipe.course(), rail.scale()
    assert course is not None and len(course.steps_s) == 2
    middle_s = sum(course.steps_s[1]) / 2
    on_line = next(y for y in range(100, 148) if rail.recipe.grip_at(scale, QPointF(scale.x(middle_s), y)) is not None)
    height = on_line + 5
    drag_on_rail((scale.x(middle_s), height), (scale.x(middle_s), height - 12))
    per_px = steps_now()[1].over_pressure_pa - 5_000.0
    assert per_px == pytest.approx(20_000.0, abs=2_000.0)  # twelve of the lane's pixels
    course, scale = rail.recipe.course(), rail.scale()
    assert course is not None
    middle = QPoint(round(scale.x(sum(course.steps_s[1]) / 2)), 112)
    QTest.mouseDClick(rail, LEFT, Qt.KeyboardModifier.NoModifier, middle)
    assert len(steps_now()) == 3
    course, scale = rail.recipe.course(), rail.scale()
    assert course is not None
    QTest.mouseClick(rail, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(round(scale.x(course.steps_s[1][1])), 130))
    QTest.keyClick(rail, Qt.Key.Key_Delete)
    assert len(steps_now()) == 2


def test_shots_follow_one_another_on_the_large_button_alone(window: Window, qtbot, monkeypatch) -> None:
    """From the first step to the end of the shot and into the next: and a hurried second touch ends nothing."""
    since_s = [0.0]  # a clock of its own: on a busy machine the second touch may come late
    monkeypatch.setattr(shoot, "time", SimpleNamespace(monotonic=lambda: since_s[0]))
    put_lid(window, qtbot)
    before = len(shots_of(window.document.job))
    window.go("shoot")
    side = bench(window)
    for shot in range(1, 4):
        while window.run.next() is not None:
            QTest.mouseClick(side.next_button, LEFT)
        assert side.next_button.text() == "End the shot" and "grams in the pot" in side.detail.text()
        QTest.mouseClick(side.next_button, LEFT)
        assert not window.run.finished
        assert field_of(side, "Grams in the pot").editor.text() == "", "what the shot before had is not this one's"
        type_into(side, "Grams in the pot", "200 g")
        assert "grams in the pot" not in side.detail.text() and "part weighs" in side.detail.text()
        since_s[0] += shoot.UNTOUCHED_S
        side.tick()
        QTest.mouseClick(side.next_button, LEFT)
        assert window.run.finished and side.next_button.text() == "Begin the next shot"
        QTest.mouseClick(side.next_button, LEFT)
        assert window.run.finished
        since_s[0] += shoot.UNTOUCHED_S
        side.tick()
        QTest.mouseClick(side.next_button, LEFT)
        assert not window.run.started and len(shots_of(window.document.job)) == before + shot
    done = shots_of(window.document.job)[-3:]
    assert [round(1000 * (one.figures["pot"] or 0)) for one in done] == [200, 200, 200]


def test_a_rehearsed_shot_is_read_and_logged_at_one_touch(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("shoot")
    push(bench(window), "Rehearse with simulated instruments")
    for _ in range(12):
        step = window.run.next()
        assert step is not None
        bench(window).do_next()
        if step.kind == "valve opened" and step.label == "I2":
            break
    qtbot.waitUntil(lambda: (window.run.latest("meter") or 0.0) > 0.05, timeout=240_000)
    touches = [
        one for one in bench(window).findChildren(QPushButton) if one.accessibleName() == "Log Flange vacuum as read"
    ]
    qtbot.waitUntil(lambda: touches[0].isEnabled(), timeout=240_000)
    touches[0].click()
    logged = window.document.job.run[-1]
    assert (logged.kind, logged.label, logged.rehearsal) == ("reading", "flange", True)
    assert logged.vacuum_pa == pytest.approx(window.document.job.pair.flange_pa, abs=100.0)
    push(bench(window), "Log readings")
    labels = {event.label for event in window.document.job.shot if event.kind == "reading"}
    assert labels - {"thermocouple"} == {"flange", "cavity", "resin", "mass in", "pot"}
    push(bench(window), "All inlets clamped")
    qtbot.waitUntil(lambda: window.run.latest("flow") == 0.0, timeout=240_000)
    window.run.disconnect_instruments()


def test_every_process_can_be_chosen_at_part(window: Window, qtbot) -> None:
    """Hollow or not, the job comes back as it was."""
    assert set(PROCESS_WORDS) == EVERY_PROCESS
    before = window.document.job
    window.go("part")
    choose(window, "Process", PROCESS_WORDS["bladder"])
    qtbot.waitUntil(lambda: window.rail.buttons["series"].isVisible(), timeout=10_000)
    wait_for_fill(window)
    assert window.document.job.process == "bladder"
    window.go("mould")
    assert "Bladder presses by" in texts(bench(window)) and "joint-not-sealed" in caution_ids(window)
    push(bench(window), "List the usual ones")
    assert len(window.document.job.pair.joints) == 5
    window.undo()
    window.undo()
    window.refresh()
    assert window.document.job == before


def test_a_bladder_job_is_planned_and_ticked(window: Window, qtbot) -> None:
    """The arm: what the bladder is asked, its joints listed and ticked, and its own words everywhere."""
    job = demo_job(DEMO_FILES[3])
    window.open_document(job)
    qtbot.waitUntil(lambda: window.document.job.name == job.name, timeout=240_000)
    wait_for_fill(window)
    window.go("mould")
    assert "Bladder presses by" in texts(bench(window)) and "seal has" not in texts(bench(window))
    type_into(bench(window), "Blown up to", "150 mbar")
    wait_for_fill(window)
    window.refresh()
    assert {"bladder-vent-shut"} <= caution_ids(window)
    push(bench(window), "Use it")
    wait_for_fill(window)
    window.refresh()
    assert window.document.job.pair.injection.steps[0].over_pressure_pa == pytest.approx(15_000.0)
    assert not {"bladder-vent-shut", "bladder-below-resin"} & caution_ids(window)
    choose(window, "Sealed", "outside only")
    window.refresh()
    assert "joint-not-sealed" in caution_ids(window)
    window.go("shoot")
    said = [check.text for check in shot_checks(window.document.job, window.document.assessment.units)]
    assert sum("sealed on the resin side" in text for text in said) == 5 and not any(
        "upper half" in text for text in said
    )


def test_seals_channel_and_fittings_are_chosen_moved_and_typed(window: Window, qtbot) -> None:
    """By mouse: the outer seal pulled out, a clamp put, moved along the flange and typed; by keyboard: Tab, arrows."""
    put_lid(window, qtbot)
    window.go("mould")

    def pair_now() -> MouldPair:
        window.refresh()
        return window.document.job.pair

    click(window, 0.55, -0.03)
    assert window.plan.chosen == "inner seal"
    assert pair_now() == demo_job(DEMO_FILES[2]).pair  # a click chooses, and moves nothing
    click(window, 0.55, -0.17)
    assert window.plan.chosen == "outer seal"
    drag(window, (0.55, -0.17), (0.55, -0.22))
    assert pair_now().flange_m == pytest.approx(0.19, abs=0.004) and pair_now().seal_off_m == 0.03
    window.plan.setFocus()
    QTest.keyClick(window.plan, Qt.Key.Key_Down)
    assert pair_now().flange_m == pytest.approx(0.185, abs=0.004)
    wait_for_fill(window)
    before = len(pair_now().fittings)
    QTest.keyClick(window.plan, Qt.Key.Key_K)
    click(window, 0.55, -0.2)
    put = pair_now().fittings[-1]
    assert len(pair_now().fittings) == before + 1 and put.kind == "clamp" and window.plan.chosen == put.id
    assert put.place[1] == pytest.approx(-(0.03 + pair_now().flange_m / 2), abs=0.003)  # on the flange's middle
    type_into(bench(window), "Sits at x, y", "1.3 m, 0.4 m")
    moved = pair_now().fittings[-1]
    assert moved.place == pytest.approx((1.1 + 0.03 + pair_now().flange_m / 2, 0.4), abs=0.004)
    window.plan.setFocus()
    QTest.keyClick(window.plan, Qt.Key.Key_Delete)
    assert len(pair_now().fittings) == before
    gauge = next(fitting for fitting in pair_now().fittings if fitting.kind == "gauge")
    window.plan.choose(gauge.id)
    window.refresh()
    fill = window.document.assessment.fill
    assert fill is not None
    shown = gauge_pa(fill, gauge.place, fill.end_s)
    assert shown is not None and f"would show {round(shown / 100)} mbar" in texts(bench(window))
    window.plan.choose("channel")
    QTest.keyClick(window.plan, Qt.Key.Key_Up)
    assert pair_now().channel.width_m == pytest.approx(0.017)
    choose(window, "Channel card", "Half-round channel, 24 mm")
    assert (pair_now().channel.width_m, pair_now().channel.height_m) == (0.024, 0.012)
    drag(window, (0.55, 0.808), (0.55, 0.9))  # beyond the inner seal: it stops short of it
    assert pair_now().channel.width_m == pytest.approx(0.056)
    type_into(bench(window), "Channel width", "70 mm")
    window.refresh()
    assert "channel-under-seal" in caution_ids(window)
    choose(window, "Outer seal card", "Wing seal, natural rubber, 40 mm")
    window.refresh()
    assert "seal-attacked" in caution_ids(window)


def test_a_vent_off_the_part_is_refused_where_it_is_put(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("mould")
    before = window.document.job
    window.plan.choose("vent-1")
    window.refresh()
    field = type_into(bench(window), "Place x, y", "3 m, 0.4 m")
    assert "off the part" in field.error.text() and window.document.job == before
    window.plan.setFocus()
    QTest.keyClick(window.plan, Qt.Key.Key_E)
    click(window, 1.32, 0.4)
    assert window.document.job == before and window.plan.tool.name == "vent port"
    QTest.keyClick(window.plan, Qt.Key.Key_Escape)


@pytest.mark.parametrize(
    ("demo", "strange"),
    [
        (2, r"pleat|\btape\b|\bbags?\b|\bfilm\b|peel ply|bladder|laminate swells|when full, vents"),
        (3, r"pleat|\btape\b|\bbags?\b|\bfilm\b|peel ply|upper half|inner seal|when full, vents"),
        (0, r"upper half|upper side|bladder|\bcavity\b|inner seal|\bshots?\b a shift|\bseries\b of"),
    ],
    ids=["light RTM", "bladder", "film"],
)
def test_a_job_says_nothing_of_another_process(window: Window, qtbot, demo: int, strange: str) -> None:
    job = demo_job(DEMO_FILES[demo])
    window.open_document(job)
    qtbot.waitUntil(lambda: window.document.job.name == job.name, timeout=240_000)
    wait_for_fill(window)
    for station in stations_for(job.process):
        window.go(station.id)
        window.refresh()
        said = texts(bench(window))
        lists = [one.model() for one in bench(window).findChildren(QAbstractItemView) if one.isVisible()]
        said += "\n".join(str(model.index(row, 0).data()) for model in lists for row in range(model.rowCount()))
        if station.id != "part":  # where the button to what compares all processes names them
            said += "\n" + "\n".join(one.toolTip() for one in bench(window).findChildren(QWidget) if one.isVisible())
        found = re.search(strange, said, re.IGNORECASE)
        assert found is None, f"{station.id}: {said[found.start() - 40 : found.end() + 40]}"
    window.go("lines")
    window.plan.set_map("lag")
    told: list[str] = []
    window.plan.pointer_described.connect(told.append)
    inside = Polygon(job.part.outline, job.part.holes).representative_point()
    place = at(window, inside.x, inside.y)
    for beside in (QPoint(3, 3), QPoint(0, 0)):
        QTest.mouseMove(window.plan, place + beside)
        QApplication.processEvents()
    assert "tool side behind the" in told[-1] and re.search(strange, told[-1], re.IGNORECASE) is None, told[-1]


def test_a_shot_stopped_by_mass_begins_with_the_mass_of_the_word(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("mould")
    choose(window, "Stopped", "by mass")
    document = window.document
    assert document.assessment.fill is not None
    stop_kg = shot_mass(document.job, document.assessment.fill).stop_kg
    assert document.job.pair.injection.stop_kg == pytest.approx(stop_kg, abs=0.001)
    type_into(bench(window), "Shot mass", " ")
    assert document.job.pair.injection.stop_kg is None and "stop-mass-not-said" in caution_ids(window)


def test_the_chart_of_a_short_shot_counts_in_what_its_axis_says(qtbot) -> None:
    chart = LineChart("a course")
    for reach in (0.9, 0.5):
        along = np.linspace(0.0, reach, 20)
        chart.draw(along, 1.0 - along, "min", "kN/m")
        axis = chart.plot.getAxis("bottom")
        ticks = axis.tickValues(0.0, reach, 300)
        spacing, places = ticks[0]
        said = axis.tickStrings(places, axis.autoSIPrefixScale * axis.scale, spacing)
        assert [float(text) for text in said] == pytest.approx(places)


def test_the_catch_pot_stands_on_the_plan_and_is_moved_typed_and_taken_out(window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("mould")
    pot = window.document.job.pots[0]
    start = pot_places(window.document.job)[pot_key(pot)]
    held = held_plan(window.document.job)
    drag(window, start, (0.9, 0.2))
    assert window.document.job.pots[0].place == pytest.approx((0.9, 0.2), abs=0.02)
    assert held_plan(window.document.job) == held, "where a pot stands opens no joint"
    type_into(bench(window), f"{pot.label} at x, y", "300 mm, 700 mm")
    assert window.document.job.pots[0].place == (0.3, 0.7)
    field = type_into(bench(window), f"{pot.label} at x, y", "300 mm")
    assert "two lengths" in field.error.text() and window.document.job.pots[0].place == (0.3, 0.7)
    assert any(words.startswith("Catch pot") for _, words, _ in spoken_objects(window.document.job, (), Units()))
    window.plan.choose(pot_key(pot))
    press(window, Qt.Key.Key_Delete)
    assert not window.document.job.pots and "pot-too-small" in caution_ids(window)
    window.undo()
    assert window.document.job.pots[0].place == (0.3, 0.7)
