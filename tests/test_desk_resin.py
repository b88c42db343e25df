"""Charge, in the window: the data sheet, the mixing desk, pots, batches by hand, hardeners and doses."""

from __future__ import annotations

from pathlib import Path

import pytest
from driving import (
    LEFT,
    bench,
    caution_ids,
    choose,
    fill_of,
    push,
    put_lid,
    texts,
    type_into,
    while_open,
)
from pypdf import PdfReader
from PySide6.QtCore import QPoint
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QLineEdit, QPlainTextEdit

from bibulon.desk.app import wait_for_fill
from bibulon.desk.dialogs.hardeners import HardenersDialog
from bibulon.desk.dialogs.resin_sheet import OLD_FIGURES, ResinSheetDialog
from bibulon.desk.station_rail import StationButton
from bibulon.desk.time_rail.batch_lane import BATCH_LANE
from bibulon.desk.window import Window
from bibulon.exchange.resin_sheet import TABLES
from bibulon.job.charge import PlannedBatch
from bibulon.job.edits import changed, revised
from bibulon.job.part import Region
from bibulon.job.storage import dump, parse
from bibulon.resin.card_law import law_of
from bibulon.resin.pot import Pot, pot_course

SHEET = {
    "Viscosity": "20 °C; 380 mPa·s\n25 °C; 270 mPa·s",
    "Viscosity with time": "25 °C; 20 min; 330 mPa·s\n25 °C; 40 min; 440 mPa·s\n25 °C; 60 min; 640 mPa·s",
    "Pot life": "150 g; 25 °C; 95 min\n1 kg; 25 °C; 70 min",
    "Gel of a thin film": "25 °C; 3 h 20 min",
    "Tg after cure": "60 °C; 16 h; 84 °C",
}


def test_a_data_sheet_is_typed_fitted_and_kept_and_the_fill_goes_by_it(window: Window, qtbot) -> None:
    window.go("charge")
    before = window.document.assessment.resin_flow

    def type_sheet(dialog: ResinSheetDialog) -> None:
        for name, text in SHEET.items():
            at = next(i for i in range(dialog.choice.count()) if dialog.choice.itemText(i).startswith(f"{name}:"))
            dialog.choice.setCurrentIndex(at)
            editor = next(one for one in dialog.findChildren(QPlainTextEdit) if one.accessibleName() == name)
            assert editor.isVisible()
            editor.setPlainText("1; another; thing; still")
            assert not dialog.keep.isEnabled() and "Line 1" in texts(dialog)
            assert "cannot be read" in dialog.choice.itemText(at)
            editor.setPlainText(text)
            assert dialog.keep.isEnabled() and dialog.chart.shown.curves
        dialog.heat.setText("much")
        assert "kJ/kg" in texts(dialog) and not dialog.keep.isEnabled()
        dialog.heat.setText("390")
        QTest.mouseClick(dialog.fit, LEFT)
        qtbot.waitUntil(lambda: dialog.card.cure is not None, timeout=120_000)
        assert dialog.rows.rowCount() == 9 and "within a factor of" in texts(dialog) and "°C" in dialog.full.text()
        push(dialog, "Keep on the card")

    while_open(ResinSheetDialog, type_sheet)
    push(bench(window), "From its data sheet")
    card = window.document.job.resin
    assert card.cure is not None and card.heat_j_kg == 390_000 and card.source == "data sheet"
    assert len(card.viscosity_aged) == 3 and card.film_gel[0].time_s == 12_000
    assert parse(dump(window.document.job)).resin == card
    assert fill_of(window).problem.resin.growth, "the fill goes by the fitted law"
    assert window.document.assessment.resin_flow != before
    window.undo()
    assert window.document.job.resin.cure is None


def test_a_table_of_the_sheet_is_read_in_the_units_of_its_heading_and_shown_with_them(
    window: Window, tmp_path, monkeypatch: pytest.MonkeyPatch
) -> None:
    table = tmp_path / "pots.csv"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(table), ""))
    window.go("charge")

    def bring_in(dialog: ResinSheetDialog) -> None:
        dialog.choice.setCurrentIndex([one.words for one in TABLES].index("Pot life"))
        editor = dialog.editors["pot_life"]
        for text, shown in (
            ("mass_g,temp_c,minutes\n150,23,95\n500,25,60\n", "150 g; 23.0 °C; 95 min\n500 g; 25.0 °C; 60 min"),
            ("Masse (g);Temperatur (°F);Zeit (h)\r\n150,5;77;1,5\r\n", "150.5 g; 25.0 °C; 90 min"),
        ):
            table.write_text(text, encoding="utf-8")
            push(dialog, "From CSV")
            assert editor.toPlainText().replace("\u00a0", " ") == shown
            assert dialog.keep.isEnabled()
        table.write_text("mass_g,temp_c,minutes\n150,23,soon\n", encoding="utf-8")
        push(dialog, "From CSV")
        assert "Line 2" in texts(dialog) and not dialog.keep.isEnabled()
        dialog.reject()

    while_open(ResinSheetDialog, bring_in)
    push(bench(window), "From its data sheet")


