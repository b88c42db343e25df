"""Symmetry and balance of a stack, as information: an uneven one bends or twists as it cures and cools."""

from __future__ import annotations

from collections.abc import Sequence

from bibulon.job.cards import Card, FabricCard
from bibulon.job.layup import Layer, role_of
from bibulon.laminate.fibre import fibre_weights

UNEVEN_SHARE = 0.02


def _same_fibre(layer: Layer, card: Card) -> object:
    """What two plies have in common that mirror each other: the card, and where its fibre then runs.

    A stitched ±45 laid at 0° and at 90° has the same fibre; which of its two layers lies up is not told apart.
    """
    if isinstance(card, FabricCard):
        return layer.card, tuple(
            sorted((angle, round(weight, 3)) for angle, weight in fibre_weights(layer, card).items())
        )
    return layer.card, layer.angle_deg % 180.0


def asymmetry(layers: Sequence[Layer], cards: Sequence[Card]) -> tuple[int, int] | None:
    """Numbers (from 1) of the outermost two plies that should mirror each other and do not; None if all do.

    Surface coats and skin coats are left out: they bear no load to speak of.
    """
    known = {card.id: card for card in cards}
    bearing = [layer for layer in layers if role_of(layer, known[layer.card]) not in ("surface coat", "skin coat")]
    plies = [_same_fibre(layer, known[layer.card]) for layer in bearing for _ in range(layer.count)]
    for at in range(len(plies) // 2):
        if plies[at] != plies[-1 - at]:
            return at + 1, len(plies) - at
    return None


def imbalance(layers: Sequence[Layer], cards: Sequence[Card]) -> float | None:
    """The angle (degrees, 0 to 90) whose fibre outweighs that of its opposite; None if all is balanced.

    Fibre along 0° and 90° has no opposite, and a mat none in any direction.
    """
    known = {card.id: card for card in cards}
    weights: dict[float, float] = {}
    for layer in layers:
        for angle, weight in fibre_weights(layer, known[layer.card]).items():
            if angle not in (0.0, 90.0):
                weights[angle] = weights.get(angle, 0.0) + layer.count * weight
    for angle, weight in sorted(weights.items()):
        opposite = weights.get(round(180.0 - angle, 3), 0.0)
        if abs(weight - opposite) > UNEVEN_SHARE * weight:
            return min(angle, 180.0 - angle)
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
