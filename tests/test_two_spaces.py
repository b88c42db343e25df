"""The two spaces of a closed mould held at once: which seal, port or mould leaks."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from mould_jobs import both_held, lid

from bibulon.assess import assess
from bibulon.cautions import cautions_of
from bibulon.job.edits import changed, revised
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
        (2.0, -1.5, "cavity", "port"),  # the deeper space falls: air cannot have come out of it
    ],
)
def test_each_leak_has_its_name(cavity_pa_s: float, flange_pa_s: float, leak: str, words: str) -> None:
    pair = read_pair(both_held(cavity_pa_s, flange_pa_s), RULES, 0.87)
    assert pair is not None and pair.leak == leak and words in pair.text(Units())


@given(st.floats(0.8, 50.0), st.floats(0.8, 50.0))
def test_a_leak_is_named_alike_however_fast_it_is(cavity_pa_s: float, flange_pa_s: float) -> None:
    across, both = (read_pair(both_held(sign * cavity_pa_s, flange_pa_s), RULES, 0.87) for sign in (-1.0, 1.0))
    assert across is not None and both is not None
    assert across.leak == "across" and both.leak == "both"


@given(st.floats(0.2, 0.8), st.floats(0.2, 0.8))
def test_a_slow_leak_is_named_right_or_said_to_be_unsure(cavity_pa_s: float, flange_pa_s: float) -> None:
    """In ten minutes a slow rise may as well be the last of settling: that is said, not that both hold."""
    pair = read_pair(both_held(cavity_pa_s, flange_pa_s), RULES, 0.87)
    assert pair is not None and pair.leak in ("unsure", "both", "cavity", "wing seal")
    if pair.leak != "both":
        least = min(pair.cavity.low_pa_s, pair.flange.low_pa_s)
        assert least <= 0, "that which is not named may be standing still"


@pytest.mark.parametrize(
    ("cavity_pa_s", "flange_pa_s", "told"),
    [(-1.5, 2.0, None), (-1.5, 0.0, "pressure falls"), (2.0, -1.5, "the flange falls")],
)
def test_a_pump_is_blamed_for_what_falls_only_where_no_leak_between_the_spaces_is(
    cavity_pa_s: float, flange_pa_s: float, told: str | None
) -> None:
    job = changed(lid(), hold_tests=(both_held(cavity_pa_s, flange_pa_s),))
    falling = [caution.message for caution in cautions_of(assess(job)) if caution.id == "hold-falling"]
    assert len(falling) == (told is not None) and all(str(told) in message for message in falling)


def test_what_the_house_allows_is_no_leak_to_be_mended() -> None:
    """1.5 mbar in ten minutes where 5 mbar are allowed, then 6 mbar."""
    small = read_pair(both_held(0.25, 0.25), RULES, 0.87)
    assert small is not None and small.leak == "both" and small.stands
    assert "no more than the house allows" in small.text(Units()) and "Mend" not in small.text(Units())
    large = read_pair(both_held(0.25, 1.0), RULES, 0.87)
    assert large is not None and large.leak == "both" and not large.stands and "Mend" in large.text(Units())
    none_asked = read_pair(both_held(0.25, 0.25), revised(RULES, rules=("long soak",)), 0.87)
    assert none_asked is not None and not none_asked.stands
