"""What wears out shot by shot: the mould, its seals, a bladder, a skin; and how many shots each is good for."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from bibulon.job import CLOSED, IN_MOULD, REUSABLE, WITH_BLADDER, Job
from bibulon.job.edits import changed, revised, with_pair
from bibulon.job.pair import Bladder, MouldPair, Seal
from bibulon.job.part import Skin
from bibulon.mould.shots import shots_of

Worn = Literal["mould", "inner seal", "outer seal", "bladder", "skin"]


@dataclass(frozen=True)
class Life:
    """Something that is good for so many ``shots``: it had made some ``before`` the job's log, and has made others in
    it, or in what was logged since a new one was put in."""

    name: Worn
    before: int
    in_log: int
    shots: int

    @property
    def made(self) -> int:
        return self.before + self.in_log

    @property
    def left(self) -> int:
        return max(self.shots - self.made, 0)

    @property
    def how(self) -> str:
        """How ``left`` comes about, in words."""
        return f"{self.before} before this log and {self.in_log} in it, of {self.shots}."


def lives_of(job: Job) -> tuple[Life, ...]:
    """What of *job* wears out."""
    begun = [shot.at for shot in shots_of(job)]
    lives = []
    for name, worn in _worn(job):
        put_in = worn.put_in_at
        since = sum(put_in is None or at > put_in for at in begun)
        lives.append(Life(name, worn.shots, since, worn.life_shots))
    return tuple(lives)


def _worn(job: Job) -> Iterator[tuple[Worn, MouldPair | Seal | Bladder | Skin]]:
    pair = job.pair
    if job.process in IN_MOULD:
        yield "mould", pair
    if job.process in CLOSED:
        yield "inner seal", pair.inner_seal
        yield "outer seal", pair.outer_seal
    if job.process in WITH_BLADDER:
        yield "bladder", pair.bladder
    if job.process in REUSABLE:
        yield "skin", job.bag.skin


def with_new(job: Job, *names: Worn) -> Job:
    """*job* with new ones of those *names* put in after all that is logged: their shots count from the next one on."""
    anew = {"shots": 0, "put_in_at": job.run[-1].at if job.run else None}
    for name in names:
        if name == "mould":
            job = with_pair(job, **anew)
        elif name == "skin":
            job = changed(job, bag=revised(job.bag, skin=revised(job.bag.skin, **anew)))
        else:
            field = name.replace(" ", "_")
            job = with_pair(job, **{field: revised(getattr(job.pair, field), **anew)})
    return job


def with_worn_out_new(job: Job) -> Job:
    """*job* with new ones of all that has made the shots it is good for."""
    return with_new(job, *(life.name for life in lives_of(job) if not life.left))
