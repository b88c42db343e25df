"""Hold: readings typed, pasted, imported or taken from the gauge; the fit, the verdict, the tests kept."""

from __future__ import annotations

import math
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING, Literal

from PySide6.QtWidgets import QApplication, QCheckBox, QHBoxLayout, QPlainTextEdit

from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.hold_effect import EffectSection
from bibulon.desk.benches.hold_hunt import HuntSection
from bibulon.desk.benches.hold_kept import KeptTests
from bibulon.desk.benches.hold_pumped import PumpedSection
from bibulon.desk.benches.hold_rules import RulesOfHold
from bibulon.desk.widgets.fields import clear, column, label, restyle
from bibulon.desk.widgets.rank_mark import marked_row
from bibulon.exchange.readings import (
    ReadingsError,
    counted_from,
    last_read_at,
    parse_drift,
    parse_readings,
    reading_line,
)
from bibulon.job import CLAMPED_BY_VACUUM
from bibulon.job.edits import changed, new_id, revised
from bibulon.job.held_plan import held_plan
from bibulon.job.hold import STAGES, HoldTest, Stage
from bibulon.job.hold_record import CHANNELS, Channel, HoldRecorder, RecordedHold
from bibulon.job.words import space_word
from bibulon.quantities import Reading, number_shown, show, unit_shown
from bibulon.quantities_in_words import from_to
from bibulon.vacuum.hold import HoldVerdict
from bibulon.vacuum.two_spaces import read_pair

if TYPE_CHECKING:
    from bibulon.desk.widgets.hold_chart import HoldChart

SAMPLE_S, DRIFT_SAMPLE_S = 20.0, 300.0
GAUGE_OF: dict[Reading, Literal["absolute", "relative"]] = {"absolute": "absolute", "gauge": "relative"}
"""What a gauge counts from, by how the shop reads."""
RISEN_PA = (0.0, 300.0, 500.0)
"""What the readings of the example rise by."""
FILM_PA = 3100.0


