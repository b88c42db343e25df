"""Cautions about charge, batches and cure."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.cautions.places import listed
from bibulon.cautions.registry import Finding, Rank, caution
from bibulon.durations import clock_time
from bibulon.flow.network import pipe_volume_m3
from bibulon.job.filling import filler_share
from bibulon.job.gear_cards import TubeCard
from bibulon.quantities_in_words import brief, brief_each, from_to
from bibulon.resin.batches import Batch
from bibulon.resin.data_range import Of, guessed, known_k
from bibulon.resin.mixing import mixed_temperature_k, pot_of
from bibulon.resin.pot_life import pot_life_s
from bibulon.resin.sheet_lines import sheet_contradiction

MUCH_TOO_THICK = 1.5
"""So many times the house's viscosity is more than a note."""
SHORT_HOSE_M = 1.5
"""A hose of this length is needed in any case."""


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
        has, needs = brief_each((in_hand, wanted), "mass", assessment.units)
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
    late = [batch for batch in assessment.batches if not batch.in_time and not _stood(assessment, batch)]
    if not late:
        return
    worst = max(late, key=lambda batch: batch.used_s - batch.usable_until_s)
    age, limit = (brief(time - worst.mix_s, "duration") for time in (worst.used_s, worst.usable_until_s))
    others = f" {len(late) - 1} more are too old as well." if len(late) > 1 else ""
    yield Finding(f"Batch {worst.number} is {age} old when used up; it should be by {limit}.{others}")


def _stood(assessment: Assessment, batch: Batch) -> bool:
    """Whether a batch that is mixed gels before it is used up only because it stood for so long."""
    if batch.in_time or batch.number > len(assessment.job.weighed):
        return False
    fresh_s = assessment.job.charge.mix_time_s + batch.used_s - batch.pour_s
    return fresh_s <= batch.usable_until_s - batch.mix_s


@caution(
    "batch-stood",
    "stop",
    "shoot",
    why="Mixed resin ages in its pot as it does in the part: it is thicker from the start, and a pot that warms up "
    "gels before it is used.",
    remedy="Feel the pot and stir it: if it is warm or draws threads, clamp its feed, set it outdoors and mix anew. "
    "Fill and gel margin are reckoned with its age now. If the log has it wrong, write at Charge when it was mixed.",
)
def batch_stood(assessment: Assessment) -> Iterator[Finding]:
    late = [batch for batch in assessment.batches if _stood(assessment, batch)]
    if not late:
        return
    worst = max(late, key=lambda batch: batch.used_s - batch.usable_until_s)
    age, limit = (brief(time - worst.mix_s, "duration") for time in (worst.used_s, worst.usable_until_s))
    mixed = clock_time(assessment.job.shot_start_s + worst.mix_s)
    others = f" {len(late) - 1} more are too old as well." if len(late) > 1 else ""
    words = f"Batch {worst.number} was mixed at {mixed} and is {age} old when used up; it should be by {limit}."
    yield Finding(f"{words}{others}")


