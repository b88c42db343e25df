"""What wears out shot by shot: the mould, its seals, a bladder; and how many shots each is good for."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.job import CLOSED, WITH_BLADDER, Job


@dataclass(frozen=True)
class Life:
    """Something that is good for so many shots, and had made some before the job's log."""

    name: str
    before: int
    shots: int

    def left(self, made: int) -> int:
        """Shots left after so many in the log."""
        return max(self.shots - self.before - made, 0)


def lives_of(job: Job) -> tuple[Life, ...]:
    """What of *job* wears out."""
    pair = job.pair
    lives = [Life("mould", pair.shots, pair.life_shots)]
    if job.process in CLOSED:
        lives.append(Life("inner seal", pair.inner_seal.shots, pair.inner_seal.life_shots))
        lives.append(Life("outer seal", pair.outer_seal.shots, pair.outer_seal.life_shots))
    if job.process in WITH_BLADDER:
        lives.append(Life("bladder", pair.bladder.shots, pair.bladder.life_shots))
    return tuple(lives)