class HoldBench(Bench):
    """Does the bag or the mould hold?"""

    title = "Hold test"
    width_px = 380

    def build(self) -> None:
        self.stage: Stage = STAGES[0]
        self._recorded: RecordedHold | None = None
        """The test that is being read from the gauge, or was when the program ended."""
        self._reading = False
        self._gauge_start: float | None = None
        """When the test was begun, on the instruments' clock."""
        self._last: dict[str, float] = {}
        self._shop_reads = self.document.settings.reading
        self.gauge_kind: Literal["absolute", "relative"] = GAUGE_OF[self._shop_reads]
        self.chart: HoldChart | None = None
        self._drafted: float | None = None
        """The leak of the test in the making."""
        kept = KeptTests(self)
        kept.build()
        PumpedSection(self).build()
        self.section("New test")
        self.choice("Stage", lambda: [(stage, stage) for stage in STAGES], lambda: self.stage, self._set_stage)
        self._said: Literal["absolute", "relative"] | None = None
        """What the readings themselves say that the gauge counts from."""
        self.counts = self.choice(
            "Gauge counts from",
            lambda: [("nothing: absolute", "absolute"), ("the atmosphere", "relative")],
            lambda: self.gauge_kind,
            self._set_gauge_kind,
        )
        self.pots = QCheckBox(f"Catch pots open to the {space_word(self.document.job)}")
        self.pots.setChecked(True)
        self.pots.setToolTip("Whether the volume that was tested holds the pots and their hoses")
        self.pots.toggled.connect(lambda _: self._read())
        self.body.addWidget(self.pots)
        self.hint = label("", "muted")
        self.body.addWidget(self.hint)
        self.readings = QPlainTextEdit()
        self.readings.setAccessibleName("Readings: time and pressure")
        self.readings.setTabChangesFocus(True)
        self.readings.setFixedHeight(92)
        self.readings.textChanged.connect(self._read)
        self.body.addWidget(self.readings)
        self.flange: QPlainTextEdit | None = None
        if self.document.job.process in CLAMPED_BY_VACUUM:
            self.body.insertWidget(self.body.indexOf(self.readings), label("In the cavity", "muted"))
            self.body.addWidget(label("In the flange, at the same time", "muted"))
            self.flange = QPlainTextEdit()
            self.flange.setAccessibleName("Readings of the flange: time and pressure")
            self.flange.setTabChangesFocus(True)
            self.flange.setFixedHeight(92)
            self.flange.textChanged.connect(self._read)
            self.body.addWidget(self.flange)
        self.drift = QPlainTextEdit()
        self.drift.setAccessibleName("Readings of barometer and temperature")
        self.drift.setTabChangesFocus(True)
        self.drift.setFixedHeight(52)
        self.drift.setPlaceholderText("0  1013 mbar\n480  1006 mbar, or 0  21 °C")
        self.drift.textChanged.connect(self._read)
        self.body.addWidget(label("Barometer and temperature, if they were read: minutes and value", "muted"))
        self.body.addWidget(self.drift)
        row = QHBoxLayout()
        self.button("Import CSV …", self._import, into=row)
        self.gauge = self.button("From the gauge", self._toggle_gauge, into=row)
        self.gauge.setCheckable(True)
        what = "cavity and flange" if self.flange is not None else f"the {space_word(self.document.job)}"
        self.gauge.setToolTip(f"Isolate {what} from the pump, then take readings from the connected gauge")
        self.body.addLayout(row)
        self.error = label("", "error")
        self.error.hide()
        self.body.addWidget(self.error)
        self.plot = column(0)
        self.body.addLayout(self.plot)
        self.verdict = column(3)
        self.body.addLayout(self.verdict)
        self.keep = self.button("Keep this test", self._keep, "main")
        self.keep.setEnabled(False)
        self.hunt = HuntSection(self)
        self.hunt.build()
        self.effect = EffectSection(self, lambda: self.leak_pa_m3_s, self._origin_of_leak)
        self.effect.build()
        RulesOfHold(self).build()
        self.desk.run.reading_taken.connect(self._gauge_reading)
        self.desk.run.lost.connect(self._gauge_lost)
        self._take_up()

    # -- the draft ---------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        if self._shop_reads != (reads := self.document.settings.reading):
            self._shop_reads, self.gauge_kind = reads, GAUGE_OF[reads]
        super().refresh()
        self.effect.show_map()
        units = self.document.assessment.units
        way = "counted down from atmosphere" if units.reading == "gauge" else "absolute"
        unit = unit_shown("pressure", units).rsplit(" ", 1)[0]
        start_pa = self.document.job.pair.cavity_pa if self.document.job.in_mould else FILM_PA
        like = [f"{number_shown(pa, 'pressure', units):.3g}" for pa in (start_pa + risen for risen in RISEN_PA)]
        other = "34 mbar" if unit == "inHg" else "28.4 inHg"
        self.readings.setPlaceholderText(f"0   {like[0]}\n5   {like[1]}\n10  {like[2]}   or {other}, 95 % …")
        self.hint.setText(
            f"Minutes, or time of day as 14:05, and pressure, one reading a line. Bare pressures are {unit}, {way}."
        )
        if self.readings.toPlainText().strip():
            self._read()

    def draft(self) -> HoldTest:
        """The test in the making. Raises ReadingsError."""
        units = self.document.assessment.units
        readings = parse_readings(self.readings.toPlainText(), units)
        barometer, temperature = parse_drift(self.drift.toPlainText(), units)
        return HoldTest(
            id=new_id("hold"),
            stage=self.stage,
            taken_at=self._taken_at(),
            readings=readings,
            flange_readings=self._flange_readings(),
            barometer_readings=barometer,
            temperature_readings=temperature,
            gauge=self.gauge_kind,
            pots_included=self.pots.isChecked(),
            source="gauge" if self._recorded is not None else "typed",
            of_plan=held_plan(self.document.job),
        )

    @property
    def leak_pa_m3_s(self) -> float | None:
        """The leak of the test in the making, of the last one kept, or else the most that the house lets pass by its
        rate; None where none leaks."""
        if self._drafted is not None:
            leak = self._drafted
        else:
            verdicts = self.document.assessment.hold_verdicts
            leak = verdicts[-1][1].leak_pa_m3_s if verdicts else self.document.assessment.hold_figures.leak_pa_m3_s
        return leak if leak > 0 else None

    def _origin_of_leak(self) -> str:
        if self._drafted is not None:
            return "as these readings say."
        verdicts = self.document.assessment.hold_verdicts
        if not verdicts:
            return "the most that the house's rule of rate lets pass: no test is kept yet."
        passed = " The house passes it: this is what it does where it would do most." if verdicts[-1][1].passed else ""
        return f"as the last test says.{passed}"

    def _taken_at(self) -> datetime:
        """When the last reading was read: by its date where it has one, else now for what is typed. Never later: a
        rehearsal's clock may run ahead."""
        recorded, now = self._recorded, datetime.now(UTC).astimezone()
        if recorded is None or self._reading:
            return min(last_read_at(self.readings.toPlainText(), now) or now, now)
        return min(recorded.begun_at + timedelta(seconds=recorded.last_s), now)

    def _set_gauge_kind(self, kind: Literal["absolute", "relative"]) -> None:
        self.gauge_kind = kind
        self._read()

    def _flange_readings(self) -> tuple[tuple[float, float], ...]:
        text = "" if self.flange is None else self.flange.toPlainText()
        return parse_readings(text, self.document.assessment.units) if text.strip() else ()

    def _read(self) -> None:
        clear(self.verdict)
        text = self.readings.toPlainText()
        # lines of the gauge are in the shop's unit, whatever it counts from
        said = counted_from(text) if self._recorded is None else None
        if said != self._said:  # once: what is chosen after it stays
            self._said, self.gauge_kind = said, said or self.gauge_kind
            self.counts.refresh()
        test, problem = None, ""
        if text.strip():
            try:
                test = self.draft()
            except ReadingsError as error:
                problem = str(error) if not self._reading else ""
        self.error.setText(problem)
        self.error.setVisible(bool(problem))
        self.readings.setProperty("wrong", "true" if problem else "false")
        restyle(self.readings)
        self.keep.setEnabled(test is not None)
        self._drafted = None
        if test is not None:
            verdict = self.document.assessment.judged(test)
            self._drafted = verdict.leak_pa_m3_s
            self._show(test, verdict)
        elif self.chart is not None:
            self.chart.hide()

    def _show(self, test: HoldTest, verdict: HoldVerdict) -> None:
        self._draw(test, verdict)
        units = self.document.assessment.units
        low, high = verdict.leak_band_pa_m3_s
        leak = show(verdict.leak_pa_m3_s, "leak rate", units)
        self.verdict.addWidget(label(f"Leak {leak}", "figure"))
        over = show(test.readings[-1][0], "duration")
        band = from_to(show(low, "leak rate", units), show(high, "leak rate", units))
        held = show(verdict.volume_m3, "volume", units)
        self.verdict.addWidget(label(f"95 % band {band}, for {held} under vacuum, over {over}", "muted"))
        pair = read_pair(test, self.document.assessment.hold_figures, self.document.assessment.area_together_m2)
        if pair is not None:
            self.verdict.addLayout(marked_row(pair.rank, pair.text(units)))
        for rule in verdict.rules:
            self.verdict.addLayout(marked_row("settled" if rule.passed else "stop", f"{rule.rule}: {rule.text}"))

    def _draw(self, test: HoldTest, verdict: HoldVerdict) -> None:
        from bibulon.desk.widgets.hold_chart import (
            HoldChart,  # loads the chart package, only when there is something to draw
        )

        if self.chart is None:
            self.chart = HoldChart()
            self.plot.addWidget(self.chart)
        self.chart.show()
        units = self.document.assessment.units
        unit = unit_shown("pressure", units)
        self.chart.draw(test, verdict.fit, lambda value: number_shown(value, "pressure", units), unit)

    def _set_stage(self, stage: Stage) -> None:
        self.stage = stage

    def _import(self) -> None:
        text = self.desk.files.read_text("Readings", "Readings (*.csv *.txt);;All files (*)")
        if text is not None:
            self.readings.setPlainText(text)

    def _keep(self) -> None:
        try:
            test = self.draft()
        except ReadingsError as error:
            self.error.setText(str(error))
            self.error.show()
            return
        if self.gauge.isChecked():
            self.gauge.setChecked(False)
            self._stop_gauge()
        job = self.document.job
        test = revised(test, kept_at=datetime.now(UTC).astimezone())
        self.document.edit("hold test", changed(job, hold_tests=(*job.hold_tests, test)))
        self._clear()
        with suppress(OSError):
            self._recorder.end()
        self._recorded = None
        self.gauge.setText("From the gauge")

    # -- from the gauge ----------------------------------------------------------------------------------------------

    def _toggle_gauge(self) -> None:
        if not self.gauge.isChecked():
            self._stop_gauge()
            return
        run = self.desk.run
        self.hunt.gauge.have_instruments()
        if run.simulated is not None:
            run.simulated.isolate()
        self._last = {}
        self._reading = True
        self.gauge.setText("Stop reading")
        if self._recorded is not None and self.readings.toPlainText().strip():  # one that was broken off
            if self._gauge_start is None:
                self._gauge_start = run.instrument_time() - max(self._recorded.now_s, self._recorded.last_s)
            return
        self._gauge_start = run.instrument_time()
        try:
            self._recorded = self._recorder.begin(self.stage, self.pots.isChecked())
        except OSError as error:
            self._recorded = None
            self.desk.show_message(f"The readings are not kept on disk ({error.strerror or error}): write them down.")
        self._clear()

    def _stop_gauge(self) -> None:
        self._reading = False
        self.gauge.setText("From the gauge" if self._recorded is None else "Go on reading")
        if self.desk.run.simulated is not None:
            self.desk.run.simulated.connect_pump()

    def _clear(self) -> None:
        for box in (self.readings, self.flange, self.drift):
            if box is not None:
                box.clear()

    @property
    def _recorder(self) -> HoldRecorder:
        return HoldRecorder(self.document.kept.hold_record)

    def _gauge_reading(self, name: str, value: float) -> None:
        """A reading of an instrument, unless the one before of the same has just been taken."""
        channel = next((channel for channel in CHANNELS if channel == name), None)
        if (
            not self._reading
            or self._gauge_start is None
            or channel is None
            or (channel == "flange" and self.flange is None)
        ):
            return
        now = self.desk.run.instrument_time() - self._gauge_start
        sample_s = SAMPLE_S if channel in ("vacuum", "flange") else DRIFT_SAMPLE_S
        if now - self._last.get(channel, -math.inf) < sample_s:
            return
        self._last[channel] = now
        if self._recorded is not None:
            self._recorded.readings.setdefault(channel, []).append((now, value))
            try:
                self._recorder.add(channel, now, value)
            except OSError as error:
                self.desk.show_message(f"This reading is not on disk ({error.strerror or error}): write it down.")
        box = self._box_of(channel)
        if box is not None:
            box.appendPlainText(reading_line(channel, now, value, self.document.assessment.units))

    def _box_of(self, channel: Channel) -> QPlainTextEdit | None:
        """Where readings of *channel* could have been typed."""
        return {"vacuum": self.readings, "flange": self.flange}.get(channel, self.drift)

    def _gauge_lost(self, message: str) -> None:
        """Say so, and aloud: nobody may stand beside a test that runs overnight."""
        if self._reading:
            QApplication.beep()
            at = datetime.now(UTC).astimezone()
            self.desk.show_message(
                f"{message} The hold test has no readings from {at:%H:%M} on; those before are kept."
            )

    def _take_up(self) -> None:
        """Take up the test that was being read when the program ended."""
        if self.document.read_only:  # the window that owns the job may be reading it now
            return
        recorded = self._recorder.read()
        if recorded is None or not recorded.readings.get("vacuum"):
            return
        self._recorded, self.stage = recorded, recorded.stage
        self.pots.setChecked(recorded.pots_included)
        texts, units = dict[QPlainTextEdit, list[str]](), self.document.assessment.units
        for channel, readings in recorded.readings.items():
            box = self._box_of(channel)
            if box is not None:
                texts.setdefault(box, []).extend(reading_line(channel, *reading, units) for reading in readings)
        for box, lines in texts.items():
            box.setPlainText("\n".join(lines))
        self.gauge.setText("Go on reading")
        ended = recorded.begun_at + timedelta(seconds=recorded.last_s)
        count = len(recorded.readings["vacuum"])
        self.desk.show_message(
            f"A hold test was being read until {ended:%d %b %H:%M}, and was broken off: {count} readings are at "
            "Hold. Keep the test, go on reading, or clear it."
        )
