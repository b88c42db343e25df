"""Where the catch pots of a mould stand on the plan: as they were put, else in a row beside the first vent."""

from __future__ import annotations

from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import changed, revised
from bibulon.job.lines import CatchPot

BESIDE_SHARE = 0.12
"""Of the part's longer side, that pots stand beside the vent and from one another."""


def pot_key(pot: CatchPot) -> str:
    """What a pot is called among what is on the plan."""
    return f"pot {pot.label}"


def pot_places(job: Job) -> dict[str, Point]:
    """The place of every pot of a mould, by :func:`pot_key`; nothing where no vent is put yet."""
    if not job.in_mould or not job.vents:
        return {}
    low_x, low_y, high_x, high_y = job.part.outline.polygon.bounds
    apart = BESIDE_SHARE * max(high_x - low_x, high_y - low_y)
    x, y = job.vents[0].place
    return {
        pot_key(pot): pot.place or (round(x + apart * number, 4), round(y - apart, 4))
        for number, pot in enumerate(job.pots, 1)
    }


def with_pot_at(job: Job, key: str, place: Point) -> Job:
    """*job* with the pot of that *key* put to a *place*."""
    at = round(place[0], 4), round(place[1], 4)
    return changed(job, pots=tuple(revised(pot, place=at) if pot_key(pot) == key else pot for pot in job.pots))


def without_pot(job: Job, key: str) -> Job:
    """*job* without the pot of that *key*."""
    return changed(job, pots=tuple(pot for pot in job.pots if pot_key(pot) != key))
