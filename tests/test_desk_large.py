"""Jobs far larger than most on the desk: worked out beside it, and shown whole when they are."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import rectangle
from driving import bench, drag, texts, type_into
from PySide6.QtCore import QEvent, QObject
from shapely import Polygon

from bibulon.assess import assess
from bibulon.demo import demo_job
from bibulon.desk.window import Window
from bibulon.desk.work.large_jobs import is_large
from bibulon.job import Job
from bibulon.job.edits import changed, revised
from bibulon.job.layup import Layer
from bibulon.job.part import Part, Region
from bibulon.job.storage import save


def many_plies(name: str = "many plies") -> Job:
    regions = tuple(Region(name=f"r{i}", outline=rectangle(0.1 * i, 0.1, 0.1 * i + 1.0, 1.2)) for i in range(12))
    cards = ("glass-quad-1200", "glass-biax-800")
    layers = tuple(
        Layer(id=f"p{i}", card=cards[i % 2], angle_deg=45.0 * (i % 4), region=f"r{i % 12}" if i % 3 else None)
        for i in range(200)
    )
    return changed(demo_job(), id="many-plies", name=name, regions=regions, layup=layers)


class Heard(QObject):
    """What was said as a share was told; an object, so that it hears on the interface's thread."""

    def __init__(self, text: Callable[[], str]) -> None:
        super().__init__()
        self.shares: list[float] = []
        self.said: list[str] = []
        self._text = text

    def hear(self, share: float) -> None:
        self.shares.append(share)
        self.said.append(self._text())


def many_points(count: int = 5000) -> Job:
    turns = [2 * math.pi * k / count for k in range(count)]
    outline = tuple((round(2.1 + 2 * math.cos(a), 6), round(0.7 + 0.65 * math.sin(a), 6)) for a in turns)
    return changed(demo_job(), id="many-points", name="many points", part=Part(outline=outline))


def test_a_large_file_is_worked_out_before_it_comes_on_the_desk(window: Window, qtbot, tmp_path: Path) -> None:
    path = tmp_path / "large.bibulon"
    save(many_plies(), path)
    said: list[str] = []
    window.opening.progress_described.connect(said.append)
    window.files.open(path)
    assert window.document.job.name == demo_job().name, "what was on the desk stays until the other is ready"
    window.use_tool("feed")  # and can be worked on
    qtbot.waitUntil(lambda: window.document.job.name == "many plies", timeout=240_000)
    assert window.document.path == path and not window.document.working
    told = assess(window.document.job, window.document.assessment.units)
    assert window.document.assessment.laminate.total.dry_mass_kg == told.laminate.total.dry_mass_kg
    shares = [int(text.split()[-2]) for text in said if text.startswith("Opening “many plies” … ")]
    assert shares and shares == sorted(shares)
    assert "Opening" not in window.status.text()


def test_the_last_job_asked_for_is_the_one_that_comes(window: Window, qtbot) -> None:
    window.open_document(many_plies("first"))
    window.open_document(many_plies("second"))
    names: list[str] = []
    window.document.changed.connect(lambda: names.append(window.document.job.name))
    qtbot.waitUntil(lambda: window.document.job.name == "second", timeout=240_000)
    assert "first" not in names
    window.open_document(many_plies("third"))
    window.open_document(demo_job())  # a small one comes at once, and the large one no more
    assert window.document.job.name == demo_job().name
    qtbot.waitUntil(lambda: not window.opening.busy, timeout=240_000)
    assert window.document.job.name == demo_job().name


def test_an_edit_of_a_large_job_says_how_far_its_working_out_is(window: Window, qtbot) -> None:
    job = many_plies()
    window.open_document(job)
    qtbot.waitUntil(lambda: window.document.job is job, timeout=240_000)
    heard = Heard(lambda: window.strip.process.text())
    window.document.assessment_progressed.connect(heard.hear)
    before = window.document.assessment
    thin = changed(job, layup=tuple(revised(layer, count=1) for layer in job.layup[:180]))
    window.document.edit("fewer plies", thin)
    assert window.document.working and window.document.assessment.job is job
    assert window.document.assessment is before, "what holds is not worked out again"
    qtbot.waitUntil(lambda: not window.document.working, timeout=240_000)
    assert heard.shares == sorted(heard.shares) and heard.shares[-1] == 1.0
    assert any(text.endswith(" %") and text.startswith("working out the stack") for text in heard.said)
    window.refresh()
    assert "%" not in window.strip.process.text()
    assert window.document.assessment.laminate.total.dry_mass_kg < before.laminate.total.dry_mass_kg


def test_an_outline_of_thousands_of_points_is_worked_on(window: Window, qtbot) -> None:
    job = many_points()
    assert is_large(job)
    window.open_document(job)
    qtbot.waitUntil(lambda: window.document.job is job, timeout=240_000)
    window.go("part")
    side = bench(window)
    shown = side.points.toPlainText().splitlines()
    assert len(shown) == 5000 and shown[0] == "4100, 700"
    type_into(side, "Flange", "150 mm")
    assert window.document.job.part.flange_width_m == 0.15
    assert window.document.job.part.outline is job.part.outline, "what stays is not read again"
    type_into(side, "Length", "3 m")
    window.refresh()
    assert side.points.toPlainText().splitlines()[0] == "3100, 700"
    window.undo()
    window.go("layup")
    corner = window.document.job.regions[0].outline[0]
    drag(window, corner, (corner[0] + 0.2, corner[1] + 0.1))
    qtbot.waitUntil(lambda: not window.document.working, timeout=240_000)
    window.refresh()
    assert "Cautions" in texts(window)
    qtbot.waitUntil(lambda: not window.runner.busy, timeout=240_000)


def test_a_corner_among_thousands_follows_the_hand_and_a_spike_is_not_taken(window: Window, qtbot) -> None:
    window.open_document(many_points(20_000))
    qtbot.waitUntil(lambda: len(window.document.job.part.outline) == 20_000, timeout=240_000)
    window.go("part")
    assert not bench(window).points.isVisible() and "20000 corner points" in texts(bench(window))
    outline = window.document.job.part.outline
    at = 5000  # uppermost: outwards is up
    drag(window, outline[at], (outline[at][0], outline[at][1] + 0.08))
    moved = window.document.job.part.outline
    assert moved[at] == pytest.approx((outline[at][0], outline[at][1] + 0.08), abs=0.011)
    assert moved[:at] == outline[:at] and moved[at + 1 :] == outline[at + 1 :]
    window.plan.grab()
    window.undo()
    assert window.document.job.part.outline is outline
    drag(window, outline[at], (outline[at][0] + 0.5, outline[at][1] + 0.02))  # across its neighbours
    assert Polygon(window.document.job.part.outline).is_valid
    qtbot.waitUntil(lambda: not window.document.working and not window.runner.busy, timeout=240_000)


def test_leaving_while_a_large_file_is_opened_is_no_trouble(window: Window, qtbot) -> None:
    window.open_document(many_plies())
    opening = window.opening
    window.close()
    qtbot.waitUntil(lambda: not opening.busy, timeout=240_000)
    assert window.document.job.name == demo_job().name
    window.event(QEvent(QEvent.Type.None_))
