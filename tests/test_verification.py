"""The simulator against closed forms (bench/verification.py): errors bounded, and smaller on finer meshes."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from mould_cases import MOULD_CASES
from resin_cases import RESIN_CASES
from verification import BEGIN, CASES, END, TENSOR, Case, level, strip

from bibulon.flow.fill import fill
from bibulon.job.places import Relief

COARSE, FINE = 400, 1600
EVERY = (*CASES, *MOULD_CASES, *RESIN_CASES)
SAME_PLATE = {case.name for case in MOULD_CASES if "plate" in case.name}
"""Of these the plate's own mesh, which is no finer for a finer one of the fill, makes the error."""
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
    "clamped round plate, even load": 0.03,
    "square plate free to turn": 0.02,
    "plate on springs, long strip": 0.02,
    "upper half as soft as film": 0.01,
    "upper half that hardly bends": 0.01,
    "rim to the middle": 0.025,
    "rate up to a pressure, then that": 0.01,
    "channel much too narrow": 0.04,
    "pocket at half an atmosphere": 0.01,
    "clamp of a round and a square mould": 0.001,
    "warm resin into a cold mould": 0.04,
    "tube round its section": 0.02,
    "mass in a closed mould": 1e-9,
    "cure of the n-th order, isothermal": 1e-4,
    "Kamal and Sourour, isothermal": 5e-4,
    "pot without loss": 5e-4,
    "pot, cure of the first order": 1e-3,
    "pot that runs away": 0.02,
    "slab that does not cure": 1e-3,
    "slab that cures, own equation": 2e-3,
    "slab that cures, places": 5e-3,
    "temperature of the mix": 1e-9,
    "fluidity of a parcel with a history": 2e-3,
    "front of a strip, in batches": 0.01,
    "thick strip that warms itself": 0.015,
    "card without constants of cure": 1e-3,
}


def test_every_case_has_its_bound_and_stands_in_the_docs() -> None:
    assert {case.name for case in EVERY} == set(BOUNDS)
    page = (Path(__file__).parent.parent / "docs/physics.md").read_text(encoding="utf-8")
    table = page[page.index(BEGIN) : page.index(END)]
    assert all(case.name in table for case in EVERY)


@pytest.mark.parametrize("case", EVERY, ids=lambda case: case.name)
def test_the_case_is_met(case: Case) -> None:
    fine = case.error(FINE)
    assert fine < BOUNDS[case.name]
    if case.name in SAME_PLATE:
        return
    assert fine < 0.01 or fine <= case.error(COARSE), "errors of a part of a cell wander"


@pytest.mark.parametrize("fineness", [1.0, 1e-4])
def test_fine_pores_on_a_slope_are_slow_and_not_too_high(fineness: float) -> None:
    """The line fills in no time, and the resin then seems to stand still beside that."""
    problem = strip((level(TENSOR * fineness),), COARSE)
    relief = Relief(((0.0, 0.0, 0.0), (0.0, 0.4, 0.0), (1.0, 0.0, 0.5), (1.0, 0.4, 0.5)))
    result = fill(replace(problem, relief=relief, density_kg_m3=1100.0))
    assert result.stopped_by == "filled"
    plain = fill(replace(strip((level(),), COARSE), relief=relief, density_kg_m3=1100.0))
    assert result.end_s == pytest.approx(plain.end_s / fineness, rel=0.02)
