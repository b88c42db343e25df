"""Weighing and mixing: how warm the mix is, which component to warm, small measures, the dose of a catalyst.

Temperature of the mix ``T = Σ m c T / Σ m c`` over the components, nothing lost to the pot (heat of mixing left out).
"""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.job import Job
from bibulon.job.resin_card import ResinCard
from bibulon.resin.pot import Pot

HEAT_J_KG_K = 1900.0
"""Of a component whose card does not say."""
DROP_M3, SPOON_M3 = 0.05e-6, 5e-6
FREEBOARD = 0.1
"""So much of a bucket stays empty when a batch is poured."""
SMALL_M3 = 30e-6
"""Less than this is measured by drops and spoons or a syringe where no fine scale is at hand."""


def pot_of(job: Job) -> Pot:
    """What the batches of *job* stand in."""
    return Pot(job.charge.pot_shape, job.shop.temperature_k, job.charge.bath_k)


def room_kg(job: Job) -> float | None:
    """Resin that can be poured on the heel that is planned; None where the bucket's shape is not known."""
    shape = job.plumbing.bucket
    if not shape.known:
        return None
    full = shape.volume_m3(shape.height_m) * (1 - FREEBOARD) * job.resin.density_kg_m3
    return max(full - job.bucket.heel_kg, 0.0)


def component_temperatures_k(job: Job) -> tuple[float, ...]:
    """How warm each component is when it is mixed."""
    given = job.charge.component_k
    shop_k = job.shop.temperature_k
    return tuple((given[at] if at < len(given) else None) or shop_k for at in range(len(job.resin.components)))


def heat_shares(resin: ResinCard) -> tuple[float, ...]:
    """The share that each component has of the heat capacity of the mix."""
    heats = [one.parts_by_weight * (one.heat_j_kg_k or HEAT_J_KG_K) for one in resin.components]
    return tuple(heat / sum(heats) for heat in heats)


def mixed_temperature_k(job: Job) -> float:
    """How warm the mix is by the warmth of its components."""
    pairs = zip(heat_shares(job.resin), component_temperatures_k(job), strict=True)
    return sum(share * warm for share, warm in pairs)


def warm_component_to_k(job: Job, at: int, wanted_k: float) -> float:
    """How warm the component *at* has to be for the mix to be at *wanted_k*, the others as they are."""
    shares, temperatures = heat_shares(job.resin), component_temperatures_k(job)
    others = sum(share * warm for one, (share, warm) in enumerate(zip(shares, temperatures, strict=True)) if one != at)
    return (wanted_k - others) / shares[at]


@dataclass(frozen=True)
class Measure:
    """So much of one component: on the scale, in a measuring cup, and by drops or spoons where it is little."""

    name: str
    mass_kg: float
    volume_m3: float

    @property
    def small(self) -> str:
        """In words, as "3 spoons of 5 ml and 12 drops"; empty for what is not little."""
        if self.volume_m3 >= SMALL_M3:
            return ""
        spoons = int(self.volume_m3 // SPOON_M3)
        drops = round((self.volume_m3 - spoons * SPOON_M3) / DROP_M3)
        words = [f"{spoons} spoon{'s' if spoons > 1 else ''} of 5 ml"] if spoons else []
        if drops:
            words.append(f"{drops} drop{'s' if drops > 1 else ''}")
        return " and ".join(words) or "less than a drop"


def measures_of(resin: ResinCard, mass_kg: float) -> tuple[Measure, ...]:
    """*mass_kg* of mix by the card's parts by weight; volumes by its parts by volume where it has them for all, else by
    density."""
    parts = sum(one.parts_by_weight for one in resin.components)
    masses = [mass_kg * one.parts_by_weight / parts for one in resin.components]
    volumes = [mass / one.density_kg_m3 for mass, one in zip(masses, resin.components, strict=True)]
    by_volume = [one.parts_by_volume for one in resin.components]
    if None not in by_volume:
        total, shares = sum(volumes), [part or 0.0 for part in by_volume]
        volumes = [total * part / sum(shares) for part in shares]
    return tuple(
        Measure(one.name, mass, volume) for one, mass, volume in zip(resin.components, masses, volumes, strict=True)
    )


def ratios_disagree(resin: ResinCard) -> float:
    """By what share a ratio by volume, brought to weight by the densities, is off that by weight; 0 without one."""
    if any(one.parts_by_volume is None for one in resin.components):
        return 0.0
    first = resin.components[0]
    return max(
        abs(
            ((one.parts_by_volume or 0.0) * one.density_kg_m3)
            / ((first.parts_by_volume or 1.0) * first.density_kg_m3)
            / (one.parts_by_weight / first.parts_by_weight)
            - 1
        )
        for one in resin.components[1:]
    )
