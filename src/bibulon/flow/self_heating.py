"""Wet laminate that keeps heat: how fast it comes to the mould's temperature, and how far resin in it warms by its own
cure until it stops."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Floats
from bibulon.flow.fed_resin import FedResin

DIFFUSIVITY_M2_S = 1.2e-7
RESIN_HEAT_J_M3_K = 2.1e6
FIBRE_HEAT_J_M3_K = 2.05e6
"""Of glass."""
STEPS_TO_STOP = 48
"""In so many equal steps of cure resin that warms by itself is followed until it stops."""


def relaxes_in_s(thickness_m: Floats, both_faces: bool) -> Floats:
    """``τ`` of laminate of a *thickness_m* that the mould holds *both_faces* of, or the tool face alone."""
    tau_s = np.maximum(thickness_m, 1e-5) ** 2 / (math.pi**2 * DIFFUSIVITY_M2_S)
    return np.asarray(tau_s * (1 if both_faces else 4))


def resin_heat_share(fibre_fraction: Floats) -> Floats:
    """The share that resin has in the heat capacity of wet laminate."""
    resin = (1 - fibre_fraction) * RESIN_HEAT_J_M3_K
    return np.asarray(resin / (resin + fibre_fraction * FIBRE_HEAT_J_M3_K))


@dataclass(frozen=True)
class UntilStopped:
    """Resin that stays where it is until it stops, (N,) each: in how long, and the most it is warmer than the mould."""

    left_s: Floats
    most_k: Floats


def until_stopped(
    fed: FedResin, age_s: Floats, faster: Floats, excess_k: Floats, tau_s: Floats, share: Floats
) -> UntilStopped:
    """What becomes of resin of an age at the mould's temperature, that cures so many times *faster* than planned, is
    warmer than the mould by *excess_k* and has that *share* of the heat capacity there, if it stays: (N,) each.

    ``dA/dt = f(θ)``, ``dθ/dt = share · H/c · dα/dt − θ/τ``, in equal steps of α until resin stops. What has stopped
    before has less than no time left, at the mould's temperature.
    """
    still = fed.still
    stop_s, stop_cure = float(still.times_s[-1]), float(still.cure[-1])
    late_s = np.minimum(stop_s - age_s, 0.0) / faster
    cure = np.interp(age_s, still.times_s, still.cure)
    each = (stop_cure - cure) / STEPS_TO_STOP
    warms_k = share * fed.law.adiabatic_rise_k * each
    now_s, excess_k = np.minimum(age_s, stop_s), excess_k.copy()
    left_s, most_k = np.zeros(len(age_s)), excess_k.copy()
    for step in range(1, STEPS_TO_STOP + 1):
        then_s = np.interp(cure + step * each, still.cure, still.times_s)
        at_first_s = (then_s - now_s) / faster
        mean_k = excess_k
        for _ in range(2):  # by the warmth at its beginning, then by its mean
            takes_s = at_first_s / fed.factors(mean_k)[0]
            then_k = (excess_k + warms_k) / (1 + takes_s / tau_s)
            mean_k = (excess_k + then_k) / 2
        excess_k = then_k
        left_s, now_s, most_k = left_s + takes_s, then_s, np.maximum(most_k, excess_k)
    return UntilStopped(left_s + late_s, most_k)
