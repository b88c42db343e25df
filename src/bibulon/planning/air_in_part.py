"""What a leak of a job does at a place, and where the air of a hose that is opened late ends."""

from __future__ import annotations

import math
from collections.abc import Sequence

from bibulon.flow.mesh import Mesh
from bibulon.flow.problem import flow_problem
from bibulon.flow.traced_air import AirSource, HoseAir, TracedAir, traced_air
from bibulon.job import Job
from bibulon.job.gear_cards import TubeCard
from bibulon.job.lines import Line
from bibulon.workers.report import Progress, no_progress

NODES = 900


def air_traced(
    job: Job, sources: Sequence[AirSource], progress: Progress = no_progress
) -> tuple[Mesh, tuple[TracedAir, ...]]:
    """Where the air of *sources* goes in *job*'s fill. Raises :class:`~bibulon.flow.refusal.FlowRefusal`."""
    return traced_air(flow_problem(job, NODES, 2, after=True), sources, job.shop.barometer_pa, progress)


def air_in_hose(job: Job, line: Line) -> HoseAir:
    """The air in the hose of *line* before it is opened: that of the shop if it is shut at its port, else the little
    that the vacuum leaves."""
    bore_m = job.card(line.hose, TubeCard).bore_m
    at_port = job.plumbing.hose(line.id).shut_at == "port"
    pressure_pa = job.shop.barometer_pa if at_port else job.vacuum_pa
    return HoseAir(line.id, math.pi / 4 * bore_m**2 * line.hose_length_m * pressure_pa)
