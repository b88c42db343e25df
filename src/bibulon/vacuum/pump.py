"""Pump against leak: base pressure ``P_ult + Q/S``, and the air a leak brings in until gel."""

from __future__ import annotations


def base_pressure_pa(ultimate_pa: float, speed_m3_s: float, leak_pa_m3_s: float) -> float:
    """The pressure the pump reaches with the leak open (speed taken as constant)."""
    return ultimate_pa + leak_pa_m3_s / speed_m3_s


def air_share_of_pores(leak_pa_m3_s: float, gel_s: float, pores_m3: float, resin_pa: float) -> float:
    """Air drawn in by gel as a share of the pores, at the pressure of the resin: ``Q·t/(P·V)`` (ideal gas)."""
    return leak_pa_m3_s * gel_s / (resin_pa * pores_m3)
