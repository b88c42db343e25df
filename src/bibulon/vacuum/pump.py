"""Pump against leak and volume: base pressure ``P_ult + Q/S``, time to pump down ``V/S·ln``."""

from __future__ import annotations

import math


def base_pressure_pa(ultimate_pa: float, speed_m3_s: float, leak_pa_m3_s: float) -> float:
    """The pressure the pump reaches with the leak open (speed taken as constant)."""
    return ultimate_pa + leak_pa_m3_s / speed_m3_s


def leak_while_pumped_pa_m3_s(pressure_pa: float, ultimate_pa: float, speed_m3_s: float) -> float:
    """The leak behind a steady *pressure_pa* while the pump runs, ``Q = S (P − P_ult)``; 0 where nothing is left."""
    return max(pressure_pa - ultimate_pa, 0.0) * speed_m3_s


def pump_down_s(volume_m3: float, speed_m3_s: float, from_pa: float, to_pa: float, base_pa: float) -> float:
    """How long a pump of constant speed takes to empty *volume_m3* from one pressure to another,
    ``V/S · ln((P0 − P_base)/(P − P_base))``; infinite for a pressure that it never comes to. What hoses and dry fibre
    hold up is left out."""
    if to_pa >= from_pa:
        return 0.0
    if to_pa <= base_pa:
        return math.inf
    return volume_m3 / speed_m3_s * math.log((from_pa - base_pa) / (to_pa - base_pa))
