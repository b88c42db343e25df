"""The simulator against closed forms (bench/verification.py): errors bounded, and smaller on finer meshes."""

from __future__ import annotations

from pathlib import Path

import pytest
from verification import BEGIN, CASES, END, Case

COARSE, FINE = 400, 1600
BOUNDS = {
    "edge fill, constant pressure": 0.01,
    "radial fill from a hole": 0.025,
    "radial, K₁/K₂ = 4 turned by 30°": 0.04,
    "two fabrics in series": 0.015,
    "two levels in parallel, open joint": 0.025,
    "media over laminate: lag": 0.05,
    "hose before the strip": 0.025,
    "machine at a constant rate": 0.01,
    "climbing a slope of 1 : 1": 0.015,
    "climbing until it stalls": 0.03,
    "mould as steep as 3 : 1": 0.025,
    "second feed opened in turn": 0.015,
    "gas shut in at the end": 0.01,
    "swelling under film": 0.04,
}


def test_every_case_has_its_bound_and_stands_in_the_docs() -> None:
    assert {case.name for case in CASES} == set(BOUNDS)
    page = (Path(__file__).parent.parent / "docs/physics.md").read_text(encoding="utf-8")
    table = page[page.index(BEGIN) : page.index(END)]
    assert all(case.name in table for case in CASES)


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.name)
def test_the_case_is_met(case: Case) -> None:
    fine = case.error(FINE)
    assert fine < BOUNDS[case.name]
    assert fine <= case.error(COARSE) or fine < 0.025, "errors of half a cell wander"
