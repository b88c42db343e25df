"""The flange of a closed mould: how far it gives, what its seals follow, and how long it stays shut without a pump.

Held by vacuum, the flange is a strip that runs on into the upper half at the inner seal, stands on the outer one, and
carries ``q = p_atm − p_flange`` between them: ``w = q b⁴/185 D`` (``5 q b⁴/384 D`` where the flange lets it turn), with
``D = E t³/12(1 − ν²)``. Between two clamps of rigid halves it is a beam held at both: ``w = q s⁴/384 E I`` with what
opens the mould by its length, ``I = b t³/12``. Both are small deflections of elastic strips (any handbook of
structures); ribs that run over the flange make it stiffer and are left out.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from bibulon.flow.cavity import grown, seal_line
from bibulon.flow.result import FillResult
from bibulon.job import CLAMPED_BY_FORCE, CLAMPED_BY_VACUUM, Job
from bibulon.job.edits import with_pair
from bibulon.mould.clamp import ClampMargin, flange_needed_pa
from bibulon.mould.fittings import clamp_count, widest_gap
from bibulon.mould.press import press_forces
from bibulon.quantities import Units, show

SEALED_GAP_M = 0.003
"""How high the space between the seals is taken to be, whose air a reservoir adds to."""
SMALL_SHARE = 0.05
"""The formulas hold while a strip gives by no more than this share of its span; beyond it is slack."""
THICKEST_M = 0.2
WITHIN = 0.8
"""A flange that is made thicker gives by this share of what its seals follow."""


@dataclass(frozen=True)
class FlangeGives:
    """How far the flange gives (m), how far the seal that follows least goes with it, and how it comes about."""

    gives_m: float
    follows_m: float
    thickness_m: float
    how: str
    slack: bool = False
    """Whether it gives by more than that: it is too thin to be reckoned."""

    @property
    def sealed(self) -> bool:
        return self.gives_m <= self.follows_m


def flange_gives(job: Job, fill: FillResult | None, units: Units | None = None) -> FlangeGives | None:
    """How far the flange of *job* gives; None for halves that do not bend, while nobody has said how thick it is, and
    where there is no flange. What opens rigid halves is that of *fill*."""
    pair, units = job.pair, units or Units()
    upper = pair.upper
    if job.process in CLAMPED_BY_VACUUM:
        if upper.rigid:
            return None
        thick_m = pair.flange_thickness_m or upper.thickness_m
        load, span = max(job.shop.barometer_pa - pair.flange_pa, 0.0), pair.flange_m
        stiff = upper.modulus_pa * thick_m**3 / (12 * (1 - upper.poisson**2))
        gives = load * span**4 / (185 * stiff) if upper.edge == "held flat" else 5 * load * span**4 / (384 * stiff)
        follows = min(pair.inner_seal.follows_m, pair.outer_seal.follows_m)
        how = f"{show(load, 'pressure difference', units)} on {show(span, 'length', units)} between the seals"
    elif job.process in CLAMPED_BY_FORCE and pair.clamp.kind != "press":
        if pair.flange_thickness_m is None or fill is None:
            return None
        thick_m, forces, rim_m = pair.flange_thickness_m, press_forces(job, fill), seal_line(job).length
        gap = widest_gap(job)
        span = gap[0] if gap is not None else rim_m / clamp_count(job)
        line = max(float(forces.worst_n.max()), 0.0) / rim_m
        gives = line * span**4 / (384 * upper.modulus_pa * pair.flange_m * thick_m**3 / 12)
        follows = pair.inner_seal.follows_m
        how = f"{show(line, 'line force', units)} over {show(span, 'length', units)} between two clamps"
    else:
        return None
    slack, how = gives > SMALL_SHARE * span, f"{how}; {show(thick_m, 'thickness', units)} thick."
    return FlangeGives(SMALL_SHARE * span if slack else gives, follows, thick_m, how, slack)


def flange_thick_enough_m(job: Job) -> float | None:
    """How thick a flange that is held by vacuum has to be for its seals to follow it, rounded up to 0.5 mm: what it
    gives goes with the cube of its thickness. None for others, and where none up to :data:`THICKEST_M` will do."""
    found = flange_gives(with_pair(job, flange_thickness_m=THICKEST_M), None)
    if found is None or found.follows_m <= 0 or found.slack:
        return None
    wanted = THICKEST_M * (found.gives_m / (WITHIN * found.follows_m)) ** (1 / 3)
    return float(max(math.ceil(wanted * 2000 - 1e-6), 1)) / 2000 if wanted <= THICKEST_M else None


def with_flange_thick_enough(job: Job) -> Job:
    """*job* with a flange that is as thick as :func:`flange_thick_enough_m`."""
    return with_pair(job, flange_thickness_m=flange_thick_enough_m(job))


def between_seals_m3(job: Job) -> float:
    """The air space between the seals, :data:`SEALED_GAP_M` high."""
    inner, outer = seal_line(job), grown(job.part.outline.polygon, job.pair.seal_off_m + job.pair.flange_m)
    return SEALED_GAP_M * float(outer.area - inner.area)


@dataclass(frozen=True)
class WithoutPump:
    """How long a flange keeps the mould shut once the pump has stopped (s), and up to which pressure (Pa, absolute)."""

    lasts_s: float
    until_pa: float


def without_pump(job: Job, margin: ClampMargin, rise_pa_s: float) -> WithoutPump | None:
    """By how fast the flange rises without the reservoir that stands behind it, as in a hold test; None where the mould
    opens anyway, infinite for a flange that does not rise, or whose vacuum is not needed."""
    until_pa = flange_needed_pa(job, margin)
    if until_pa <= job.pair.flange_pa:
        return None
    space = between_seals_m3(job)
    rise = rise_pa_s * space / (space + (job.pair.reservoir_m3 or 0.0))
    lasts = rise <= 0 or until_pa >= job.shop.barometer_pa
    return WithoutPump(math.inf if lasts else (until_pa - job.pair.flange_pa) / rise, until_pa)
