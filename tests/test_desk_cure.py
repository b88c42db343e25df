"""Cure, in the window: maps, curves, ramps and holds, logged temperatures, what is too hot."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from driving import (
    LEFT,
    bench,
    button,
    caution_ids,
    choose,
    click,
    fill_of,
    push,
    settle,
    texts,
    type_into,
)
from PySide6.QtCore import QPoint, QPointF
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QPlainTextEdit

from bibulon.cure.study import CureStudy
from bibulon.desk.time_rail.heat_lane import planned_legs
from bibulon.desk.window import Window
from bibulon.job.edits import changed, revised
from bibulon.job.run import thermocouple_readings


def cure_of(window: Window, qtbot) -> CureStudy:
    """The cure of the job as it is now."""
    fill_of(window)
    qtbot.waitUntil(lambda: window.document.assessment.cure_study is not None, timeout=240_000)
    window.refresh()
    found = window.document.assessment.cure_study
    assert found is not None
    return found


def test_cure_shows_its_maps_curves_ramps_and_what_was_logged(
    window: Window, qtbot, tmp_path: Path, monkeypatch
) -> None:
    window.go("cure")
    side = bench(window)
    study = cure_of(window, qtbot)
    assert window.time_rail.day.isChecked(), "the clock shows the whole day here"
    assert "Vacuum may go from" in texts(side) and "A post-cure of" in texts(side)
    pictures = set()
    for words in ("hottest in the cure", "time of gel", "vacuum may go", "degree of cure", "glass transition"):
        choose(window, "Plan shows", words)
        pictures.add(window.plan.grab().toImage().bits().tobytes()[::997])
    assert len(pictures) == 5
    type_into(side, "Cure and Tg at", "13:00")
    assert window.document.cure_at_s == 13 * 3600 - window.document.job.shop.shot_start_s
    early = study.least_cure_at(window.document.cure_at_s)
    choose(window, "Plan shows", "degree of cure")
    of_early = window.plan.grab().toImage()
    type_into(side, "Cure and Tg at", "20 h")
    assert window.plan.grab().toImage() != of_early, "the map is of the time that is asked for"
    assert side.at.editor.text() == "05:30 +1 d"
    type_into(side, "Cure and Tg at", "5:30 +1 d")
    assert window.document.cure_at_s == 72_000 and study.least_cure_at(72_000) > early
    assert side.chart.plot.getAxis("left").style["showValues"]
    for look in ("degree of cure and Tg, over time", "temperature, through the stack", "temperature, over time"):
        choose(window, "Shown", look)
        assert len(side.chart.shown.curves) == 3 and all(
            np.isfinite(one.values).all() for one in side.chart.shown.curves
        )
    fill = window.document.assessment.fill
    assert fill is not None
    for x, y in ((0.3, 0.6), (3.0, 0.6)):
        click(window, x, y)
        nearest = int(np.argmin(((fill.mesh.points_m - (x, y)) ** 2).sum(axis=1)))
        course = study.stacks[int(study.of_point[nearest])].course
        hottest = float(course.temperature_k[:, course.cures].max()) - 273.15
        assert side.chart.shown.curves[0].values.max() == pytest.approx(hottest, abs=0.01)
    said = texts(side)
    assert "Off the mould it is green" in said and "before it is handled hard" in said
    assert "left in the bucket: about" in said and "Pots stand in water by" in said
    push(side, "Post-cure in an oven")
    window.refresh()
    type_into(side, "To, step 1", "65 °C")
    type_into(side, "Hold for, step 1", "6 h")
    cure_of(window, qtbot)
    qtbot.waitUntil(lambda: window.document.assessment.cure_study not in (None, study), timeout=240_000)
    window.refresh()
    warm = window.document.assessment.cure_study
    assert warm is not None and warm.legs and math.isfinite(warm.tg_over_s(329.15))
    (step,) = window.document.job.curing.steps
    assert (step.heats, step.to_k, step.hold_s) == ("oven", 338.15, 21_600)
    cured = window.plan.grab().toImage()
    choose(window, "Plan shows", "resin through")
    assert window.plan.grab().toImage() != cured, "the map came back with the cure that was worked out anew"
    begins = type_into(side, "Heating begins", "18")
    assert "Write a time of day like 14:05" in begins.error.text(), "18 minutes, or six in the evening"
    type_into(side, "Heating begins", "18:00")
    assert window.document.job.curing.begins_s == 18 * 3600 - window.document.job.shop.shot_start_s
    type_into(side, "Heating begins", "8 h")
    assert window.document.job.curing.begins_s == 8 * 3600 and begins.editor.text() == "17:30"
    window.undo()
    window.undo()
    cure_of(window, qtbot)
    canvas = window.time_rail.canvas
    legs = planned_legs(window.document.assessment)
    place = next(
        QPoint(round(canvas.scale().x(legs[1].end_s)), y)
        for y in range(40, 90)
        if canvas._heat_at(QPointF(canvas.scale().x(legs[1].end_s), y)) is not None
    )
    QTest.mousePress(canvas, LEFT, pos=place)
    QTest.mouseMove(canvas, place - QPoint(30, 0))
    QTest.mouseRelease(canvas, LEFT, pos=place - QPoint(30, 0))
    assert window.document.job.curing.steps[0].hold_s < 21_600
    logged = next(one for one in side.findChildren(QPlainTextEdit) if one.accessibleName() == "Logged temperatures")
    logged.setPlainText("time; temperature\n60; 22.5 °C\nnonsense")
    push(side, "Draw them")
    assert "Line 3" in texts(side) and not window.document.job.curing.logged
    table = tmp_path / "thermocouple.csv"
    table.write_text("time_h,temp_f\n1,72.5\n2,75.2\n4,26.0 °C\n", encoding="utf-8")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(table), ""))
    push(side, "From CSV")
    cure_of(window, qtbot)
    points = [(point.time_s, point.temperature_k) for point in window.document.job.curing.logged]
    assert np.allclose(points, [(3600, 295.65), (7200, 297.15), (14_400, 299.15)]), "by the units of the heading"
    assert any(curve.dots for curve in side.chart.shown.curves) and "Points are logged" in texts(side)
    # a logger's own table: dates, two thermocouples, one of them broken for a while
    table.write_text(
        "Date;Time;laminate (°C);mould (°C)\n29.11.2026;10:30;22,5;21\n29.11.2026;11:30;OPEN;21,5\n"
        "30.11.2026;01:30;24;21\n",
        encoding="utf-8",
    )
    push(side, "From CSV")
    cure_of(window, qtbot)
    points = [(point.time_s, point.name) for point in window.document.job.curing.logged]
    assert points == [
        (3600.0, "laminate"), (3600.0, "mould"), (7200.0, "mould"), (57_600.0, "laminate"), (57_600.0, "mould")
    ]  # fmt: skip
    dots = {curve.name: curve for curve in side.chart.shown.curves if curve.dots}
    assert dots["laminate"].values == pytest.approx([22.5, 24.0])
    assert dots["mould"].values == pytest.approx([21.0, 21.5, 21.0])
    # a part that is read colder than planned keeps its vacuum longer, in this shot alone
    release_s = window.document.assessment.cure.release_s
    logged.setPlainText("90; 8 °C\n120; 8 °C")
    push(side, "Draw them")
    window.refresh()
    settle(side)
    assert window.document.assessment.cure.release_s > release_s + 3000.0
    assert "part-colder-than-planned" in caution_ids(window) and "later than planned" in texts(side)
    window.run.log("started")
    window.run.begin_anew()
    window.refresh()
    settle(side)
    assert "part-colder-than-planned" not in caution_ids(window) and "later than planned" not in texts(side)
    assert window.document.assessment.cure.release_s == pytest.approx(release_s, rel=1e-6)
    window.go("lines")
    assert not window.time_rail.day.isChecked()


def test_a_thermocouple_is_logged_while_the_part_cures_and_drawn_over_the_prediction(window: Window, qtbot) -> None:
    window.go("cure")
    cure_of(window, qtbot)
    run = window.run
    run.connect_simulated(pace=60.0)
    assert run.simulated is not None and run.simulated.world.part, "the stand-in follows the predicted cure"
    qtbot.waitUntil(lambda: run.latest("part") is not None, timeout=20_000)
    run.do(next(step for step in run.steps() if step.kind == "valve opened"))
    qtbot.waitUntil(lambda: len(thermocouple_readings(window.document.job.shot)) == 1, timeout=20_000)
    assert run.alerts() == ()
    run.simulated.world = replace(run.simulated.world, part=((0.0, 373.15),))
    qtbot.waitUntil(lambda: len(thermocouple_readings(window.document.job.shot)) == 2, timeout=20_000)
    assert any("The part is at 100.0 °C; its" in alert for alert in run.alerts())
    window.refresh()
    side = bench(window)
    dots = next(curve for curve in side.chart.shown.curves if curve.dots)
    assert dots.values[-1] == pytest.approx(100.0) and "2 readings of the thermocouple" in texts(side)
    assert window.document.assessment.cure_study is not None, "a reading does not have the cure followed again"
    run.simulated.world = replace(run.simulated.world, temperature_k=288.15)
    told = "The shop is at 15.0 °C where the plan has 21.0 °C"
    qtbot.waitUntil(lambda: any(told in alert for alert in run.alerts()), timeout=20_000)
    # components that are warmed by plan make a warm mix, which is not warming for that
    job = window.document.job
    window.document.edit("warm", changed(job, charge=revised(job.charge, component_k=(305.15, 305.15))))
    run.simulated.pour(4.0)
    for warm_k, warms in ((306.0, False), (316.0, True)):
        run.simulated.world = replace(run.simulated.world, pot=((0.0, warm_k), (1e6, warm_k)))
        qtbot.waitUntil(lambda warm_k=warm_k: run.latest("pot") == pytest.approx(warm_k, abs=0.1), timeout=20_000)
        assert any("pot is warming" in alert for alert in run.alerts()) == warms
    run.disconnect_instruments()


def test_what_is_too_hot_is_said_with_what_helps(window: Window, qtbot) -> None:
    window.go("cure")
    side = bench(window)
    cure_of(window, qtbot)
    type_into(side, "Mould stands", "22 °C")
    study = cure_of(window, qtbot)
    qtbot.waitUntil(lambda: "cure-too-hot" in caution_ids(window), timeout=240_000)
    window.refresh()
    settle(side)
    assert "The mould gets" in texts(side)
    qtbot.waitUntil(lambda: "in two shots" in texts(side), timeout=240_000)
    assert study.stacks and button(side, "Heat the mould").isVisible()
