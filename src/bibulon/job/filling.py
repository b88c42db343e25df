"""Filler that is stirred into resin: the resin card of the mix with it.

The mix weighs ``1/((1 − s)/ρ_resin + s/ρ_filler)`` with *s* the filler's share by mass. Stiff grains that take the
share φ of its volume make it thicker by ``(1 − φ/φ_m)^(−2.5 φ_m)`` (Krieger and Dougherty), φ_m = 0.64 as they pack;
fine or flat ones thicken more, so a shop may give its own figure. Heat follows in ``resin/card_law.py``.
"""

from __future__ import annotations

from functools import lru_cache

from bibulon.job.resin_card import Component, ResinCard

PACKS_AT = 0.64
"""Share of the volume at which grains touch on all sides."""
MOST_SHARE = 0.94 * PACKS_AT
"""Beyond this share of the volume the law is not asked: the mix is a paste as it is."""
INTRINSIC = 2.5
FILLER_HEAT_J_KG_K = 880.0
"""Usual for minerals."""


def filler_share(resin: ResinCard) -> float:
    """Filler in *resin*, by mass of the mix."""
    parts = sum(one.parts_by_weight for one in resin.components)
    return sum(one.parts_by_weight for one in resin.components if one.filler) / parts


def filler_volume_share(share: float, filler_kg_m3: float, resin_kg_m3: float) -> float:
    """The share of the volume that filler of that *share* by mass takes."""
    return share / filler_kg_m3 / (share / filler_kg_m3 + (1 - share) / resin_kg_m3)


def thicker_by(volume_share: float) -> float:
    """How many times as thick the mix is as the resin without filler, by the filler's share of the volume."""
    return float((1 - min(volume_share, MOST_SHARE) / PACKS_AT) ** (-INTRINSIC * PACKS_AT))


@lru_cache(maxsize=64)
def with_filler(resin: ResinCard, share: float, filler_kg_m3: float, thicker: float | None = None) -> ResinCard:
    """*resin* with filler of that *share* by mass stirred in, one component more; *thicker* is how many times as thick
    the shop measured it to be. Times of gel and pot life, and the price of the filler, stay as on the card."""
    if share <= 0:
        return resin
    parts = sum(one.parts_by_weight for one in resin.components)
    volumes = [one.parts_by_volume for one in resin.components]
    weight = parts * share / (1 - share)
    by_volume = None
    if None not in volumes:
        scale = sum(volume or 0.0 for volume in volumes) / sum(
            one.parts_by_weight / one.density_kg_m3 for one in resin.components
        )
        by_volume = weight / filler_kg_m3 * scale
    filler = Component(
        name="Filler", parts_by_weight=weight, density_kg_m3=filler_kg_m3, parts_by_volume=by_volume,
        heat_j_kg_k=FILLER_HEAT_J_KG_K, filler=True,
    )  # fmt: skip
    times = thicker or thicker_by(filler_volume_share(share, filler_kg_m3, resin.density_kg_m3))
    return resin.model_copy(
        update={
            "components": (*resin.components, filler),
            "density_kg_m3": 1 / ((1 - share) / resin.density_kg_m3 + share / filler_kg_m3),
            "viscosity": tuple(
                one.model_copy(update={"viscosity_pa_s": one.viscosity_pa_s * times}) for one in resin.viscosity
            ),
            "price": None if resin.price is None else resin.price * (1 - share),
        }
    )


def without_filler(resin: ResinCard) -> ResinCard:
    """The *resin* of a :func:`with_filler` card by its components and density; as thick as with the filler."""
    share = filler_share(resin)
    if not share:
        return resin
    filler_kg_m3 = next(one.density_kg_m3 for one in resin.components if one.filler)
    return resin.model_copy(
        update={
            "components": tuple(one for one in resin.components if not one.filler),
            "density_kg_m3": (1 - share) / (1 / resin.density_kg_m3 - share / filler_kg_m3),
        }
    )
