"""Jobs with a mistake in each, one for every caution; made out of the sound ones."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from functools import cache

from conftest import rectangle
from mould_jobs import BLADDER_MISTAKES, MOULD_MISTAKES, arm, lid
from sound_jobs import DAY, GOOD, HELD_AT, SOUND, deck, held, tapered

from bibulon.assess import Assessment, assess, filled
from bibulon.bag.checks import bag_checks
from bibulon.cautions import REGISTRY, cautions_of
from bibulon.job import Job
from bibulon.job.cards import AdhesiveCard, CoreCard, FabricCard
from bibulon.job.charge import MixedBatch, PlannedBatch
from bibulon.job.curing import Curing, HeatStep
from bibulon.job.edits import (
    changed,
    grouped_layup,
    revised,
    with_card,
    with_line,
    with_media,
    with_plumbing,
    with_region,
)
from bibulon.job.edits import with_hose as with_fitted
from bibulon.job.gear_cards import FittingCard, TubeCard
from bibulon.job.held_plan import held_plan
from bibulon.job.layup import Dart, Layer, Preform
from bibulon.job.part import Part, Region, ReliefFigures
from bibulon.job.plumbing import BucketShape, Bypass, DipTube
from bibulon.job.resin_card import Dose
from bibulon.job.run import THERMOCOUPLE, RunEvent
from bibulon.laminate.joints import plies_of, with_joint_shift
from bibulon.laminate.lay_list import lay_list
from bibulon.laminate.relief_shapes import made_relief
from bibulon.plumbing.hose_way import with_way
from bibulon.stock import shelf, shelf_card


def vent_inside(job: Job) -> Job:
    return with_line(job, revised(job.line("vent-1"), points=((0.0, 1.0), (4.2, 1.0))))


def media_to_vent(job: Job) -> Job:
    return with_media(job, revised(job.media[1], outline=rectangle(0.05, 0.62, 4.15, 1.38)))


def feed_off_media(job: Job) -> Job:
    return with_line(job, revised(job.line("feed-2"), points=((0.12, 0.5), (4.08, 0.5))))


def far_vent(job: Job) -> Job:
    return with_line(job, revised(job.line("vent-1"), points=((1.5, 1.42), (2.7, 1.42))))


def plain_core(job: Job) -> Job:
    return with_card(job, revised(job.card("foam-grooved-perforated-25", CoreCard), perforation_pitch_m=None))


def ply_at_core(job: Job) -> Job:
    core = next(region for region in job.regions if region.name == "core")
    job = with_region(job, Region(name="under core", outline=core.outline))
    return changed(job, layup=(*job.layup, Layer(id="short", card="glass-biax-800", region="under core")))


def uncovered(job: Job) -> Job:
    job = with_region(job, Region(name="half", outline=rectangle(0, 0, 4.2, 1.2)))
    return changed(job, layup=tuple(revised(layer, region=layer.region or "half") for layer in job.layup))


def stiff_hose(job: Job) -> Job:
    job = with_card(job, revised(job.card("hose-12", TubeCard), id="stiff", clampable=False))
    return with_line(job, revised(job.line("feed-1"), hose="stiff"))


CLAMP, PORT = shelf_card("clamp-16"), shelf_card("port-foot-12")
MEASURED = BucketShape(known=True, base_m=0.27, top_m=0.3, height_m=0.32)


def with_fitting_on(job: Job, hose: str, card: FittingCard, what: str) -> Job:
    """*job* with *card*, which differs from the shelf's, as what is fitted on a hose."""
    card = revised(card, id="own")
    return with_fitted(with_card(job, card), hose, **{what: card.id})


def larger(job: Job) -> Job:
    outline = tuple((x * 1.5, y) for x, y in job.part.outline)
    return changed(job, part=Part(outline=outline, flange_width_m=0.12))


def laid(job: Job, *labels: str) -> Job:
    """*job* with plies ticked as laid."""
    texts = {line.label: line.text for line in lay_list(job)}
    at = datetime(2026, 3, 1, tzinfo=UTC)
    run = [
        RunEvent(number=i, at=at, clock_s=0, kind="ply laid", label=label, text=texts.get(label, "another"))
        for i, label in enumerate(labels, 1)
    ]
    return changed(job, run=tuple(run))


