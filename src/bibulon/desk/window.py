"""The window: strip, station rail, plan, time rail and bench."""

from __future__ import annotations

from collections.abc import Callable, Collection
from pathlib import Path

from PySide6.QtCore import QPoint, QTimer
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QMenu,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from bibulon import switches
from bibulon.cautions import Caution
from bibulon.demo import demo_job
from bibulon.desk import window_place
from bibulon.desk.benches.base import Bench
from bibulon.desk.dialogs.files import Files
from bibulon.desk.job_menu import JobMenu
from bibulon.desk.plan.tool_bar import ToolBar
from bibulon.desk.plan.view import PlanView
from bibulon.desk.plumbing.panel import PlumbingPanel
from bibulon.desk.plumbing_place import PlumbingPlace
from bibulon.desk.station_rail import StationRail
from bibulon.desk.stations import RUN_STATION, in_place_of, station_of, stations_for
from bibulon.desk.time_rail.rail import TimeRail
from bibulon.desk.verdict_strip import VerdictStrip
from bibulon.desk.widgets import icons, theme
from bibulon.desk.widgets.fields import OneLine, rule_line, tool_button
from bibulon.desk.widgets.note_bar import NoteBar
from bibulon.desk.widgets.reading_order import HeldKeyboard
from bibulon.desk.window_keys import WindowKeys
from bibulon.desk.work.background import Background
from bibulon.desk.work.document import Document
from bibulon.desk.work.fill_runner import FillRunner
from bibulon.desk.work.job_tasks import StudyAnswer, proposed_layout, study_answer
from bibulon.desk.work.opening import Opening, Source
from bibulon.desk.work.run_controller import RunController
from bibulon.desk.work.settings import Settings, save_settings
from bibulon.job import Job
from bibulon.job.base import StationId

PREPARE_EVERY_MS = 200
REST_EVERY_MS = 300
"""Under a moving hand the plan follows at once, what stands round it as often as this."""


