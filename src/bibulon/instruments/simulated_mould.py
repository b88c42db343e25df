"""What the simulated instruments on a closed mould show: both spaces, supply, pot and hose, as the mould answers.

The mould answers to what is done to it: resin flows once the inlets are open and stands still once they are clamped;
the cavity is then let up to what it is held at; spaces shut off from the pump show their leaks; and a mould that the
plan has open lets its flange's vacuum go from that moment, and air into the cavity.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from bibulon.instruments.protocol import Reading
from bibulon.job import CLAMPED_BY_VACUUM, WITH_BLADDER
from bibulon.mould.bladder import bladder_pa
from bibulon.mould.injection import injection_course

if TYPE_CHECKING:
    from bibulon.assess import Assessment

Curve = tuple[tuple[float, float], ...]
"""``(time_s, value)``."""
LETS_UP_S, OPENS_S, WARMS_S = 8.0, 20.0, 10.0
"""How long the cavity takes to what it is held at, the flange of an open mould to lose its vacuum, a hose to warm."""
FLANGE_LEAK_PA_S = 0.4
NOTHING: Curve = ((0.0, 0.0),)


@dataclass(frozen=True)
class MouldWorld:
    """A mould and its supply; pressures are absolute but for ``supply``, which counts over the atmosphere.

    ``drawn`` and ``caught`` in kg, ``flow`` in m³/s over the time since the inlets were opened; ``opens_s`` when the
    mould opens, None if it stays shut; ``flange_pa`` and ``bladder_pa`` None where there is none.
    """

    barometer_pa: float
    cavity_pa: float
    hold_pa: float
    flange_pa: float | None
    bladder_pa: float | None
    shop_k: float
    resin_k: float
    warm_hose: bool
    leak_pa_s: float
    opens_s: float | None = None
    drawn: Curve = NOTHING
    caught: Curve = NOTHING
    flow: Curve = NOTHING
    supply: Curve = NOTHING


def mould_world(assessment: Assessment, leak_pa_s: float) -> MouldWorld:
    """The mould of *assessment* as it is planned."""
    job, fill = assessment.job, assessment.fill
    pair = job.pair
    opens = assessment.clamp.opens if assessment.clamp is not None else None
    world = MouldWorld(
        barometer_pa=job.shop.barometer_pa,
        cavity_pa=pair.cavity_pa,
        hold_pa=pair.hold_pa,
        flange_pa=pair.flange_pa if job.process in CLAMPED_BY_VACUUM else None,
        bladder_pa=bladder_pa(job) if job.process in WITH_BLADDER else None,
        shop_k=job.shop.temperature_k,
        resin_k=pair.injection.resin_temperature_k or job.shop.temperature_k,
        warm_hose=pair.injection.recirculated,
        leak_pa_s=leak_pa_s,
        opens_s=max(opens[0], 0.0) if opens is not None else None,
    )
    if fill is None:
        return world
    course, density = injection_course(job, fill), job.resin.density_kg_m3
    times = [float(time_s) for time_s in course.times_s]

    def curve(values: list[float]) -> Curve:
        return tuple(zip(times, values, strict=True))

    return MouldWorld(
        **{
            **vars(world),
            "drawn": curve([float(volume) * density for volume in course.drawn_m3]),
            "caught": curve([float(volume) * density for volume in fill.in_pots_m3]),
            "flow": curve([float(rate) for rate in course.rate_m3_s]),
            "supply": curve([float(over) for over in course.over_pa]),
        }
    )


def mould_readings(
    world: MouldWorld, shot_s: float | None, clamped_s: float | None, isolated_s: float
) -> tuple[Reading, ...]:
    """What the instruments show *shot_s* after the inlets were opened (None before), which were clamped at *clamped_s*
    of that clock (None while open), the pump having been shut off for *isolated_s*."""
    ran_s = 0.0 if shot_s is None else min(shot_s, math.inf if clamped_s is None else clamped_s)
    flows = shot_s is not None and clamped_s is None
    open_s = 0.0 if shot_s is None or world.opens_s is None or ran_s <= world.opens_s else shot_s - world.opens_s
    cavity_pa = world.cavity_pa + world.leak_pa_s * isolated_s
    if shot_s is not None and clamped_s is not None:
        cavity_pa += (world.hold_pa - world.cavity_pa) * -math.expm1(-(shot_s - clamped_s) / LETS_UP_S)
    cavity_pa += (world.barometer_pa - cavity_pa) * -math.expm1(-open_s / (2 * OPENS_S))
    cold = 0.0 if world.warm_hose else math.exp(-ran_s / WARMS_S)
    readings = [
        Reading("vacuum", min(cavity_pa, world.barometer_pa)),
        Reading("meter", _at(world.drawn, ran_s)),
        Reading("catch", _at(world.caught, ran_s)),
        Reading("flow", _at(world.flow, ran_s) if flows else 0.0),
        Reading("supply", max(_at(world.supply, ran_s), 0.0) if flows else 0.0),
        Reading("hose", world.resin_k + (world.shop_k - world.resin_k) * cold),
    ]
    if world.flange_pa is not None:
        flange = world.flange_pa + FLANGE_LEAK_PA_S * isolated_s
        flange += (world.barometer_pa - flange) * -math.expm1(-open_s / OPENS_S)
        readings.append(Reading("flange", min(flange, world.barometer_pa)))
    if world.bladder_pa is not None:
        readings.append(Reading("bladder", world.bladder_pa))
    return tuple(readings)


def _at(curve: Curve, time_s: float) -> float:
    times, values = np.array(curve).T
    return float(np.interp(time_s, times, values))