def test_a_figure_typed_wrong_is_told_beside_its_table_and_on_the_job(window: Window) -> None:
    window.go("charge")

    def mistype(dialog: ResinSheetDialog) -> None:
        editor = dialog.editors["viscosity"]
        assert not dialog.contradiction.isVisible()
        shown = [[dialog.rows.item(row, column).text() for column in range(5)] for row in range(3)]
        assert [row[0] for row in shown] == ["viscosity"] * 3 and shown[1][1:] == [
            "25.0 °C",
            "260 mPa·s",
            "260 mPa·s",
            "0 %",
        ]
        as_read = editor.toPlainText()
        editor.setPlainText(as_read.replace("260 mPa·s", "0.26 kPas"))  # a chart of what stood before is told to be old
        assert "kPas" in dialog.wrong["viscosity"].text() and not dialog.keep.isEnabled()
        assert dialog.contradiction.text() == OLD_FIGURES and not dialog.rows.isEnabled()
        editor.setPlainText(as_read.replace("260 mPa·s", "0.26 Pas"))
        assert not dialog.contradiction.isVisible() and dialog.rows.isEnabled()
        editor.setPlainText(as_read.replace("260", "2600"))
        said = "The viscosity at 25.0 °C is 2600 mPa·s, where the other figures make it 260 mPa·s."
        assert dialog.contradiction.isVisible() and dialog.contradiction.text() == said
        push(dialog, "Keep on the card")

    while_open(ResinSheetDialog, mistype)
    push(bench(window), "From its data sheet")
    window.refresh()
    assert "sheet-figure-outlier" in caution_ids(window)
    assert "is 2600 mPa·s, where the other figures make it" in texts(bench(window))


def test_a_cup_test_tells_the_heat_of_cure_and_its_figure_goes_with_the_fit(window: Window, qtbot) -> None:
    window.go("charge")
    resin = window.document.job.resin
    mild = law_of(resin.model_copy(update={"heat_j_kg": 330e3}))
    course = pot_course(mild, resin.density_kg_m3, 0.3, 298.15, Pot(air_k=298.15))
    minutes = (10, 20, 30, 40, 50, 60, 65, 70, 75, 80, 90)
    cup = "\n".join(
        f"300 g; 25 °C; {minute} min; {float(course.at(60.0 * minute)[0]) - 273.15:.0f} °C" for minute in minutes
    )

    def try_cup(dialog: ResinSheetDialog) -> None:
        dialog.choice.setCurrentIndex([one.words for one in TABLES].index("Cup test"))
        dialog.editors["cup_tests"].setPlainText(cup)
        QTest.mouseClick(dialog.fit, LEFT)
        qtbot.waitUntil(lambda: dialog.card.cure is not None, timeout=120_000)
        heat = float(dialog.heat.text())
        assert heat == pytest.approx(330, rel=0.08) and dialog.card.heat_j_kg == pytest.approx(heat * 1000)
        curve, dots = dialog.chart.shown.curves
        assert max(curve.along) > 90, "drawn to its last reading"
        assert max(curve.values) == pytest.approx(max(dots.values), abs=12)
        push(dialog, "Without fit")
        assert dialog.heat.text() == "" and dialog.card.heat_j_kg is None and dialog.card.cure is None
        # a wrong line is told, and no heat made of it
        kept = dialog.editors["cup_tests"].toPlainText()
        dialog.editors["cup_tests"].setPlainText(kept.replace("min", "h"))
        QTest.mouseClick(dialog.fit, LEFT)
        qtbot.waitUntil(lambda: dialog.card.cure is not None, timeout=120_000)
        assert "contradict one another" in texts(dialog) and dialog.heat.text() == ""
        dialog.editors["cup_tests"].setPlainText(kept)
        QTest.mouseClick(dialog.fit, LEFT)
        qtbot.waitUntil(lambda: dialog.card.cure is not None, timeout=120_000)
        assert float(dialog.heat.text()) == heat
        push(dialog, "Keep on the card")

    while_open(ResinSheetDialog, try_cup)
    push(bench(window), "From its data sheet")
    card = window.document.job.resin
    assert card.cure is not None and card.heat_j_kg is not None and len(card.cup_tests) == len(minutes)
    assert "heat of cure" not in law_of(card).assumed


