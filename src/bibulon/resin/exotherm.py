"""How hot plies get by their own heat of cure, before anything of the job is filled: are they too thick for one shot?

Plies alone between still air, or air and core: a guess on the safe side, for a mould takes heat away as well. The cure
of a part on its mould is in :mod:`bibulon.cure.study`.
"""

from __future__ import annotations

from functools import lru_cache

from bibulon.job.resin_card import ResinCard
from bibulon.resin.card_law import law_of
from bibulon.resin.through_thickness import Around, Slab, cure_through

CONDUCTIVITY_W_MK = 0.35
FIBRE_HEAT_J_M3K = 2.05e6
TO_AIR_W_M2K = 10.0
PLACES = 12
LONGEST_S = 30 * 86_400.0
GEL_TIMES = 8.0
"""The stack is followed for so many gel times."""


@lru_cache(maxsize=64)
def peak_temperature_k(
    resin: ResinCard, temperature_k: float, thickness_m: float, resin_share: float, against_core: bool = False
) -> float:
    """The hottest that plies of *thickness_m* with *resin_share* of their volume resin get, wetted at *temperature_k*
    between air of that temperature on both faces, or on one and core, which takes none, on the other."""
    law = law_of(resin)
    heat = (1 - resin_share) * FIBRE_HEAT_J_M3K + resin_share * resin.density_kg_m3 * law.heat_capacity_j_kg_k
    plies = Slab("plies", thickness_m, CONDUCTIVITY_W_MK, heat, resin_share * resin.density_kg_m3, PLACES)
    around = Around(temperature_k, TO_AIR_W_M2K, temperature_k, 0.0 if against_core else TO_AIR_W_M2K)
    end_s = min(GEL_TIMES * law.time_to(temperature_k, law.gel_cure), LONGEST_S)
    course = cure_through(law, (plies,), lambda _: around, 0.0, end_s, (temperature_k,), 0.0)
    return course.peak_k
