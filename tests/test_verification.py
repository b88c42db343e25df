"""The simulator against closed forms (bench/verification.py): errors bounded, and smaller on finer meshes."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from verification import BEGIN, CASES, END, TENSOR, Case, level, strip

from bibulon.flow.fill import fill
from bibulon.job.places import Relief

COARSE, FINE = 400, 1600
BOUNDS = {
    "edge fill, constant pressure": 0.01,
    "radial fill from a hole": 0.015,
    "radial, K₁/K₂ = 4 turned by 30°": 0.03,
    "two fabrics in series": 0.01,
    "two levels in parallel, open joint": 0.01,
    "media over laminate: lag": 0.02,
    "hose before the strip": 0.01,
    "machine at a constant rate": 0.01,
    "climbing a slope of 1 : 1": 0.01,
    "climbing until it stalls": 0.03,
    "mould as steep as 3 : 1": 0.01,
    "second feed opened in turn": 0.01,
    "gas shut in at the end": 0.01,
    "swelling under film": 0.01,
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
    assert fine <= case.error(COARSE) or fine < 0.01, "errors of a part of a cell wander"


@pytest.mark.parametrize("fineness", [1.0, 1e-4])
def test_fine_pores_on_a_slope_are_slow_and_not_too_high(fineness: float) -> None:
    """The line fills in no time, and the resin then seems to stand still beside that."""
    problem = strip((level(TENSOR * fineness),), COARSE)
    relief = Relief(((0.0, 0.0, 0.0), (0.0, 0.4, 0.0), (1.0, 0.0, 0.5), (1.0, 0.4, 0.5)))
    result = fill(replace(problem, relief=relief, density_kg_m3=1100.0))
    assert result.stopped_by == "filled"
    plain = fill(replace(strip((level(),), COARSE), relief=relief, density_kg_m3=1100.0))
    assert result.end_s == pytest.approx(plain.end_s / fineness, rel=0.02)