def test_hardeners_are_compared_and_one_is_taken(window: Window, qtbot) -> None:
    window.go("charge")

    def take(dialog: HardenersDialog) -> None:
        qtbot.waitUntil(lambda: dialog.found is not None, timeout=120_000)
        assert dialog.table.rowCount() == 4 and "Surest: Infusion epoxy with slow hardener" in texts(dialog)
        push(dialog, "Take Infusion epoxy with extra slow hardener")

    while_open(HardenersDialog, take)
    push(bench(window), "Which hardener")
    assert window.document.job.resin.id == "epoxy-extra-slow"
    window.undo()
    assert window.document.job.resin.id == "epoxy-slow"


def test_doses_of_a_catalyst_are_compared_and_one_is_taken(window: Window, qtbot) -> None:
    put_lid(window, qtbot)
    window.go("charge")

    def take(dialog: HardenersDialog) -> None:
        qtbot.waitUntil(lambda: dialog.found is not None, timeout=120_000)
        names = [dialog.table.item(row, 0).text() for row in range(dialog.table.rowCount())]
        assert sum("as planned" in name for name in names) == 1 and "Surest:" in texts(dialog)
        assert any("1.20 % peroxide catalyst" in name for name in names)
        push(dialog, "Take 0.80 %")

    while_open(HardenersDialog, take)
    push(bench(window), "Which dose")
    assert window.document.job.charge.dose == pytest.approx(0.008)
    window.refresh()
    shown = [one.text().replace("\u00a0", " ") for one in bench(window).findChildren(QLineEdit)]
    assert "0.80 %" in shown
    window.undo()
    assert window.document.job.charge.dose is None


def test_components_are_warmed_and_a_batch_is_weighed_against_its_ratio(
    window: Window, qtbot, tmp_path: Path, monkeypatch
) -> None:
    window.go("charge")
    side = bench(window)
    thick = window.document.assessment.resin_flow.viscosity_pa_s
    type_into(side, "Resin is at", "27 °C")
    type_into(side, "Slow hardener is at", "24 °C")
    assert "26.3 °C" in texts(side)
    fill_of(window)
    assert window.document.job.charge.component_k == (300.15, 297.15)
    assert thick == window.document.assessment.resin_flow.viscosity_pa_s, "in the part it is as warm as the mould"
    field = type_into(side, "B1", "3.25 kg")
    assert "2 masses are needed" in field.error.text()
    field = type_into(side, "B1", "3.25 kg; 0.975 kg; 26 °C; at nine")
    assert "not a time of day" in field.error.text() and field.editor.text().endswith("at nine")
    count = len(window.document.assessment.batches)
    type_into(side, "B1", "2.00 kg; 0.600 kg; 26 °C; 9:12")
    fill = fill_of(window)
    first = window.document.assessment.batches[0]
    start_s = window.document.job.shop.shot_start_s
    assert (first.mass_kg, first.mix_s) == pytest.approx((2.6, 9.2 * 3600 - start_s)), "the plan follows the scale"
    assert len(window.document.assessment.batches) >= count and fill.problem.fed is not None
    density = window.document.job.resin.density_kg_m3
    assert fill.problem.fed.batches[0].volume_m3 * density == pytest.approx(2.6), "and so does the fill"
    type_into(side, "B1", "3.25 kg; 0.975 kg; 26 °C; 9:20")
    window.refresh()
    assert "B1: ratio within" in texts(side) and "as warm as planned" in texts(side)
    type_into(side, "B2", "3.25; 1.17; 20 °C")
    window.refresh()
    assert "mix-ratio-off" in caution_ids(window) and "Set the pot aside" in texts(side)
    type_into(side, "Resin is at", "50 °C")
    assert "mPa·s, guessed" in texts(side) and "min, guessed" in texts(side), "the card has figures from 20 to 30 °C"
    window.undo()
    type_into(side, "Slow hardener is at", " ")
    assert window.document.job.charge.component_k[1] is None
    out = tmp_path / "mixing.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(out), ""))
    push(side, "Mixing sheet")
    words = "\n".join(page.extract_text() for page in PdfReader(out).pages)
    assert "mixing sheet" in words and "Slow hardener" in words and "B1" in words and "9:20" in words


