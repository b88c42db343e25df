"""In the window: what was weighed and held, judged by card and house as they are now."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from driving import bench, caution_ids, fill_of, push, put_lid, texts, type_into
from pypdf import PdfReader
from PySide6.QtWidgets import QFileDialog

from bibulon.desk.window import Window
from bibulon.job.edits import changed, revised


def test_catalyst_is_written_down_by_mass_or_volume_and_its_dose_is_what_the_job_goes_by(
    window: Window, qtbot, tmp_path: Path, monkeypatch
) -> None:
    put_lid(window, qtbot)
    window.go("charge")
    side = bench(window)
    out = tmp_path / "mixing.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(out), ""))
    push(side, "Mixing sheet")
    words = " ".join("".join(page.extract_text() for page in PdfReader(out).pages).split())
    assert "Peroxide catalyst: 1.20 % of what it is stirred into; the maker's range is 0.80 % to 2.00 %." in words
    assert "never neat into or near cobalt accelerator" in words and "58." in words
    as_planned_s = window.document.assessment.gel_margin_s
    catalyst = window.document.job.resin.components[1]
    type_into(side, "B1", "5.5 kg; 58.4 ml; 21 °C; 8:27")
    fill_of(window)
    assert window.document.job.mixed[0].masses_kg == (5.5, 58.4e-6 * catalyst.density_kg_m3)
    window.refresh()
    assert "B1: ratio within 0." in texts(side) and "dose-not-as-planned" not in caution_ids(window)
    type_into(side, "B1", "5.5 kg; 88 g; 21 °C; 8:27")
    fill_of(window)
    window.refresh()
    assert "weighed with 1.60 % of catalyst, where 1.20 % are planned: a thin layer gels in" in texts(side)
    assert "Set the pot aside" not in texts(side)
    assert "dose-not-as-planned" in caution_ids(window) and "mix-ratio-off" not in caution_ids(window)
    assert as_planned_s is not None and window.document.assessment.gel_margin_s < 0.9 * as_planned_s
    type_into(side, "B1", "5.5 kg; 160 g")
    window.refresh()
    assert "2.91 % of Peroxide catalyst, where the maker's range is 0.80 % to 2.00 %. Set the pot aside" in texts(side)
    assert "mix-ratio-off" in caution_ids(window)
    type_into(side, "B1", "66 g; 5.5 kg")
    window.refresh()
    assert "in the order Peroxide catalyst" in texts(side)
    field = type_into(side, "B1", "5.5 kg; 58 furlongs")
    assert "not a unit of mass" in field.error.text() and field.editor.text() == "5.5 kg; 58 furlongs"


def test_what_was_weighed_and_held_is_judged_by_the_house_as_it_is_now(window: Window) -> None:
    """Also on a bench that has it before it on the screen."""
    window.go("hold")
    side = bench(window)
    readings = side.readings
    readings.setPlainText("0 30\n5 45\n10 60")
    push(side, "Keep this test")
    window.refresh()
    rules = window.document.job.hold_rules
    allowed = re.findall(r"([\d.]+) mbar allowed", texts(side))
    assert len(set(allowed)) == 1 and "Failed" in texts(side)
    stricter = revised(rules, drop_pa_per_600_s=rules.drop_pa_per_600_s / 2)
    window.document.edit("house", changed(window.document.job, hold_rules=stricter))
    window.refresh()
    now = re.findall(r"([\d.]+) mbar allowed", texts(side))
    assert [float(one) for one in set(now)] == [pytest.approx(float(allowed[0]) / 2, abs=0.06)]
    window.go("charge")
    side = bench(window)
    type_into(side, "B1", "3.25 kg; 1.05 kg; 21 °C; 9:18")
    window.refresh()
    assert "8 % too much Slow hardener. Set the pot aside" in texts(side)
    job = window.document.job
    window.document.edit("house", changed(job, house=revised(job.house, ratio_off=0.1)))
    window.refresh()
    assert "B1: ratio within 7.7 %" in texts(side) and "Set the pot aside" not in texts(side)
