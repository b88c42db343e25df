"""Speed of the cure as ratios measured in one run: one stack against a plain ordinary equation, a part, memory."""

from __future__ import annotations

import time
import tracemalloc
from collections.abc import Callable

import numpy as np
from scipy.integrate import solve_ivp

from bibulon.assess import assess, filled
from bibulon.cure.study import cure_study, wet_part
from bibulon.demo import demo_job
from bibulon.resin.card_law import law_of
from bibulon.resin.through_thickness import Around, Slab, cure_through

DAY_S, PLACES = 86_400.0, 40
AT_K, STEP_M = 295.15, 0.02 / PLACES


def best_of(times: int, act: Callable[[], object]) -> float:
    """The shortest of some runs, in seconds."""
    taken = []
    for _ in range(times):
        begun = time.perf_counter()
        act()
        taken.append(time.perf_counter() - begun)
    return min(taken)


def main() -> None:
    law = law_of(demo_job().resin)
    plies = (Slab("plies", 0.02, 0.35, 1.9e6, 0.45 * 1100, PLACES),)
    around = Around(AT_K, 10.0, AT_K, 10.0)
    lost = 1 / (1 / 10.0 + STEP_M / 2 / 0.35)

    def slopes(_: float, state: np.ndarray) -> np.ndarray:
        warm, done = np.split(state, 2)
        rate = law.rate_as_glass(warm, np.clip(done, 0, 1))
        flow = np.concatenate([[(warm[0] - AT_K) * lost], np.diff(warm) * 0.35 / STEP_M, [(AT_K - warm[-1]) * lost]])
        return np.concatenate([np.diff(flow) / (1.9e6 * STEP_M) + 0.45 * 1100 * law.heat_j_kg / 1.9e6 * rate, rate])

    start = np.concatenate([np.full(PLACES, AT_K), np.zeros(PLACES)])
    plain = best_of(3, lambda: solve_ivp(slopes, (0, DAY_S), start, method="BDF", rtol=1e-5, atol=1e-5))
    ours = best_of(3, lambda: cure_through(law, plies, lambda _: around, 0.0, DAY_S, (AT_K,), 0.0))
    print(
        f"One stack, {PLACES} places, 24 h: {ours:.3f} s, {plain / ours:.1f} times as fast as a plain BDF; 0.3 s asked"
    )
    made = filled(assess(demo_job()))
    assert made.fill is not None
    wet, last = wet_part(made.fill), made.last_mixed
    whole = best_of(2, lambda: cure_study(made.job, wet, last))
    tracemalloc.start()
    study = cure_study(made.job, wet, last)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    print(f"The demo job, {len(study.stacks)} stacks and ages: {whole:.2f} s; at most {peak / 1e6:.0f} MB more")


if __name__ == "__main__":
    main()
