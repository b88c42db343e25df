"""Where a cloth's fibre runs: as it is laid on the plan, and as it is written on a card."""

from __future__ import annotations

import re
from collections.abc import Sequence

from bibulon.job.cards import Card, FabricCard, FibreDirection
from bibulon.job.layup import Layer
from bibulon.quantity_text import QuantityError

EVERY_WAY = "every way"
EXAMPLE = "Write the angles with a comma between them: ±45, or 0 50 %, 90 50 %; “every way” for a mat."
_PIECE = re.compile(r"^(±|\+/-|\+-)?\s*([+\-−]?\d+(?:\.\d+)?)\s*°?(?:\s+(\d+(?:\.\d+)?)\s*%?)?$")


def fibre_weights(layer: Layer, card: Card) -> dict[float, float]:
    """What each ply of *layer* weighs in every direction that it has fibre in: kg/m² by angle on the plan, in degrees
    from 0 to below 180; empty for a mat."""
    weights: dict[float, float] = {}
    if isinstance(card, FabricCard):
        for direction in card.fibre_directions:
            angle = round((layer.angle_deg + direction.angle_deg) % 180.0, 3) % 180.0
            weights[angle] = weights.get(angle, 0.0) + direction.share * card.areal_weight_kg_m2
    return weights


def in_words(directions: Sequence[FibreDirection]) -> str:
    """*directions* as they are typed: "±45", "0 50 %, 90 50 %".

    >>> in_words([FibreDirection(angle_deg=45, share=0.5), FibreDirection(angle_deg=-45, share=0.5)])
    '±45'
    >>> in_words([FibreDirection(angle_deg=0, share=0.6), FibreDirection(angle_deg=90, share=0.4)])
    '0 60 %, 90 40 %'
    """
    if not directions:
        return EVERY_WAY
    shares = {round(direction.share, 2) for direction in directions}
    pieces, done = [], set()
    by_angle = {direction.angle_deg: direction.share for direction in directions}
    for angle, share in by_angle.items():
        opposite = by_angle.get(-angle)
        if angle in done:
            continue
        both = angle not in (0.0, 90.0) and opposite is not None and abs(opposite - share) < 0.005
        done |= {angle, -angle} if both else {angle}
        part = share + (opposite or 0.0) if both else share
        share_said = "" if len(shares) == 1 else f" {100 * part:.3g} %"
        pieces.append(f"{'±' if both else ''}{abs(angle) if both else angle:g}{share_said}")
    return ", ".join(pieces)


def directions_of(text: str) -> tuple[FibreDirection, ...]:
    """The directions that :func:`in_words` writes; without shares, all weigh the same. Raises :class:`QuantityError`.

    >>> [(d.angle_deg, d.share) for d in directions_of("0 50 %, ±45 50 %")]
    [(0.0, 0.5), (45.0, 0.25), (-45.0, 0.25)]
    """
    if text.strip().lower() in ("", EVERY_WAY, "mat", "random"):
        return ()
    found: list[tuple[float, float | None]] = []
    for piece in text.split(","):
        match = _PIECE.match(piece.strip())
        if match is None:
            raise QuantityError(f"“{piece.strip()}” is no direction. {EXAMPLE}")
        angle = 90.0 - (90.0 - float(match[2].replace("−", "-"))) % 180.0
        angles = (angle, -angle) if match[1] else (angle,)
        share = None if match[3] is None else float(match[3]) / 100 / len(angles)
        found += [(way, share) for way in angles]
    if any(share is None for _, share in found) and any(share is not None for _, share in found):
        raise QuantityError(f"Give a share to every direction, or to none. {EXAMPLE}")
    return tuple(
        FibreDirection(angle_deg=angle, share=1 / len(found) if share is None else share) for angle, share in found
    )