def gel_coated(job: Job) -> Job:
    """Gel coat in place of the skin coat."""
    coat = shelf_card("gel-coat-polyester")
    return changed(with_card(job, coat), layup=(Layer(id="coat", card=coat.id), *job.layup[1:]))


def with_tight_fabric(job: Job) -> Job:
    fabric = job.card("glass-quad-1200", FabricCard)
    tight = revised(
        fabric,
        id="tight",
        **{
            f"permeability_{way}_m2": {"value": getattr(fabric, f"permeability_{way}_m2").value / 200}
            for way in ("along", "across", "through")
        },
    )
    return changed(with_card(job, tight), layup=(revised(job.layup[0], card="tight"), *job.layup[1:]))


def tacked(job: Job) -> Job:
    can = next(card for card in shelf() if isinstance(card, AdhesiveCard))
    return changed(with_card(job, revised(can, most_kg_m2=can.areal_weight_kg_m2)), tack=can.id)


def thick(job: Job, count: int) -> Job:
    """So many plies of the panel's second entry in one shot."""
    return changed(job, layup=(revised(job.layup[1], count=count), *job.layup[2:]))


def in_mould(job: Job, **figures: object) -> Job:
    return changed(job, mould=revised(job.mould, **figures))


def stale(job: Job, card_id: str) -> Job:
    card = next(card for card in job.cards if card.id == card_id)
    return with_card(job, revised(card, lot="A-17", expires=date(2020, 1, 31)))


def loose_stack(job: Job) -> Job:
    """A stack that is to be debulked on the way, laid without."""
    thick = changed(job, layup=(job.layup[0], revised(job.layup[1], count=16), *job.layup[2:]))
    return laid(thick, *(line.label for line in lay_list(thick) if not line.debulk))


def darted(job: Job, mouth: tuple[float, float], tip: tuple[float, float]) -> Job:
    dart = Dart(id="dart", mouth=mouth, tip=tip, width_m=0.04)
    return changed(job, cutting=revised(job.cutting, darts=(dart,)))


def logged(job: Job, *events: tuple[str, float, dict[str, object]], after_hold: bool = True) -> Job:
    """*job* with a shot that was begun and these entries, each a kind, a run clock and what else it says."""
    at = HELD_AT + timedelta(hours=1 if after_hold else -1)
    said = (("started", 0.0, {}), *events)
    run = tuple(
        RunEvent(number=number, at=at + timedelta(seconds=clock_s), clock_s=clock_s, kind=kind, **more)
        for number, (kind, clock_s, more) in enumerate(said, 1)
    )
    return changed(job, run=run)


def unlogged(job: Job, kind: str, **more: object) -> Job:
    """*job* with one entry of before the shot, an hour after the hold test."""
    return changed(job, run=(RunEvent(number=1, at=HELD_AT + timedelta(hours=1), clock_s=0, kind=kind, **more),))


def marked(job: Job, clock_s: float) -> Job:
    return logged(job, ("front marked", clock_s, {"place": (1.0, 0.9)}))


def with_hose(job: Job, bore_m: float, length_m: float, label: str = "F1") -> Job:
    hose = revised(job.card("hose-12", TubeCard), id="other-hose", bore_m=bore_m, outer_m=bore_m + 0.004)
    one = next(line for line in job.lines if line.label == label)
    return with_line(with_card(job, hose), revised(one, hose="other-hose", hose_length_m=length_m))


def padded(job: Job) -> Job:
    """Nine more plies on a pad between feed and vent, with no media over it."""
    job = with_region(job, Region(name="pad", outline=rectangle(1.0, 0.2, 1.2, 0.3)))
    job = changed(job, media=job.media[:1])
    return changed(job, layup=(*job.layup, Layer(id="pad", card="glass-quad-1200", count=9, region="pad")))


def fed_at_the_narrow_end() -> Job:
    job = tapered()
    feed, vent = job.lines
    narrow = revised(feed, points=tuple((x - 0.03, y) for x, y in vent.points))
    wide = revised(vent, points=((0.0, 0.0), (0.0, 0.6)))
    cut = rectangle(0.07, 0.2, 1.17, 0.4)
    return changed(job, lines=(narrow, wide), media=(revised(job.media[0], outline=cut),))


def early_vent() -> Job:
    job = SOUND["early_vent_clamped"]()
    return with_line(job, revised(job.line("v2"), turns=()))


