"""The stations in work order, and what the rail says of each."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.assess import Assessment
from bibulon.cautions import Caution
from bibulon.job import Job


@dataclass(frozen=True)
class Station:
    """One place in the work: its id (also its icon's), name and what the plan shows there."""

    id: str
    name: str
    shows_fill: bool = False
    shows_stack: bool = False
    shows_bag: bool = False
    edits: tuple[str, ...] = ()
    """Kinds of object that can be moved and reshaped on the plan here."""


STATIONS = (
    Station("part", "Part", edits=("hole", "outline")),
    Station("layup", "Lay-up", shows_stack=True, edits=("dart", "joint", "region")),
    Station("lines", "Lines", shows_fill=True, edits=("line", "media")),
    Station("bag", "Bag", shows_bag=True),
    Station("hold", "Hold", shows_bag=True),
    Station("charge", "Charge", shows_fill=True),
    Station("shoot", "Shoot", shows_fill=True),
    Station("cure", "Cure", shows_fill=True),
    Station("log", "Log", shows_fill=True),
)


def _settled(station: str, job: Job, assessment: Assessment) -> bool:
    kinds = [event.kind for event in job.shot]
    filled = assessment.fill is not None and assessment.fill.fill_time_s is not None
    return {
        "part": True,
        "layup": bool(job.layup),
        "lines": filled,
        "bag": True,
        "hold": bool(assessment.hold_verdicts) and assessment.hold_verdicts[-1][1].passed,
        "charge": bool(assessment.batches) and job.charge.in_hand_kg is not None,
        "shoot": "valve clamped" in kinds,
        "cure": "vacuum let go" in kinds,
        "log": "finished" in kinds,
    }[station]


def station_state(station: Station, job: Job, assessment: Assessment, cautions: tuple[Caution, ...]) -> str:
    """ "stop", "caution", "settled" or "waits"."""
    ranks = {caution.rank for caution in cautions if caution.station == station.id}
    for rank in ("stop", "caution"):
        if rank in ranks:
            return rank
    return "settled" if _settled(station.id, job, assessment) else "waits"
