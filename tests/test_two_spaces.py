"""The two spaces of a closed mould held at once: which seal, port or mould leaks."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from mould_jobs import both_held, lid

from bibulon.quantities import Units
from bibulon.vacuum.two_spaces import read_pair

RULES = lid().hold_rules


@pytest.mark.parametrize(
    ("cavity_pa_s", "flange_pa_s", "leak", "words"),
    [
        (0.0, 0.0, "none", "Both spaces hold"),
        (0.0, 2.0, "wing seal", "wing"),
        (2.0, 0.0, "cavity", "port"),
        (-1.5, 2.0, "across", "inner (dynamic) seal"),
        (2.0, 2.0, "both", "besides"),
    ],
)
def test_each_leak_has_its_name(cavity_pa_s: float, flange_pa_s: float, leak: str, words: str) -> None:
    pair = read_pair(both_held(cavity_pa_s, flange_pa_s), RULES)
    assert pair is not None and pair.leak == leak and words in pair.text(Units())


@given(st.floats(0.3, 50.0), st.floats(0.3, 50.0))
def test_a_leak_is_named_alike_however_fast_it_is(cavity_pa_s: float, flange_pa_s: float) -> None:
    across, both = (read_pair(both_held(sign * cavity_pa_s, flange_pa_s), RULES) for sign in (-1.0, 1.0))
    assert across is not None and both is not None
    assert across.leak == "across" and both.leak == "both"
