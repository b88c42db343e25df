"""How long the desk is held up by edits of a job far larger than the demo, as multiples of the same on the demo.

Each is done several times and the best is given: other work on the machine adds to a time, and never takes from it.
"""

from __future__ import annotations

import itertools
import math
import os
import tempfile
import time
from collections.abc import Callable

PLIES, REGIONS, POINTS, HEIGHTS = 500, 40, 20_000, 7_500
WATCH_S = 4.0
TIMES = 3


def main() -> None:
    with tempfile.TemporaryDirectory() as home:
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"):
            os.environ[name] = home
        measure()


def measure() -> None:
    from PySide6.QtCore import Qt
    from PySide6.QtTest import QTest

    from bibulon.demo import demo_job
    from bibulon.desk.app import make_app
    from bibulon.desk.window import Window
    from bibulon.desk.work.settings import Settings
    from bibulon.job import Job
    from bibulon.job.edits import changed, reshaped_region, revised, with_layup, with_value
    from bibulon.job.layup import Layer
    from bibulon.job.part import Part, Region

    app = make_app()

    def many_plies() -> Job:
        regions = tuple(
            Region(name=f"r{i}", outline=((x, y), (x + 0.62, y), (x + 0.62, y + 0.3), (x, y + 0.3)))
            for i in range(REGIONS)
            for x, y in [(0.1 + i % 8 * 0.5, 0.05 + i // 8 * 0.25)]
        )
        cards = ("glass-mat-300", "glass-quad-1200", "glass-biax-800")
        book = tuple(
            Layer(id=f"p{i}", card=cards[i % 3], angle_deg=(0, 45, 90, -45)[i % 4],
                  region=None if i % 5 == 0 else f"r{i % REGIONS}")
            for i in range(PLIES)
        )  # fmt: skip
        return changed(demo_job(), id="many-plies", regions=regions, layup=book)

    def many_points() -> Job:
        turns = [2 * math.pi * k / POINTS for k in range(POINTS)]
        waves = [(1 + 0.01 * math.cos(40 * a)) for a in turns]
        outline = tuple(
            (round(2.1 + 2.0 * w * math.cos(a), 6), round(0.7 + 0.65 * w * math.sin(a), 6))
            for a, w in zip(turns, waves, strict=True)
        )
        return changed(demo_job(), id="many-points", part=Part(outline=outline))

    def many_heights() -> Job:
        """The demo over a bowl, with as many heights as are kept of a mesh of 200,000 triangles."""
        rows = round(math.sqrt(HEIGHTS / 3))
        relief = tuple(
            (round(x, 6), round(y, 6), round(0.2 * math.sin(x / 1.3) * math.cos(y / 0.7), 6))
            for i in range(HEIGHTS // rows)
            for j in range(rows)
            for x, y in [(4.2 * i / (HEIGHTS // rows - 1), 1.4 * j / (rows - 1))]
        )
        job = demo_job()
        return changed(job, id="many-heights", part=revised(job.part, relief=relief))

    def held_up(job: Job) -> list[tuple[float, float]]:
        """For each edit: how long it took, and the longest block of the interface after it (s)."""
        window = Window(job, Settings())
        window.show()
        window.go("layup")
        watch(WATCH_S)
        document = window.document
        region = job.regions[1].name

        def moved() -> Job:
            outline = next(one.outline for one in document.job.regions if one.name == region)
            return reshaped_region(document.job, region, tuple((x + 0.01, y) for x, y in outline))

        first = document.job.layup[1].id
        angles, widths = itertools.count(31.0), (0.12 + 0.001 * k for k in itertools.count())
        edits: tuple[Callable[[], None], ...] = (
            lambda: document.edit("angle", with_value(document.job, f"layup/{first}/angle_deg", next(angles))),
            lambda: document.edit("order", with_layup(document.job, (*document.job.layup[1:], document.job.layup[0]))),
            lambda: document.undo(),
            lambda: document.preview(moved()),
            lambda: window.go("part"),
            lambda: dragged(window),
            lambda: line_dragged(window),
            lambda: window.go("layup"),
            lambda: document.edit(
                "flange", changed(document.job, part=revised(document.job.part, flange_width_m=next(widths)))
            ),
        )
        found = []
        for _ in range(TIMES):
            for edit in edits:
                start = time.perf_counter()
                edit()
                found.append((time.perf_counter() - start, watch(WATCH_S)))
        window.close()
        turns = [found[at :: len(edits)] for at in range(len(edits))]
        return [(min(edit for edit, _ in turn), min(block for _, block in turn)) for turn in turns]

    def dragged(window: Window) -> None:
        """A corner of the outline pulled out a little, at Part."""
        outline = window.document.job.part.outline
        drag(window, *outline[len(outline) // 4])

    def line_dragged(window: Window) -> None:
        window.go("lines")
        (x0, y0), (x1, y1) = window.document.job.line("feed-2").points
        drag(window, (x0 + x1) / 2, (y0 + y1) / 2)

    def drag(window: Window, x: float, y: float) -> None:
        window.plan.set_tool("select")
        places = [window.plan.frame.to_screen((x, y + dy)).toPoint() for dy in (0.0, 0.02, 0.04)]
        QTest.mousePress(window.plan, Qt.MouseButton.LeftButton, pos=places[0])
        for place in places[1:]:
            QTest.mouseMove(window.plan, place)
        QTest.mouseRelease(window.plan, Qt.MouseButton.LeftButton, pos=places[-1])

    def watch(seconds: float) -> float:
        longest, end = 0.0, time.perf_counter() + seconds
        while time.perf_counter() < end:
            start = time.perf_counter()
            app.processEvents()
            longest = max(longest, time.perf_counter() - start)
            time.sleep(0.001)
        return longest

    names = (
        "an angle",
        "the order",
        "undo",
        "a region moved",
        "to Part",
        "a corner dragged",
        "a line dragged",
        "to Lay-up",
        "the flange",
    )
    demo = held_up(demo_job())
    print("How long an edit takes, and the longest block of the interface after it (times those of the demo):")
    jobs = (
        (f"{PLIES} plies in {REGIONS} regions", many_plies()),
        (f"{POINTS} points", many_points()),
        (f"{HEIGHTS} heights", many_heights()),
    )
    for title, job in jobs:
        for name, (edit, block), (edit_demo, block_demo) in zip(names, held_up(job), demo, strict=True):
            print(
                f"  {title}, {name}: {edit * 1e3:.0f} ms ({edit / edit_demo:.1f}×), "
                f"{block * 1e3:.0f} ms ({block / block_demo:.1f}×)"
            )


if __name__ == "__main__":
    main()
