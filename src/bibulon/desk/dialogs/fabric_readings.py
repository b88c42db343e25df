"""What the shop's own tests of a fabric have in common: readings typed or pasted in, what they say, and their plot."""

from __future__ import annotations

import re
from abc import abstractmethod
from collections.abc import Iterable, Sequence

import pyqtgraph
from PySide6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.desk.widgets import theme
from bibulon.desk.widgets.fields import label
from bibulon.desk.widgets.line_chart import dress_axis
from bibulon.job.cards import FabricCard
from bibulon.laminate.fabric_tests import FabricTestRefusal
from bibulon.quantities import QuantityKind, Units
from bibulon.quantity_text import QuantityError, parse, unit_in_heading

SIDE_PX = 330


def parse_pairs(
    text: str, kinds: tuple[QuantityKind, QuantityKind], bare: str, example: str, units: Units
) -> tuple[tuple[float, float], ...]:
    """Two figures from each line; *bare* is the unit of a first figure that has none ("" for the shop's).

    A heading may name units. Raises QuantityError naming the line.
    """
    pairs: list[tuple[float, float]] = []
    heads = (bare, "")
    for number, line in enumerate(text.splitlines(), 1):
        cells = [cell.strip() for cell in re.split(r"[;\t]|,(?!\d)|,\s+|\s{2,}", line) if cell.strip()]
        if len(cells) == 1:
            cells = re.split(r"\s+(?=[\d.])", cells[0], maxsplit=1)
        if not cells:
            continue
        if not pairs and not re.match(r"[\d.]", cells[0]):  # a heading
            named = re.split(r"[;\t,]", line)
            heads = (unit_in_heading(named[0], kinds[0]) or bare, unit_in_heading(named[-1], kinds[1]))
            continue
        if len(cells) < 2:
            raise QuantityError(f"Line {number}: write {example}.")
        try:
            first = cells[0] if re.search(r"[a-zA-Z:%]", cells[0]) else f"{cells[0]} {heads[0]}"
            second = cells[1] if re.search(r"[a-zA-Z:%]", cells[1]) else f"{cells[1]} {heads[1]}"
            pairs.append((parse(first, kinds[0], units), parse(second, kinds[1], units)))
        except QuantityError as error:
            raise QuantityError(f"Line {number}: {error}") from error
    return tuple(pairs)


class ReadingsDialog(QDialog):
    """Readings at the left, the fitted curve at the right; ``card`` is the fabric's with what was found."""

    title = ""
    intro = ""
    """What was measured; {name} is the fabric's."""
    asked = ""
    """What to write on each line."""
    nothing = ""
    """Said while nothing is written yet."""
    axes = ("", "")
    """Vertical and horizontal."""

    def __init__(self, parent: QWidget | None, card: FabricCard, units: Units) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.title)
        self.card, self._units = card, units
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 16, 18, 16)
        row.setSpacing(18)
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(label(self.title, "title"))
        left.addWidget(label(self.intro.format(name=card.name), "muted"))
        self.form = QFormLayout()
        left.addLayout(self.form)
        left.addWidget(label(self.asked, "muted"))
        self.readings = QPlainTextEdit()
        self.readings.setAccessibleName("Readings")
        self.readings.setTabChangesFocus(True)
        left.addWidget(self.readings, 1)
        self.found_text = label("", "figure")
        self.notes_text = label("", "muted")
        self.error = label("", "error")
        for text in (self.found_text, self.notes_text, self.error):
            left.addWidget(text)
        buttons = QHBoxLayout()
        self.take = QPushButton("Keep on the card")
        self.take.setProperty("role", "main")
        self.take.clicked.connect(self._keep)
        leave = QPushButton("Leave it")
        leave.clicked.connect(self.reject)
        for button in (self.take, leave):
            button.setAutoDefault(False)
            buttons.addWidget(button)
        left.addLayout(buttons)
        side = QWidget()
        side.setLayout(left)
        side.setFixedWidth(SIDE_PX)
        row.addWidget(side)
        self.plot = pyqtgraph.PlotWidget()
        self.plot.setMenuEnabled(False)
        self.plot.setMouseEnabled(False, False)
        self.plot.hideButtons()
        self.plot.setAccessibleName(f"{self.title}: plot")
        self.plot.setMinimumSize(420, 400)
        row.addWidget(self.plot, 1)
        self.build()
        self.readings.textChanged.connect(self._work_out)
        self._work_out()

    def line(self, name: str, hint: str, text: str = "") -> QLineEdit:
        """A figure that the test needs beside its readings."""
        made = QLineEdit(text)
        made.setAccessibleName(name)
        made.setPlaceholderText(hint)
        made.textChanged.connect(lambda _: self._work_out())
        self.form.addRow(name, made)
        return made

    @abstractmethod
    def build(self) -> None:
        """Add the figures that the test needs."""

    @abstractmethod
    def read(self) -> Sequence[tuple[float, float]]:
        """The readings. Raises QuantityError."""

    @abstractmethod
    def fit_to(self, readings: Sequence[tuple[float, float]]) -> tuple[str, str]:
        """Fit, and say what was found and how sure it is. Raises QuantityError or FabricTestRefusal."""

    @abstractmethod
    def draw(self, readings: Sequence[tuple[float, float]], fitted: bool) -> None:
        """Draw the readings, and the curve where there is one."""

    @abstractmethod
    def with_found(self) -> FabricCard:
        """The card with what was found."""

    def _work_out(self) -> None:
        readings: Sequence[tuple[float, float]] = ()
        result = notes = wrong = ""
        if not self.readings.toPlainText().strip():
            notes = self.nothing
        else:
            try:
                readings = self.read()
                result, notes = self.fit_to(readings)
            except (QuantityError, FabricTestRefusal) as error:
                wrong = str(error)
        self.found_text.setText(result)
        self.notes_text.setText(notes)
        self.error.setText(wrong)
        self.take.setEnabled(bool(result))
        palette = theme.current.palette
        self.plot.clear()
        self.plot.setBackground(palette.field)
        for place, text in zip(("left", "bottom"), self.axes, strict=True):
            dress_axis(self.plot.getAxis(place), text)
        self.draw(readings, bool(result))

    def curve(self, x: Iterable[float], y: Iterable[float]) -> None:
        self.plot.plot(list(x), list(y), pen=pyqtgraph.mkPen(theme.current.palette.accent, width=2))

    def dots(self, x: Iterable[float], y: Iterable[float]) -> None:
        palette = theme.current.palette
        self.plot.plot(
            list(x), list(y), pen=None, symbol="o", symbolSize=8, symbolBrush=palette.field,
            symbolPen=pyqtgraph.mkPen(palette.ink, width=1.5),
        )  # fmt: skip

    def _keep(self) -> None:
        self.card = self.with_found()
        self.accept()
