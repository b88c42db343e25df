"""How soon the window can be used, and how long it is ever blocked while a feed line is dragged."""

from __future__ import annotations

import os
import tempfile
import time


def main() -> None:
    with tempfile.TemporaryDirectory() as home:
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"):
            os.environ[name] = home
        measure()


def measure() -> None:
    start = time.perf_counter()
    from PySide6.QtCore import QPoint, Qt
    from PySide6.QtTest import QTest

    from bibulon.demo import demo_job
    from bibulon.desk.app import make_app, wait_for_fill
    from bibulon.desk.stations import STATIONS
    from bibulon.desk.window import Window
    from bibulon.desk.work.settings import Settings

    app = make_app()
    window = Window(demo_job(), Settings())
    window.show()
    app.processEvents()
    usable = time.perf_counter() - start
    wait_for_fill(window)
    full = time.perf_counter() - start
    blocks: list[float] = []
    answers: list[float] = []
    window.runner.answered.connect(lambda answer: answers.append(time.perf_counter()))

    def turn(seconds: float) -> None:
        end = time.perf_counter() + seconds
        while time.perf_counter() < end:
            then = time.perf_counter()
            app.processEvents()
            blocks.append(time.perf_counter() - then)
            time.sleep(0.001)

    def at(x: float, y: float) -> QPoint:
        return window.plan.frame.to_screen((x, y)).toPoint()

    turn(3.0)
    window.go("lines")
    before = len(answers)
    QTest.mousePress(window.plan, Qt.MouseButton.LeftButton, pos=at(2.1, 0.72))
    begun = time.perf_counter()
    for step in range(
        80
    ):  # to and fro, by more than the grid of the plan each time, so that every move asks for a front
        then = time.perf_counter()
        QTest.mouseMove(window.plan, at(2.1, 0.72 + 0.01 * abs((step + 20) % 40 - 20)))
        blocks.append(time.perf_counter() - then)
        turn(0.04)
    seen, dragged_s = len(answers) - before, time.perf_counter() - begun
    turn(0.5)
    before, moved = len(answers), time.perf_counter()
    QTest.mouseMove(window.plan, at(2.1, 0.9))
    while len(answers) <= before and time.perf_counter() < moved + 10:
        turn(0.005)
    first = answers[-1] - moved
    QTest.mouseRelease(window.plan, Qt.MouseButton.LeftButton, pos=at(2.1, 0.9))
    turn(6.0)
    for station in STATIONS:
        then = time.perf_counter()
        window.go(station.id)
        app.processEvents()
        blocks.append(time.perf_counter() - then)
    print(
        f"Window usable {usable:.2f} s after the start of the interpreter's work, full fill shown after {full:.2f} s."
    )
    print(f"While dragging: {seen / dragged_s:.1f} fronts a second; new front {first * 1e3:.0f} ms after a move.")
    print(f"Longest block of the interface: {max(blocks) * 1e3:.0f} ms.")
    window.close()


if __name__ == "__main__":
    main()
