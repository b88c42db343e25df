"""Speed of the simulator as ratios measured in one run on one machine: ``./bib bench``.

- against the textbook march (bench/march.py): same panel, same mesh;
- against one sparse factor-and-solve of the whole system;
- growth of the time with the number of nodes; peak memory;
- the cure of a stack and of a part;
- the desk: seconds to a usable window, longest block of the interface while a line is dragged.
"""

from __future__ import annotations

import argparse
import math
import os
import resource
import subprocess
import sys
import time
from collections.abc import Callable

import numpy as np
from march import march
from scipy.sparse.linalg import splu

from bibulon.demo import DEMO_FILES, demo_job
from bibulon.flow.assembly import build_network
from bibulon.flow.fill import fill, fill_on
from bibulon.flow.network import Network
from bibulon.flow.problem import FlowProblem, flow_problem
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.charge import ChargePlan
from bibulon.job.edits import changed, revised
from bibulon.job.flow import FlowChoices
from bibulon.job.layup import Layer
from bibulon.job.lines import Bucket, Line
from bibulon.job.part import Part
from bibulon.stock import shelf_card


def panel() -> Job:
    """One fabric, 2 m × 1 m, fed along an edge; resin that does not thicken, laminate that does not swell."""
    resin = revised(shelf_card("epoxy-slow"), thickening_time_s=1e9, flow_limit_pa_s=1e3)
    resin = revised(resin, film_gel=tuple(revised(point, time_s=1e8) for point in resin.film_gel))
    tube, hose = shelf_card("spiral-12"), shelf_card("hose-12")

    def line(kind: str, x: float) -> Line:
        return Line(
            id=kind, kind=kind, label=kind, points=((x, 0.0), (x, 1.0)), tube=tube.id, hose=hose.id, hose_length_m=0.05
        )  # fmt: skip

    return Job(
        id="bench",
        name="Bench panel",
        part=Part(outline=((0, 0), (2, 0), (2, 1), (0, 1))),
        layup=(Layer(id="ply", card="glass-biax-800", count=3),),
        lines=(line("feed", 0.0), line("vent", 2.0)),
        bucket=Bucket(below_part_m=0.0),
        flow=FlowChoices(swelling=False, by_batch=False),
        charge=ChargePlan(resin=resin.id),
        cards=(shelf_card("glass-biax-800"), resin, tube, hose),
    )


def timed(act: Callable[[], object], least: int = 1) -> tuple[float, object]:
    """Seconds of the fastest of *least* runs, and what the act returned."""
    best, found = math.inf, None
    for _ in range(least):
        start = time.perf_counter()
        found = act()
        best = min(best, time.perf_counter() - start)
    return best, found


def whole_solve_s(network: Network) -> float:
    """Seconds of one factor-and-solve of every node but the fixed ones."""
    matrix = network.edges.matrix
    fixed = {*network.vent_nodes.tolist(), network.bucket}
    inner = np.array([node for node in range(matrix.shape[0]) if node not in fixed])
    block = matrix.tocsr()[inner][:, inner].tocsc()
    load = np.ones(len(inner))

    def solve() -> None:
        splu(block, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}).solve(load)

    return timed(solve, 3)[0]


def row(*cells: object) -> None:
    print("| " + " | ".join(f"{cell:.3g}" if isinstance(cell, float) else str(cell) for cell in cells) + " |")


def head(*cells: str) -> None:
    print()
    row(*cells)
    row(*("---" for _ in cells))


def against_the_march(nodes: int) -> None:
    problem = flow_problem(panel(), nodes, 1)
    network = build_network(problem)
    ours_s, result = timed(lambda: fill_on(network, problem), 3)  # on the same mesh as the march
    assert isinstance(result, FillResult)
    march_s, marched = timed(lambda: march(problem, network))
    mu = problem.resin.viscosity_pa_s
    theirs = (marched.arrival * mu)[network.top]
    both = ~np.isnan(theirs) & ~np.isnan(result.arrival_s)
    gap = float(np.max(np.abs(theirs - result.arrival_s)[both])) / result.end_s
    row(network.shell_count, ours_s, march_s, march_s / ours_s, result.solves, marched.solves, f"{gap:.2%}")


def growth(problem_of: Callable[[int], FlowProblem], sizes: tuple[int, ...]) -> None:
    before = None
    for nodes in sizes:
        problem = problem_of(nodes)
        mesh_s, network = timed(lambda problem=problem: build_network(problem), 3 if nodes <= 6000 else 1)
        assert isinstance(network, Network)
        whole_s = whole_solve_s(network)
        fill_s, result = timed(lambda problem=problem: fill(problem), 3 if nodes <= 6000 else 1)
        assert isinstance(result, FillResult)
        count = len(network.capacity_m3)
        power = "" if before is None else f"{math.log(fill_s / before[1]) / math.log(count / before[0]):.2f}"
        peak = f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f}"
        stepping = fill_s - mesh_s
        error = f"{result.mass_error:.1e}"
        row(count, mesh_s, fill_s, stepping, result.solves, stepping / whole_s, power, peak, error)
        before = (count, fill_s)


def against_the_rigid(nodes: int) -> None:
    """The lid's fill with its upper half bending, against the same in a rigid mould."""
    job = demo_job(DEMO_FILES[2])
    rigid = changed(job, pair=revised(job.pair, upper=revised(job.pair.upper, rigid=True)))
    print(f"\nThe lid with its plate on {nodes} points a level, against a rigid mould: at most 3 times")
    head("levels", "bending s", "rigid s", "ratio")
    fill(flow_problem(job, 300))  # loads the plate's elements, which are kept
    for levels in (1, 2):
        bending_s, _ = timed(lambda levels=levels: fill(flow_problem(job, nodes, levels)), 3)
        rigid_s, _ = timed(lambda levels=levels: fill(flow_problem(rigid, nodes, levels)), 3)
        row(levels, bending_s, rigid_s, bending_s / rigid_s)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--quick", action="store_true", help="leave out the large meshes")
    quick = parser.parse_args().quick
    sizes = (1500, 6000) if quick else (1500, 6000, 24000)
    print("Panel 2 m × 1 m, edge feed, against the textbook march: at least 100× on 6,000 nodes, within 1 %")
    head("nodes", "fill s", "march s", "ratio", "solves", "march solves", "worst difference of arrival, of fill time")
    for nodes in (1500,) if quick else (1500, 6000):
        against_the_march(nodes)
    columns = ("unknowns", "mesh and matrix s", "whole s", "stepping s", "solves", "in whole solves", "growth power",
               "peak MB", "mass error")  # fmt: skip
    for levels, most in ((1, 40), (2, 60)):
        print(f"\nThe same panel, {levels} level{'s' if levels > 1 else ''}: at most {most} whole solves, power 1.5")
        head(*columns)
        growth(lambda nodes, levels=levels: flow_problem(panel(), nodes, levels), sizes)
        print(f"\nFor comparison the demo job, all its effects, {levels} level{'s' if levels > 1 else ''}")
        head(*columns)
        growth(lambda nodes, levels=levels: flow_problem(demo_job(), nodes, levels), sizes)
    against_the_rigid(600 if quick else 2000)
    print()
    if quick:
        return
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    for script in ("bench/cure.py", "bench/desk.py", "bench/large.py"):
        subprocess.run([sys.executable, script], check=True, env=environment)


if __name__ == "__main__":
    main()
