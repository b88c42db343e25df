"""The plumbing diagram under mouse and keys: a click chooses, a feed dragged onto a source is fed from there."""

from __future__ import annotations

from pydantic import ValidationError
from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPainterPathStroker, QPaintEvent, QPen

from bibulon.desk.plumbing.picture import PICK_PX, PlumbingPicture
from bibulon.desk.widgets import theme
from bibulon.desk.widgets.spoken import SpokenObjects
from bibulon.desk.work.document import Document
from bibulon.job import Job
from bibulon.job.edits import revised, with_line, with_plumbing, without_line, without_manifold, without_pot
from bibulon.job.faults import explain_here
from bibulon.job.plumbing import BYPASS_HOSE
from bibulon.plumbing.fits import ClampFit
from bibulon.plumbing.network import BUCKET, Hose, Node
from bibulon.quantities import show

DRAG_PX = 6.0
CLAMP_WORDS = {
    "stiff": "no clamp shuts it",
    "jaw": "its clamp opens too little to go round it",
    "weak": "its clamp presses too little to shut it",
    "nothing shuts it": "no clamp on the shelf shuts it",
}


class PlumbingDiagram(PlumbingPicture):
    """The diagram under the hand."""

    chosen_changed = Signal(str)
    pointer_described = Signal(str)
    refused = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._pressed: tuple[str, QPointF] | None = None
        self._dragged_to: QPointF | None = None
        self._spoken = SpokenObjects(self)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Plumbing diagram")

    def set_document(self, document: Document) -> None:
        """Show another document."""
        self.document, self.chosen, self._pressed, self._dragged_to = document, "", None, None

    def refresh(self) -> None:
        """Show the job as it is now."""
        if self.chosen and self.chosen not in self.names():
            self.chosen = ""
        self.setMinimumHeight(self.least_height())
        if self._spoken.wanted:
            self._spoken.refresh(
                tuple((name, self.words(name), self._middle(name)) for name in self.names()),
                self.chosen,
            )
        self.update()

    def names(self) -> tuple[str, ...]:
        """Everything that can be chosen, from bucket to pump: nodes, then hoses that are named by none of them."""
        nodes = sorted(self.network.nodes, key=lambda node: self.layout_now.places[node.id])
        own = tuple(node.id for node in nodes)
        return (*own, *(hose.name for hose in self.network.hoses if hose.name not in own))

    def choose(self, name: str) -> None:
        """Choose the node or hose of that *name*; "" for none."""
        if name != self.chosen:
            self.chosen = name
            self.update()
            self.chosen_changed.emit(name)

    # -- words -------------------------------------------------------------------------------------------------------

    def words(self, name: str) -> str:
        """What stands there, in words."""
        hose = next((hose for hose in self.network.hoses if hose.name == name), None)
        node = next((node for node in self.network.nodes if node.id == name), None)
        if hose is not None:
            return self._hose_words(hose)
        return self._node_words(node) if node is not None else ""

    def _hose_words(self, hose: Hose) -> str:
        parts = [f"{hose.label}: {hose.card.name}, {show(hose.length_m, 'distance', self.units)}"]
        parts += [joint.words for joint in hose.joints]
        if isinstance(hose.clamp, ClampFit):
            parts.append(
                CLAMP_WORDS.get(hose.clamp.verdict, f"{hose.clamp.card.name if hose.clamp.card else ''} shuts it")
            )
        if hose.kinks:
            parts.append("kinks")
        return "; ".join(parts) + "."

    def _node_words(self, node: Node) -> str:
        job = self.document.job
        pot = next((pot for pot in job.pots if node.kind == "pot" and pot.label == node.label), None)
        if pot is not None:
            return f"Catch pot {pot.label}, {show(pot.capacity_m3, 'volume', self.units)}."
        return f"{node.label[:1].upper()}{node.label[1:]}."

    def _middle(self, name: str) -> QPointF:
        if any(node.id == name for node in self.network.nodes):
            return self.place(name)
        return self.path(self.network.hose(name)).pointAtPercent(0.5)

    # -- hand --------------------------------------------------------------------------------------------------------

    def thing_at(self, position: QPointF) -> str:
        """The name of the node or hose there; "" for none."""
        node = self.node_at(position)
        if node:
            return node
        stroker = QPainterPathStroker()
        stroker.setWidth(2 * PICK_PX)
        for hose in self.network.hoses:
            if stroker.createStroke(self.path(hose)).contains(position):
                return hose.name
        return ""

    def node_at(self, position: QPointF) -> str:
        """The name of the node there; "" for none."""
        for node in self.network.nodes:
            if self.box(node).adjusted(-4, -4, 4, 4).contains(position):
                return node.id
        return ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        name = self.thing_at(event.position())
        self.choose(name)
        self._pressed = (name, event.position()) if name in self._feeds() and not self.document.read_only else None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        position = event.position()
        if self._pressed is not None and event.buttons() & Qt.MouseButton.LeftButton:
            if (position - self._pressed[1]).manhattanLength() > DRAG_PX:
                self._dragged_to = position
                target = self.node_at(position)
                label = self.document.job.line(self._pressed[0]).label
                taken = self._can_feed(target)
                words = f"Feed {label} from {self.network.node(target).label}" if taken else f"Feed {label} from …"
                self.pointer_described.emit(words)
                self.update()
            return
        name = self.thing_at(position)
        self.setCursor(Qt.CursorShape.PointingHandCursor if name else Qt.CursorShape.ArrowCursor)
        self.pointer_described.emit(self.words(name))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, dragged = self._pressed, self._dragged_to
        self._pressed = self._dragged_to = None
        self.update()
        if pressed is not None and dragged is not None:
            target = self.node_at(event.position())
            if self._can_feed(target) and target != pressed[0]:
                self._feed(pressed[0], target)

    def leaveEvent(self, event: QEvent) -> None:
        self.pointer_described.emit("")
        super().leaveEvent(event)

    def _feeds(self) -> tuple[str, ...]:
        return tuple(line.id for line in self.document.job.feeds)

    def _can_feed(self, name: str) -> bool:
        return any(node.id == name and node.kind in ("bucket", "manifold", "feed") for node in self.network.nodes)

    def _feed(self, identifier: str, source: str) -> None:
        job = self.document.job
        line = job.line(identifier)
        try:
            fed = with_line(job, revised(line, fed_by=None if source == BUCKET else source))
        except ValidationError as error:
            self.refused.emit(f"{line.label} stays as it was. {explain_here(error, self.units)}")
            return
        self.document.edit(f"what feeds {line.label}", fed)

    def delete_chosen(self) -> None:
        """Take out what is chosen: a line, a manifold, a pot, or the bypass."""
        job, name = self.document.job, self.chosen
        without = self._without(job, name)
        if without is None or self.document.read_only:
            return
        self.choose("")
        self.document.edit("take out of the plumbing", without)

    @staticmethod
    def _without(job: Job, name: str) -> Job | None:
        if any(line.id == name for line in job.lines):
            return without_line(job, name)
        if any(manifold.id == name for manifold in job.manifolds):
            return without_manifold(job, name)
        pot = next((pot.label for pot in job.pots if f"pot {pot.label}" == name), None)
        if pot is not None:
            return without_pot(job, pot)
        if name == BYPASS_HOSE:
            return with_plumbing(job, bypass=None)
        return None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        names = self.names()
        steps = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}
        key = Qt.Key(event.key())
        if key in steps and names:
            at = names.index(self.chosen) + steps[key] if self.chosen in names else 0
            self.choose(names[at % len(names)])
            self.pointer_described.emit(self.words(self.chosen))
        elif key == Qt.Key.Key_Delete and self.chosen:
            self.delete_chosen()
        elif key == Qt.Key.Key_Escape and self.chosen:
            self._pressed = self._dragged_to = None
            self.choose("")
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.update()
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.update()
        super().focusOutEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        palette = theme.current.palette
        if self._pressed is not None and self._dragged_to is not None:
            painter.setPen(QPen(palette.colour("accent"), 2, Qt.PenStyle.DashLine))
            painter.drawLine(self.place(self._pressed[0]), self._dragged_to)
            target = self.node_at(self._dragged_to)
            if self._can_feed(target):
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(self.box(self.network.node(target)).adjusted(-5, -5, 5, 5), 7, 7)
        if self.hasFocus():
            painter.setPen(QPen(palette.colour("accent"), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))
        painter.end()
