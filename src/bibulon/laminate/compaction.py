"""How a dry stack packs down: fibre fraction, thickness and permeability of one ply under a pressure.

Sources: power-law compaction ``Vf = Vf0·(P/P0)^B``; ply thickness ``h = w/(ρf·Vf)``; Kozeny–Carman scaling of
permeability, ``K ∝ (1−Vf)³/Vf²``.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from bibulon.job.cards import FabricCard

DENSEST_FIBRE_FRACTION = 0.80
HAND_PA = 2000.0
"""A stack smoothed down by hand is pressed about so much."""


def fibre_fraction(fabric: FabricCard, compaction_pa: float) -> float:
    """Fibre volume fraction of *fabric* under the pressure the fibres carry, ``p_atm − p_resin`` (film process)."""
    pressure = max(compaction_pa, 100.0)
    packed = fabric.fibre_fraction * (pressure / fabric.reference_pressure_pa) ** fabric.compaction_exponent
    return float(min(packed, DENSEST_FIBRE_FRACTION))


def ply_thickness_m(fabric: FabricCard, fraction: float) -> float:
    """``h = w/(ρf·Vf)``."""
    return fabric.areal_weight_kg_m2 / (fabric.fibre_density_kg_m3 * fraction)


def kozeny_carman_ratio(fraction: float, reference_fraction: float) -> float:
    """Permeability at *fraction* over that at *reference_fraction*."""

    def openness(vf: float) -> float:
        return float((1 - vf) ** 3 / vf**2)

    return openness(fraction) / openness(reference_fraction)


def turned(along: float, across: float, angle_deg: float) -> npt.NDArray[np.float64]:
    """The 2×2 tensor with principal values *along* and *across*, turned by *angle_deg* from the x axis."""
    cosine, sine = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))
    rotation = np.array([[cosine, -sine], [sine, cosine]])
    return np.asarray(rotation @ np.diag([along, across]) @ rotation.T, dtype=np.float64)


def in_plane_permeability(fabric: FabricCard, fraction: float, angle_deg: float) -> npt.NDArray[np.float64]:
    """In-plane permeability tensor, 2×2 (m²), of the ply at *fraction*, turned to its angle."""
    ratio = kozeny_carman_ratio(fraction, fabric.fibre_fraction)
    return turned(fabric.permeability_along_m2.value * ratio, fabric.permeability_across_m2.value * ratio, angle_deg)


PACKED = 6
"""How many figures :func:`packed_figures` gives of a ply."""


@lru_cache(maxsize=4096)
def packed_figures(fabric: FabricCard, angle_deg: float, loads_pa: tuple[float, ...]) -> npt.NDArray[np.float64]:
    """What one ply turned by its angle adds to a stack under each load, a row each: thickness (m), void (m), in-plane
    transmissivity xx, xy and yy (m³), and resistance through it ``h/Kz`` (1/m)."""
    rows = []
    for load in loads_pa:
        fraction = fibre_fraction(fabric, load)
        height = ply_thickness_m(fabric, fraction)
        tensor = in_plane_permeability(fabric, fraction, angle_deg) * height
        through = fabric.permeability_through_m2.value * kozeny_carman_ratio(fraction, fabric.fibre_fraction)
        rows.append((height, (1 - fraction) * height, tensor[0, 0], tensor[0, 1], tensor[1, 1], height / through))
    figures = np.array(rows)
    figures.setflags(write=False)
    return figures
