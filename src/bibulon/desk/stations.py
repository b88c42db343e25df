"""The stations in work order. Each is declared once: bench, layers of the plan, what makes it settled.

The tools of the plan say themselves at which stations they are there (``plan/toolbox.py``).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from bibulon.assess import Assessment
from bibulon.cautions import Caution
from bibulon.desk.benches.bag import BagBench
from bibulon.desk.benches.base import Bench, Desk
from bibulon.desk.benches.charge import ChargeBench
from bibulon.desk.benches.cure import CureBench
from bibulon.desk.benches.hold import HoldBench
from bibulon.desk.benches.layup import LayupBench
from bibulon.desk.benches.lines import LinesBench
from bibulon.desk.benches.log import LogBench
from bibulon.desk.benches.mould import MouldBench
from bibulon.desk.benches.part import PartBench
from bibulon.desk.benches.series import SeriesBench
from bibulon.desk.benches.shoot import ShootBench
from bibulon.desk.plan.shown import LayerName, Shown
from bibulon.job import EVERY_PROCESS, IN_MOULD, UNDER_FILM, Process
from bibulon.job.base import StationId
from bibulon.job.run import EventKind
from bibulon.mould.shots import odd_shots, shots_of

StationState = Literal["stop", "caution", "settled", "waits"]


@dataclass(frozen=True)
class Station:
    """One place in the work.

    ``id`` is also the name of its icon; ``bench`` makes its bench for a desk; ``layers`` are what its plan shows and
    ``edits`` the kinds of object that can be moved and reshaped there; ``settled`` tells from the Assessment whether
    the work here is done; ``processes`` are those that have this station.
    """

    id: StationId
    name: str
    bench: Callable[[Desk, StationId, str], Bench]
    layers: tuple[LayerName, ...]
    settled: Callable[[Assessment], bool]
    edits: tuple[str, ...] = ()
    processes: frozenset[Process] = EVERY_PROCESS
    plumbing: bool = False
    """Whether the plumbing diagram can be shown beside the plan here."""
    whole_day: bool = False
    """Whether the clock shows the whole day when one comes here."""
    runs: bool = False
    """Whether the shot is worked here: its plan follows the clock, and the key for the next step leads here."""

    @property
    def shown(self) -> Shown:
        """What the plan shows here."""
        return Shown(self.id, frozenset(self.layers), self.edits)

    def made_for(self, desk: Desk) -> Bench:
        """The bench of this station on *desk*."""
        return self.bench(desk, self.id, self.name)

    def state(self, assessment: Assessment, cautions: tuple[Caution, ...]) -> StationState:
        """The gravest caution of the station, or whether it is settled."""
        ranks = {caution.rank for caution in cautions if caution.station == self.id}
        if "stop" in ranks:
            return "stop"
        if "caution" in ranks:
            return "caution"
        return "settled" if self.settled(assessment) else "waits"


def _logged(kind: EventKind) -> Callable[[Assessment], bool]:
    """Whether the log of the shot has an entry of that *kind*."""
    return lambda assessment: any(event.kind == kind for event in assessment.job.shot)


def _held(assessment: Assessment) -> bool:
    return bool(assessment.hold_verdicts) and assessment.hold_verdicts[-1][1].passed


def _filled(assessment: Assessment) -> bool:
    return assessment.fill is not None and assessment.fill.fill_time_s is not None


def _shut(assessment: Assessment) -> bool:
    return assessment.stays_shut.value is not None and assessment.stays_shut.value > 0


def _quiet(assessment: Assessment) -> bool:
    """Whether shots are logged and the last of them does not deserve a look."""
    shots = shots_of(assessment.job)
    return bool(shots) and shots[-1].number not in odd_shots(assessment.job.process, shots)


def _weighed(assessment: Assessment) -> bool:
    return bool(assessment.batches or assessment.job.mixed_as_it_comes) and assessment.job.charge.in_hand_kg is not None


STATIONS = (
    Station("part", "Part", PartBench, ("stack", "sizes"), lambda assessment: True, ("hole", "outline")),
    Station(
        "layup",
        "Lay-up",
        LayupBench,
        ("stack", "region names", "marked cells", "joints", "corners", "sizes"),
        lambda assessment: bool(assessment.job.layup),
        ("dart", "joint", "corner", "corner edge", "region"),
    ),
    Station(
        "lines",
        "Lines",
        LinesBench,
        ("fill", "field", "media", "rim", "lines", "proposal"),
        _filled,
        ("port", "line", "hose", "media"),
        plumbing=True,
    ),
    Station("bag", "Bag", BagBench, ("field", "bag", "lines"), lambda assessment: True, processes=UNDER_FILM),
    Station(
        "mould",
        "Mould",
        MouldBench,
        ("fill", "rim", "lines", "fittings", "proposal"),
        _shut,
        ("port", "fitting", "pot", "line", "channel", "seal"),
        processes=IN_MOULD,
    ),
    Station("hold", "Hold", HoldBench, ("field", "bag", "rim", "lines", "fittings", "leaks"), _held),
    Station("charge", "Charge", ChargeBench, ("fill", "media", "rim", "lines"), _weighed),
    Station(
        "shoot",
        "Shoot",
        ShootBench,
        ("fill", "rim", "lines", "marks of the front"),
        _logged("valve clamped"),
        runs=True,
    ),
    Station(
        "cure",
        "Cure",
        CureBench,
        ("stack", "fill", "lines", "marks of the front"),
        _logged("vacuum let go"),
        whole_day=True,
    ),
    Station("log", "Log", LogBench, ("fill", "lines", "marks of the front"), _logged("finished")),
    Station("series", "Series", SeriesBench, ("fill", "rim", "lines"), _quiet, processes=IN_MOULD),
)


PLUMBING_STATION = next(station for station in STATIONS if station.plumbing)
RUN_STATION = next(station for station in STATIONS if station.runs)


def stations_for(process: Process) -> tuple[Station, ...]:
    """The stations that a job made by *process* has, in work order."""
    return tuple(station for station in STATIONS if process in station.processes)


def in_place_of(station: StationId, process: Process) -> StationId:
    """*station*, or what stands in its place in a job made by *process*: what comes at the same step."""
    if process in station_of(station).processes:
        return station
    at = [other.id for other in STATIONS].index(station)
    near = sorted(stations_for(process), key=lambda other: abs([some.id for some in STATIONS].index(other.id) - at))
    return near[0].id


def station_of(identifier: StationId) -> Station:
    """The station of that identifier. Raises KeyError."""
    for station in STATIONS:
        if station.id == identifier:
            return station
    raise KeyError(identifier)