def test_a_batch_is_planned_over_midnight(window: Window) -> None:
    job = window.document.job
    by_hand = revised(job.charge, batches=tuple(PlannedBatch(mass_kg=5.0) for _ in range(6)))
    window.document.edit("night", changed(job, charge=by_hand, shop=revised(job.shop, shot_start_s=600.0)))
    window.go("charge")
    window.refresh()
    for number, text, mix_s in ((1, "23:55", -900.0), (2, "0:05", -300.0), (3, "00:30", 1200.0)):
        field = type_into(bench(window), f"B{number} mixed from", text)
        assert window.document.job.charge.batches[number - 1].mix_s == pytest.approx(mix_s)
        assert field.editor.text() == f"{int(text.split(':')[0]):02d}:{text.split(':')[1]}"


def test_pots_stand_in_a_bath_and_batches_are_planned_by_hand_and_on_the_rail(window: Window, qtbot) -> None:
    window.go("charge")
    side = bench(window)
    type_into(side, "Water bath at", "16 °C")
    choose(window, "Batches stand in", "wide shallow trays")
    fill_of(window)
    assert window.document.job.charge.bath_k == 289.15 and window.document.job.charge.pot_shape == "tray"
    push(side, "Plan them by hand")
    fill_of(window)
    planned = window.document.job.charge.batches
    assert len(planned) == len(window.document.assessment.batches) > 3
    in_time_s = fill_of(window).end_s
    told: set[str] = set()
    window.document.changed.connect(lambda: told.update(caution_ids(window)))
    total_kg = window.document.assessment.charge.total_kg  # a coarse fill comes first, and asks for 0.5 % more
    type_into(side, "B1 weighs", f"{planned[0].mass_kg - 0.008 * total_kg:.3f} kg")
    fill_of(window)
    assert told and "batches-short" not in told
    window.undo()
    fill_of(window)
    type_into(side, "B1 weighs", "2 kg")
    window.refresh()
    assert "are in no batch" in texts(side) and "batches-short" in caution_ids(window)
    window.undo()
    window.refresh()
    type_into(side, "B3 mixed from", "9:50")
    fill_of(window)
    third, held_up = window.document.assessment.batches[2], fill_of(window)
    assert third.late_s > 600 and "batch-comes-late" in caution_ids(window) and "for it, feeds clamped" in texts(side)
    assert held_up.waits[0].until_s == third.pour_s and held_up.end_s > in_time_s + 300, "the fill waits for it"
    push(side, "As few as will do")
    assert not window.document.job.charge.batches
    fill_of(window)
    canvas = window.time_rail.canvas
    batch, scale = window.document.assessment.batches[4], canvas.scale()
    top, foot = BATCH_LANE
    start = QPoint(round(scale.x(batch.mix_s + 100)), foot - 4)
    QTest.mousePress(canvas, LEFT, pos=start)
    QTest.mouseMove(canvas, start - QPoint(20, 0))
    assert f"B{batch.number}" in window.pointer_text.text() and window.document.moving
    QTest.mouseRelease(canvas, LEFT, pos=start - QPoint(20, 0))
    moved = window.document.job.charge.batches[4]
    assert moved.mix_s is not None and moved.mix_s < batch.mix_s - 60
    assert window.pointer_text.text() == "", "what was told on the way was of a coarse fill"
    in_time_s, early = fill_of(window).end_s, window.document.assessment.batches[4]
    grip = QPoint(round(canvas.scale().x(early.mix_s + 100)), foot - 4)
    QTest.mousePress(canvas, LEFT, pos=grip)
    QTest.mouseMove(canvas, grip + QPoint(150, 0))
    QTest.mouseRelease(canvas, LEFT, pos=grip + QPoint(150, 0))
    held_up = fill_of(window)
    assert [wait.batch for wait in held_up.waits] == [5] and held_up.end_s > in_time_s + 120, "dragged late, it waits"
    window.undo()
    fill_of(window)
    first, scale = window.document.assessment.batches[1], canvas.scale()
    end = QPoint(round(scale.x(first.used_s)), top + 3)
    QTest.mousePress(canvas, LEFT, pos=end)
    QTest.mouseMove(canvas, end - QPoint(12, 0))
    QTest.mouseRelease(canvas, LEFT, pos=end - QPoint(12, 0))
    now = window.document.job.charge.batches
    assert now[1].mass_kg < first.mass_kg - 0.1
    assert now[1].mass_kg + now[2].mass_kg > 2 * first.mass_kg - 0.01
    type_into(side, "B1", f"{first.mass_kg / 1.3:.3f} kg; {0.3 * first.mass_kg / 1.3:.3f} kg; 21 °C; 9:12")
    fill_of(window)
    planned, mixed = window.document.job.charge.batches, window.document.assessment.batches[0]
    grip = QPoint(round(canvas.scale().x(mixed.mix_s + 100)), foot - 4)
    QTest.mousePress(canvas, LEFT, pos=grip)
    QTest.mouseMove(canvas, grip + QPoint(20, 0))
    QTest.mouseRelease(canvas, LEFT, pos=grip + QPoint(20, 0))
    assert window.document.job.charge.batches == planned, "what is mixed already stays where it was"


