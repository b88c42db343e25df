"""Gel, release of vacuum and the end of the shift, from the resin card at the mould's temperature."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from bibulon.durations import DAY_S
from bibulon.job import Job
from bibulon.job.dosing import dose_as_weighed, dosed
from bibulon.job.run import clamped_s
from bibulon.resin.batches import Batch
from bibulon.resin.viscosity import film_gel_s


@dataclass(frozen=True)
class LastMixed:
    """The resin that gels last: when it is mixed, on the run clock, and its dose of catalyst where it was weighed with
    another than planned."""

    mixed_s: float
    dose: float | None = None

    def gels_s(self, job: Job) -> float:
        """When a film of it gels at the mould's temperature, on the run clock."""
        return self.mixed_s + film_gel_s(dosed(job.resin, self.dose), job.mould_temperature_k)


@dataclass(frozen=True)
class CurePlan:
    """Times on the run clock (s): gel and release of the resin that gels last."""

    gel_s: float
    release_s: float
    shift_end_s: float
    demould_s: float | None = None
    """When the part may be taken off, where its cure was followed through the stack; infinite for never."""
    later_s: float = 0.0
    """How much later than planned all that is, by what was read at the part of this shot."""

    @property
    def planned_release_s(self) -> float:
        """When the vacuum may go whatever was read."""
        return self.release_s - self.later_s

    @property
    def after_shift_s(self) -> float:
        """How long after the shift's end the vacuum may be let go; negative if before."""
        return self.release_s - self.shift_end_s


def last_mixed(job: Job, batches: Sequence[Batch], end_s: float) -> LastMixed:
    """The resin of *job* that gels last, mixed as the log says, or as planned in *batches* for what is not poured yet.
    Where a machine mixes it as it comes, it is mixed when the feeds were clamped, or before that at *end_s*, the end of
    the fill."""
    if job.mixed_as_it_comes:
        clamped = clamped_s([line.label for line in job.worked_feeds], job.shot)
        return LastMixed(end_s if clamped is None else clamped)
    done = [event.clock_s for event in job.shot if event.kind == "batch added"]
    mixed = [LastMixed(clock_s - job.charge.mix_time_s) for clock_s in done]
    for at, batch in enumerate(job.weighed[: len(mixed)]):
        takes_s = job.charge.mix_time_s
        known_s = batch.known_since(takes_s)
        mixed_s = mixed[at].mixed_s if known_s is None else known_s
        if batch.mix_s is None and batch.poured_s is not None:
            # by a tick alone it gels no sooner than what was mixed just in time for its pouring
            mixed_s = max(mixed_s, batch.poured_s - takes_s)
        mixed[at] = LastMixed(mixed_s, dose_as_weighed(job.resin, batch.masses_kg))
    ended = any(event.kind == "finished" for event in job.shot)
    ahead = [] if ended else [LastMixed(batch.mix_s, batch.dose) for batch in batches[len(done) :]]
    return max([*mixed, *ahead], key=lambda one: one.gels_s(job), default=LastMixed(-job.charge.mix_time_s))


def shift_ends_s(job: Job) -> float:
    """When the shift of *job* ends, on the run clock; negative where the shot was begun, or is to begin, after it.

    A shot that was begun counts as up to a quarter of a day before its planned time, else as after it.
    """
    early_s = DAY_S / 4
    late_s = (job.shot_start_s - job.shop.shot_start_s + early_s) % DAY_S - early_s
    return job.shop.shift_left_s - late_s


def cure_plan(job: Job, last: LastMixed) -> CurePlan:
    """Gel of the film in the bag and the earliest release of vacuum, by the resin that is mixed *last*: what is poured
    later gels later."""
    gel = last.gels_s(job) - last.mixed_s
    release = gel * job.resin.release_after_gel_factor
    return CurePlan(last.mixed_s + gel, last.mixed_s + release, shift_ends_s(job))
