"""The cycle of a closed mould on a colder and on a warmer day."""

from __future__ import annotations

from bibulon.assess import Assessment
from bibulon.job.edits import changed, revised
from bibulon.mould.cycle import Cycle, cycle_of
from bibulon.resin.viscosity import film_gel_s

WARMTHS_K = (-6.0, 6.0)
COLDEST_SHOP_K, WARMEST_SHOP_K = 263.15, 333.15


def cycles_by_warmth(assessment: Assessment) -> tuple[tuple[Cycle, float], ...]:
    """The cycle with the shop some degrees colder and warmer, its fill as simulated, with the temperatures
    (K)."""
    job, found = assessment.job, []
    inject_s = assessment.fill.end_s if assessment.fill is not None else 0.0
    stands_s = assessment.cure.planned_release_s - assessment.last_mixed.mixed_s
    for off_k in WARMTHS_K:
        shop_k = job.shop.temperature_k + off_k
        shop_k = min(max(shop_k, COLDEST_SHOP_K), WARMEST_SHOP_K)
        there = changed(job, shop=revised(job.shop, temperature_k=shop_k))
        # what is known of the cure through the stack is of this day: it goes as the gel of a film does
        slower = film_gel_s(job.resin, there.mould_temperature_k) / film_gel_s(job.resin, job.mould_temperature_k)
        cure_s = assessment.last_mixed.mixed_s + stands_s * slower - inject_s
        found.append((cycle_of(there, inject_s, max(cure_s, 0.0)), shop_k))
    return tuple(found)
