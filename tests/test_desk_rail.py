"""The time rail worked by hand: the fill is played, scrubbed and told moment by moment, over the shot or the day."""

from __future__ import annotations

from driving import LEFT, bench, fill_of
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from bibulon.desk.window import Window
from bibulon.durations import run_clock
from bibulon.quantities import show


def place_of(window: Window, time_s: float) -> QPoint:
    return QPoint(round(window.time_rail.canvas.scale().x(time_s)), 40)


def test_the_fill_is_played_to_its_end_and_can_be_held(window: Window, qtbot) -> None:
    rail, canvas, end = window.time_rail, window.time_rail.canvas, fill_of(window).end_s
    seen: list[float | None] = []
    canvas.scrubbed.connect(seen.append)
    QTest.mouseClick(canvas, LEFT, pos=place_of(window, 0.6 * end))
    assert canvas.time_s is not None and abs(canvas.time_s - 0.6 * end) < 0.02 * end
    before = window.plan.grab().toImage()
    QTest.mouseClick(rail.play, LEFT)
    with qtbot.waitSignals([canvas.scrubbed] * 3, timeout=120_000):
        pass
    QTest.mouseClick(rail.play, LEFT)
    held = canvas.time_s
    assert held is not None and held > 0.6 * end and window.plan.grab().toImage() != before
    QTest.mouseClick(canvas, LEFT, pos=place_of(window, 0.95 * end))
    QTest.mouseClick(rail.play, LEFT)
    with qtbot.waitSignal(rail.play.toggled, timeout=20_000):
        pass
    assert canvas.time_s is None and not rail.play.isChecked(), "the end of the fill is shown, and it stands"
    played = [time_s for time_s in seen[seen.index(held) + 2 :] if time_s is not None]
    assert played == sorted(played) and len(played) >= 3 and seen[-1] is None
    QTest.mouseClick(rail.play, LEFT)
    assert canvas.time_s == 0.0, "from the end it starts over"
    QTest.mouseClick(rail.play, LEFT)


def test_the_rail_is_scrubbed_from_the_keyboard_and_says_where_the_resin_is(window: Window) -> None:
    canvas, fill = window.time_rail.canvas, fill_of(window)
    QTest.mouseClick(canvas, LEFT, pos=place_of(window, 600.0))
    start = canvas.time_s
    assert start is not None
    QTest.keyClick(canvas, Qt.Key.Key_Right)
    QTest.keyClick(canvas, Qt.Key.Key_Right)
    QTest.keyClick(canvas, Qt.Key.Key_Left)
    assert canvas.time_s == start + 60
    QTest.keyClick(canvas, Qt.Key.Key_Home)
    assert canvas.time_s == 0.0
    QTest.keyClick(canvas, Qt.Key.Key_Left)
    assert canvas.time_s == 0.0, "nothing is before the start"
    QTest.keyClick(canvas, Qt.Key.Key_End)
    assert canvas.time_s is None
    QTest.keyClick(canvas, Qt.Key.Key_Left)
    assert canvas.time_s == fill.end_s - 60
    half = place_of(window, fill.end_s / 2)
    QTest.mouseMove(canvas, half)
    time_s = canvas.scale().time(half.x())
    drawn = show(fill.drawn_at(time_s) * window.document.job.resin.density_kg_m3, "mass")
    assert run_clock(time_s) in window.pointer_text.text() and f"drawn {drawn}" in window.pointer_text.text()


def test_the_rail_shows_the_shot_or_the_whole_day(window: Window) -> None:
    canvas, day = window.time_rail.canvas, window.time_rail.day
    shot = canvas.scale()
    pictured = canvas.grab().toImage()
    QTest.mouseClick(day, LEFT)
    whole = canvas.scale()
    last = max(moment.end_s for moment in window.document.assessment.moments)
    assert shot.end_s < whole.end_s and whole.end_s >= last and canvas.grab().toImage() != pictured
    QTest.mouseClick(day, LEFT)
    assert canvas.scale() == shot and canvas.grab().toImage() == pictured


def test_the_plan_goes_by_the_clock_of_a_shot_at_its_bench_and_by_the_pointer_elsewhere(window: Window, qtbot) -> None:
    fill_of(window)
    window.go("shoot")
    side = bench(window)
    while not window.run.started:
        QTest.mouseClick(side.next_button, LEFT)
    qtbot.waitUntil(lambda: window.plan.time_s is not None, timeout=20_000)
    window.go("lines")
    assert window.plan.time_s is None and window.time_rail.canvas.time_s is None
    window.go("shoot")
    assert window.plan.time_s is not None
    while not window.run.over:
        qtbot.waitUntil(side.next_button.isEnabled, timeout=20_000)  # the last one is kept from a hurried second touch
        QTest.mouseClick(side.next_button, LEFT)
    window.refresh()
    assert window.plan.time_s is None, "the shot is over: the plan is that of the whole fill again"