@caution(
    "batch-too-heavy",
    "caution",
    "charge",
    why="The more resin in one pot, the hotter it gets by itself: it smokes, foams and gels before it is poured.",
    remedy="Mix less at a time, in wide shallow buckets or a water bath; the data sheet gives the most for one pot.",
)
def batch_too_heavy(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    planned = max((batch.mass_kg for batch in assessment.batches), default=0.0)
    logged = max((event.mass_kg or 0.0 for event in job.shot if event.kind == "batch added"), default=0.0)
    mass = max(planned, logged)
    if mass <= 0 or any(not batch.in_time for batch in assessment.batches):
        return  # that one pot gels before it is used up is said by itself
    life_s = pot_life_s(job.resin, mixed_temperature_k(job), mass, pot_of(job))
    left = job.charge.pot_life_share * life_s - job.charge.mix_time_s
    if left < job.house.pot_time_s:
        shown = brief(mass, "mass", assessment.units)
        lasts, most = brief_each((left, job.house.pot_time_s), "duration")
        after = f"{lasts} after mixing" if left > 0 else "while it is still being mixed"
        yield Finding(f"A pot of {shown} is used up or too warm {after}; the house asks for {most}.")


@caution(
    "heel-forgotten",
    "caution",
    "charge",
    why="A dip tube never empties its bucket: what stays below its mouth is mixed and not drawn, and the last of the "
    "charge comes with air.",
    remedy="Measure what the dip tube leaves, and enter it as the heel.",
    of_plan=True,
)
def heel_forgotten(assessment: Assessment) -> Iterator[Finding]:
    bucket = assessment.job.bucket
    if assessment.job.feeds and bucket.heel_kg <= 0 and bucket.rate_m3_s <= 0:
        place = assessment.job.feeds[0].points[0]
        yield Finding("The charge counts nothing for the heel that the dip tube leaves in the bucket.", place)


@caution(
    "hose-waste",
    "caution",
    "charge",
    why="What stands in hoses at the end is thrown away, and a long hose slows the feed as well.",
    remedy="Stand the bucket nearer, shorten the hoses, or take a thinner one where the fill allows it.",
)
def hose_waste(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    total, density = assessment.charge.total_kg, job.resin.density_kg_m3 * job.parts_together
    hoses = [(line.hose, line.hose_length_m, line.label, line.points[0]) for line in job.lines]
    hoses += [
        (manifold.hose, manifold.hose_length_m, manifold.label, job.lines[0].points[0])
        for manifold in job.manifolds
        if job.lines
    ]
    too_long = [
        (pipe_volume_m3(job.card(hose, TubeCard).bore_m, length - SHORT_HOSE_M) * density, length, label, place)
        for hose, length, label, place in hoses
        if length > SHORT_HOSE_M
    ]
    waste = sum(mass for mass, *_ in too_long)
    if too_long and waste > job.house.hose_waste * total:
        worst = max(too_long)
        kg, metres = brief(waste, "mass", assessment.units), brief(worst[1], "distance", assessment.units)
        share = brief(waste / total, "share", assessment.units)
        labels = listed(label for *_, label, _ in sorted(too_long, reverse=True))
        longest = f", the longest {metres}" if len(too_long) > 1 else f" of {metres}"
        yield Finding(f"The hoses of {labels}{longest} waste {kg}, {share} of the charge.", worst[3])


@caution(
    "mix-temperature-missed",
    "caution",
    "charge",
    why="Viscosity, pot life and gel are planned for one temperature; mixed resin that is colder flows slower, warmer "
    "resin gels earlier.",
    remedy="Bring the components to the planned temperature, and measure the mix, not the drums.",
)
def mix_temperature_missed(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    planned = mixed_temperature_k(job)
    off = [
        event
        for event in job.shot
        if event.kind == "batch added"
        and event.temperature_k is not None
        and abs(event.temperature_k - planned) > job.house.mix_temperature_k
    ]
    if off:
        worst = max(off, key=lambda event: abs((event.temperature_k or planned) - planned))
        is_, plan = brief_each((worst.temperature_k or planned, planned), "temperature", assessment.units)
        more = f" So are {len(off) - 1} more." if len(off) > 1 else ""
        yield Finding(f"Batch {worst.label} was poured at {is_}; the plan counts on {plan}.{more}")


@caution(
    "too-viscous",
    "caution",
    "charge",
    why="Thick resin makes the fill take longer in proportion.",
    remedy="Warm the shop, the mould and the resin within the data sheet, or take a thinner system.",
)
def too_viscous(assessment: Assessment) -> Iterator[Finding]:
    viscosity, most = assessment.resin_flow.viscosity_pa_s, assessment.job.house.thick_pa_s
    if viscosity > most * (1 + 1e-6):
        has, wants = brief_each((viscosity, most), "viscosity", assessment.units)
        temperature = brief(assessment.job.mould_temperature_k, "temperature", assessment.units)
        rank: Rank = "caution" if viscosity > MUCH_TOO_THICK * most else "note"
        what = "resin with its filler" if filler_share(assessment.job.resin) else "resin"
        yield Finding(
            f"In the mould, at {temperature}, the {what} has {has}; the house aims at less than {wants}.", rank=rank
        )


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
        is_, least = brief_each((temperature, lowest), "temperature", assessment.units)
        yield Finding(f"Shop or mould is at {is_}; {assessment.job.resin.name} wants at least {least}.")


@caution(
    "warmed-too-far",
    "stop",
    "charge",
    why="Warm resin is thin but short-lived: it gels in the pot or the hose, boils under vacuum, and may run away hot.",
    remedy="Cool mix, mould and shop to what the resin's data sheet allows.",
)
def warmed_too_far(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    poured = [event.temperature_k or 0.0 for event in job.shot if event.kind == "batch added"]
    temperatures = {"The shop": job.shop.temperature_k, "The mould": job.mould_temperature_k}
    temperatures["The mix"] = max([mixed_temperature_k(job), *poured])
    what, temperature = max(temperatures.items(), key=lambda item: item[1])
    if temperature > job.resin.highest_temperature_k:
        is_, most = brief_each((temperature, job.resin.highest_temperature_k), "temperature", assessment.units)
        yield Finding(f"{what} is at {is_}; {job.resin.name} is to stay below {most}.")


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
    of: tuple[tuple[Of, float], ...] = (
        ("viscosity and gel", job.mould_temperature_k),
        ("pot life", mixed_temperature_k(job)),
    )
    for what, temperature in of:
        if temperature > resin.highest_temperature_k:
            return  # too warm for the resin at all, and said so
        if guessed(resin, what, temperature):
            is_ = brief(temperature, "temperature", units)
            low, high = brief_each(known_k(resin, what), "temperature", units)
            has = f"at {low} only" if low == high else f"from {from_to(low, high)}"
            yield Finding(f"At {is_} the {what} of {resin.name} are guessed: its card has them {has}.")
            return


@caution(
    "sheet-figure-outlier",
    "caution",
    "charge",
    why="One figure that was copied or measured wrong bends the curve for all others: fill, gel and pots go by it.",
    remedy="Look at the data sheet again, and mend or leave out the figure in the resin's window.",
)
def sheet_figure_outlier(assessment: Assessment) -> Iterator[Finding]:
    resin = assessment.job.resin
    if found := sheet_contradiction(resin, assessment.units):
        yield Finding(f"On the card of {resin.name}: {found[0].lower()}{found[1:]}")


@caution(
    "release-after-shift",
    "note",
    "cure",
    why="The vacuum has to stay on until then, and somebody has to watch it.",
    remedy="Start earlier, take a faster hardener if the fill allows, or arrange a night watch on the pump.",
)
def release_after_shift(assessment: Assessment) -> Iterator[Finding]:
    if assessment.fill is not None and assessment.cure_study is None:
        return  # it is being followed through the stack, which may well be an hour off the card's own figure
    if assessment.cure.after_shift_s > 0:
        start = assessment.job.shot_start_s
        release, end = clock_time(start + assessment.cure.release_s), clock_time(start + assessment.cure.shift_end_s)
        yield Finding(f"Vacuum may be let go at {release}; the shift ends at {end}.")
