"""Cure: temperatures that a thermocouple at the part has logged, typed, pasted or from CSV."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING

from pydantic import ValidationError
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPlainTextEdit, QVBoxLayout

from bibulon.desk.widgets.fields import column, label
from bibulon.job.curing import LoggedPoint
from bibulon.job.edits import changed, revised
from bibulon.job.faults import explain_here
from bibulon.job.run import thermocouple_readings
from bibulon.quantities import Units
from bibulon.quantity_text import QuantityError, cells_of, parse, parse_clock_time, unit_in_heading

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

MOST_POINTS = 5000
LIVE = "A thermocouple on the channel “part” of the instruments is logged by itself while a shot runs."


def parse_logged(text: str, units: Units, start_s: float) -> tuple[LoggedPoint, ...]:
    """Points from lines of a time and a temperature: times in minutes since the first feed was opened, or of day as
    9:40; the shot starts *start_s* after midnight. Raises QuantityError naming the line."""
    points: list[LoggedPoint] = []
    heads = ["min", ""]
    for number, line in enumerate(text.splitlines(), 1):
        cells = cells_of(line)
        if not cells or line.lstrip().startswith("#"):
            continue
        if not points and not re.match(r"[-+−\d.,]", cells[0]):
            named = re.split(r"[;\t,]", line)
            heads = [unit_in_heading(named[0], "duration") or "min", unit_in_heading(named[-1], "temperature")]
            continue
        if len(cells) < 2:
            raise QuantityError(f"Line {number}: write a time and a temperature, like 90; 31 °C or 10:30; 31 °C.")
        try:
            time, warmth = cells[0], cells[1]
            if not re.search(r"[A-Za-z°]", warmth):
                warmth = f"{warmth} {heads[1]}"
            warm = parse(warmth, "temperature", units)
            if re.fullmatch(r"\d{1,2}:\d{2}", time):
                time_s = parse_clock_time(time) - start_s
                while points and time_s < points[-1].time_s:
                    time_s += 86_400  # past midnight
            else:
                time_s = parse(time if re.search(r"[a-z:]", time) else f"{time} {heads[0]}", "duration", units)
            points.append(LoggedPoint(time_s=time_s, temperature_k=warm))
        except ValidationError as error:
            raise QuantityError(f"Line {number}: {explain_here(error)}") from error
        except QuantityError as error:
            raise QuantityError(f"Line {number}: {error}") from error
    if len(points) > MOST_POINTS:
        step = -(-len(points) // MOST_POINTS)
        points = points[::step]
    return tuple(points)


class LoggedSection:
    """Built into a *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    def build(self) -> None:
        bench = self.bench
        bench.section("Logged temperatures")
        self.words = column(2)
        bench.watch(self._key, self.words, self._fill)
        self.text = QPlainTextEdit()
        self.text.setAccessibleName("Logged temperatures")
        self.text.setPlaceholderText("minutes since the start, or time of day; temperature\n90; 31 °C\n10:45; 33 °C")
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

    def _key(self) -> tuple[int, int]:
        job = self.document.job
        return len(job.curing.logged), len(thermocouple_readings(job.shot))

    def _fill(self, layout: QVBoxLayout) -> None:
        brought, read = self._key()
        words = [f"{brought} readings are drawn over the temperature."] if brought else []
        words += [f"{read} readings of the thermocouple in this shot are drawn." if read else LIVE]
        for text in words:
            layout.addWidget(label(text, "muted"))

    def _say(self, words: str) -> None:
        self.error.setText(words)
        self.error.setVisible(bool(words))

    def _take(self) -> None:
        job = self.document.job
        try:
            points = parse_logged(self.text.toPlainText(), self.document.assessment.units, job.shop.shot_start_s)
        except QuantityError as error:
            self._say(str(error))
            return
        if not points:
            self._say("Nothing is written yet.")
            return
        self._say("")
        self.document.edit("logged temperatures", changed(job, curing=revised(job.curing, logged=points)))

    def _from_csv(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.bench, "Logged temperatures", "", "Tables (*.csv *.txt *.tsv)")
        if not name:
            return
        try:
            self.text.setPlainText(Path(name).read_bytes()[:2_000_000].decode("utf-8-sig"))
        except (OSError, UnicodeDecodeError) as error:
            why = getattr(error, "strerror", None) or "it is no text"
            self._say(f"{Path(name).name} could not be read ({why}).")
            return
        self._take()

    def _forget(self) -> None:
        job = self.document.job
        self._say("")
        self.document.edit("forget what was logged", changed(job, curing=revised(job.curing, logged=())))