def by_hand(job: Job, *masses_kg: float, mix_s: float | None = None) -> Job:
    """The batches planned by hand, the last mixed from *mix_s* on."""
    batches = [PlannedBatch(mass_kg=mass) for mass in masses_kg]
    batches[-1] = revised(batches[-1], mix_s=mix_s)
    return changed(job, charge=revised(job.charge, batches=tuple(batches)))


def with_resin(job: Job, **fields: object) -> Job:
    return with_card(job, revised(job.resin, **fields))


def weighed(job: Job, masses_kg: tuple[float, ...], temperature_k: float | None = None) -> Job:
    record = MixedBatch(number=1, masses_kg=masses_kg, temperature_k=temperature_k)
    return changed(job, charge=revised(job.charge, mixed=(record,)))


def cold(job: Job) -> Job:
    return changed(job, shop=revised(job.shop, temperature_k=288.15))


def half(job: Job) -> Job:
    """Just the lower feed: the resin has the whole width to go."""
    return changed(job, charge=revised(job.charge, gel_margin_s=5400.0))


def with_pleats(job: Job, count: int) -> Job:
    return changed(job, bag=revised(job.bag, pleats=count))


def hot_bag(job: Job) -> Job:
    tape = shelf_card("tape-soft-20")
    warm = changed(with_card(job, tape), bag=revised(job.bag, tape=tape.id))
    return in_mould(warm, temperature_k=373.0)


def weather_on_the_gauge(job: Job) -> Job:
    """Twelve hours on a gauge that counts from the atmosphere, kept as absolute, while a front went through."""
    weather = [101_300 + 900 * math.sin(2 * math.pi * hour / 8) for hour in range(13)]
    test = held(
        tuple((3600.0 * hour, 3000.0 + 20 * hour - (weather[hour] - weather[0])) for hour in range(13)),
        barometer_readings=tuple((3600.0 * hour, weather[hour]) for hour in range(13)),
    )
    return changed(job, hold_tests=(test,))


def preformed(job: Job, **said: object) -> Job:
    """The panel with the last two entries of its book made as one preform."""
    job = grouped_layup(job, job.layup[-1].id)
    (group,) = job.groups
    return changed(job, groups=(revised(group, times=1, preform=Preform(**said)),))


def preform_laid(job: Job) -> Job:
    job = preformed(job)
    return laid(job, next(line.label for line in lay_list(job) if line.text.startswith("Preform")))


def vent_off_part(job: Job, bridge: str) -> Job:
    """The panel with its vents 20 mm off its edge."""
    for vent in job.vents:
        points = tuple((x, y + 0.02 if y > 0.7 else y - 0.02) for x, y in vent.points)
        job = with_line(job, revised(vent, points=points, bridge=bridge))
    return job


