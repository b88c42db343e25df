"""What is left of the resin when the part is full: it goes on curing in bucket and catch pots, where it is thick.

The heat balance of :mod:`bibulon.resin.pot` from the state that the resin has by then, in the shop's air.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bibulon.job import Job
from bibulon.job.dosing import dosed
from bibulon.resin.batches import Batch
from bibulon.resin.card_law import law_of
from bibulon.resin.mixing import pot_of
from bibulon.resin.pot import OUT_AT_RISE_K, Pot, PotCourse, pot_course

LEAST_KG = 0.02
"""Less than this wets the wall of its pot and is not reckoned."""
COLD_OVER_K = 5.0
"""What is left is cold when it is within so much of the shop's temperature again."""
FOLLOWED_S = 24 * 3600.0
DEPTHS_M = (0.03, 0.02, 0.01, 0.005, 0.003)
HARMLESS_K = 333.15
"""Resin that gets no warmer than this, 60 °C, neither smokes nor cracks."""


@dataclass(frozen=True)
class Leftover:
    """Resin that is left, and what becomes of it. Times on the run clock (s), infinite for what is not followed so
    long."""

    where: str
    mass_kg: float
    peak_k: float
    peak_s: float
    out_by_s: float
    """When it is warmer by :data:`~bibulon.resin.pot.OUT_AT_RISE_K`; infinite if it never is."""
    cold_s: float
    """From when it is cold to the end."""
    spread_m: float | None
    """The deepest that it may be spread out at once to stay under :data:`HARMLESS_K`; None if none of :data:`DEPTHS_M`
    keeps it so, or it stands under vacuum."""
    under_vacuum: bool = False
    """Whether it cannot be taken away yet."""

    @property
    def runs_away(self) -> bool:
        """Whether it gets so hot by itself, where it stands, that it smokes and cracks."""
        return self.peak_k > HARMLESS_K and math.isfinite(self.out_by_s)


def depth_in_bucket_m(job: Job, volume_m3: float) -> float | None:
    """How deep *volume_m3* stands in the bucket; None where nobody measured it, or there is another vessel."""
    bucket = job.plumbing.bucket
    return bucket.depth_m(volume_m3) if bucket.known and job.supply == "bucket" else None


def depth_in_pots_m(job: Job, volume_m3: float) -> float | None:
    """How deep *volume_m3* stands in the smallest of the catch pots, which are as deep as wide, before it goes on into
    the next; None where there is no pot."""
    if not job.pots:
        return None
    capacity_m3 = min(pot.capacity_m3 for pot in job.pots)
    wide_m = (4 * capacity_m3 / math.pi) ** (1 / 3)
    return float(min(volume_m3, capacity_m3) / (math.pi / 4 * wide_m**2))


def leftover_of(
    job: Job,
    where: str,
    mass_kg: float,
    batch: Batch,
    from_s: float,
    depth_m: float | None = None,
    under_vacuum: bool = False,
) -> Leftover | None:
    """*mass_kg* of *batch* that is left at *from_s* on the run clock; None for next to nothing. It stands *depth_m*
    deep, or as deep as wide for None, and is as warm and as far cured as the batch is by then in its own pot."""
    if mass_kg < LEAST_KG:
        return None
    law, density, shop_k = law_of(dosed(job.resin, batch.dose)), job.resin.density_kg_m3, job.shop.temperature_k
    mixed_k = batch.mixed_k
    before = pot_course(law, density, batch.mass_kg, mixed_k, pot_of(job))
    warm, cured = (float(one) for one in before.at(max(from_s - batch.mix_s, 0.0)))

    def left(pot: Pot) -> PotCourse:
        return pot_course(law, density, mass_kg, warm, pot, cured, FOLLOWED_S)

    course = left(Pot("bucket", shop_k) if depth_m is None else Pot("tray", shop_k, None, depth_m))
    hot, warm_k = course.temperature_k, max(mixed_k, shop_k) + OUT_AT_RISE_K
    depths = () if under_vacuum else [depth for depth in DEPTHS_M if depth_m is None or depth < depth_m]
    over = np.flatnonzero(hot > warm_k)
    warmed = np.flatnonzero(np.abs(hot - shop_k) > COLD_OVER_K)
    cold = 0.0 if not len(warmed) else math.inf
    if len(warmed) and warmed[-1] + 1 < len(hot):
        cold = float(course.times_s[warmed[-1] + 1])
    return Leftover(
        where=where,
        mass_kg=mass_kg,
        peak_k=course.hottest_k,
        peak_s=from_s + float(course.times_s[int(np.argmax(hot))]),
        out_by_s=from_s + float(course.times_s[over[0]]) if len(over) else math.inf,
        cold_s=from_s + cold,
        spread_m=next((one for one in depths if left(Pot("tray", shop_k, None, one)).hottest_k <= HARMLESS_K), None),
        under_vacuum=under_vacuum,
    )


def leftovers_of(
    job: Job, batches: Sequence[Batch], end_s: float, in_bucket_kg: float, in_pots_kg: float
) -> tuple[Leftover, ...]:
    """What is left in bucket, pressure pot or machine and in the catch pots at *end_s*, the end of the fill, by what is
    in them; none where a machine mixes resin as it comes. The bucket has the batch poured last, the catch pots the
    resin mixed first."""
    if not batches:
        return ()
    last, first = max(batches, key=lambda one: one.pour_s), min(batches, key=lambda one: one.pour_s)
    density = job.resin.density_kg_m3
    in_bucket_m = depth_in_bucket_m(job, in_bucket_kg / density)
    in_pots_m = depth_in_pots_m(job, in_pots_kg / density)
    found = (
        leftover_of(job, f"in the {job.supply}", in_bucket_kg, last, end_s, in_bucket_m),
        leftover_of(job, "in the catch pots", in_pots_kg, first, end_s, in_pots_m, under_vacuum=True),
    )
    return tuple(one for one in found if one is not None)
