"""Air from leaks and hoses followed through a fill: closed forms of the strip, and that none is lost or made."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from bench.verification import DRIVE, edge_s, level, strip
from bibulon.demo import demo_job
from bibulon.flow.problem import FlowProblem, flow_problem
from bibulon.flow.traced_air import TRACK_SHARE, AirLeak, HoseAir, TracedAir, leak_share, traced_air

VENT, AIR = 10_000.0, 100_000.0


def until_full(nodes: int) -> tuple[FlowProblem, float]:
    """A strip one metre long whose resin is stiff as soon as it is full."""
    problem, end = strip((level(),), nodes), float(edge_s(np.array(1.0)))
    return replace(problem, vent_pa=VENT, resin=replace(problem.resin, gel_s=end, flow_limit_s=1e9)), end


def adds_up(one: TracedAir) -> None:
    assert one.with_resin + one.along_tracks + one.stays == pytest.approx(one.into_resin, rel=1e-6, abs=1e-9)


@pytest.mark.parametrize("at_m", [0.2, 0.5, 0.8])
def test_a_leak_in_a_strip_is_pumped_off_until_resin_comes_and_then_goes_with_it(at_m: float) -> None:
    """Resin moves alike all along a strip: what came in at the time t is at the end as far on as the front since."""
    problem, end = until_full(2500)
    rate = 1e-5
    problem = replace(problem, resin=replace(problem.resin, gel_s=end * 1.02))  # the last specks take their time
    mesh, (air,) = traced_air(problem, (AirLeak((at_m, 0.2), rate),), AIR)
    adds_up(air)
    arrives = end * at_m**2
    assert air.pumped_off == pytest.approx(rate * arrives, abs=0.02 * rate * end)

    def comes(time_s: float) -> float:
        front = (time_s / end) ** 0.5
        return rate * leak_share(VENT + DRIVE * (1 - at_m / front), VENT, AIR)

    into = quad(comes, arrives, end)[0]
    assert air.into_resin == pytest.approx(into, rel=0.06)
    mean = quad(lambda t: comes(t) * (at_m + 1 - (t / end) ** 0.5), arrives, end)[0] / into
    x = mesh.points_m[:, 0]
    weights = np.bincount(mesh.triangles.ravel(), np.repeat(mesh.areas_m2 / 3, 3), len(x))
    amounts = air.share * weights * (VENT + DRIVE * (1 - x))
    assert float(amounts @ x / amounts.sum()) == pytest.approx(mean, abs=0.03)
    assert float(amounts[x < at_m - 0.05].sum() / amounts.sum()) < 0.02, "none goes against the stream"


def test_a_leak_against_resin_is_that_of_a_viscous_gas() -> None:
    assert leak_share(VENT, VENT, AIR) == 1.0 and leak_share(AIR, VENT, AIR) == 0.0
    assert leak_share(50_000, 10_000, 100_000) == pytest.approx((1 - 0.25) / (1 - 0.01))
    assert leak_share(120_000, VENT, AIR) == 0.0, "over the atmosphere resin comes out, and no air in"


@settings(max_examples=12, deadline=None)
@given(
    st.lists(st.tuples(st.floats(0, 4.2), st.floats(0, 1.4), st.floats(1e-6, 1.0)), min_size=1, max_size=4),
    st.floats(0, 500),
)
def test_air_is_neither_lost_nor_made_and_never_fills_more_than_a_track(
    leaks: list[tuple[float, float, float]], amount: float
) -> None:
    job = demo_job()
    sources = (*(AirLeak((x, y), rate) for x, y, rate in leaks), HoseAir("feed-2", amount))
    _, answers = traced_air(flow_problem(job, 250, 2, after=True), sources, job.shop.barometer_pa)
    for one in answers:
        adds_up(one)
        assert one.share.min() >= 0 and one.share.max() <= TRACK_SHARE * (1 + 1e-9)
    assert answers[-1].total == pytest.approx(amount), "all of a hose's air goes in, and once"


def test_air_of_the_first_hose_is_pumped_off_and_that_of_a_late_one_ends_in_the_part() -> None:
    job = demo_job()
    _, (first, late, above) = traced_air(
        flow_problem(job, 600, 2, after=True),
        (HoseAir("feed-1", 30.0), HoseAir("feed-2", 30.0), AirLeak((2.1, 1.45), 1e-3)),
        job.shop.barometer_pa,
    )
    assert first.pumped_off == pytest.approx(30.0) and first.stays == 0.0
    assert late.into_resin == pytest.approx(30.0) and late.spoilt_m2 > 0.5
    assert above.spoilt_m2 < 0.1, "beside the vent it goes the short way out"
