"""Pump against leak: base pressure ``P_ult + Q/S``."""

from __future__ import annotations


def base_pressure_pa(ultimate_pa: float, speed_m3_s: float, leak_pa_m3_s: float) -> float:
    """The pressure the pump reaches with the leak open (speed taken as constant)."""
    return ultimate_pa + leak_pa_m3_s / speed_m3_s


def leak_while_pumped_pa_m3_s(pressure_pa: float, ultimate_pa: float, speed_m3_s: float) -> float:
    """The leak behind a steady *pressure_pa* while the pump runs, ``Q = S (P − P_ult)``; 0 where nothing is left."""
    return max(pressure_pa - ultimate_pa, 0.0) * speed_m3_s
