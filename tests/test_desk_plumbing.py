"""The plumbing diagram worked in the window: chosen, re-fed by a drag, put right, by mouse and by keys."""

from __future__ import annotations

from driving import LEFT, bench, caution_ids, choose, press, push, texts, type_into
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QToolButton

from bibulon.desk.plumbing.diagram import PlumbingDiagram
from bibulon.desk.window import Window
from bibulon.job.edits import changed, revised
from bibulon.plumbing.network import BUCKET, network_of


def shown(window: Window) -> PlumbingDiagram:
    window.go("lines")
    QTest.mouseClick(window.tools.plumbing, LEFT)
    QApplication.processEvents()
    assert window.plumbing.isVisible()
    return window.plumbing.diagram


def drag(diagram: PlumbingDiagram, start: QPointF, end: QPointF) -> None:
    QTest.mousePress(diagram, LEFT, pos=start.toPoint())
    for share in (0.4, 0.8, 1.0):
        QTest.mouseMove(diagram, (start + (end - start) * share).toPoint())
    QTest.mouseRelease(diagram, LEFT, pos=end.toPoint())
    QApplication.processEvents()


def test_a_feed_is_dragged_onto_a_manifold_and_back_to_the_bucket(window: Window) -> None:
    diagram = shown(window)
    push(window.plumbing, "+ Manifold")
    window.refresh()
    name = window.document.job.manifolds[0].id
    drag(diagram, diagram.place("feed-2"), diagram.place(name))
    assert window.document.job.line("feed-2").fed_by == name and window.plan.chosen == "feed-2"
    drag(diagram, diagram.place("feed-1"), diagram.place("vent-1") - QPointF(110, 0))
    assert window.document.job.line("feed-1").fed_by is None, "let go on nothing, it stays"
    window.refresh()
    drag(diagram, diagram.place("feed-2"), diagram.place(BUCKET))
    assert window.document.job.line("feed-2").fed_by is None
    window.undo()
    assert window.document.job.line("feed-2").fed_by == name
    assert "One for each part" not in texts(bench(window))
    window.go("bag")
    type_into(bench(window), "Parts", "3")
    window.go("lines")
    window.refresh()
    next(one for one in bench(window).findChildren(QCheckBox) if one.text() == "One for each part").click()
    assert window.document.job.manifolds[0].each_part


def test_a_joint_that_does_not_fit_is_said_and_put_right_from_the_bench(window: Window) -> None:
    diagram = shown(window)
    type_into(bench(window), "Barbs of P1 for", "16 mm")
    window.refresh()
    assert "joint-does-not-fit" in caution_ids(window)
    assert "too narrow" in diagram.words("vent-1") and "pot P1 takes 16" in texts(bench(window))
    push(bench(window), "Put reducers of the shelf between them")
    window.refresh()
    assert "joint-does-not-fit" not in caution_ids(window) and "Reducer 16 to 10" in diagram.words("vent-1")
    window.plan.choose("feed-1")
    window.refresh()
    type_into(bench(window), "Turns of tape", "a few")
    assert "whole number" in texts(bench(window))
    type_into(bench(window), "Turns of tape", "0")
    choose(window, "Goes through", "the film")
    window.refresh()
    hose = network_of(window.document.job).hose("feed-1")
    port = hose.joints[1].fitting
    assert hose.fitted.through == "film" and port is not None and port.through_film
    assert "hose-bare-in-tape" not in caution_ids(window), "it does not go through the tape any more"


def test_the_card_of_a_line_says_what_its_hose_ends_in_once_the_pot_is_taken_out(window: Window) -> None:
    job = window.document.job
    window.document.edit("barb", changed(job, plumbing=revised(job.plumbing, pump_barb_m=0.016, regulator=False)))
    window.go("lines")
    window.plan.choose("vent-1")
    window.refresh()
    assert "Reducer at end" not in texts(bench(window))
    next(one for one in bench(window).findChildren(QToolButton) if one.accessibleName() == "Take out P1").click()
    window.refresh()
    assert "Reducer at end" in texts(bench(window)), (
        "the hose of the vent now ends on the pump, which it is too narrow for"
    )


def test_the_diagram_is_walked_and_edited_by_keys_and_put_away(window: Window) -> None:
    diagram = shown(window)
    push(window.plumbing, "+ Bypass")
    push(window.plumbing, "+ Catch pot")
    window.refresh()
    diagram.setFocus()
    seen = []
    for _ in diagram.names():
        QTest.keyClick(diagram, Qt.Key.Key_Right)
        seen.append(diagram.chosen)
    assert seen == list(diagram.names()) and seen[0] == BUCKET and seen[-1] == "bypass"
    QTest.keyClick(diagram, Qt.Key.Key_Delete)
    assert window.document.job.plumbing.bypass is None and diagram.chosen == ""
    diagram.choose("pot P2")
    QTest.keyClick(diagram, Qt.Key.Key_Delete)
    assert [pot.label for pot in window.document.job.pots] == ["P1"]
    window.go("bag")
    assert not window.plumbing.isVisible()
    window.go("lines")
    assert window.plumbing.isVisible()
    press(window, Qt.Key.Key_Q)
    assert not window.plumbing.isVisible() and not window.tools.plumbing.isChecked()
    window.go("bag")
    press(window, Qt.Key.Key_Q)
    assert window.station == "lines" and window.plumbing.isVisible(), "from elsewhere the key leads there"


def test_a_bucket_that_is_measured_tells_heel_and_room(window: Window) -> None:
    shown(window)
    type_into(bench(window), "Opens up to", "40 mm")
    window.refresh()
    assert "heel-under-dip-tube" in caution_ids(window)
    type_into(bench(window), "Wide at the base", "100 mm")
    window.refresh()
    assert "can be poured on the heel" in texts(bench(window))
    choose(window, "Dip tube cut", "flat")
    window.refresh()
    assert "dip-tube-flat" in caution_ids(window)
    push(bench(window), "Notch it, as high as the heel that is counted")
    window.refresh()
    assert not {"dip-tube-flat", "heel-under-dip-tube"} & caution_ids(window)