class Window(WindowKeys):
    """The whole desk for one job at a time; its benches are built when they are asked for, or *ahead* as well."""

    tools: ToolBar

    def __init__(
        self,
        job: Job,
        settings: Settings,
        path: Path | None = None,
        runner: FillRunner | None = None,
        read_as: str | None = None,
        ahead: bool = True,
    ) -> None:
        super().__init__()
        self.setAcceptDrops(True)
        self.setWindowIcon(icons.icon("app", theme.LIGHT.accent, 64))
        window_place.place(self)
        self.runner = runner or FillRunner(self)
        self._owns_runner = runner is None
        self.document = Document(job, self.runner, settings, path, read_as)
        self.run = RunController(self.document)
        self.studies = Background(study_answer, self)
        self.proposals = Background(proposed_layout, self)
        self.opening = Opening(self)
        self.files = Files(self)
        self.plan = PlanView(self.document)
        self.time_rail = TimeRail(self.document)
        self.rail = StationRail()
        self.strip = VerdictStrip(self._menu_button(), self._history_buttons())
        self.station: StationId = "part"
        """The station that is shown."""
        self.benches: dict[StationId, Bench] = {}
        self._made_by = job.process, job.mixed_as_it_comes
        """By which the benches are made."""
        self._prepare_soon = QTimer(self)
        self._prepare_soon.setInterval(PREPARE_EVERY_MS)
        if ahead:
            self._prepare_soon.timeout.connect(self._prepare_a_bench)
        self.stack = QStackedWidget()
        self.status = OneLine("muted")
        self.pointer_text = OneLine("muted")
        self._refresh_soon = QTimer(self)
        self._refresh_soon.setSingleShot(True)
        self._refresh_soon.timeout.connect(self._follow)
        self._refresh_rest = QTimer(self)
        self._refresh_rest.setSingleShot(True)
        self._refresh_rest.setInterval(REST_EVERY_MS)
        self._refresh_rest.timeout.connect(self.refresh)
        self._lay_out()
        self._bind_keys()
        self.rail.chosen.connect(self.go)
        self.strip.asked.connect(self.go)
        self.strip.cautions_asked.connect(self.show_cautions)
        self.plan.hint_changed.connect(self.status.setText)
        self.plan.pointer_described.connect(self.pointer_text.setText)
        self.plumbing.diagram.pointer_described.connect(self.pointer_text.setText)
        self.plumbing.diagram.refused.connect(self.show_message)
        self.plan.tool_changed.connect(self.tools.mark)
        self.time_rail.scrubbed.connect(self.plan.set_time)
        self.time_rail.canvas.pointer_described.connect(self.pointer_text.setText)
        self.studies.finished.connect(self._keep_study)
        self.opening.progress_described.connect(self.status.setText)
        self.opening.ready.connect(self._put_on_desk)
        for work in (self.studies, self.proposals):
            work.ended.connect(self._show_failure)
        self.run.ticked.connect(self._tick)
        self.run.lost.connect(self.show_message)
        self.run.noticed.connect(self.show_message)
        QApplication.styleHints().colorSchemeChanged.connect(self._follow_appearance)
        self._attach()
        self.go("lines" if job.layup else "part")
        self.bench_of(self.station).setFocus()
        self._prepare_soon.start()

    # -- building ----------------------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        centre = QWidget()
        down = QVBoxLayout(centre)
        down.setContentsMargins(0, 0, 0, 0)
        down.setSpacing(0)
        down.addWidget(self.strip)
        across = QHBoxLayout()
        across.setSpacing(0)
        across.addWidget(self.rail)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        self.note = NoteBar()
        middle.addWidget(self.note)
        middle.addWidget(self.plan, 1)
        self.plumbing = PlumbingPanel(self.document, self.show_plumbing)
        middle.addWidget(self.plumbing)
        self.tools = ToolBar(self.plan, self.use_tool, self.fit_plan, self.show_plumbing)
        look_again = self._refresh_soon.start
        self.plumbing_place = PlumbingPlace(self.plumbing, self.plan, self.tools.plumbing, look_again)
        middle.addWidget(rule_line())
        middle.addWidget(self.time_rail)
        status = QHBoxLayout()
        status.setContentsMargins(10, 2, 10, 3)
        status.addWidget(self.status, 1)
        status.addWidget(self.pointer_text)
        status.setSpacing(12)
        middle.addWidget(rule_line())
        middle.addLayout(status)
        across.addLayout(middle, 1)
        self.bench = QFrame()
        self.bench.setObjectName("bench")
        inside = QVBoxLayout(self.bench)
        inside.setContentsMargins(1, 0, 0, 0)
        inside.addWidget(self.stack)
        across.addWidget(self.bench)
        down.addLayout(across, 1)
        self.setCentralWidget(centre)

    def _history_buttons(self) -> tuple[QToolButton, ...]:
        self.undo_button = tool_button("undo", "Undo", self.undo)
        self.redo_button = tool_button("redo", "Redo", self.redo)
        return self.undo_button, self.redo_button

    def _menu_button(self) -> QToolButton:
        button = tool_button("app", "Job and settings (Alt+J)")
        button.setShortcut("Alt+J")
        button.setIconSize(button.iconSize() * 1.5)
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        button.setMenu(JobMenu(button, self))
        return button

    # -- document ----------------------------------------------------------------------------------------------------

    def _attach(self) -> None:
        self.document.changed.connect(self._refresh_soon.start)
        self.document.message_raised.connect(self.show_message)
        self.document.assessment_progressed.connect(self.strip.show_share)
        if self.document.recover():
            if self.run.running:
                words = f"A run was under way: it goes on. {self.run.take_up()}".strip()
                self.show_message(words, ("Begin a new run", self._begin_anew))
            else:
                self.show_message("Unsaved work was taken up again.", ("Put it aside", self.document.undo))
        elif self.run.running and (doubt := self.run.take_up()):
            self.show_message(doubt)
        elif self.note.isHidden():
            self.offer_left_over()
        self.run.update_timer()
        self.refresh()

    def _begin_anew(self) -> None:
        try:
            self.run.begin_anew()
        except OSError as error:
            self.show_message(f"The run goes on: a new one could not be begun ({error.strerror or error}).")

    def open_document(
        self, job: Job, path: Path | None = None, read_as: str | None = None, key: str | None = None
    ) -> None:
        """Put another job on the desk, a large one once it is worked out; unsaved work on the one before is kept for
        recovery."""
        units = self.document.settings.units(job.shop.barometer_pa)
        self.opening.ask(job, Source(path, read_as, key), units)

    def _put_on_desk(self, job: Job, source: Source) -> None:
        if self.document.dirty:
            self.document.write_recovery()
        self.document.close()
        self.studies.cancel()
        self.proposals.cancel()
        settings = self.document.settings
        if source.path is not None:
            settings = settings.with_recent(source.path)
            save_settings(settings)
        self.document = Document(job, self.runner, settings, source.path, source.read_as, source.key)
        self.run.set_document(self.document)
        self._clear_benches(tuple(self.benches))
        self.note.hide()
        self._attach()
        self.plan.set_document(self.document)
        self.plumbing.diagram.set_document(self.document)
        self.time_rail.set_document(self.document)
        self.go("lines" if job.layup else "part")
        self.bench_of(self.station).setFocus()
        self._prepare_soon.start()

    def _clear_benches(self, stations: Collection[StationId]) -> None:
        """Forget the benches of *stations*: they are made anew when they are asked for."""
        for station in stations:
            if (bench := self.benches.pop(station, None)) is not None:
                self.stack.removeWidget(bench)
                bench.deleteLater()
        self._made_by = self.document.job.process, self.document.job.mixed_as_it_comes

    def _follow_process(self) -> None:
        """Other benches, and perhaps another station, for a job that is made in another way now."""
        job = self.document.job
        if self._made_by == (job.process, job.mixed_as_it_comes):
            return
        held = HeldKeyboard(self.bench_of(self.station).body)
        self._clear_benches(("charge",) if self._made_by[0] == job.process else tuple(self.benches))
        self._prepare_soon.start()
        if self.station not in self.benches:
            self.go(in_place_of(self.station, job.process))
            held.give_back(self.bench_of(self.station).body)

    def open_demo(self, file: str) -> None:
        """Put a shipped job on the desk."""
        self.open_document(demo_job(file))

    def new_job(self) -> None:
        self.open_document(self.document.settings.new_job())

    # -- stations, tools, notes --------------------------------------------------------------------------------------

    def go(self, station: StationId) -> None:
        """Show *station*, or what stands in its place in this job."""
        station, before = in_place_of(station, self.document.job.process), self.station
        shown = station_of(station).shown
        bench = self.bench_of(station)
        self.station = station
        self.stack.setCurrentWidget(bench)
        self.bench.setFixedWidth(bench.width_px)
        self.rail.choose(station)
        self.plan.set_shown(shown)
        self._show_moment()
        self.tools.show_for(station, self.document.job.process, bool(shown.edits), station_of(station).plumbing)
        self.plumbing_place.place(station_of(station).plumbing)
        if station != before and station_of(station).whole_day != station_of(before).whole_day:
            self.time_rail.day.setChecked(station_of(station).whole_day)
        bench.refresh()

    def bench_of(self, station: StationId) -> Bench:
        if station not in self.benches:
            self.benches[station] = station_of(station).made_for(self)
            self.stack.addWidget(self.benches[station])
        return self.benches[station]

    def _prepare_a_bench(self) -> None:
        """Build the benches one by one while nothing else goes on, so that each is there at once when asked for."""
        there = stations_for(self.document.job.process)
        waiting = [station.id for station in there if station.id not in self.benches]
        if waiting:
            self.bench_of(waiting[0])
        else:
            self._prepare_soon.stop()
            switches.set_what_stays_aside()

    def show_status(self, text: str) -> None:
        """Show *text* in the status line."""
        self.status.setText(text)

    def show_message(self, text: str, *actions: tuple[str, Callable[[], object]]) -> None:
        """Show a note over the plan, with up to two things to do about it."""
        self.note.show_message(text, *actions)

    def _show_failure(self, message: str) -> None:
        if message:
            self.show_message(message)

    def _keep_study(self, job: Job, answer: StudyAnswer) -> None:
        self.document.keep_study(job, answer)

    def show_caution(self, caution: Caution) -> None:
        """Go to where *caution* can be mended."""
        self.go(caution.station)
        if caution.subject:
            self.plan.choose(caution.subject)

    def show_cautions(self) -> None:
        """All cautions in one list; a click goes to where each is mended."""
        cautions = self.document.cautions
        panel = QMenu(self)
        if not cautions:
            panel.addAction("Nothing found.").setEnabled(False)
        for caution in cautions:
            name = station_of(caution.station).name
            action = panel.addAction(f"{caution.rank.upper()}  {name}: {caution.message}")
            action.setToolTip(caution.remedy)
            action.triggered.connect(lambda _=False, shown=caution: self.show_caution(shown))
        panel.setToolTipsVisible(True)
        corner = self.strip.cautions.mapToGlobal(self.strip.cautions.rect().bottomRight())
        panel.popup(corner - QPoint(panel.sizeHint().width(), 0))

    # -- refreshing --------------------------------------------------------------------------------------------------

    def _follow(self) -> None:
        """Show what changed. Under a moving hand the plan comes first, and the rest every now and then."""
        if not self.document.moving:
            self.refresh()
            return
        self.plan.refresh()
        if self.time_rail.canvas.underMouse():
            self.time_rail.refresh()
        if not self._refresh_rest.isActive():
            self._refresh_rest.start()

    def refresh(self) -> None:
        """Show the document as it is now."""
        self._refresh_rest.stop()
        document = self.document
        self._follow_process()
        state = " (only shown)" if document.read_only else " •" if document.dirty else ""
        self.setWindowTitle(f"{document.job.name}{state} – Bibulon")
        self.strip.refresh(document)
        self.rail.refresh(document)
        for button, text in ((self.undo_button, document.undo_label), (self.redo_button, document.redo_label)):
            button.setEnabled(bool(text))
            verb = "Undo" if button is self.undo_button else "Redo"
            button.setToolTip(f"{verb} {text}".strip())
            button.setAccessibleName(button.toolTip())
        if self.station in self.benches:
            self.benches[self.station].refresh()
        self.time_rail.refresh()
        self.plumbing_place.refresh()
        self._show_moment()
        self.plan.refresh()

    def _tick(self) -> None:
        self.time_rail.canvas.now_s = self.run.clock_s if self.run.running else None
        self._show_moment()
        self.time_rail.canvas.update()

    def _show_moment(self) -> None:
        """Have the plan show the fill by the shot's clock at its bench, elsewhere by the pointer of the rail."""
        by_clock = self.station == RUN_STATION.id and self.run.running
        time_s = self.run.clock_s if by_clock else self.time_rail.canvas.time_s
        if time_s != self.plan.time_s:
            self.plan.set_time(time_s)

    # -- leaving -------------------------------------------------------------------------------------------------------

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.document.dirty:
            self.document.write_recovery()
        self.run.disconnect_instruments()
        self.studies.cancel()
        self.proposals.cancel()
        self.opening.cancel()
        self.document.close()
        if self._owns_runner:
            self.runner.close()
        window_place.keep(self)
        event.accept()
