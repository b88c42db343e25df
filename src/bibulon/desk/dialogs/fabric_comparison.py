"""Fabrics side by side in the place of one entry of the ply book, in a table, to be laid from there."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from bibulon.desk.widgets.fields import label
from bibulon.desk.work.background import Background
from bibulon.desk.work.document import Document
from bibulon.job import Job
from bibulon.job.cards import FabricCard
from bibulon.laminate.fibre import in_words
from bibulon.planning.fabrics_compared import ComparedFabric, compared_fabrics
from bibulon.quantities import QuantityKind, show
from bibulon.quantities_in_words import percent
from bibulon.workers.report import Report

SIZE = (1080, 620)
NAME_PX = 270
HEADS = (
    "Fabric",
    "Plies",
    "Weight",
    "Thick",
    "Price",
    "Waste",
    "Reach",
    "Fibre runs",
    "Drape",
    "Frays",
    "Dry bulk",
    "Tow",
)
NUMBER_ROLE, CARD_ROLE = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1


class _Cell(QTableWidgetItem):
    """Sorted by what it stands for, not by its text; what is not known comes last."""

    def __init__(self, text: str, sorts: float | str) -> None:
        super().__init__(text)
        self.setData(NUMBER_ROLE, sorts)

    def __lt__(self, other: QTableWidgetItem) -> bool:
        return bool(self.data(NUMBER_ROLE) < other.data(NUMBER_ROLE))


class FabricComparison(QDialog):
    """A row for each of *cards*; *lay* is called with the card and the number of plies that were chosen."""

    def __init__(
        self,
        parent: QWidget,
        document: Document,
        layer_id: str,
        cards: tuple[FabricCard, ...],
        lay: Callable[[FabricCard, int], None],
    ) -> None:
        super().__init__(parent)
        self.document, self.lay = document, lay
        self.rows: dict[str, ComparedFabric] = {}
        self.setWindowTitle("Fabrics compared")
        self.resize(*SIZE)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.addWidget(label("Fabrics compared", "title"))
        layout.addWidget(
            label(
                "Each laid as often as comes nearest to the weight of fibre that lies there now. Price and waste are "
                "of what is cut off the roll for this entry; reach is how far one feed carries resin through the whole "
                "stack with it, before the margin to gel. Drape, fray, bulk and tow are as the cards say: prove them.",
                "muted",
            )
        )
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find a fabric")
        self.search.setAccessibleName("Find a fabric")
        self.search.textChanged.connect(self._sift)
        layout.addWidget(self.search)
        self.table = QTableWidget(0, len(HEADS))
        self.table.setAccessibleName("Fabrics compared")
        self.table.setHorizontalHeaderLabels(HEADS)
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        self.table.setTabKeyNavigation(False)
        self.table.itemSelectionChanged.connect(self._offer)
        self.table.cellDoubleClicked.connect(lambda *_: self._lay())
        layout.addWidget(self.table, 1)
        self.message = label("Working it out …", "muted")
        layout.addWidget(self.message)
        buttons = QDialogButtonBox()
        self.use = buttons.addButton("Lay this one", QDialogButtonBox.ButtonRole.ActionRole)
        self.use.setEnabled(False)
        self.use.clicked.connect(lambda _=False: self._lay())
        buttons.addButton(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)

        def work(report: Report, job: Job) -> tuple[ComparedFabric, ...]:
            return compared_fabrics(job, layer_id, cards, report.progress)

        self.work = Background(work, self)
        self.work.progressed.connect(self._working)
        self.work.finished.connect(self._fill)
        self.work.ended.connect(self._ended)
        self.work.start(document.job)

    def _working(self, share: float) -> None:
        self.message.setText(f"Working it out … {percent(share)}")

    def _ended(self, message: str) -> None:
        self.message.setText(message)
        self.message.setVisible(bool(message))

    def _fill(self, _: Job, compared: tuple[ComparedFabric, ...]) -> None:
        units = self.document.assessment.units

        def shown(value: float | None, kind: QuantityKind, sign: float = 1.0) -> _Cell:
            if value is None:
                return _Cell("–", float("inf"))
            return _Cell(show(value, kind, units), sign * value)

        self.table.setSortingEnabled(False)
        self.table.setRowCount(len(compared))
        for row, one in enumerate(compared):
            self.rows[one.card.id], tow = one, one.card.tow_tex
            name = f"{one.card.name}, laid now" if one.chosen else one.card.name
            cells = (
                _Cell(name, name),
                _Cell(str(one.count), float(one.count)),
                shown(one.weight_kg_m2, "areal weight"),
                shown(one.thickness_m, "thickness"),
                shown(one.price, "money"),
                shown(one.waste, "share"),
                shown(one.reach_m, "length", -1.0),
                _Cell(in_words(one.card.fibre_directions), in_words(one.card.fibre_directions)),
                _Cell(one.card.drape, float(("supple", "fair", "stiff").index(one.card.drape))),
                _Cell(one.card.frays, float(("hardly", "some", "much").index(one.card.frays))),
                _Cell(f"× {one.card.bulk:g}", one.card.bulk),
                _Cell("–", float("inf")) if tow is None else _Cell(f"{tow:g} tex", tow),
            )
            for column, cell in enumerate(cells):
                if 0 < column < 7:
                    cell.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, column, cell)
            cells[0].setData(CARD_ROLE, one.card.id)
        self.table.resizeColumnsToContents()
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.setSortIndicator(-1, Qt.SortOrder.AscendingOrder)  # as they come, until a head is pressed
        self.table.setSortingEnabled(True)
        self._sift()

    def _sift(self) -> None:
        words = self.search.text().lower().split()
        for row in range(self.table.rowCount()):
            item = self.table.item(row, 0)
            self.table.setRowHidden(row, item is None or not all(word in item.text().lower() for word in words))

    def _chosen(self) -> ComparedFabric | None:
        row = self.table.currentRow()
        item = self.table.item(row, 0) if row >= 0 else None
        return None if item is None else self.rows.get(item.data(CARD_ROLE))

    def _offer(self) -> None:
        one = self._chosen()
        self.use.setEnabled(one is not None and not one.chosen)

    def _lay(self) -> None:
        one = self._chosen()
        if one is not None and not one.chosen:
            self.accept()
            self.lay(one.card, one.count)
