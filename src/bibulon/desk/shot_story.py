"""The little story that the pictures tell: the demo job planned, tested, shot and logged."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from PySide6.QtCore import QEventLoop, QPoint, QTimer
from PySide6.QtWidgets import QApplication, QCheckBox, QPushButton

from bibulon.assess import Assessment
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.desk.app import make_app, wait_for_fill
from bibulon.desk.benches.hold import HoldBench
from bibulon.desk.benches.layup import LayupBench
from bibulon.desk.dialogs.stock_window import StockWindow
from bibulon.desk.stations import stations_for
from bibulon.desk.widgets.fields import Field
from bibulon.desk.window import Window
from bibulon.desk.work.settings import Settings
from bibulon.job import Job
from bibulon.job.edits import changed, revised, with_line, with_pot
from bibulon.job.hold import HoldTest
from bibulon.job.layup import Dart
from bibulon.job.run import MIXING, EventKind, RunEvent
from bibulon.laminate.joints import joint_id
from bibulon.plumbing.edits import with_bypass, with_manifold

READINGS = ((0, 3000), (60, 3031), (120, 3049), (240, 3064), (360, 3068), (480, 3071), (600, 3072), (900, 3074))
SHOT_CLOCK_S = 990.0
LONG_ENOUGH_MS = 1500
SECTION_HEAD_PX = 44
WIDE_BARB_M = 0.016
MORNING = datetime.now(UTC).replace(hour=8, minute=40, second=0, microsecond=0)
"""Of today: a hold test of another day is too old."""
MARKS = ((2.1, 0.42), (2.4, 0.61))
A_LITTLE_LATE = 1.04
LID_CLOCK_S = 40.0


def story_job() -> Job:
    """The demo job with a hold test passed."""
    test = HoldTest(id="hold-1", stage="with the feed hose", taken_at=MORNING, readings=READINGS)
    return changed(demo_job(), hold_tests=(test,))


def story_run(assessment: Assessment) -> tuple[RunEvent, ...]:
    """A shot some minutes in, as planned but for a front that is a little late."""
    kg = [{"mass_kg": round(batch.mass_kg, 2)} for batch in assessment.batches]
    pours = [batch.pour_s for batch in assessment.batches]
    seen = [assessment.fill.seen_at(*place) or 0.0 for place in MARKS] if assessment.fill is not None else [0.0, 0.0]
    mixed = [
        (batch.mix_s, MIXING.format(f"B{batch.number}"), {**of, "text": f"Mix batch {batch.number}"})
        for batch, of in zip(assessment.batches, kg, strict=True)
    ]
    entries: list[tuple[float, EventKind, str, dict[str, Any]]] = [
        (min((mix_s for mix_s, _, _ in mixed), default=0.0) - 60, "step done", "hold", {}),
        *((mix_s, "step done", label, said) for mix_s, label, said in mixed),
        (-30, "step done", "people", {}),
        (0, "batch added", "B1", kg[0]),
        (0, "started", "", {}),
        (0, "valve opened", "F1", {}),
        *((pours[at], "batch added", f"B{at + 1}", kg[at]) for at in range(1, len(kg)) if pours[at] < SHOT_CLOCK_S),
        *((seen[at] * A_LITTLE_LATE, "front marked", "", {"place": place}) for at, place in enumerate(MARKS)),
        (610, "note", "", {"text": "Left corner lags, vent side clear."}),
    ]
    entries = sorted((entry for entry in entries if entry[0] < SHOT_CLOCK_S), key=lambda timed: timed[0])
    start = MORNING + timedelta(minutes=50)
    return tuple(
        RunEvent(number=i, at=start + timedelta(seconds=clock), clock_s=clock, kind=kind, label=label, **more)
        for i, (clock, kind, label, more) in enumerate(entries, 1)
    )


def rehearse(window: Window) -> None:
    """Put the window into the middle of the shot, with the simulated instruments on the bench."""
    window.document.edit("run", changed(window.document.job, run=story_run(window.document.assessment)))
    wait_for_fill(window)  # with the batches as they were mixed
    window.run.resume_at(SHOT_CLOCK_S)
    listen(window)
    window.plan.set_time(SHOT_CLOCK_S)


def listen(window: Window) -> None:
    """Put the simulated instruments on the bench, and wait until the last of them has been read."""
    window.run.connect_simulated()
    loop = QEventLoop()
    window.run.reading_taken.connect(lambda channel, _: loop.quit() if channel == "pot" else None)
    loop.exec()


def shoot_all(folder: Path) -> None:
    """Write the pictures into *folder*."""
    folder.mkdir(parents=True, exist_ok=True)
    app = make_app()
    window = Window(story_job(), Settings())
    window.show()
    wait_for_fill(window)
    for number, station in enumerate(stations_for(window.document.job.process), 1):
        window.go(station.id)
        window.time_rail.canvas.scrub(None)
        if station.id == "lines":
            window.plan.choose("feed-2")
        if station.id == "layup":
            window.plan.set_cut(((0.0, 0.3), (1.2, 0.3)))
        if station.id == "hold":
            bench = window.benches["hold"]
            assert isinstance(bench, HoldBench)
            bench.readings.setPlainText("\n".join(f"{t / 60:g}, {p / 100:g}" for t, p in READINGS))
        if station.id == "shoot":
            rehearse(window)
        if station.id in ("cure", "log"):
            window.time_rail.day.setChecked(True)
        if station.id == "log":  # without what the instruments of the rehearsal read since, by today's clock
            window.run.disconnect_instruments()
            window.document.edit("run", changed(window.document.job, run=story_run(window.document.assessment)))
            wait_for_fill(window)
            wait_for_cure(window)
        if station.id == "cure":
            wait_for_cure(window)
            window.plan.set_map("release")
        window.refresh()
        for _ in range(5):
            app.processEvents()
        window.grab().save(str(folder / f"{number}-{station.id}.png"))
        if station.id == "cure":
            window.plan.set_map("through")
        if station.id == "layup":
            shoot_layup(window, folder)
        if station.id == "hold":
            shoot_hunt(window, folder / "5-hold-hunt.png")
            shoot_effect(window, folder / "5-hold-effect.png")
        if station.id == "lines":
            window.plan.choose("")
            shoot_proposal(window, folder / "3-lines-proposal.png")
            shoot_plumbing(window, folder / "3-lines-plumbing.png")
    shoot_lid(window, folder)
    shoot_gore(window, folder / "1-part-relief.png")
    shoot_stock(window, folder / "stock.png")
    window.close()


def wait_for_cure(window: Window) -> None:
    """Wait until the cure of the job as it is has been followed."""
    while window.document.assessment.cure_study is None:
        pause(50)


def pause(milliseconds: int) -> None:
    """Let work off the interface thread come to an end."""
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def shoot_layup(window: Window, folder: Path) -> None:
    """The Lay-up station with its joints and cutting."""
    window.plan.set_cut(None)
    bench = window.benches["layup"]
    assert isinstance(bench, LayupBench)
    pause(LONG_ENOUGH_MS)
    job = window.document.job
    dart = Dart(id="dart-1", mouth=(3.0, 0.0), tip=(3.0, 0.3), width_m=0.04)
    darted = changed(job, cutting=revised(job.cutting, darts=(dart,)))
    window.document.edit("draw dart", darted)
    pause(LONG_ENOUGH_MS)
    bench.cutting.toggle.click()
    window.plan.choose(joint_id(window.document.assessment.plies[2], 0))
    window.refresh()
    QApplication.processEvents()
    first = next(field for field in bench.findChildren(Field) if field.objectName() == "Overlap")
    bench.verticalScrollBar().setValue(first.mapTo(bench.widget(), QPoint(0, -SECTION_HEAD_PX)).y())
    grab(window, folder / "2-layup-cutting.png")
    bench.cutting.toggle.click()
    window.undo()
    bench.verticalScrollBar().setValue(0)


def shoot_hunt(window: Window, path: Path) -> None:
    """The hunt for a leak, one branch shut off."""
    bench = window.benches["hold"]
    assert isinstance(bench, HoldBench)
    bench.readings.clear()
    hunting = next(box for box in bench.findChildren(QCheckBox) if "find where" in box.text())
    hunting.click()
    next(button for button in bench.findChildren(QPushButton) if button.text() == "It holds").click()
    pause(LONG_ENOUGH_MS)
    bench.verticalScrollBar().setValue(hunting.mapTo(bench.widget(), QPoint(0, -SECTION_HEAD_PX)).y())
    grab(window, path)
    hunting.click()
    window.undo()


def shoot_gore(window: Window, path: Path) -> None:
    """The Part station with the dome gore."""
    window.open_document(demo_job(DEMO_FILES[1]))
    wait_for_fill(window)
    window.time_rail.day.setChecked(False)
    window.note.hide()
    window.go("part")
    window.plan.fit()
    pause(LONG_ENOUGH_MS)
    grab(window, path)


def shoot_stock(window: Window, path: Path) -> None:
    """The stock window on a fabric."""
    stock = StockWindow(window, window.document)
    stock.search.setText("stitched glass")
    stock.show()
    pause(100)
    stock.grab().save(str(path))
    stock.close()


def shoot_lid(window: Window, folder: Path) -> None:
    """The lid in its closed mould: the mould, a shot under way, the series."""
    window.run.disconnect_instruments()
    window.open_document(demo_job(DEMO_FILES[2]))
    wait_for_fill(window)
    window.time_rail.day.setChecked(False)
    window.note.hide()
    window.go("mould")
    window.plan.fit()
    pause(LONG_ENOUGH_MS)
    grab(window, folder / "4-mould.png")
    window.go("series")
    window.plan.fit()
    pause(LONG_ENOUGH_MS)
    grab(window, folder / "10-series.png")
    job = window.document.job
    began = job.run[-1].number + 1
    run = story_shot(began)
    window.document.edit("run", changed(job, run=(*job.run, *run)))
    wait_for_fill(window)
    window.run.resume_at(LID_CLOCK_S)
    window.go("shoot")
    listen(window)
    pause(LONG_ENOUGH_MS)
    window.plan.set_time(LID_CLOCK_S)
    grab(window, folder / "7-shoot-mould.png")
    window.run.disconnect_instruments()
    window.undo()


def story_shot(number: int) -> tuple[RunEvent, ...]:
    """A shot of the lid, forty seconds after its inlets were opened."""
    at = datetime(2026, 10, 19, 8, 31, tzinfo=UTC)
    said: tuple[tuple[float, EventKind, str, dict[str, float]], ...] = (
        (0.0, "step done", "hold", {}),
        (0.0, "step done", "people", {}),
        (0.0, "batch added", "B1", {"mass_kg": 5.57}),
        (0.0, "started", "", {}),
        (0.0, "valve opened", "I1", {}),
        (1.0, "valve opened", "I2", {}),
        (9.0, "reading", "flange", {"vacuum_pa": 22_700.0}),
        (13.0, "reading", "cavity", {"vacuum_pa": 51_200.0}),
        (17.0, "reading", "resin", {"temperature_k": 296.4}),
    )
    return tuple(
        RunEvent(number=number + place, at=at + timedelta(seconds=clock), clock_s=clock, kind=kind, label=label, **more)
        for place, (clock, kind, label, more) in enumerate(said)
    )


def grab(window: Window, path: Path) -> None:
    """Write a picture of the window as it is now."""
    window.refresh()
    for _ in range(5):
        QApplication.processEvents()
    window.grab().save(str(path))


def shoot_proposal(window: Window, path: Path) -> None:
    """The Lines station with a proposed layout beside the present one."""
    loop = QEventLoop()
    window.proposals.ended.connect(loop.quit)
    window.proposals.start(window.document.job)
    loop.exec()
    grab(window, path)
    leave = next(button for button in window.findChildren(QPushButton) if button.text() == "Leave it")
    leave.click()  # else it would lie over the pictures that follow


def shoot_plumbing(window: Window, path: Path) -> None:
    """The plumbing beside the plan: a manifold, two pots, a bypass, and a pot whose barbs its hose does not fit."""
    before = window.document.job
    job = with_bypass(with_pot(with_manifold(before)))
    job = with_line(job, revised(job.line("feed-2"), fed_by=job.manifolds[0].id))
    first, second = job.pots
    window.document.edit("plumbing", changed(job, pots=(first, revised(second, barb_m=WIDE_BARB_M))))
    wait_for_fill(window)
    window.show_plumbing()
    window.plan.choose("feed-2")
    window.plan.fit()
    grab(window, path)
    window.show_plumbing()
    window.plan.choose("")
    window.undo()
    wait_for_fill(window)


def shoot_effect(window: Window, path: Path) -> None:
    """What a leak does at the worst of the places that may leak."""
    bench = window.benches["hold"]
    assert isinstance(bench, HoldBench)
    following = next(box for box in bench.findChildren(QCheckBox) if "Follow its air" in box.text())
    loop = QEventLoop()
    bench.effect.work.ended.connect(loop.quit)
    following.click()
    loop.exec()
    pause(LONG_ENOUGH_MS)
    bench.verticalScrollBar().setValue(following.mapTo(bench.widget(), QPoint(0, -SECTION_HEAD_PX)).y())
    grab(window, path)
    following.click()
