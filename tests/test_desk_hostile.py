"""Bad files of every kind dropped on the window: refused by name, and by place where there is one; nothing is lost."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from driving import bench, caution_ids, click, press, texts
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication

from bibulon.assess import Assessment
from bibulon.cautions import registry
from bibulon.cautions.registry import Finding
from bibulon.demo import DEMO_FILES, DEMO_MESH, demo_file
from bibulon.desk.dialogs.preview import PreviewDialog
from bibulon.desk.fault_report import report_faults
from bibulon.desk.window import Window
from bibulon.desk.work.settings import state_folder
from bibulon.job.edits import changed

SVG = '<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" viewBox="0 0 100 100">{}</svg>'
BOMB = "".join(f'<!ENTITY {b} "{f"&{a};" * 10}">' for a, b in zip("abcdefgh", "bcdefghi", strict=True))
COPIES = '<g id="a0"><path d="M0 0 L1 0 L1 1 Z"/></g>' + "".join(
    f'<g id="a{at}">' + f'<use href="#a{at - 1}"/>' * 10 + "</g>" for at in range(1, 10)
)
"""Each group holds ten copies of the one before."""
TOLD: dict[str, tuple[str | bytes, tuple[str, ...]]] = {
    "nothing.bibulon": ("", ("is empty",)),
    "list.bibulon": ("[1, 2, 3]", ("is not a Bibulon job",)),
    "deep.bibulon": ("[" * 100_000, ("nested deeper than any job",)),
    "noise.bibulon": (bytes(range(256)) * 4, ("not a text file",)),
    "nothing.dxf": ("", ("is empty",)),
    "noise.dxf": (bytes(range(256)) * 16, ("damaged", "cannot be read")),
    "bomb.svg": (f'<!DOCTYPE s [<!ENTITY a "aaaaaaaa">{BOMB}]>' + SVG.format("<text>&i;</text>"), ("entities",)),
    "theft.svg": (
        '<!DOCTYPE s [<!ENTITY a SYSTEM "file:///etc/passwd">]>' + SVG.format("<text>&a;</text>"), ("entities",),
    ),
    "copies.svg": (SVG.format(COPIES), ("more than 5 s of work",)),
    "nan.csv": ("0,0\n1,nan\n1,1\n", ("Line 2",)),
    "words.csv": ("x,y\n0,0\nhello,3\n1,1\n", ("Line 3", "hello")),
    "nothing.stl": ("", ("is empty",)),
    "nan.stl": (
        "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 nan\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n"
        "endsolid a\n", ("not numbers",),
    ),
    "far.obj": ("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", ("points that are not there",)),
    "import.py": ("import os; os.remove('/')", ("import.py",)),
}  # fmt: skip


@pytest.mark.parametrize("name", TOLD)
def test_a_bad_file_is_refused_by_name(window: Window, qtbot, tmp_path: Path, name: str) -> None:
    content, said = TOLD[name]
    path = tmp_path / name
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    kept = window.document.job
    window.note.hide()
    window.files.take(path)
    qtbot.waitUntil(window.note.isVisible, timeout=120_000)
    text = window.note.words.text()
    assert name in text and any(one in text for one in said), text
    assert window.document.job is kept and not window.document.undo_label
    assert len(text) < 300, "told in a line or two, whatever the file holds"


def test_a_job_of_the_future_or_with_a_wrong_value_is_told_and_left_as_it_is(window: Window, tmp_path: Path) -> None:
    whole = json.loads(demo_file(DEMO_FILES[1]).read_text(encoding="utf-8"))
    kept = window.document.job
    for name, edits, said in (
        ("later.bibulon", {"format_version": 99}, "newer Bibulon"),
        ("cold.bibulon", {"shop": {**whole["shop"], "temperature_k": 20.0}}, "shop › temperature_k"),
        ("strange.bibulon", {"colour": "red"}, "colour"),
        ("torn.bibulon", {"part": {**whole["part"], "outline": [[0, 0], [1, 1], [1, 0], [0, 1]]}}, "crosses"),
    ):
        path = tmp_path / name
        path.write_text(json.dumps({**whole, **edits}), encoding="utf-8")
        before = path.read_bytes()
        window.files.take(path)
        assert name in window.note.words.text() and said in window.note.words.text()
        assert window.document.job is kept and path.read_bytes() == before


def take_and_leave(window: Window, qtbot, path: Path) -> tuple[str, bool]:
    """What the preview of *path* says is wrong, and whether it could be taken all the same."""
    seen: list[tuple[str, bool]] = []

    def look() -> None:
        shown = [
            shown for shown in QApplication.topLevelWidgets() if isinstance(shown, PreviewDialog) and shown.isVisible()
        ]
        if not shown or not shown[0].error.text():
            QTimer.singleShot(20, look)
            return
        seen.append((shown[0].error.text(), shown[0].take_button.isEnabled()))
        shown[0].reject()

    QTimer.singleShot(20, look)
    window.files.take(path)
    qtbot.waitUntil(lambda: bool(seen), timeout=30_000)
    return seen[0]


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("bow.svg", SVG.format('<path d="M0 0 L100 100 L100 0 L0 100 Z"/>'), "crosses itself. At 50, 50"),
        ("open.svg", SVG.format('<path d="M10 20 L90 20 L90 60"/>'), "open: the next end of a line is 89.44 mm away"),
        ("two.csv", "0,0\n1,1\n", "fewer than three points"),
    ],
)
def test_a_drawing_that_is_no_outline_cannot_be_taken(
    window: Window, qtbot, tmp_path: Path, name: str, content: str, said: str
) -> None:
    path = tmp_path / name
    path.write_text(content, encoding="utf-8")
    kept = window.document.job
    text, enabled = take_and_leave(window, qtbot, path)
    assert said in text and not enabled
    assert window.document.job is kept


def test_a_mesh_that_does_not_reach_under_the_outline_cannot_be_taken(window: Window, qtbot) -> None:
    kept = window.document.job
    text, enabled = take_and_leave(window, qtbot, demo_file(DEMO_MESH))
    assert "mesh" in text and not enabled and window.document.job is kept


def test_the_line_too_many_and_an_error_of_the_program_are_said(
    window: Window, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)  # put back afterwards
    report_faults(window)
    job = window.document.job
    one = job.lines[0]
    lines = tuple(one.model_copy(update={"id": f"f{i}", "label": f"F{i}"}) for i in range(200))
    window.document.edit("lines", changed(job, lines=lines))
    full = window.document.job
    told: list[str] = []
    window.plan.hint_changed.connect(told.append)
    window.go("lines")
    press(window, Qt.Key.Key_F)
    click(window, 0.5, 0.5)
    click(window, 1.5, 0.5)
    press(window, Qt.Key.Key_Return)
    assert "There may be at most 200 lines." in told[-1]
    assert window.document.job == full, "nothing is half done"
    press(window, Qt.Key.Key_Escape)

    def broken() -> None:
        raise KeyError("broken")

    QTimer.singleShot(0, broken)
    QApplication.processEvents()
    assert "by an error of the program (KeyError: 'broken')" in window.note.words.text()
    assert "in broken" in (state_folder() / "errors.txt").read_text(encoding="utf-8")


def test_a_check_that_fails_takes_away_neither_the_job_nor_the_others(
    window: Window, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)  # put back afterwards
    report_faults(window)

    def broken(assessment: Assessment) -> Iterator[Finding]:
        raise ZeroDivisionError(f"no width of {assessment.job.name}")

    others = [entry for entry in registry.REGISTRY if entry.id != "too-viscous"]
    (ours,) = (entry for entry in registry.REGISTRY if entry.id == "too-viscous")
    monkeypatch.setattr(registry, "REGISTRY", [*others, replace(ours, rule=broken)])
    window.document.edit("a name", changed(window.document.job, name="Deck, thin"))
    window.go("charge")
    window.refresh()
    assert "The check “too-viscous” could not be made, by an error of the program" in texts(bench(window))
    assert {"stack-uneven", "hold-not-done"} <= caution_ids(window)
    assert "no width of Deck, thin" in (state_folder() / "errors.txt").read_text(encoding="utf-8")
    caplog.clear()
