"""Cautions about charge, batches and cure."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.cautions.registry import Finding, caution
from bibulon.quantities import clock_time, from_to, show

THICK_PA_S = 0.45
BEYOND_K = 6.0
"""So far beyond the points of a card its curves are trusted."""


@caution(
    "charge-short",
    "stop",
    "charge",
    why="Running out of resin mid-shot is the commonest embarrassment; air in the feed is carried into the part.",
    remedy="Have the whole charge in the shop before mixing the first batch.",
)
def charge_short(assessment: Assessment) -> Iterator[Finding]:
    in_hand, wanted = assessment.job.charge.in_hand_kg, assessment.charge.total_kg
    if in_hand is not None and in_hand < wanted:
        has, needs = (show(one, "mass", assessment.units) for one in (in_hand, wanted))
        yield Finding(f"{has} of resin in hand; the charge is {needs}.")


@caution(
    "resin-out-of-date",
    "stop",
    "charge",
    why="Old resin or hardener may gel early, late or never, and nobody can tell which before it is in the part.",
    remedy="Take a fresh lot, or try a cup of this one with the maker's consent and enter the new date.",
)
def resin_out_of_date(assessment: Assessment) -> Iterator[Finding]:
    resin = assessment.job.resin
    if resin.expires is not None and resin.expires < assessment.on:
        lot = f", lot {resin.lot}," if resin.lot else ""
        yield Finding(f"{resin.name}{lot} was good until {resin.expires:%d %b %Y}.")


@caution(
    "batch-gels-first",
    "stop",
    "charge",
    why="A pot that warms up thickens, smokes and burns before its resin is in the part.",
    remedy="Mix smaller batches, a slower hardener, or keep the pot in a water bath.",
)
def batch_gels(assessment: Assessment) -> Iterator[Finding]:
    for batch in assessment.batches:
        if not batch.in_time:
            age, limit = (show(time - batch.mix_s, "duration") for time in (batch.used_s, batch.usable_until_s))
            yield Finding(f"Batch {batch.number} is {age} old when used up; it should be by {limit}.")


@caution(
    "too-viscous",
    "caution",
    "charge",
    why="Cold resin is thick: the fill takes longer in proportion.",
    remedy="Warm the shop, the mould and the resin within the data sheet, or take a thinner system.",
)
def too_viscous(assessment: Assessment) -> Iterator[Finding]:
    viscosity = assessment.resin_flow.viscosity_pa_s
    if viscosity > THICK_PA_S:
        has, wants = (show(one, "viscosity", assessment.units) for one in (viscosity, THICK_PA_S))
        temperature = show(assessment.job.mould_temperature_k, "temperature", assessment.units)
        yield Finding(f"The mix has {has} at {temperature}; infusion wants less than {wants}.")


@caution(
    "too-cold",
    "caution",
    "charge",
    why="Below its lowest temperature the resin may not cure through.",
    remedy="Warm the shop and the mould before mixing.",
)
def too_cold(assessment: Assessment) -> Iterator[Finding]:
    temperature = min(assessment.job.shop.temperature_k, assessment.job.mould_temperature_k)
    lowest = assessment.job.resin.lowest_temperature_k
    if temperature < lowest:
        is_, least = (show(one, "temperature", assessment.units) for one in (temperature, lowest))
        yield Finding(f"Shop or mould is at {is_}; {assessment.job.resin.name} wants at least {least}.")


@caution(
    "beyond-card-data",
    "caution",
    "charge",
    why="Viscosity and times are drawn out beyond the points of the resin's card, where nobody has measured them.",
    remedy="Ask the maker for figures at this temperature and add them to the card, or work within its points.",
)
def beyond_card_data(assessment: Assessment) -> Iterator[Finding]:
    job, units = assessment.job, assessment.units
    resin = job.resin
    flow = [*(one.temperature_k for one in resin.viscosity), *(one.temperature_k for one in resin.film_gel)]
    pot = [one.temperature_k for one in resin.pot_life]
    for what, known, temperature in (
        ("viscosity and gel", flow, job.mould_temperature_k),
        ("pot life", pot, job.shop.temperature_k),
    ):
        if not min(known) - BEYOND_K <= temperature <= max(known) + BEYOND_K:
            is_ = show(temperature, "temperature", units)
            low, high = (show(one, "temperature", units) for one in (min(known), max(known)))
            has = f"at {low} only" if low == high else f"from {from_to(low, high)}"
            yield Finding(f"At {is_} the {what} of {resin.name} are guessed: its card has them {has}.")
            return


@caution(
    "release-after-shift",
    "note",
    "cure",
    why="The vacuum has to stay on until then, and somebody has to watch it.",
    remedy="Start earlier, take a faster hardener if the fill allows, or arrange a night watch on the pump.",
)
def release_after_shift(assessment: Assessment) -> Iterator[Finding]:
    if assessment.cure.after_shift_s > 0:
        start = assessment.job.shop.shot_start_s
        release, end = clock_time(start + assessment.cure.release_s), clock_time(start + assessment.cure.shift_end_s)
        yield Finding(f"Vacuum may be let go at {release}; the shift ends at {end}.")