MISTAKES: dict[str, Callable[[Job], Job]] = {
    "no-fill": lambda job: changed(job, lines=job.feeds),
    "media-reaches-vent": media_to_vent,
    "media-stretched": lambda job: with_media(job, revised(job.media[0], stretched=0.25)),
    "feed-off-media": feed_off_media,
    "last-filled-no-vent": far_vent,
    "stays-dry": vent_inside,
    "air-trapped": plain_core,
    "dart-not-cut": lambda job: darted(job, (2.0, 1.4), (2.0, 0.0)),
    "race-track-suspected": lambda job: changed(job, flow=revised(job.flow, core_gap_m=0.0)),
    "over-pressure-under-film": lambda job: changed(job, bucket=revised(job.bucket, over_pressure_pa=50_000.0)),
    "margin-short": lambda job: changed(job, charge=revised(job.charge, gel_margin_s=7200.0)),
    "label-missing": lambda job: with_line(job, revised(job.line("feed-2"), label="f1 ")),
    "hose-not-clampable": stiff_hose,
    "joint-does-not-fit": lambda job: changed(job, pots=tuple(revised(pot, barb_m=0.016) for pot in job.pots)),
    "clamp-does-not-shut": lambda job: with_fitting_on(job, "feed-1", revised(CLAMP, force_n=40.0), "clamp"),
    "hose-kinked": lambda job: with_way(job, "feed-1", ((2.1, -1.5), (2.1, -1.52), (2.3, -1.52))),
    "hose-bare-in-tape": lambda job: with_fitted(job, "vent-1", tape_turns=0),
    "port-wider-than-hose": lambda job: with_fitting_on(job, "feed-1", revised(PORT, bore_m=0.016), "port"),
    "dip-tube-flat": lambda job: with_plumbing(job, dip=DipTube(cut="flat")),
    "heel-under-dip-tube": lambda job: with_plumbing(job, dip=DipTube(opening_m=0.04), bucket=MEASURED),
    "batch-overfills-bucket": lambda job: with_plumbing(
        by_hand(job, *[9.0] * 4), dip=DipTube(opening_m=0.003), bucket=revised(MEASURED, height_m=0.1)
    ),
    "air-in-late-hose": lambda job: with_fitted(job, "feed-2", shut_at="port"),
    "bypass-weeps": lambda job: with_plumbing(job, bypass=Bypass(hose=job.feeds[0].hose, clamps=1)),
    "bypass-missing": lambda job: changed(job, flow=revised(job.flow, feeds_after="to the pots")),
    "bucket-above-part": lambda job: changed(job, bucket=revised(job.bucket, below_part_m=-0.4)),
    "pot-inlets-short": lambda job: with_plumbing(
        changed(job, pots=(revised(job.pots[0], inlets=1), *job.pots[1:])),
        bypass=Bypass(hose=job.feeds[0].hose),
    ),
    "pot-too-small": lambda job: changed(job, pots=()),
    "one-pot-large-part": larger,
    "core-starves-far-skin": plain_core,
    "skin-coat-missing": gel_coated,
    "core-edge-bridges": lambda job: changed(job, core_laying=revised(job.core_laying, chamfer=0.0)),
    "core-gap-open": lambda job: changed(job, flow=revised(job.flow, core_gap_m=0.003)),
    "stack-uneven": lambda job: changed(job, layup=job.layup[:-1]),
    "draft-locks": lambda job: in_mould(job, face="female", draft_deg=-2.0),
    "stack-too-thick": lambda job: thick(changed(job, house=revised(job.house, hottest_k=333.15)), 14),
    "slow-fabric": with_tight_fabric,
    "too-much-tack": tacked,
    "mould-unchecked": lambda job: laid(job, "P1"),
    "fibre-on-flange": lambda job: changed(job, cutting=revised(job.cutting, allowance_m=0.08)),
    "corner-too-tight": lambda job: in_mould(job, face="female", corner_radius_m=0.002),
    "debulk-missing": loose_stack,
    "material-out-of-date": lambda job: stale(job, "glass-quad-1200"),
    "resin-out-of-date": lambda job: stale(job, job.charge.resin),
    "peel-ply-missing": lambda job: changed(job, peel_ply=None),
    "ply-stops-at-core-edge": ply_at_core,
    "part-not-covered": uncovered,
    "overlap-out-of-range": lambda job: changed(job, cutting=revised(job.cutting, overlap_m=0.06)),
    "joints-line-up": lambda job: with_joint_shift(job, plies_of(job)[2], plies_of(job)[1].shift_m),
    "ply-count-differs": lambda job: laid(job, "P1", "P2"),
    "too-few-pleats": lambda job: changed(job, bag=revised(job.bag, pleats=4)),
    "film-too-small": lambda job: changed(job, bag=revised(job.bag, film_excess=0.05)),
    "film-cold": lambda job: changed(
        with_card(job, shelf_card("film-nylon-50")),
        bag=revised(job.bag, film="film-nylon-50"),
        shop=revised(job.shop, temperature_k=281.15),
    ),
    "film-bridges": lambda job: changed(
        job,
        part=revised(job.part, relief=made_relief(job.part.outline, ReliefFigures(edge_depth_m=0.3, edge_width_m=0.3))),
        bag=revised(job.bag, pleats=0),
    ),
    "flange-narrow": lambda job: changed(job, part=revised(job.part, flange_width_m=0.03)),
    "preform-weight-off": lambda job: preformed(job, weighed_kg=3.0),
    "preform-does-not-fit": lambda job: preformed(job, fits="does not fit"),
    "preform-unchecked": preform_laid,
    "pieces-not-sealed": lambda job: in_mould(job, pieces=("left", "right")),
    "vent-locks-off": lambda job: vent_off_part(job, "nothing"),
    "air-through-peel-ply-only": lambda job: vent_off_part(job, "peel ply"),
    "membrane-ends-open": lambda job: with_line(job, revised(job.vents[0], membrane=True, ends_sealed=False)),
    "line-on-bare-fibre": lambda job: changed(job, peel_ply_on="regions"),
    "hold-not-done": lambda job: changed(job, hold_tests=()),
    "hold-not-repeated": lambda job: changed(job, hold_tests=(held(stage="before the feed hose"),)),
    "hold-failed": lambda job: changed(job, hold_tests=(held(((0.0, 3000.0), (300.0, 6000.0), (600.0, 9000.0))),)),
    "gauge-misread": lambda job: changed(job, hold_tests=(held(tuple((t, 101_300 - p) for t, p in GOOD)),)),
    "gauge-kind-doubtful": weather_on_the_gauge,
    "pump-slow": lambda job: changed(job, vacuum=revised(job.vacuum, pump_speed_m3_s=5e-5)),
    "feed-beside-vent": lambda job: with_line(job, revised(job.line("feed-2"), points=((0.12, 1.38), (4.08, 1.38)))),
    "pump-cannot-reach": lambda job: changed(job, vacuum=revised(job.vacuum, pump_ultimate_pa=5000.0)),
    "resin-boils": lambda job: changed(job, vacuum=revised(job.vacuum, cavity_pa=200.0)),
    "charge-short": lambda job: changed(job, charge=revised(job.charge, in_hand_kg=12.0)),
    "batch-gels-first": lambda job: by_hand(job, *[9.0] * 4),
    "batch-comes-late": lambda job: by_hand(job, 2.0, 30.0, mix_s=1800.0),
    "batches-short": lambda job: by_hand(job, 4.0, 4.0),
    "catalyst-out-of-range": lambda job: with_resin(job, dose=Dose(component="Slow hardener", least=0.31, most=0.4)),
    "mix-ratio-off": lambda job: weighed(job, (3.0, 1.05)),
    "dose-not-as-planned": lambda job: weighed(
        with_resin(job, dose=Dose(component="Slow hardener", least=0.25, most=0.4)), (3.0, 1.05)
    ),
    "sheet-figure-outlier": lambda job: with_resin(
        job,
        viscosity=tuple(
            revised(one, viscosity_pa_s=10 * one.viscosity_pa_s) if at == 1 else one
            for at, one in enumerate(job.resin.viscosity)
        ),
    ),
    "ratios-disagree": lambda job: with_resin(
        job, components=tuple(revised(one, parts_by_volume=one.parts_by_weight) for one in job.resin.components)
    ),
    "weighed-mix-off": lambda job: weighed(job, (3.0, 0.9), 289.0),
    "cure-too-hot": lambda job: changed(job, curing=Curing(steps=(HeatStep(heats="oven", to_k=400.0),))),
    "cure-stands-still": lambda job: with_resin(
        job, tg_full_k=520.0, film_gel=tuple(revised(one, time_s=3 * one.time_s) for one in job.resin.film_gel)
    ),
    "tg-not-reached": lambda job: changed(job, curing=Curing(tg_wanted_k=355.0)),
    "too-viscous": lambda job: changed(job, shop=revised(job.shop, temperature_k=287.0)),
    "too-cold": lambda job: changed(job, shop=revised(job.shop, temperature_k=285.0)),
    "beyond-card-data": lambda job: in_mould(job, temperature_k=311.0),
    "thick-zone-unfed": padded,
    "feed-on-narrow-end": lambda _: fed_at_the_narrow_end(),
    "vents-unequal": lambda _: early_vent(),
    "edge-gap-open": lambda job: changed(job, flow=revised(job.flow, edge_gap_m=0.002)),
    "fill-held-back": half,
    "tube-sizes-differ": lambda job: with_hose(job, 0.006, 1.5),
    "hose-restricts-flow": lambda job: with_hose(job, 0.006, 3.0),
    "hose-waste": lambda job: with_hose(job, 0.016, 22.0),
    "heel-forgotten": lambda job: changed(job, bucket=revised(job.bucket, heel_kg=0.0)),
    "port-without-pleat": lambda job: with_pleats(SOUND["test_panel"](), 5),
    "tape-not-closed": lambda job: unlogged(job, "check ticked", label="T2", text=bag_checks(job)[1].text),
    "film-or-tape-too-hot": hot_bag,
    "hold-too-old": lambda job: changed(job, hold_tests=(held(taken_at=HELD_AT - timedelta(days=1)),)),
    "hold-touched-since": lambda job: unlogged(job, "bag touched", text="vent hose moved"),
    "hold-plan-changed": lambda job: with_line(
        changed(job, hold_tests=(held(of_plan=held_plan(job)),)),
        revised(job.lines[0], hose_length_m=job.lines[0].hose_length_m + 1.0),
    ),
    "hold-drift-unknown": lambda job: changed(
        job, hold_tests=(held(readings=((0.0, 2000.0), (43_200.0, 2100.0)), gauge="relative"),)
    ),
    "hold-too-short": lambda job: changed(job, hold_tests=(held(((0.0, 3000.0), (20.0, 3001.0))),)),
    "hold-no-rule": lambda job: changed(job, hold_rules=revised(job.hold_rules, rules=())),
    "hold-falling": lambda job: changed(job, hold_tests=(held(tuple((t, 4000 - t) for t, _ in GOOD)),)),
    "hold-without-pots": lambda job: changed(job, hold_tests=(held(pots_included=False),)),
    "batch-too-heavy": lambda job: logged(
        changed(job, house=revised(job.house, pot_time_s=1200.0)),
        ("batch added", 0.0, {"label": "B1", "mass_kg": 10.0}),
    ),
    "batch-stood": lambda job: logged(job, ("batch added", -2400.0, {"label": "B1", "mass_kg": 4.0})),
    "mix-temperature-missed": lambda job: logged(job, ("batch added", 0.0, {"label": "B1", "temperature_k": 291.0})),
    "warmed-too-far": lambda job: in_mould(job, temperature_k=318.0),
    "front-behind-plan": lambda job: marked(job, 1500.0),
    "branch-racing": lambda job: marked(job, 300.0),
    "vacuum-rising": lambda job: logged(
        job, ("reading", 300.0, {"vacuum_pa": 3100.0}), ("reading", 600.0, {"vacuum_pa": 7800.0})
    ),
    "vacuum-not-as-planned": lambda job: logged(job, ("reading", 60.0, {"vacuum_pa": 12_000.0})),
    "part-colder-than-planned": lambda job: logged(
        job, *(("reading", 4000.0 + t, {"label": THERMOCOUPLE, "temperature_k": 285.0}) for t in (0.0, 3600.0, 7200.0))
    ),
    "part-hotter-than-it-stands": lambda job: logged(
        job, ("reading", 9000.0, {"label": THERMOCOUPLE, "temperature_k": 400.0})
    ),
    "vacuum-let-go-early": lambda job: logged(job, ("vacuum let go", 4000.0, {})),
    "step-out-of-order": lambda job: logged(job, ("valve opened", 0.0, {"label": "F2"})),
    "release-after-shift": lambda job: changed(job, shop=revised(job.shop, shift_end_s=12 * 3600.0)),
}


