"""Hold, third part: what a leak of the measured size does at a place, with the map of where its air ends."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout

from bibulon.desk.plan.maps import PlanMap, air_map
from bibulon.desk.widgets.choices import ToggleField
from bibulon.desk.widgets.fields import column, label
from bibulon.desk.work.background import Background
from bibulon.desk.work.job_tasks import AirAnswer, air_answer
from bibulon.flow.traced_air import SPOILT_SHARE, TRACK_SHARE, AirLeak, TracedAir
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.reads import read_by
from bibulon.planning.leak_places import branches_of
from bibulon.quantities import show
from bibulon.quantities_in_words import percent

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

ATMOSPHERE_PA = 101_325.0
LISTED = 5
HERE = "where you clicked"


class EffectSection(QObject):
    """What the leak of the test at hand, or of the last one kept, does; on a Hold *bench*."""

    def __init__(self, bench: Bench, leak: Callable[[], float | None], origin: Callable[[], str]) -> None:
        """*leak* tells the leak (Pa·m³/s) to follow, None if there is none, *origin* where it is from."""
        super().__init__(bench)
        self.bench, self.document = bench, bench.document
        self._leak, self._origin = leak, origin
        self.open = False
        self.clicked: Point | None = None
        self.chosen = 0
        self._answer: AirAnswer | None = None
        self._last_asked: object = None
        """What was asked last: a question that was refused is not asked again."""
        self._painted: tuple[AirAnswer, int] | None = None
        self._map: PlanMap | None = None
        self._message = ""
        self.work = Background(air_answer, self)
        self.work.finished.connect(self._keep)
        self.work.ended.connect(self._ended)

    def build(self) -> None:
        self.bench.section("What a leak does")
        self.bench.add(
            ToggleField(
                "Follow its air through the fill",
                lambda: self.open,
                self._set_open,
                "Where it would end, for every place that may leak; click the plan for any other.",
            )
        )
        self.bench.watch(self._key, column(5), self._fill)
        self.bench.desk.plan.touched.connect(self._clicked)

    @property
    def rate_pa_m3_s(self) -> float | None:
        return self._leak()

    def _places(self) -> list[tuple[str, Point]]:
        places = [(place.words, place.at) for place in branches_of(self.document.job).places if place.at is not None]
        return places if self.clicked is None else [(HERE, self.clicked), *places]

    def _asked(self) -> object:
        rate = self.rate_pa_m3_s
        job = self.document.job
        rounded = None if rate is None else float(f"{rate:.3g}")
        return read_by(job, "fill"), read_by(job, "bag plan"), rounded, self.clicked

    @property
    def _current(self) -> AirAnswer | None:
        """The answer, where it is of the job, leak and place at hand."""
        return self._answer if self._answer is not None and self._answer.asked == self._asked() else None

    def _key(self) -> object:
        document = self.document
        asked = self.open, document.job, self.rate_pa_m3_s, self.clicked, self.chosen
        return *asked, self._answer, self._message, document.settings

    def _set_open(self, on: bool) -> None:
        self.open = on
        self.ask()
        self.bench.refresh()

    def _clicked(self, place: Point) -> None:
        if self.open and self.bench.desk.plan.shown.cautions_of == self.bench.station:
            self.clicked, self.chosen = place, 0
            self.ask()
            self.bench.refresh()

    def ask(self) -> None:
        """Have the air followed, if that was not done for the job as it is."""
        rate, asked, places = self.rate_pa_m3_s, self._asked(), self._places()
        if not self.open or rate is None or not places or asked == self._last_asked:
            return
        self._last_asked = asked
        self._message = "Working it out …"
        sources = tuple(AirLeak(place, rate) for _, place in places)
        names = tuple(name for name, _ in places)
        self.work.start(self.document.job, sources=sources, names=names, asked=asked)

    def _keep(self, job: Job, answer: AirAnswer) -> None:
        self._answer, self._message = answer, ""
        if answer.names[0] != HERE:
            self.chosen = max(range(len(answer.air)), key=lambda at: answer.air[at].spoilt_m2)
        self.bench.refresh()

    def _ended(self, message: str) -> None:
        self._message = message
        self.bench.refresh()

    def _fill(self, layout: QVBoxLayout) -> None:
        plan, rate = self.bench.desk.plan, self.rate_pa_m3_s
        if not self.open:
            plan.set_field(None)
            return
        if rate is None:
            plan.set_field(None)
            layout.addWidget(label("There is no leak to follow yet: take a test, or let it be typed.", "muted"))
            return
        answer = self._current
        if not self._places():
            plan.set_field(None)
            layout.addWidget(label("Click the place on the plan that may leak.", "muted"))
            return
        if answer is None:
            plan.set_field(None)
            layout.addWidget(label(self._message or "Working it out …", "muted"))
            self.ask()
            return
        names = answer.names
        layout.addWidget(
            label(f"For {show(rate, 'leak rate', self.document.assessment.units)}, {self._origin()}", "muted")
        )
        at = min(self.chosen, len(names) - 1)
        self._show(layout, names[at], answer.air[at])
        self._paint(answer, at)
        order = sorted(range(len(names)), key=lambda one: -answer.air[one].spoilt_m2)
        layout.addWidget(label("It would spoil", "muted"))
        for one in order[:LISTED]:
            row = QHBoxLayout()
            button = QPushButton(f"{names[one][:1].upper()}{names[one][1:]}")
            button.setCheckable(True)
            button.setChecked(one == at)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, number=one: self._choose(number))
            row.addWidget(button, 1)
            row.addWidget(label(self._area(answer.air[one]), "figure", wrap=False))
            layout.addLayout(row)
        layout.addWidget(label(f"Click the plan for any other of the places. {_ASSUMES}", "muted"))

    def show_map(self) -> None:
        """Have the plan show where the air ends, as long as that is of the job at hand."""
        current = self._current if self.open else None
        self.bench.desk.plan.set_field(self._map if current is not None else None)

    def _choose(self, number: int) -> None:
        self.chosen = number
        self.bench.refresh()

    def _area(self, air: TracedAir) -> str:
        return show(air.spoilt_m2, "area", self.document.assessment.units) if air.spoilt_m2 > 0 else "nothing"

    def _show(self, layout: QVBoxLayout, name: str, air: TracedAir) -> None:
        units, rate = self.document.assessment.units, self.rate_pa_m3_s or 0.0
        hour = show(rate * 3600 / ATMOSPHERE_PA, "volume", units)
        layout.addWidget(label(f"{name[:1].upper()}{name[1:]}: {hour} of air an hour", "figure"))
        total = max(air.total, 1e-12)
        out = air.with_resin + air.along_tracks
        went = (
            f"Of it {_percent(air.pumped_off / total)} is pumped off before resin is there, {_percent(out / total)} "
            f"finds its way to the vents through resin, {_percent(air.stays / total)} stays."
        )
        layout.addWidget(label(went))
        if air.spoilt_m2 > 0:
            volume = show(air.stays_m3, "volume", units)
            text = (
                f"At gel {volume} of bubbles are left; in {self._area(air)} they fill more than "
                f"{percent(SPOILT_SHARE)} of the pores."
            )
        else:
            text = f"Nowhere are more than {percent(SPOILT_SHARE)} of the pores full of air at gel."
        layout.addWidget(label(text))

    def _paint(self, answer: AirAnswer, at: int) -> None:
        if self._painted != (answer, at):
            self._painted, self._map = (answer, at), air_map(answer.canvas, answer.air[at].share)
        self.bench.desk.plan.set_field(self._map)


def _percent(share: float) -> str:
    return "under 1 %" if 0 < share < 0.005 else percent(share)


_ASSUMES = (
    "Bubbles are taken to go with the resin, neither to rise nor to dissolve; where they would fill more than "
    f"{percent(TRACK_SHARE)} of the pores they blow a track to the nearest vent."
)
