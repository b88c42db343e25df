"""What stands under vacuum with the part: its pores, the bores of lines and hoses, the catch pots."""

from __future__ import annotations

from bibulon.flow.network import pipe_volume_m3
from bibulon.job import Job
from bibulon.job.gear_cards import TubeCard
from bibulon.laminate.cells import Laminate
from bibulon.laminate.relief import developed_length_m
from bibulon.plumbing.network import tube_to_pump


def evacuated_m3(job: Job, laminate: Laminate) -> float:
    """Volume under vacuum in a hold test without the pots: pores, media, core and the bores of lines, manifolds and
    hoses, of all parts that are made together."""
    bores = 0.0
    for line in job.lines:
        length = developed_length_m(job.part.relief, line.points)
        bores += pipe_volume_m3(job.card(line.tube, TubeCard).bore_m, length)
        bores += pipe_volume_m3(job.card(line.hose, TubeCard).bore_m, line.hose_length_m)
    shared = 0.0
    for manifold in job.manifolds:
        volume = pipe_volume_m3(job.card(manifold.tube, TubeCard).bore_m, manifold.length_m)
        volume += pipe_volume_m3(job.card(manifold.hose, TubeCard).bore_m, manifold.hose_length_m)
        shared += job.manifolds_of(manifold) * volume
    if job.plumbing.bypass is not None:
        bypass = job.plumbing.bypass
        shared += pipe_volume_m3(job.card(bypass.hose, TubeCard).bore_m, bypass.hose_length_m)
    pores = sum(cell.area_m2 * cell.stack.capacity_m for cell in laminate.cells)
    return job.parts_together * (pores + bores) + shared


def pots_m3(job: Job) -> float:
    """The volume of the catch pots, and of the hoses between them."""
    bore_m = tube_to_pump(job).bore_m if job.vents and len(job.pots) > 1 else 0.0
    hoses = pipe_volume_m3(bore_m, job.plumbing.between_pots_m) * (len(job.pots) - 1) if bore_m else 0.0
    return sum(pot.capacity_m3 for pot in job.pots) + hoses
