"""Where the air of a hose that is opened late ends, as a map on the plan; asked for at Lines."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QVBoxLayout

from bibulon.desk.plan.maps import PlanMap, air_map
from bibulon.desk.widgets.fields import label
from bibulon.desk.work.background import Background
from bibulon.desk.work.job_tasks import AirAnswer, air_answer
from bibulon.flow.traced_air import SPOILT_SHARE
from bibulon.job import Job
from bibulon.planning.air_in_part import air_in_hose
from bibulon.quantities import show
from bibulon.quantities_in_words import percent

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench


class HoseAirMap(QObject):
    """Follows the air of one hose at a time, on a Lines *bench*."""

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self.bench, self.document = bench, bench.document
        self.line = ""
        self._answer: tuple[Job, AirAnswer] | None = None
        self._map: PlanMap | None = None
        self.message = ""
        self.work = Background(air_answer, self)
        self.work.finished.connect(self._keep)
        self.work.ended.connect(self._ended)

    def key(self) -> object:
        """What is shown follows from this."""
        return self.line, self._answer, self.message

    def build(self, line: str, box: QVBoxLayout) -> None:
        """What asks for the air of the hose of that *line*, and what came of it."""
        if self.document.job.plumbing.hose(line).shut_at != "port":
            return
        if self.line == line and self.message:
            box.addWidget(label(self.message, "muted"))
        elif self.line == line and self._answer is not None and self._answer[0] is self.document.job:
            air, units = self._answer[1].air[0], self.document.assessment.units
            if air.into_resin <= 0:
                text = "Its air goes ahead of the resin, and out at the vents."
            else:
                left, area = show(air.stays_m3, "volume", units), show(air.spoilt_m2, "area", units)
                text = f"{left} of its air stay in the part: more than {percent(SPOILT_SHARE)} of the pores in {area}."
            box.addWidget(label(text))
            self.bench.button("Show the fill again", self._put_away, into=box)
        else:
            self.bench.button("Show where its air ends", lambda: self._ask(line), into=box)

    def refresh(self) -> None:
        """Have the plan show the map, and take it off once it is of another job than the one at hand."""
        if self._answer is not None and self._answer[0] is not self.document.job:
            self._answer = self._map = None
        self.bench.desk.plan.set_field(self._map)

    def _ask(self, line: str) -> None:
        self.line, self.message, job = line, "Working it out …", self.document.job
        self.work.start(job, sources=(air_in_hose(job, job.line(line)),), names=(line,), asked=line)
        self.bench.refresh()

    def _put_away(self) -> None:
        self._answer, self._map, self.line = None, None, ""
        self.bench.refresh()

    def _keep(self, job: Job, answer: AirAnswer) -> None:
        self._answer, self.message = (job, answer), ""
        self._map = air_map(answer.canvas, answer.air[0].share)
        self.bench.refresh()

    def _ended(self, message: str) -> None:
        self.message = message
        self.bench.refresh()
