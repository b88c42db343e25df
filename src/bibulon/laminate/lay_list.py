"""The lay-up tick-list: the ply book ply by ply, what the log says was laid, and where to debulk."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from bibulon.job import Job
from bibulon.job.cards import CoatCard, CoreCard, FabricCard
from bibulon.job.layup import ROLES, Layer, LayupCard
from bibulon.job.run import RunEvent
from bibulon.laminate.compaction import HAND_PA, fibre_fraction, ply_thickness_m

LETTERS = {"fabric": "P", "core": "C", "surface coat": "S"}
DEBULK_M = 0.004
"""Where the loose stack stands so much prouder than under vacuum, it is debulked before more is laid."""


@dataclass(frozen=True)
class LayLine:
    """One line of the list: ``label`` P1, P2 … for plies, C1 … for cores, S1 … for surface coats,
    ``laid`` the entry of the log."""

    label: str
    text: str
    debulk: bool
    laid: RunEvent | None = None


def _text(layer: Layer, card: LayupCard) -> str:
    turned = f" at {layer.angle_deg:g}°" if isinstance(card, FabricCard) else ""
    role = f" ({layer.role})" if layer.role is not None and layer.role != ROLES[card.kind][0] else ""
    return f"{card.name}{role}{turned}, {layer.region or 'whole part'}"


def lay_list(job: Job) -> tuple[LayLine, ...]:
    """Every coat, ply and core from the tool face, with the ticks of the log that fit it."""
    cards = {card.id: card for card in job.cards}
    ticked = laid_in(job.run)
    lines: list[LayLine] = []
    counts = dict.fromkeys(LETTERS.values(), 0)
    proud = 0.0
    entries = [(layer, turn) for layer in job.laid for turn in range(layer.count)]
    for at, (layer, _) in enumerate(entries):
        card = cards[layer.card]
        assert isinstance(card, FabricCard | CoreCard | CoatCard)
        letter = LETTERS[card.kind]
        counts[letter] += 1
        label, text = f"{letter}{counts[letter]}", _text(layer, card)
        if isinstance(card, FabricCard):
            loose = ply_thickness_m(card, fibre_fraction(card, HAND_PA))
            packed = ply_thickness_m(card, fibre_fraction(card, job.shop.barometer_pa - job.vacuum.cavity_pa))
            proud += loose - packed
        debulk = proud >= DEBULK_M and at < len(entries) - 1
        if debulk:
            proud = 0.0
        tick = ticked.get(label)
        lines.append(LayLine(label, text, debulk, tick if tick is not None and tick.text == text else None))
    return tuple(lines)


def laid_in(run: Sequence[RunEvent]) -> dict[str, RunEvent]:
    """What the log says lies on the tool now, by label."""
    found: dict[str, RunEvent] = {}
    for event in run:
        if event.kind == "ply laid":
            found[event.label] = event
        elif event.kind == "ply taken up":
            found.pop(event.label, None)
    return found


def strangers(job: Job) -> tuple[RunEvent, ...]:
    """Plies that the log says were laid and the ply book does not have so."""
    planned = {(line.label, line.text) for line in lay_list(job)}
    return tuple(event for event in laid_in(job.run).values() if (event.label, event.text) not in planned)
