"""Gel, release of vacuum and the end of the shift, from the resin card at the mould's temperature."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.job import Job
from bibulon.resin.viscosity import film_gel_s


@dataclass(frozen=True)
class CurePlan:
    """Times on the run clock (s): gel and release of the resin that was mixed last."""

    gel_s: float
    release_s: float
    shift_end_s: float
    demould_s: float | None = None
    """When the part may be taken off, where its cure was followed through the stack; infinite for never."""

    @property
    def after_shift_s(self) -> float:
        """How long after the shift's end the vacuum may be let go; negative if before."""
        return self.release_s - self.shift_end_s


def cure_plan(job: Job, last_mixed_s: float) -> CurePlan:
    """Gel of the film in the bag and the earliest release of vacuum, where the last resin is mixed at *last_mixed_s*
    on the run clock: what is poured later gels later."""
    gel = film_gel_s(job.resin, job.mould_temperature_k)
    release = gel * job.resin.release_after_gel_factor
    shift_end = job.shop.shift_end_s - job.shot_start_s
    return CurePlan(last_mixed_s + gel, last_mixed_s + release, shift_end)
