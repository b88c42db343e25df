"""A resin card from its data sheet: tables typed, pasted or from CSV, what is fitted to them, and how well it fits."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QStackedWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from bibulon.desk.dialogs.resin_sheet_charts import drawn_table
from bibulon.desk.widgets.choices import ChoiceBox
from bibulon.desk.widgets.curves_chart import CurvesChart
from bibulon.desk.widgets.fields import label
from bibulon.desk.work.background import Background
from bibulon.desk.work.helper_process import in_helper_process
from bibulon.exchange.resin_sheet import TABLES, SheetError, entries_text, read_table, table_text, with_tables
from bibulon.job.resin_card import ResinCard
from bibulon.quantities import Units, show, show_measure
from bibulon.quantities_in_words import percent, signed_share
from bibulon.quantity_text import QuantityError, parse
from bibulon.resin.card_law import law_of
from bibulon.resin.data_range import BEYOND_K
from bibulon.resin.fitting import CureFit, FitRow, fit_cure
from bibulon.resin.sheet_lines import SheetFigure, sheet_contradiction, sheet_figures
from bibulon.workers.report import Report

SIZE = (1180, 740)
SIDE_PX = 430
OLD_FIGURES = "Something that is typed cannot be read. Chart and table are of what could be read last."
MANY_TIMES, MOST_TIMES = 4, 1000


def fit_answer(report: Report, card: ResinCard) -> CureFit:
    """Fit the constants of cure of *card*, in the helper process."""
    return in_helper_process(_fit, report, card)


def _fit(report: Report, card: ResinCard) -> CureFit:
    return fit_cure(card, report.progress)


class ResinSheetDialog(QDialog):
    """Tables of a data sheet at the left, their points and what is fitted to them at the right.

    ``card`` is the card with what was typed, and the fitted constants if they were asked for; it is kept on accepting.
    """

    def __init__(self, parent: QWidget | None, card: ResinCard, units: Units) -> None:
        super().__init__(parent)
        self.setWindowTitle("Resin from its data sheet")
        self.resize(*SIZE)
        self.card, self._began, self._units = card, card, units
        self._found: CureFit | None = None
        self._by_fit: dict[QLineEdit, str] = {}
        self._work = Background(fit_answer, self)
        self._work.finished.connect(self._take_fit)
        self._work.failed.connect(self._fit_failed)
        self._work.progressed.connect(self._show_progress)
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 16, 18, 16)
        row.setSpacing(18)
        side = QWidget()
        side.setLayout(self._left())
        side.setFixedWidth(SIDE_PX)
        row.addWidget(side)
        right = QVBoxLayout()
        self.chart = CurvesChart("The chosen table, and the curve through it", 330)
        right.addWidget(self.chart, 3)
        self.chart_words = label("", "muted")
        right.addWidget(self.chart_words, 0, Qt.AlignmentFlag.AlignTop)
        self.contradiction = label("", "error")
        right.addWidget(self.contradiction, 0, Qt.AlignmentFlag.AlignTop)
        self.rows = QTableWidget(0, 5)
        self.rows.setAccessibleName("Figures of the sheet beside the fit's")
        self.rows.setHorizontalHeaderLabels(["Figure", "At", "Sheet", "Fit", "Off"])
        self.rows.verticalHeader().hide()
        self.rows.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.rows.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.rows.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.rows.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        right.addWidget(self.rows, 2)
        self.fit_words = label("", "muted")
        right.addWidget(self.fit_words, 0, Qt.AlignmentFlag.AlignTop)
        right.addStretch()
        row.addLayout(right, 1)
        self._show_fit()
        self._show_table()

    def _left(self) -> QVBoxLayout:
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(label("Resin from its data sheet", "title"))
        left.addWidget(label(f"{self.card.name}. One figure of the sheet a line, with its unit.", "muted"))
        self.choice = ChoiceBox()
        self.choice.setAccessibleName("Table of the data sheet")
        left.addWidget(self.choice)
        self.pages = QStackedWidget()
        self.editors: dict[str, QPlainTextEdit] = {}
        self.wrong: dict[str, Any] = {}
        for table in TABLES:
            page = QWidget()
            inside = QVBoxLayout(page)
            inside.setContentsMargins(0, 0, 0, 0)
            inside.addWidget(label(f"{table.asked}: {table.example}", "muted"))
            editor = QPlainTextEdit(table_text(table, self.card, self._units))
            editor.setAccessibleName(table.words)
            editor.setPlaceholderText(table.example)
            editor.setTabChangesFocus(True)
            editor.textChanged.connect(self._changed)
            inside.addWidget(editor, 1)
            error = label("", "error")
            inside.addWidget(error)
            self.editors[table.name], self.wrong[table.name] = editor, error
            self.pages.addWidget(page)
            self.choice.addItem(table.words)
        self._count()
        self.choice.currentIndexChanged.connect(self.pages.setCurrentIndex)
        self.choice.currentIndexChanged.connect(lambda _: self._show_table())
        left.addWidget(self.pages, 1)
        self.heat = QLineEdit(_heat_text(self.card.heat_j_kg))
        self.full = QLineEdit(
            "" if self.card.tg_full_k is None else show(self.card.tg_full_k, "temperature", self._units)
        )
        constants = QFormLayout()
        constants.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        for name, line in (("Heat of cure, kJ/kg", self.heat), ("Tg cured through", self.full)):
            line.setAccessibleName(name)
            line.setPlaceholderText("usual for the chemistry")
            line.textChanged.connect(self._changed)
            constants.addRow(label(name), line)
        left.addLayout(constants)
        self.error = label("", "error")
        left.addWidget(self.error)
        buttons = QHBoxLayout()
        self.from_file = self._button(buttons, "From CSV …", self._from_csv)
        self.fit = self._button(buttons, "Fit the cure", self._ask_fit)
        self.unfit = self._button(buttons, "Without fit", self._drop_fit)
        left.addLayout(buttons)
        ends = QHBoxLayout()
        self.keep = self._button(ends, "Keep on the card", self._keep)
        self.keep.setProperty("role", "main")
        self._button(ends, "Leave it", self.reject)
        left.addLayout(ends)
        return left

    def _button(self, into: QHBoxLayout, text: str, do: Any) -> QPushButton:
        made = QPushButton(text)
        made.setAutoDefault(False)
        made.clicked.connect(lambda _=False: do())
        into.addWidget(made)
        return made

    def _count(self) -> None:
        """Say in the choice how much is written in each table, and where something is wrong."""
        for at, table in enumerate(TABLES):
            lines = sum(1 for line in self.editors[table.name].toPlainText().splitlines() if line.strip())
            said = "cannot be read" if self.wrong[table.name].text() else f"{lines} line{'s' if lines != 1 else ''}"
            self.choice.setItemText(at, f"{table.words}: {said if lines else 'nothing'}")

    # -- what is typed -----------------------------------------------------------------------------------------------

    def typed(self) -> ResinCard | None:
        """The card with what stands in the tables; None where something cannot be read, which is said there."""
        tables: dict[Any, tuple[Any, ...]] = {}
        bad = False
        for table in TABLES:
            editor, error = self.editors[table.name], self.wrong[table.name]
            said = ""
            if editor.toPlainText().strip() != table_text(table, self._began, self._units).strip():
                try:
                    tables[table.name] = read_table(table, editor.toPlainText(), self._units)
                except SheetError as wrong:
                    said, bad = str(wrong), True
            error.setText(said)
        self._count()
        said = ""
        update: dict[str, Any] = {}
        try:
            heat = self.heat.text().strip().replace(",", ".")
            update["heat_j_kg"] = float(heat) * 1000 if heat else None
            if update["heat_j_kg"] is not None and not 10_000 <= update["heat_j_kg"] <= 1_000_000:
                said = "A heat of cure lies between 10 and 1000 kJ/kg."
            full = self.full.text().strip()
            update["tg_full_k"] = parse(full, "temperature", self._units) if full else None
            if update["tg_full_k"] is not None and not 250 <= update["tg_full_k"] <= 620:
                said = "A glass transition lies between −20 and 350 °C."
        except QuantityError as wrong:
            said = str(wrong)
        except ValueError:
            said = "The heat of cure is a number of kJ/kg, or empty."
        card = None
        if not bad and not said:
            same = all(getattr(self._began, name) == value for name, value in update.items())
            try:
                card = self._began if same and not tables else with_tables(self._began, tables)
                card = card.model_copy(update=update) if not same else card
            except SheetError as wrong:
                said = str(wrong)
        self.error.setText(said)
        for button in (self.keep, self.fit):
            button.setEnabled(card is not None)
        return card

    def _changed(self) -> None:
        card, was_old = self.typed(), not self.rows.isEnabled()
        self.rows.setEnabled(card is not None)
        if card is None:
            self.contradiction.setText(OLD_FIGURES)
            self.contradiction.show()
        elif card != self.card or was_old:
            self._found = self._found if card == self.card else None
            self.card = card
            self._show_fit()
        self._show_table()

    def _from_csv(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "A table of the data sheet", "", "Tables (*.csv *.txt *.tsv)")
        if not name:
            return
        table = TABLES[self.choice.currentIndex()]
        try:
            text = Path(name).read_bytes()[:1_000_000].decode("utf-8-sig")
        except (OSError, UnicodeDecodeError) as error:
            self.error.setText(
                f"{Path(name).name} could not be read ({getattr(error, 'strerror', None) or 'no text'})."
            )
            return
        with suppress(SheetError):  # which is said at the table
            # each figure with the unit that it was read in, so that a wrong one is seen
            text = entries_text(table, read_table(table, text, self._units), self._units)
        self.editors[table.name].setPlainText(text)

    # -- the fit -----------------------------------------------------------------------------------------------------

    def _ask_fit(self) -> None:
        if self.typed() is None:
            return
        self._clear_fitted()
        card = self.typed()
        if card is None:
            return
        self.card = card
        self.fit.setEnabled(False)
        self.fit_words.setText("Fitting …")
        self._work.start(card.model_copy(update={"cure": None}))

    def _show_progress(self, share: float) -> None:
        self.fit_words.setText(f"Fitting: {percent(share)}")

    def _take_fit(self, asked: ResinCard, found: CureFit) -> None:
        self.fit.setEnabled(True)
        if asked != self.card.model_copy(update={"cure": None}):
            return  # something else was typed meanwhile
        if found.heat_j_kg is not None:
            self._write_fitted(self.heat, _heat_text(found.heat_j_kg))
        if found.tg_full_k is not None:
            self._write_fitted(self.full, show(found.tg_full_k, "temperature", self._units))
        self._found = found
        self.card = (self.typed() or self.card).model_copy(update={"cure": found.constants})
        self._show_fit()
        self._show_table()

    def _fit_failed(self, _: object, error: Exception) -> None:
        self.fit.setEnabled(True)
        self.fit_words.setText("")
        self.error.setText(str(error))

    def _write_fitted(self, editor: QLineEdit, text: str) -> None:
        """Write into a field of a constant what a fit found."""
        self._by_fit[editor] = text
        editor.setText(text)

    def _clear_fitted(self) -> None:
        """Empty the fields that still stand as the last fit wrote them: what was typed stays."""
        for editor, text in self._by_fit.items():
            if editor.text() == text:
                editor.setText("")
        self._by_fit.clear()

    def _drop_fit(self) -> None:
        self._clear_fitted()
        self._found = None
        self.card = self.card.model_copy(update={"cure": None})
        self._show_fit()
        self._show_table()

    def _show_fit(self) -> None:
        self.unfit.setEnabled(self.card.cure is not None)
        found = self._found
        self.contradiction.setText(sheet_contradiction(self.card, self._units))
        self.contradiction.setVisible(bool(self.contradiction.text()))
        self._fill_rows()
        if found is None:
            law = law_of(self.card)
            kept = "Fitted constants are on the card." if self.card.cure is not None else (
                "Not fitted: gel and pot life are taken from their points, the rate of cure is usual for the chemistry."
            )  # fmt: skip
            self.fit_words.setText(f"{kept} Assumed: {_listed(law.assumed)}." if law.assumed else kept)
            return
        low, high = (show(value, "temperature", self._units) for value in (found.coldest_k, found.warmest_k))
        agree = f"Figures lie within a factor of {found.spread:.2f} of the fit."
        wrong = found.contradiction
        if wrong is not None:
            agree = f"The figures contradict one another, most of all {wrong.what} at {self._where(wrong)}."
        self.fit_words.setText(
            f"{agree} Data from {low} to {high}: trusted {BEYOND_K:.0f} K beyond. Assumed: {_listed(found.assumed)}."
        )

    def _fill_rows(self) -> None:
        """Every figure beside what the fit makes of it, or the line of its own table."""
        fitted = self._found.rows if self._found is not None else ()
        by_fit = {row.what for row in fitted if row.at_s is None}
        by_line = [one for one in sheet_figures(self.card) if one.what not in by_fit]
        lines = [(row.what, self._where(row), row.kind, row.measured, row.fitted) for row in fitted]
        lines += [(one.what, self._where(one), one.kind, one.measured, one.made) for one in by_line]
        self.rows.setVisible(bool(lines))
        self.rows.setRowCount(len(lines))
        for at, (what, where, kind, measured, made) in enumerate(lines):
            off = f"{made - measured:+.1f} K" if kind == "temperature" else _off_text(made / measured - 1)
            texts = (what, where, show(measured, kind, self._units), show(made, kind, self._units), off)
            for column, text in enumerate(texts):
                self.rows.setItem(at, column, QTableWidgetItem(text))

    def _where(self, row: FitRow | SheetFigure) -> str:
        """Of which pot, at what dose and temperature, and when a figure is."""
        where = show(row.temperature_k, "temperature", self._units)
        if row.mass_kg is not None:
            where = f"{show_measure(row.mass_kg, 'mass', self._units)}, {where}"
        if isinstance(row, SheetFigure):
            return where if row.dose is None else f"{percent(row.dose, 1)}, {where}"
        return where if row.at_s is None else f"{where}, {show(row.at_s, 'duration', self._units)}"

    # -- the chart ---------------------------------------------------------------------------------------------------

    def _show_table(self) -> None:
        table = TABLES[self.choice.currentIndex()]
        drawn, bottom, left, words = drawn_table(table, self.card, self._units)
        self.chart.draw(drawn, bottom, left)
        self.chart_words.setText(words)

    def _keep(self) -> None:
        card = self.typed()
        if card is None:
            return
        self.card = card.model_copy(update={"cure": self.card.cure})
        if self.card != self._began:
            self.card = self.card.model_copy(update={"source": "data sheet"})
        self.accept()


def _heat_text(heat_j_kg: float | None) -> str:
    return "" if heat_j_kg is None else f"{heat_j_kg / 1000:.3g}"


def _off_text(off: float) -> str:
    """By what share a fit is off; far off as how many times, for nobody reads a share of thousands."""
    if off < MANY_TIMES - 1:
        return signed_share(off, 0)
    return f"× {off + 1:.0f}" if off < MOST_TIMES else f"over × {MOST_TIMES}"


def _listed(words: Sequence[str]) -> str:
    return "; ".join(words)
