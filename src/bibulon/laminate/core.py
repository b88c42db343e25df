"""Cores: how much resin grooves, perforations and cut cells take, and how far grooves carry it.

Source: laminar flow in a rectangular duct of sides a ≥ b, ``Q = a·b³/(12·μ)·(1 − 0.630·b/a)·Δp/L``, within 1 % of the
full series for b/a ≤ 0.7 and 4 % for a square duct.
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from bibulon.job.cards import CoreCard
from bibulon.job.layup import CoreLaying
from bibulon.laminate.compaction import turned


def duct_conductance_m4(side_m: float, other_m: float) -> float:
    """``Q·μ·L/Δp`` of a rectangular duct (m⁴)."""
    a, b = max(side_m, other_m), min(side_m, other_m)
    return a * b**3 / 12 * (1 - 0.630 * b / a)


def groove_transmissivity_m3(core: CoreCard, angle_deg: float) -> npt.NDArray[np.float64]:
    """Tensor (2×2, m³) of the core's grooves smeared over its area; one-way grooves run at *angle_deg*."""
    if core.grooves == "none":
        return np.zeros((2, 2))
    along = duct_conductance_m4(core.groove_width_m, core.groove_depth_m) / core.groove_pitch_m
    return turned(along, along if core.grooves == "two ways" else 0.0, angle_deg)


def groove_volume_m(core: CoreCard) -> float:
    """Groove volume per area (m)."""
    section = core.groove_width_m * core.groove_depth_m
    if core.grooves == "none":
        return 0.0
    if core.grooves == "one way":
        return section / core.groove_pitch_m
    crossing = core.groove_width_m**2 * core.groove_depth_m / core.groove_pitch_m**2
    return 2 * section / core.groove_pitch_m - crossing


def perforation_volume_m(core: CoreCard) -> float:
    """Volume of the perforations per area (m), on a square grid."""
    if core.perforation_pitch_m is None:
        return 0.0
    return math.pi / 4 * core.perforation_diameter_m**2 / core.perforation_pitch_m**2 * core.thickness_m


def joint_volume_m(core: CoreCard, laying: CoreLaying) -> float:
    """Resin in the joints between sheets, per area of core (m)."""
    return laying.joint_gap_m * core.thickness_m * (1 / core.sheet_length_m + 1 / core.sheet_width_m)


def joint_transmissivity_m3(core: CoreCard, laying: CoreLaying, angle_deg: float) -> npt.NDArray[np.float64]:
    """Tensor (2×2, m³) of the joints between sheets laid along *angle_deg*, smeared over the core's area."""
    if laying.joint_gap_m == 0:
        return np.zeros((2, 2))
    slot = duct_conductance_m4(core.thickness_m, laying.joint_gap_m)
    return turned(slot / core.sheet_width_m, slot / core.sheet_length_m, angle_deg)


def lets_resin_through(core: CoreCard) -> bool:
    """Whether resin can pass from one face of the core to the other."""
    return core.perforation_pitch_m is not None or is_slit(core)


def is_slit(core: CoreCard) -> bool:
    """Whether the core is cut right through, a scrim holding it together."""
    return core.grooves != "none" and core.groove_depth_m >= core.thickness_m


def cut_pattern(core: CoreCard) -> str:
    """How the core is cut, in words: a score is a groove deeper than half the core, a slit goes through it."""
    ways = "" if core.grooves == "none" else f" {core.grooves}"
    below_half = core.groove_depth_m > core.thickness_m / 2
    parts = [("slit" if is_slit(core) else "scored" if below_half else "grooved") + ways] if ways else []
    if core.perforation_pitch_m is not None:
        parts.append("perforated")
    return " and ".join(parts) or "plain"
