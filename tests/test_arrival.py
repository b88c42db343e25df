"""Arrival times: the parabola of a front, jumps over nodes, and evening out that leaves straight fronts alone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from verification import DEPTH, DRIVE, MU, TENSOR, level, strip

from bibulon.flow.arrival import Arrivals, smoothed
from bibulon.flow.assembly import build_network
from bibulon.flow.fill import fill
from bibulon.flow.problem import PREVIEW_PACE

NETWORK = build_network(strip((level(),), 600))
"""A strip of 1 m × 0.4 m filled from x = 0."""
x_m = NETWORK.mesh.points_m[NETWORK.place, 0]
SIZE = np.sqrt(NETWORK.area_m2)


def followed(ends: list[float], front_at: Callable[[float], float]) -> np.ndarray:
    """Marks of a front that stands at ``front_at(t)`` at the *ends* of steps, with the exact impulse behind it.

    The nodes' cells are as wide as they are long, and full up to where the front is.
    """
    arrivals = Arrivals(NETWORK)
    shell = slice(0, NETWORK.shell_count)
    reach = NETWORK.reach_m3 * NETWORK.area_m2 / NETWORK.capacity_m3[shell]

    def shares(time: float) -> np.ndarray:
        return np.clip((front_at(time) - x_m) / SIZE + 0.5, 0, 1)

    def work(time: float) -> np.ndarray:
        beyond = np.maximum(front_at(time) - x_m, 0.0)
        return np.where(beyond > SIZE / 2, (beyond**2 - SIZE**2 / 4) / (2 * reach), 0.0)

    for start, end in pairwise(ends):
        arrivals.add(start, end, shares(start), shares(end), np.maximum(work(end) - work(start), 0.0))
    arrivals.close()
    return arrivals.marks(ends[-1])


@given(steps=st.integers(5, 30), reach=st.floats(0.5, 0.9))
def test_a_front_at_constant_pressure_is_told_whatever_the_steps(steps: int, reach: float) -> None:
    """It goes with the root of time: only what the last steps jump over is known less well, and nowhere by a step."""
    ends = [(reach * k / steps) ** 2 for k in range(steps + 1)]
    marks = followed(ends, np.sqrt)
    inner = (x_m > 1.5 * reach / steps) & (x_m < reach * (1 - 3 / steps))
    assert marks[inner] == pytest.approx(x_m[inner] ** 2, rel=0.01, abs=5e-4)
    late = (x_m >= reach * (1 - 3 / steps)) & (x_m < reach - 0.02)
    assert marks[late] == pytest.approx(x_m[late] ** 2, rel=1.5 / steps)
    assert np.isnan(marks[x_m > reach + 0.05]).all()


@given(steps=st.integers(4, 20))
def test_a_steady_front_is_told_exactly(steps: int) -> None:
    marks = followed(list(np.linspace(0.0, 0.8, steps + 1)), lambda time: time)
    inner = (x_m > 0.05) & (x_m < 0.75)
    assert marks[inner] == pytest.approx(x_m[inner], abs=2e-3)


def test_a_front_that_turns_quick_where_the_cloth_changes_keeps_its_order() -> None:
    """Past x = 0.4 it goes four times as fast: no curve is drawn through the change."""

    def front(time: float) -> float:
        return time if time < 0.4 else 0.4 + 4 * (time - 0.4)

    marks = followed(list(np.linspace(0.0, 0.5, 26)), front)
    wanted = np.where(x_m < 0.4, x_m, 0.4 + (x_m - 0.4) / 4)
    inner = (x_m > 0.05) & (x_m < 0.7)
    assert np.abs(marks - wanted)[inner].max() < 0.01
    along = np.argsort(x_m[inner])
    assert (np.diff(marks[inner][along]) > -0.006).all()


def test_long_steps_of_a_preview_tell_the_same_times() -> None:
    """Nine steps instead of twenty-four, on the same mesh: the front's times hardly move."""
    fine = fill(strip((level(),), 400))
    coarse = fill(replace(strip((level(),), 400), pace=PREVIEW_PACE))
    assert len(coarse.times_s) < 0.75 * len(fine.times_s)
    x = fine.mesh.points_m[:, 0]
    inner = (x > 0.1) & (x < 0.95)
    whole = DEPTH * MU / (2 * TENSOR * DRIVE)
    assert np.abs(fine.arrival_s - coarse.arrival_s)[inner].max() < 0.02 * whole


# -- evening out -------------------------------------------------------------------------------------------------------

MESH = NETWORK.mesh
NOWHERE = np.zeros(len(MESH.points_m), dtype=bool)


@given(slope=st.tuples(st.floats(-100, 100), st.floats(-100, 100)), rest=st.floats(-1000, 1000))
def test_a_straight_front_is_left_as_it_is(slope: tuple[float, float], rest: float) -> None:
    plane = MESH.points_m @ np.array(slope) + rest
    assert smoothed(MESH, plane, NOWHERE) == pytest.approx(plane, abs=1e-3)


@given(seed=st.integers(0, 1000))
def test_noise_of_the_cells_is_evened_out(seed: int) -> None:
    rng = np.random.default_rng(seed)
    plane = 10 * MESH.points_m[:, 0]
    noisy = plane + rng.normal(0, 0.1, len(plane))
    left = smoothed(MESH, noisy, NOWHERE) - plane
    assert left.std() < 0.6 * 0.1


def test_what_lies_apart_and_what_is_dry_stays_out_of_it() -> None:
    x = MESH.points_m[:, 0]
    values = 10 * x
    apart, dry = x < 0.02, x > 0.8
    values[apart] = -50.0  # as on a bore that filled long before
    values[dry] = np.nan
    found = smoothed(MESH, values, apart)
    assert (found[apart] == -50.0).all() and np.isnan(found[dry]).all()
    between = ~apart & ~dry
    assert found[between] == pytest.approx(10 * x[between], abs=1e-4)
    assert (smoothed(MESH, np.full(len(x), np.nan), NOWHERE) != 0).all()
