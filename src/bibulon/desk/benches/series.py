"""Series: every shot beside the others, which of them deserve a look, the lives of mould and seals, the cycle."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from bibulon.desk.benches.base import Bench
from bibulon.desk.widgets import theme
from bibulon.desk.widgets.control_chart import ControlChart
from bibulon.desk.widgets.fields import column, label
from bibulon.desk.widgets.rank_mark import marked_row
from bibulon.exchange.series_file import series_csv
from bibulon.mould.cycle import Cycle, tubes_cost
from bibulon.mould.lives import Worn, lives_of, with_new
from bibulon.mould.shots import FigureName, chart_of, figures_for, odd_shots, shots_of
from bibulon.planning.cycles_by_warmth import cycles_by_warmth
from bibulon.quantities import number_shown, show, unit_shown

TABLE_PX = 260
BAR_PX = 22
MOST_LOWERS = 6
MOST_ODD = 12
SHIFT_HINT = "Empty: from the planned start of the shot to the end of the shift."


class CycleBars(QWidget):
    """The steps of a cycle as bars on one clock; those that hold the upper half are filled."""

    def __init__(self) -> None:
        super().__init__()
        self.cycle: Cycle | None = None

    def draw(self, cycle: Cycle) -> None:
        self.cycle = cycle
        self.setFixedHeight(BAR_PX * len(cycle.steps) + 4)
        said = ", ".join(f"{step.name} {show(step.duration_s, 'duration')}" for step in cycle.steps)
        self.setAccessibleName(f"Steps of a cycle: {said}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.cycle is None:
            return
        palette = theme.current.palette
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(12))
        left, whole = 150, max(self.cycle.steps[-1].start_s + self.cycle.steps[-1].duration_s, 1.0)
        room = self.width() - left - 70
        for row, step in enumerate(self.cycle.steps):
            y = row * BAR_PX
            painter.setPen(QColor(palette.ink))
            painter.drawText(0, y, left - 8, BAR_PX, Qt.AlignmentFlag.AlignVCenter, step.name)
            x = left + round(room * step.start_s / whole)
            wide = max(round(room * step.duration_s / whole), 3)
            painter.setPen(QPen(QColor(palette.accent), 1.4))
            painter.setBrush(palette.colour("accent", 150) if step.upper else palette.colour("accent", 30))
            painter.drawRoundedRect(x, y + 4, wide, BAR_PX - 8, 2, 2)
            painter.setPen(QColor(palette.muted))
            text = show(step.duration_s, "duration")
            painter.drawText(x + wide + 6, y, 80, BAR_PX, Qt.AlignmentFlag.AlignVCenter, text)
        painter.end()


class LowersBars(QWidget):
    """Several lower halves under one upper: what each is busy with, filled where the upper is on it."""

    def __init__(self) -> None:
        super().__init__()
        self.cycle: Cycle | None = None

    def draw(self, cycle: Cycle) -> None:
        self.cycle = cycle
        self.setVisible(cycle.lowers > 1)
        self.setFixedHeight(BAR_PX * min(cycle.lowers, MOST_LOWERS) + 4)
        self.setAccessibleName(f"{cycle.lowers} moulds, one after another every {show(cycle.every_s, 'duration')}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.cycle is None:
            return
        cycle, palette = self.cycle, theme.current.palette
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(12))
        left, shown = 150, min(cycle.lowers, MOST_LOWERS)
        last, name = cycle.steps[-1], "Lower half" if cycle.shares_upper else "Mould"
        takes_s = last.start_s + last.duration_s
        span_s = max(takes_s + shown * cycle.every_s, 1.0)
        scale = (self.width() - left - 8) / span_s
        for row in range(shown):
            painter.setPen(QColor(palette.ink))
            painter.drawText(0, row * BAR_PX, left - 8, BAR_PX, Qt.AlignmentFlag.AlignVCenter, f"{name} {row + 1}")
            begun_s = row * cycle.every_s
            while begun_s < span_s:
                for step in cycle.steps:
                    x = left + round(scale * (begun_s + step.start_s))
                    wide = round(scale * step.duration_s)
                    if x >= self.width() - 8 or wide < 1:
                        continue
                    painter.setPen(QPen(QColor(palette.accent), 1))
                    painter.setBrush(palette.colour("accent", 150) if step.upper else palette.colour("accent", 30))
                    painter.drawRect(x, row * BAR_PX + 5, min(wide, self.width() - 8 - x), BAR_PX - 10)
                begun_s += max(cycle.every_s * cycle.lowers, 1.0)
        painter.end()


class SeriesBench(Bench):
    """The shots so far."""

    width_px = 560

    def build(self) -> None:
        self.figure_name: FigureName = "pot"
        self.figures = figures_for(self.document.job.process)
        self.figure("Shots logged", self._count)
        self.choice("Chart", self._figures, lambda: self.figure_name, self._choose)
        self.chart = ControlChart()
        self.body.addWidget(self.chart)
        self.none = label("No shot has logged this figure yet. It is entered at Shoot.", "muted")
        self.body.addWidget(self.none)
        self.section("Deserve a look")
        self.watch(lambda: (self.document.job.run, self.document.settings), column(3), self._fill_odd)
        self.section("Every shot")
        self.table = QTableWidget(0, len(self.figures) + 2)
        self.table.setAccessibleName("Every shot")
        self.table.setHorizontalHeaderLabels(["Shot", "Begun", *(figure.words for figure in self.figures)])
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)  # Tab leads on down the bench
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setFixedHeight(TABLE_PX)
        head = self.table.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.body.addWidget(self.table)
        row = QHBoxLayout()
        self.button("Shots as CSV …", self._csv, into=row)
        self.button("Shot card as PDF …", self._card, into=row).setToolTip("One page, to hang beside the press")
        row.addStretch(1)
        self.body.addLayout(row)
        self.section("Lives")
        for life in lives_of(self.document.job):
            self.figure(f"Shots left, {life.name}", partial(self._left, life.name))
        self.choice("Put in a new", self._worn, lambda: None, self._put_in_new, "Counted from the next shot on.")
        self._build_cycle()
        self._shown: object = None

    def refresh(self) -> None:
        super().refresh()
        key = self.document.job.run, self.document.settings, self.figure_name
        if key != self._shown:
            self._shown = key
            self._draw_chart()
            self._fill_table()
        self.bars.draw(self.document.assessment.cycle)
        self.lowers.draw(self.document.assessment.cycle)

    # -- shots -------------------------------------------------------------------------------------------------------

    def _count(self) -> tuple[str, str]:
        shots = shots_of(self.document.job)
        wanted = self.document.job.series.quantity
        return f"{len(shots)} of {wanted}", "Shots that were begun and ended, of those wanted."

    def _figures(self) -> list[tuple[str, FigureName]]:
        return [(figure.words, figure.name) for figure in self.figures]

    def _choose(self, name: FigureName) -> None:
        self.figure_name = name
        self.refresh()

    def _draw_chart(self) -> None:
        figure = next(figure for figure in self.figures if figure.name == self.figure_name)
        chart = chart_of(figure, shots_of(self.document.job))
        self.chart.setVisible(chart is not None)
        self.none.setVisible(chart is None)
        if chart is None:
            return
        units = self.document.assessment.units

        def number(value: float) -> float:
            return number_shown(value, figure.kind, units)

        def span(value: float) -> float:
            return abs(number(value) - number(0.0))

        self.chart.draw(chart, number, span, unit_shown(figure.kind, units))

    def _fill_odd(self, layout: QVBoxLayout) -> None:
        shots = {shot.number: shot for shot in shots_of(self.document.job)}
        odd = odd_shots(self.document.job.process, tuple(shots.values()))
        for number in sorted(odd, reverse=True)[:MOST_ODD]:
            why = "; ".join(f"{figure.words.lower()} {reason}" for figure, reason in odd[number])
            note = f" “{shots[number].note}”" if shots[number].note else ""
            layout.addLayout(marked_row("caution", f"Shot {number}: {why}.{note}"))
        if not odd:
            enough = len(shots) >= 5
            layout.addWidget(label("None." if enough else "Limits come with the fifth shot.", "muted"))

    def _fill_table(self) -> None:
        units, shots = self.document.assessment.units, shots_of(self.document.job)
        odd = odd_shots(self.document.job.process, shots)
        self.table.setRowCount(len(shots))
        for row, shot in enumerate(reversed(shots)):
            flagged = {figure.name for figure, _ in odd.get(shot.number, ())}
            texts = [str(shot.number), shot.at.strftime("%d %b %H:%M")]
            for figure in self.figures:
                value = shot.figures[figure.name]
                mark = " ◆" if figure.name in flagged else ""
                texts.append("–" if value is None else show(value, figure.kind, units) + mark)
            for at, text in enumerate(texts):
                self.table.setItem(row, at, QTableWidgetItem(text))

    def _csv(self) -> None:
        self.desk.files.save_bytes("Shots", ".csv", lambda: series_csv(self.document.job).encode("utf-8"))

    def _card(self) -> None:
        from bibulon.record.shot_card import shot_card_pdf  # loads the PDF writer, only when papers are asked for

        self.desk.files.save_bytes("Shot card", ".pdf", lambda: shot_card_pdf(self.document.assessment))

    def _left(self, name: Worn) -> tuple[str, str]:
        life = next(life for life in lives_of(self.document.job) if life.name == name)
        return str(life.left), life.how

    def _worn(self) -> list[tuple[str, Worn | None]]:
        return [("…", None), *((life.name, life.name) for life in lives_of(self.document.job) if life.made)]

    def _put_in_new(self, name: Worn | None) -> None:
        if name is not None:
            self.document.edit(f"new {name}", with_new(self.document.job, name))

    # -- the cycle ---------------------------------------------------------------------------------------------------

    def _build_cycle(self) -> None:
        self.section("Cycle")
        self.bars = CycleBars()
        self.body.addWidget(self.bars)
        self.lowers = LowersBars()
        self.body.addWidget(self.lowers)
        self.figure("A shot every", self._every)
        self.figure("Shots per shift", self._per_shift)
        self.figure("Held up by", self._held_up)
        self.figure("Cost per shot", self._cost)
        self.figure("Tubes thrown away", self._tubes)
        self.watch(lambda: (self.document.assessment, self.document.settings), column(2), self._fill_warmth)
        self.quantity("Clean and release", "duration", "series/cycle/clean_s")
        self.quantity("Gel coat", "duration", "series/cycle/gel_coat_s", "Sprayed, and until it is tacky.")
        self.quantity("Load", "duration", "series/cycle/load_s")
        self.quantity("Close", "duration", "series/cycle/close_s")
        self.quantity("Vacuum and hold test", "duration", "series/cycle/vacuum_s")
        self.quantity("Open and take out", "duration", "series/cycle/open_s")
        shares_upper = self.document.assessment.cycle.shares_upper
        name, hint = ("Lower halves", "For the one upper half.") if shares_upper else ("Moulds", "Loaded in turn.")
        self.quantity(name, "count", "series/cycle/lowers", hint)
        self.quantity("People", "count", "series/cycle/people")
        self.quantity("A shift lasts", "duration", "series/cycle/shift_s", SHIFT_HINT, empty="as planned at Part")
        self.quantity("One is wanted every", "duration", "series/cycle/wanted_s", "", empty="not said")
        self.quantity("Labour, per hour", "money", "series/cycle/labour_per_h", "", empty="not said")
        self.quantity("Moulds cost", "money", "series/cycle/mould_price", "Over their life in shots.", empty="not said")

    def _tubes(self) -> tuple[str, str]:
        return self.shown(tubes_cost(self.document.job), "money"), "Of the ports, by the prices on their cards; in it."

    def _fill_warmth(self, layout: QVBoxLayout) -> None:
        """The cycle on a colder and a warmer day, the mould going with the shop."""
        a, units = self.document.assessment, self.document.assessment.units
        for cycle, temperature_k in cycles_by_warmth(a):
            text = (
                f"At {show(temperature_k, 'temperature', units)} a shot comes every {show(cycle.every_s, 'duration')}"
            )
            layout.addWidget(label(f"{text}, {cycle.shots_per_shift} a shift.", "muted"))

    def _every(self) -> tuple[str, str]:
        cycle = self.document.assessment.cycle
        return show(cycle.every_s, "duration"), "The longest of what mould halves and people are busy with."

    def _per_shift(self) -> tuple[str, str]:
        cycle = self.document.assessment.cycle
        more = cycle.with_another - cycle.shots_per_shift
        half = "lower half" if cycle.shares_upper else "mould"
        how = f"In a shift that goes on where the one before left off. One more {half}: {cycle.with_another}."
        return f"{cycle.shots_per_shift}{f' (+{more} with another {half})' if more > 0 else ''}", how

    def _held_up(self) -> tuple[str, str]:
        cycle = self.document.assessment.cycle
        return f"{cycle.held_up_by}: {cycle.longest.lower()}", "What is busy longest, and the longest of its steps."

    def _cost(self) -> tuple[str, str]:
        cycle = self.document.assessment.cycle
        if cycle.cost_per_shot is None:
            return "–", "Say what labour costs."
        return self.shown(cycle.cost_per_shot, "money"), (
            "Labour by the time of hands, the moulds by their life, and tubes that are thrown away."
        )
