"""What a gauge counts from, told from a long hold in which the barometer moved.

A gauge that counts from the atmosphere shows ``P − (B(t) − B(0))``, one that counts from nothing shows ``P``. So the
readings are fitted with what a bag does by itself, a settling and a leak, and with the barometer's way besides: its
share is −1 for the first kind and 0 for the second. Least squares; of the barometer only what a settling and a leak
cannot stand for tells anything.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from bibulon.job.hold import HoldTest

FEWEST = 8
LEAST_WAY_PA = 60.0
"""The barometer has to move by so much, root mean square, besides what goes evenly with time."""
SURE = 0.2
"""The share is known when its standard deviation is smaller."""
NEAR = 0.4


def gauge_counts_from(test: HoldTest) -> Literal["absolute", "relative"] | None:
    """The kind of gauge that the readings of *test* speak for; None where they do not tell."""
    if len(test.readings) < FEWEST or len(test.barometer_readings) < 3:
        return None
    time, pressure = np.array(test.readings, dtype=np.float64).T
    at, barometer = np.array(test.barometer_readings, dtype=np.float64).T
    moved = np.interp(time, at, barometer) - barometer[0]
    span = float(np.ptp(time))
    own = [np.ones_like(time), (time - time[0]) / span]
    own += [np.exp(-(time - time[0]) / (span * share)) for share in (0.05, 0.2)]
    if len(test.temperature_readings) > 2:
        at, temperature = np.array(test.temperature_readings, dtype=np.float64).T
        own.append(pressure.mean() * (np.interp(time, at, temperature) / temperature[0] - 1))
    base = np.column_stack(own)
    left = moved - base @ np.linalg.lstsq(base, moved, rcond=None)[0]
    if float(np.sqrt((left**2).mean())) < LEAST_WAY_PA:
        return None
    rest = pressure - base @ np.linalg.lstsq(base, pressure, rcond=None)[0]
    share = float(left @ rest / (left @ left))
    freedom = len(time) - base.shape[1] - 1
    if freedom < 1:
        return None
    deviation = float(np.sqrt(((rest - share * left) ** 2).sum() / freedom / (left @ left)))
    if deviation > SURE:
        return None
    if abs(share) < NEAR:
        return "absolute"
    return "relative" if abs(share + 1) < NEAR else None