OF_PLAN = {entry.id for entry in REGISTRY if entry.of_plan}


def assessed(job: Job, nodes: int = 250) -> Assessment:
    return filled(replace(assess(job), on=DAY), nodes, levels=2)


@cache
def with_mistake(name: str) -> Assessment:
    """The sound panel, or lid or arm in its mould, with that mistake, filled if the rule reads the fill; kept, for
    several tests ask for it."""
    job = mistaken(name)
    return replace(assess(job), on=DAY) if name in OF_PLAN else assessed(job)


class Unread:
    """In the place of a fill: whoever asks anything of it fails."""

    def __getattr__(self, name: str) -> object:
        raise AssertionError(f"the fill is asked for {name}")


def mistaken(name: str) -> Job:
    if name in MOULD_MISTAKES:
        return MOULD_MISTAKES[name](lid())
    return BLADDER_MISTAKES[name](arm()) if name in BLADDER_MISTAKES else MISTAKES[name](deck())


def sound_ids(name: str = "") -> frozenset[str]:
    """What is said of the sound job that the mistake of that *name* is made in, of the panel for none."""
    if name in MOULD_MISTAKES:
        return _ids_of(lid)
    return _ids_of(arm) if name in BLADDER_MISTAKES else _ids_of(deck)


@cache
def _ids_of(sound: Callable[[], Job]) -> frozenset[str]:
    return frozenset(caution.id for caution in cautions_of(assessed(sound())))
