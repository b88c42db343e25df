"""The lay-up tick-list: the ply book ply by ply with the debulks between, and what the log says was done."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from bibulon.job import Job
from bibulon.job.cards import AdhesiveCard, CoatCard, CoreCard, FabricCard
from bibulon.job.layup import ROLES, Layer, LayupCard, PlyGroup
from bibulon.job.run import RunEvent
from bibulon.laminate.compaction import HAND_PA, fibre_fraction, ply_thickness_m
from bibulon.laminate.corner import corners_of, most_proud_m
from bibulon.laminate.preform import preform_weight_kg
from bibulon.laminate.tack import each_laid

LETTERS = {"fabric": "P", "core": "C", "surface coat": "S"}
DEBULK_M = 0.004
"""Where the loose stack stands so much prouder than under vacuum, it is debulked before more is laid."""
DEBULK = "Debulk: film on, vacuum, plies pressed home"


@dataclass(frozen=True)
class LayLine:
    """One line of the list: ``label`` P1, P2 … for plies, C1 … for cores, S1 … for surface coats and D1 … for the
    debulks between them, ``laid`` the entry of the log that ticks it."""

    label: str
    text: str
    note: str = ""
    """What to mind as it is laid."""
    laid: RunEvent | None = None
    region: str | None = None
    """Where it lies; None: all over the part."""

    @property
    def debulk(self) -> bool:
        """Whether it is a debulk and not something laid."""
        return self.text == DEBULK


def _text(layer: Layer, card: LayupCard) -> str:
    turned = f" at {layer.angle_deg:g}°" if isinstance(card, FabricCard) else ""
    role = f" ({layer.role})" if layer.role is not None and layer.role != ROLES[card.kind][0] else ""
    return f"{card.name}{role}{turned}, {layer.region or 'whole part'}"


def preform_text(job: Job, group: PlyGroup) -> str:
    """A preform as the tick-list names it."""
    layers = [layer for layer in job.layup if layer.group == group.name]
    plies = sum(layer.count for layer in layers)
    return f"Preform “{group.name}”, {plies} plies, {layers[0].region or 'whole part'}"


def lay_list(job: Job) -> tuple[LayLine, ...]:
    """Every coat, ply and core from the tool face with the debulks between, and the ticks of the log that fit.

    A debulk comes where what was laid since the last one stands :data:`DEBULK_M` prouder than it will, or, in a mould
    with a tight corner, where more would bridge it or pile up (:func:`~bibulon.laminate.corner.most_proud_m`). A
    preform, which has its thickness already, is one line.
    """
    cards = {card.id: card for card in job.cards}
    ticked = laid_in(job.run)
    lines: list[LayLine] = []
    counts = dict.fromkeys((*LETTERS.values(), "D"), 0)

    def line(letter: str, text: str, region: str | None, note: str = "") -> LayLine:
        counts[letter] += 1
        label = f"{letter}{counts[letter]}"
        tick = ticked.get(label)
        return LayLine(label, text, note, tick if tick is not None and tick.text == text else None, region)

    tack = ""
    if job.tack is not None:
        adhesive = job.card(job.tack, AdhesiveCard)
        tack = f"tack: {adhesive.areal_weight_kg_m2 * 1000:.0f} g/m² at most, dots not film, uprights first"
    proud, most = 0.0, DEBULK_M
    most = min([most, *(most_proud_m(corner.turn_deg, corner.male) for corner in corners_of(job.mould))])
    packing_pa = job.pressing_pa
    prouder = {  # by card: how much a ply of it stands proud until it is under film
        card.id: ply_thickness_m(card, fibre_fraction(card, HAND_PA))
        - ply_thickness_m(card, fibre_fraction(card, packing_pa))
        for card in job.cards
        if isinstance(card, FabricCard)
    }
    preforms = {group.name: group for group in job.groups if group.preform is not None}
    entries = list(each_laid(job))
    piece = ""
    for at, (layer, tacked) in enumerate(entries):
        if layer.group in preforms:
            group = preforms[layer.group]
            this = f"{group.name}~{layer.id.partition('~')[2]}"
            if this != piece:
                should = preform_weight_kg(job, group)
                lines.append(line("P", preform_text(job, group), layer.region, f"weigh it first: {should:.2f} kg"))
            piece = this
            continue
        piece = ""
        card = cards[layer.card]
        assert isinstance(card, FabricCard | CoreCard | CoatCard)
        lines.append(line(LETTERS[card.kind], _text(layer, card), layer.region, tack if tacked else ""))
        proud += prouder.get(card.id, 0.0)
        if proud >= most and at < len(entries) - 1:
            proud = 0.0
            lines.append(line("D", DEBULK, layer.region))
    return tuple(lines)


def laid_in(run: Sequence[RunEvent]) -> dict[str, RunEvent]:
    """What the log says lies on the tool now and was debulked, by label."""
    laid: dict[str, RunEvent] = {}
    for event in run:
        if event.kind in ("ply laid", "debulked"):
            laid[event.label] = event
        elif event.kind in ("ply taken up", "debulk cleared"):
            laid.pop(event.label, None)
    return laid


def strangers(job: Job) -> tuple[RunEvent, ...]:
    """Plies that the log says were laid and the ply book does not have so."""
    planned = {(line.label, line.text) for line in lay_list(job)}
    laid = [event for event in laid_in(job.run).values() if event.kind == "ply laid"]
    return tuple(event for event in laid if (event.label, event.text) not in planned)