def test_a_schedule_that_cannot_hold_is_mended_at_one_touch_and_a_catalyst_is_dosed(window: Window, qtbot) -> None:
    window.go("cure")
    type_into(bench(window), "Temperature", "32 °C")
    window.go("charge")
    fill_of(window)
    side = bench(window)
    assert not all(batch.in_time for batch in window.document.assessment.batches)
    qtbot.waitUntil(lambda: "1 more person to mix and 1 more scale" in texts(side), timeout=240_000)
    push(side, "Use it")
    fill_of(window)
    charge = window.document.job.charge
    assert (charge.people, charge.scales) == (2, 2)
    assert all(batch.in_time for batch in window.document.assessment.batches)
    window.refresh()
    assert "It would work with" not in texts(side)

    choose(window, "Resin", "Infusion polyester")
    field = type_into(side, "Dose of catalyst", "9 %")
    assert "The maker's range is 0.80 % to" in field.error.text() and window.document.job.charge.dose is None
    gels = []
    for dose in ("1 %", "2 %"):
        type_into(side, "Dose of catalyst", dose)
        gels.append(window.document.assessment.resin_flow.gel_s)
    assert window.document.job.charge.dose == 0.02 and gels[1] < 0.8 * gels[0]


def test_resin_too_old_to_flow_is_refused_where_it_is_mixed(window: Window, qtbot) -> None:
    window.go("charge")
    type_into(bench(window), "Largest batch", "12 kg")
    type_into(bench(window), "Time to mix one", "20 min")
    wait_for_fill(window)
    window.refresh()
    assert "The first batch stands mixed for" in texts(bench(window))
    states = {one.station.id: one.state for one in window.findChildren(StationButton)}
    assert (states["charge"], states["lines"]) == ("stop", "waits")
    qtbot.waitUntil(lambda: "2 more people to mix and 2 more scales" in texts(bench(window)), timeout=240_000)
    push(bench(window), "Use it")
    fill_of(window)
    assert window.document.job.charge.people == 3 and window.document.assessment.refusal is None
    assert all(batch.in_time for batch in window.document.assessment.batches)


def test_the_safety_notes_are_those_of_the_resin_and_the_vessel_that_are_chosen(window: Window, qtbot) -> None:
    window.go("charge")
    assert "Amine hardeners" in texts(bench(window)) and "Organic peroxide" not in texts(bench(window))
    choose(window, "Resin", "Infusion polyester")
    window.refresh()
    assert "Organic peroxide: eye hazard" in texts(bench(window)) and "Amine hardeners" not in texts(bench(window))
    put_lid(window, qtbot)
    window.go("mould")
    assert "relief valve" not in texts(bench(window))
    choose(window, "From", "pressure pot")
    window.refresh()
    assert "rated, with a relief valve, never above their plate" in texts(bench(window))


def test_where_the_first_batch_is_too_old_what_is_enough_or_else_wrong_is_told(window: Window, qtbot) -> None:
    window.go("charge")
    side = bench(window)
    type_into(side, "Largest batch", "1 kg")
    type_into(side, "Time to mix one", "15 min")
    wait_for_fill(window)
    assert "too thick to flow" in str(window.document.assessment.refusal)
    qtbot.waitUntil(lambda: "It would work with" in texts(side), timeout=240_000)
    job, regions, plies = window.document.job, [], []
    x0, y0, x1, y1 = job.part.shape.bounds
    for name, low, high in (("one half", x0, 0.4 * x1), ("the other", 0.6 * x1, x1)):
        regions.append(Region(name=name, outline=((low, y0), (high, y0), (high, y1), (low, y1))))
        plies.append(revised(job.layup[0], id=name, region=name))
    halves = changed(job, regions=tuple(regions), layup=tuple(plies), media=(), peel_ply=None)
    window.document.edit("two halves", halves)
    qtbot.waitUntil(lambda: "has no feed of its own" in str(window.document.assessment.refusal), timeout=240_000)
    window.refresh()
    assert "It would work with" not in texts(side) and "two shots" not in texts(side)
