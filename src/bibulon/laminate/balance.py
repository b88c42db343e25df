"""Symmetry and balance of a stack, as information: an uneven one bends or twists as it cures and cools."""

from __future__ import annotations

from collections.abc import Sequence

from bibulon.job.cards import Card, FabricCard
from bibulon.job.layup import Layer, role_of

UNEVEN_SHARE = 0.02


def _way(layer: Layer) -> float:
    return layer.angle_deg % 180.0


def asymmetry(layers: Sequence[Layer], cards: Sequence[Card]) -> tuple[int, int] | None:
    """Numbers (from 1) of the outermost two plies that should mirror each other and do not; None if all do.

    Surface coats and skin coats are left out: they bear no load to speak of.
    """
    known = {card.id: card for card in cards}
    bearing = [layer for layer in layers if role_of(layer, known[layer.card]) not in ("surface coat", "skin coat")]
    plies = [(layer.card, _way(layer)) for layer in bearing for _ in range(layer.count)]
    for at in range(len(plies) // 2):
        if plies[at] != plies[-1 - at]:
            return at + 1, len(plies) - at
    return None


def imbalance(layers: Sequence[Layer], cards: Sequence[Card]) -> float | None:
    """The angle (degrees, 0 to 90) whose plies outweigh those of its opposite; None if all are balanced.

    Plies along 0° and 90° have no opposite. A fabric counts by the direction it is laid in.
    """
    known = {card.id: card for card in cards}
    weights: dict[float, float] = {}
    for layer in layers:
        card = known[layer.card]
        way = _way(layer)
        if isinstance(card, FabricCard) and way not in (0.0, 90.0):
            weights[way] = weights.get(way, 0.0) + layer.count * card.areal_weight_kg_m2
    for way, weight in sorted(weights.items()):
        opposite = weights.get(180.0 - way, 0.0)
        if abs(weight - opposite) > UNEVEN_SHARE * weight:
            return min(way, 180.0 - way)
    return None


def in_words(layers: Sequence[Layer], cards: Sequence[Card]) -> tuple[str, str]:
    """A short verdict on the stack and what it means."""
    uneven, angle = asymmetry(layers, cards), imbalance(layers, cards)
    if uneven is None and angle is None:
        return "symmetric, balanced", "Mirrored about its middle, and as much at +θ as at −θ."
    parts = []
    if uneven is not None:
        parts.append(f"Plies {uneven[0]} and {uneven[1]}, counted from the tool, do not mirror each other.")
    if angle is not None:
        parts.append(f"There is more at +{angle:g}° than at −{angle:g}°, or less.")
    short = " and ".join(
        word for word, wrong in (("unsymmetric", uneven is not None), ("unbalanced", angle is not None)) if wrong
    )
    return short, " ".join(
        [*parts, "Such a stack bends or twists as it cures; a skin coat always makes a little of that."]
    )
