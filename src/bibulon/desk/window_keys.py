"""The keys of the main window, and what they do: stations, tools, panes, undo, the next step of a shot."""

from __future__ import annotations

from abc import abstractmethod
from functools import partial
from operator import attrgetter

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QApplication, QLineEdit, QPlainTextEdit, QWidget

from bibulon.desk.plan.toolbox import tool_named
from bibulon.desk.plumbing_place import PlumbingPlace
from bibulon.desk.shortcuts import SHORTCUTS
from bibulon.desk.station_rail import StationRail
from bibulon.desk.stations import PLUMBING_STATION, RUN_STATION, station_of, stations_for
from bibulon.desk.window_dialogs import WindowDialogs
from bibulon.job.base import StationId


class WindowKeys(WindowDialogs):
    """What of the main window its shortcuts do; the rest of it is :class:`~bibulon.desk.window.Window`."""

    rail: StationRail
    plumbing_place: PlumbingPlace

    @abstractmethod
    def go(self, station: StationId) -> None:
        """Show *station*, or what stands in its place in this job."""

    def _bind_keys(self) -> None:
        for shortcut in SHORTCUTS:
            if not shortcut.method:
                continue
            bound = QShortcut(QKeySequence(shortcut.keys), self)
            bound.setObjectName(shortcut.keys)
            bound.activated.connect(lambda pressed=shortcut: self._pressed(pressed.method, pressed.argument))
        for number in range(1, 11):
            QShortcut(QKeySequence(f"Alt+{number % 10}"), self).activated.connect(partial(self._go_to_number, number))

    def _go_to_number(self, number: int) -> None:
        there = stations_for(self.document.job.process)
        if number <= len(there):
            self.go(there[number - 1].id)
            self.bench_of(self.station).setFocus(Qt.FocusReason.ShortcutFocusReason)

    def _pressed(self, method: str, argument: str) -> None:
        do = attrgetter(method)(self)
        do(argument) if argument else do()

    # -- panes -------------------------------------------------------------------------------------------------------

    def next_pane(self) -> None:
        """Give the keyboard to the next of stations, plan, time rail and bench."""
        self._go_to_pane(1)

    def previous_pane(self) -> None:
        """Give the keyboard to the one before."""
        self._go_to_pane(-1)

    def _go_to_pane(self, by: int) -> None:
        bench, held = self.bench_of(self.station), QApplication.focusWidget()
        panes: tuple[tuple[QWidget, QWidget], ...] = (  # each with what in it takes the keyboard first
            (self.rail, self.rail.buttons[self.station]),
            (self.plan, self.plan),
            (self.time_rail, self.time_rail.canvas),
            (bench, bench),
        )
        holds = [held is pane or (held is not None and pane.isAncestorOf(held)) for pane, _ in panes]
        at = holds.index(True) if True in holds else -1 if by > 0 else 0
        panes[(at + by) % len(panes)][1].setFocus(Qt.FocusReason.ShortcutFocusReason)

    # -- what keys do ------------------------------------------------------------------------------------------------

    def use_tool(self, name: str) -> None:
        """Take up a drawing tool, at the station where it belongs."""
        if self._typing():
            return
        tool = tool_named(name)
        if self.document.job.process not in tool.processes:
            return
        if self.station not in tool.stations and tool.stations and not tool.stays:
            self.go(tool.stations[0])
        self.plan.set_tool(name)
        self.plan.setFocus()

    def show_plumbing(self) -> None:
        """Show the plumbing diagram under the plan, or put it away if it is there."""
        if self._typing():
            return
        here = station_of(self.station).plumbing
        self.plumbing_place.wanted = not (self.plumbing_place.wanted and here)
        if here:
            self.plumbing_place.place(here)
        else:
            self.go(PLUMBING_STATION.id)

    def _typing(self) -> bool:
        return isinstance(QApplication.focusWidget(), QLineEdit | QPlainTextEdit)

    def fit_plan(self) -> None:
        self.plan.fit()

    def undo(self) -> None:
        self.document.undo()

    def redo(self) -> None:
        self.document.redo()

    def next_step(self) -> None:
        """Do the next step of the shot."""
        if self.station != RUN_STATION.id:
            self.go(RUN_STATION.id)
            return
        self.bench_of(self.station).do_next()
