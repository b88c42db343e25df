"""Pump against leak: base pressure ``P_ult + Q/S``."""

from __future__ import annotations


def base_pressure_pa(ultimate_pa: float, speed_m3_s: float, leak_pa_m3_s: float) -> float:
    """The pressure the pump reaches with the leak open (speed taken as constant)."""
    return ultimate_pa + leak_pa_m3_s / speed_m3_s
