"""Cure: temperatures that thermocouples at the part have logged, typed, pasted or from CSV."""

from __future__ import annotations

from datetime import timedelta
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QHBoxLayout, QPlainTextEdit, QVBoxLayout

from bibulon.cure.as_logged import Colder
from bibulon.desk.widgets.fields import column, label
from bibulon.exchange.part_temperatures import read_part_temperatures
from bibulon.job.curing import LoggedPoint
from bibulon.job.edits import changed, revised
from bibulon.job.run import thermocouple_readings
from bibulon.quantities_in_words import brief
from bibulon.quantity_text import QuantityError

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

EXAMPLE = "minutes since the start, or time of day; temperatures\n90; 31 °C\n10:45; 33 °C; 29 °C"
LIVE = "A thermocouple on the channel “part” of the instruments is logged by itself while a shot runs."


class LoggedSection:
    """Built into a *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    def build(self) -> None:
        bench = self.bench
        bench.section("Logged temperatures")
        self.words = column(2)
        bench.watch(lambda: (self._key(), self.document.settings), self.words, self._fill)
        self.text = QPlainTextEdit()
        self.text.setAccessibleName("Logged temperatures")
        self.text.setPlaceholderText(
            "minutes since the start, or time of day; temperatures\n90; 31 °C\n10:45; 33 °C; 29 °C"
        )
        self.text.setTabChangesFocus(True)
        self.text.setFixedHeight(84)
        bench.body.addWidget(self.text)
        self.error = label("", "error")
        self.error.hide()
        bench.body.addWidget(self.error)
        row = QHBoxLayout()
        bench.button("Draw them", self._take, into=row)
        bench.button("From CSV …", self._from_csv, into=row)
        bench.button("Forget them", self._forget, into=row)
        bench.body.addLayout(row)

    def _key(self) -> tuple[int, int, Colder | None]:
        job = self.document.job
        brought = len(job.curing.read_in(job.shot_number))
        return brought, len(thermocouple_readings(job.shot)), self.document.assessment.colder

    def _fill(self, layout: QVBoxLayout) -> None:
        brought, read, colder = self._key()
        words = [f"{brought} readings are drawn over the temperature."] if brought else []
        words += [f"{read} readings of the thermocouple in this shot are drawn." if read else LIVE]
        if colder is not None:
            later, units = brief(colder.later_s, "duration"), self.document.assessment.units
            was, planned = (brief(one_k, "temperature", units) for one_k in (colder.read_k, colder.planned_k))
            words.append(
                f"The last reading is {was} where the plan has {planned}. By what was read the last resin is cured "
                f"{later} later than planned; the times above count that in, curves and peaks do not. Columns named "
                "for mould, tool, air, shop, oven, bath or pot tell nothing of that."
            )
        for text in words:
            layout.addWidget(label(text, "muted"))

    def _say(self, words: str) -> None:
        self.error.setText(words)
        self.error.setVisible(bool(words))

    def _take(self) -> None:
        job = self.document.job
        first = next((event for event in job.shot if event.kind == "valve opened"), None)
        opened_at = None if first is None else first.at - timedelta(seconds=first.clock_s)
        try:
            points = read_part_temperatures(
                self.text.toPlainText(),
                self.document.assessment.units,
                job.shot_start_s,
                opened_at,
            )
        except QuantityError as error:
            self._say(str(error))
            return
        if not points:
            self._say("Nothing is written yet.")
            return
        self._say("")
        self._keep("logged temperatures", points)

    def _keep(self, what: str, points: tuple[LoggedPoint, ...]) -> None:
        """*points* as those of this shot; those of shots before stay with them."""
        job = self.document.job
        before = [point for point in job.curing.logged if point.shot != job.shot_number]
        now = [revised(point, shot=job.shot_number) for point in points]
        self.document.edit(what, changed(job, curing=revised(job.curing, logged=(*before, *now))))

    def _from_csv(self) -> None:
        text = self.bench.desk.files.read_text("Logged temperatures", "Tables (*.csv *.txt *.tsv)")
        if text is not None:
            self.text.setPlainText(text)
            self._take()

    def _forget(self) -> None:
        self._say("")
        self._keep("forget what was logged", ())
