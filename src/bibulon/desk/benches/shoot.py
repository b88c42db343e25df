"""Shoot: for gloves and distance. What is next, in words; clock, gel countdown, bucket, vacuum; one touch to log."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from textwrap import fill

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QInputDialog, QLineEdit, QPushButton, QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.shoot_mixed import MixedSection
from bibulon.desk.benches.shoot_seen import BubblesSection, BucketSection
from bibulon.desk.benches.tick_list import CHECKED, Tick, TickList
from bibulon.desk.widgets.fields import FreeField, column, label
from bibulon.desk.widgets.rank_mark import RankMark, marked_row
from bibulon.desk.work.run_controller import PACES
from bibulon.durations import clock_time, run_clock
from bibulon.instruments.protocol import CHANNELS
from bibulon.job import CLAMPED_BY_VACUUM, WITH_BLADDER, Job, shot_clock
from bibulon.job.run import ALL_FEEDS, LONGEST_TEXT, EventKind
from bibulon.mould.shot_checks import shot_checks
from bibulon.mould.shots import ShotFigure, figure_of, figures_for
from bibulon.quantities import show
from bibulon.quantity_text import parse
from bibulon.record.before_resin import HELD, IN_SPITE_OF_LEAK, held_ago
from bibulon.record.run_list import RunStep, done_steps

NEXT_LETTERS = 36
"""A longer step goes on in a second line of the large button."""
CHECKS_PX, TOUCH_PX = 240, 128
UNTOUCHED_S = 1.2
"""For so long the large button takes no touch once it would end a shot."""


class ShootBench(Bench):
    """The run screen."""

    width_px = 430

    def build(self) -> None:
        self.ticks: TickList | None = None
        self.touches: list[tuple[ShotFigure, QPushButton]] = []
        self._build_clocks()
        self.alerts = column(3)
        self._refresh_alerts = self.watch(self.desk.run.alerts, self.alerts, self._fill_alerts)
        self._build_next()
        self.mixed = MixedSection(self)
        self._build_touches()
        if self.document.job.in_mould:
            self._build_shot()
        self.section("Run list")
        self.list = column(2)
        self.watch(self._list_key, self.list, self._fill_list)
        self._build_instruments()
        self.ended = self.button("Shot ended", lambda: self._log("finished"))
        anew = "Next shot" if self.document.job.in_mould else "New run (the log stays)"
        self.afresh = self.button(anew, self._afresh)
        self.desk.run.ticked.connect(self.tick)
        self.desk.plan.marked.connect(self._mark)
        self.tick()

    def _build_clocks(self) -> None:
        clocks = QGridLayout()
        clocks.setHorizontalSpacing(14)
        clocks.setVerticalSpacing(0)
        self.time = label("0:00:00", "huge", wrap=False)
        self.gel = label("", "huge", wrap=False)
        self.read = {channel: label("–", "large", wrap=False) for _, channel in self._shown()}
        figures = (
            ("Clock", self.time),
            ("Resin flows for", self.gel),
            *((name, self.read[channel]) for name, channel in self._shown()),
        )
        for at, (name, widget) in enumerate(figures):
            clocks.addWidget(label(name, "muted"), 2 * (at // 2), at % 2)
            clocks.addWidget(widget, 2 * (at // 2) + 1, at % 2)
        self.body.addLayout(clocks)

    def _shown(self) -> tuple[tuple[str, str], ...]:
        """What is read in large figures: its name and instrument."""
        process = self.document.job.process
        if not self.document.job.in_mould:
            return ("Bucket", "scale"), ("Vacuum", "vacuum")
        other = (
            ("Flange", "flange") if process in CLAMPED_BY_VACUUM
            else ("Bladder", "bladder") if process in WITH_BLADDER else ("Supply", "supply")
        )  # fmt: skip
        return other, ("Cavity", "vacuum"), ("Mass in", "meter"), ("In the pot", "catch")

    def _build_next(self) -> None:
        self.next_button = QPushButton()
        self.next_button.setObjectName("next step")
        self._ready_s = 0.0
        self.next_button.setProperty("role", "glove-main")
        self.next_button.clicked.connect(self._do_next)
        self.body.addWidget(self.next_button)
        self.detail = label("", "muted")
        self.body.addWidget(self.detail)

    def _build_touches(self) -> None:
        """What is logged at one touch, and a note."""
        grid = self.touch_grid = QGridLayout()
        grid.setSpacing(6)
        entrances = "inlets" if self.document.job.in_mould else "feeds"
        self.mark = self._glove("Mark front", lambda: self.desk.plan.set_tool("mark"))
        self.batch = self._glove("Batch poured", self._pour)
        self.clamp = self._glove(f"All {entrances} clamped", lambda: self._log("valve clamped", ALL_FEEDS))
        self.reading = self._glove("Log readings", self._log_readings)
        for at, button in enumerate((self.mark, self.batch, self.clamp, self.reading)):
            grid.addWidget(button, at // 2, at % 2)
        self.body.addLayout(grid)
        row = QHBoxLayout()
        self.note = QLineEdit()
        self.note.setPlaceholderText("Note, then Enter")
        self.note.setAccessibleName("Note")
        self.note.setMinimumHeight(44)
        self.note.setMaxLength(LONGEST_TEXT)
        self.note.returnPressed.connect(self._note)
        row.addWidget(self.note, 1)
        self.body.addLayout(row)
        BubblesSection(self, self._guarded).build()
        if not self.document.job.in_mould:
            BucketSection(self, self._guarded).build()

    def _show_mark(self, on: bool) -> None:
        """A front is marked only where one can see it; else the button beside takes its place too."""
        if self.mark.isHidden() == on:
            self.mark.setVisible(on)
            self.touch_grid.removeWidget(self.batch)
            self.touch_grid.addWidget(self.batch, 0, 1 if on else 0, 1, 1 if on else 2)

    def _build_shot(self) -> None:
        """The figures of a shot in a closed mould: each typed once, and logged."""
        self.section("This shot")
        for figure in figures_for(self.document.job.process):
            if figure.label:
                field = FreeField(
                    figure.words, partial(self._shot_figure, figure), partial(self._log_figure, figure),
                    "Typed and Enter: it is logged for this shot.",
                )  # fmt: skip
                field.editor.setMinimumHeight(44)
                self.keep_fresh(field)
                row = QHBoxLayout()
                row.addWidget(field, 1)
                if figure.channel:
                    touch = QPushButton("–")
                    touch.setMinimumSize(TOUCH_PX, 44)
                    touch.setAccessibleName(f"Log {figure.words} as read")
                    touch.setToolTip("What the instrument shows now: one touch logs it")
                    touch.clicked.connect(lambda _=False, figure=figure: self._touch(figure))
                    row.addWidget(touch)
                    self.touches.append((figure, touch))
                self.body.addLayout(row)
        self.section("Checks of this shot")
        self.ticks = TickList(self, self._checks, ("Checks of this shot", "checked"), CHECKS_PX)

    def _checks(self, job: Job) -> list[Tick]:
        units = self.document.assessment.units
        return [Tick(check.label, check.text, CHECKED, check.ticked) for check in shot_checks(job, units)]

    def _shot_figure(self, figure: ShotFigure) -> str:
        value = figure_of(figure, self.document.job.shot)
        return "" if value is None else show(value, figure.kind, self.document.assessment.units)

    def _touch(self, figure: ShotFigure) -> None:
        value = self.desk.run.latest(figure.channel)
        if value is not None:
            self._guarded(lambda: self.desk.run.log_figure(figure, value))

    def _log_figure(self, figure: ShotFigure, text: str) -> None:
        value = parse(text, figure.kind, self.document.assessment.units)
        if not self._guarded(lambda: self.desk.run.log_figure(figure, value)):
            raise ValueError("It was NOT logged. Write it down.")

    def _build_instruments(self) -> None:
        run = self.desk.run
        self.section("Instruments")
        instruments = QHBoxLayout()
        self.rehearse = self.button("Rehearse with simulated instruments", self._rehearse, into=instruments)
        self.rehearse.setCheckable(True)
        self.pace = self.choice(
            "Pace", lambda: [(f"{pace:g} ×", pace) for pace in PACES], lambda: run.pace, self._set_pace,
            "How fast a rehearsal runs",
        )  # fmt: skip
        self.body.addLayout(instruments)
        self.connect_real = self.button("Connect the instruments", self._connect)

    def _glove(self, text: str, do: Callable[[], None]) -> QPushButton:
        made = QPushButton(text)
        made.setProperty("role", "glove")
        made.clicked.connect(lambda _=False: do())
        return made

    # -- showing -----------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        super().refresh()
        if self.ticks is not None:
            self.ticks.refresh()
        self.tick()

    def tick(self) -> None:
        """Show clock, countdown and readings."""
        run, units = self.desk.run, self.document.assessment.units
        clock = run.clock_s
        self.time.setText(run_clock(clock))
        left = self.document.assessment.flows_until_s - clock
        self.gel.setText(run_clock(left) if left > 0 else "over")
        for channel, shown in self.read.items():
            value = run.latest(channel)
            shown.setText("–" if value is None else show(value, CHANNELS[channel], units))
        for figure, button in self.touches:
            value = run.latest(figure.channel)
            button.setEnabled(value is not None and run.running and not self.document.read_only)
            button.setText("–" if value is None else f"Log {show(value, figure.kind, units)}")
        self._show_next()
        self.rehearse.setChecked(run.simulated is not None)
        self.pace.setVisible(run.simulated is not None)
        url = self.document.settings.instruments_url
        self.connect_real.setVisible(bool(url))
        self.connect_real.setText(f"Disconnect {url}" if run.link and not run.simulated else f"Connect {url}")
        for button in (self.mark, self.batch, self.clamp, self.reading):
            button.setEnabled(run.running and not self.document.read_only)
        self._show_mark(not self.document.job.in_mould or self.document.job.pair.upper.clear)
        batch = run.next_batch()
        self.batch.setText(f"{batch.label} poured" if batch is not None else "Extra batch poured")
        self.ended.setVisible(run.running and not run.finished)
        self.afresh.setVisible(run.finished)
        self._refresh_alerts()
        self.mixed.tick()

    def _show_next(self) -> None:
        """What the large button does: the next step of the list, and once all is done the end of the shot."""
        run = self.desk.run
        step, ending = run.next(), self._ending()
        if step is not None:
            text, detail = step.text, step.detail
            if step.due_s is not None:
                start_s = self.document.job.shot_start_s
                due = run_clock(round(step.due_s)) if run.started else clock_time(start_s + step.due_s)
                detail += f"  ·  planned {due}"
            if step.id == HELD:
                ago = held_ago(self.document.assessment, shot_clock.now())
                detail = f"{ago} {detail}" if ago else detail
        elif ending is not None:
            text, detail = ending[0], self._unread()
        else:
            text, detail = "Everything on the list is done", ""
        if text != self.next_button.accessibleName():
            # a second touch of a hurried hand must not end a shot, or begin another
            self._ready_s = time.monotonic() + (UNTOUCHED_S if step is None else 0.0)
            QTimer.singleShot(round(1200 * UNTOUCHED_S), self, self.tick)  # timers may be a twentieth early
        self.next_button.setText(fill(text, NEXT_LETTERS))
        self.next_button.setAccessibleName(text)
        self.detail.setText(detail)
        able = (step is not None or ending is not None) and time.monotonic() >= self._ready_s
        self.next_button.setEnabled(able and not self.document.read_only)

    def _ending(self) -> tuple[str, Callable[[], None]] | None:
        """What ends a shot whose list is done, or in a mould begins the next one."""
        run = self.desk.run
        if run.running and not run.finished:
            return "End the shot", lambda: self._log("finished")
        if run.finished and self.document.job.in_mould:
            return "Begin the next shot", self._afresh
        return None

    def _unread(self) -> str:
        """Figures of a shot in a mould that are not logged yet."""
        job = self.document.job
        missing = [
            figure.words.lower()
            for figure in (figures_for(job.process) if job.in_mould else ())
            if figure.label and figure_of(figure, job.shot) is None
        ]
        return f"Not logged yet: {', '.join(missing)}." if missing else ""

    def _fill_alerts(self, layout: QVBoxLayout) -> None:
        for text in self.desk.run.alerts():
            row = QHBoxLayout()
            row.addWidget(RankMark("stop", 24), 0, Qt.AlignmentFlag.AlignTop)
            row.addWidget(label(text, "figure"), 1)
            layout.addLayout(row)

    def _list_key(self) -> object:
        return self.desk.run.steps(), self.document.job.shot

    def _fill_list(self, layout: QVBoxLayout) -> None:
        steps = self.desk.run.steps()
        done = done_steps(steps, self.document.job.shot)
        start = self.document.job.shot_start_s
        for step in steps:
            was_done = step.id in done
            row = marked_row("settled" if was_done else "waits", step.text, "muted" if was_done else "")
            if step.due_s is not None:
                row.addWidget(label(clock_time(start + step.due_s), "muted", wrap=False))
            layout.addLayout(row)

    # -- doing -------------------------------------------------------------------------------------------------------

    def _guarded(self, act: Callable[[], None]) -> bool:
        """Do what writes to the log; whether it was written."""
        try:
            act()
        except OSError as error:
            self.desk.show_message(f"This was NOT logged ({error.strerror or error}). Write it down.")
            return False
        return True

    def do_next(self) -> None:
        self.next_button.click()

    def _do_next(self) -> None:
        step, ending = self.desk.run.next(), self._ending()
        if step is None and ending is not None:
            ending[1]()
        if step is None or (step.spends_resin and not self._answered_for(step)):
            return
        self._guarded(lambda: self.desk.run.do(step))

    def _answered_for(self, step: RunStep) -> bool:
        """Whether resin may be mixed or let in: a bag or mould that did not hold asks, once, who says so."""
        verdicts = self.document.assessment.hold_verdicts
        if self.desk.run.started or not verdicts or verdicts[-1][1].passed:
            return True
        test, verdict = verdicts[-1]
        if any(IN_SPITE_OF_LEAK in event.text and event.at >= test.taken_at for event in self.document.job.shot):
            return True
        leak = show(verdict.leak_pa_m3_s, "leak rate", self.document.assessment.units)
        why = next((caution.why for caution in self.document.cautions if caution.id == "hold-failed"), "")
        done = "let in" if step.kind == "valve opened" else "mixed"
        name, taken = QInputDialog.getText(
            self,
            "The last hold test failed",
            f"It leaks {leak}. {why}\nWho says that resin is {done} all the same?",
        )
        if not taken or not name.strip():
            self.desk.show_message(f"No resin was {done}. Find the leak at Hold, mend it, and hold again.")
            return False
        text = f"Resin {done} {IN_SPITE_OF_LEAK} with {leak}: {name.strip()}"
        return self._guarded(lambda: self.desk.run.log("note", text=text[:LONGEST_TEXT]))

    def _log(self, kind: EventKind, text: str = "") -> None:
        self._guarded(lambda: self.desk.run.log(kind, text))

    def _log_readings(self) -> None:
        self._guarded(self.desk.run.log_readings)

    def _pour(self) -> None:
        """The batch that is due, or one more than planned."""
        step = self.desk.run.next_batch()
        if step is None:
            self._log("batch added", "extra")
        else:
            self._guarded(lambda: self.desk.run.do(step))

    def _mark(self, place: tuple[float, float]) -> None:
        if self.desk.run.running:
            self._guarded(lambda: self.desk.run.log("front marked", place=place))

    def _note(self) -> None:
        text = self.note.text().strip()
        if text and self._guarded(lambda: self.desk.run.log("note", text=text)):
            self.note.clear()

    def _rehearse(self) -> None:
        if self.desk.run.simulated is None:
            self.desk.run.connect_simulated()
        else:
            self.desk.run.disconnect_instruments()
        self.refresh()

    def _connect(self) -> None:
        run = self.desk.run
        if run.link is not None and run.simulated is None:
            run.disconnect_instruments()
        else:
            run.connect_url(self.document.settings.instruments_url)

    def _set_pace(self, pace: float) -> None:
        self.desk.run.set_pace(pace)

    def _afresh(self) -> None:
        self._guarded(self.desk.run.begin_anew)
