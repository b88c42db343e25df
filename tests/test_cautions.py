"""Each caution on a job that has the mistake, and none of them on sound jobs of many kinds."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from conftest import clamped_at, rectangle
from faulty_jobs import (
    MISTAKES,
    Unread,
    assessed,
    darted,
    laid,
    logged,
    media_to_vent,
    mistaken,
    sound_ids,
    thick,
    with_hose,
    with_mistake,
)
from mould_jobs import BLADDER_MISTAKES, MOULD_MISTAKES
from shapely import LineString, Polygon
from shapely import Point as Place
from sound_jobs import DAY, SOUND, across, deck, held, job_of, line, plies, two_cores_butted

from bibulon.assess import assess
from bibulon.cautions import REGISTRY, cautions_of
from bibulon.cautions.registry import Caution
from bibulon.cautions.safety import safety_notes
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.job import Job
from bibulon.job.cards import FabricCard
from bibulon.job.charge import ChargePlan
from bibulon.job.edits import (
    changed,
    reshaped_region,
    revised,
    with_card,
    with_line,
    with_media,
)
from bibulon.job.lines import AtTime, Manifold, Turn
from bibulon.job.part import Vacuum
from bibulon.job.run import RunEvent
from bibulon.laminate.cut_list import cut_list
from bibulon.laminate.lay_list import lay_list
from bibulon.quantities import Units
from bibulon.quantities_in_words import brief
from bibulon.stock import shelf


def test_every_caution_has_its_pair() -> None:
    assert {entry.id for entry in REGISTRY} == {*MISTAKES, *MOULD_MISTAKES, *BLADDER_MISTAKES}


@pytest.mark.parametrize("name", MISTAKES)
def test_the_mistake_is_caught_and_its_absence_is_quiet(name: str) -> None:
    assert name not in sound_ids()
    found = [caution for caution in cautions_of(with_mistake(name)) if caution.id == name]
    assert found, name
    for caution in found:
        assert caution.message.endswith(".") and caution.why and caution.remedy
        assert "None" not in caution.message and "nan" not in caution.message


def clamped(job: Job, closes_s: float) -> Job:
    for feed in job.feeds:
        job = with_line(job, revised(feed, turns=clamped_at(closes_s)))
    return job


WHY_DRY: dict[str, tuple[Callable[[Job], Job], str, str]] = {
    "trapped": (MISTAKES["core-gap-open"], "round air", "meet on a vent"),
    "clamped": (lambda job: clamped(job, 300.0), "every feed is clamped", "clamp it later"),
    "thick": (MISTAKES["stays-dry"], "too thick to flow", "warm the"),
}


@pytest.mark.parametrize("way", WHY_DRY)
def test_what_stays_dry_is_told_with_its_reason_and_what_helps_against_that(way: str) -> None:
    mistake, reason, remedy = WHY_DRY[way]
    assessment = assessed(mistake(deck()))
    found = next(caution for caution in cautions_of(assessment) if caution.id == "stays-dry")
    assert reason in found.message.lower() and remedy in found.remedy and "100 %" not in found.message
    assert assessment.fill is not None
    dry_m2 = assessment.fill.dry_area_m2
    assert max((pocket.area_m2 for pocket in assessment.fill.pockets), default=0.0) <= dry_m2 * (1 + 1e-9), "from above"


def test_the_table_of_mistakes_names_every_caution_and_nothing_else() -> None:
    page = (Path(__file__).parent.parent / "docs" / "mistakes.md").read_text(encoding="utf-8")
    rows = [line.split("|")[1:4] for line in page.splitlines() if line.startswith("| ") and "**" not in line][1:]
    assert len(rows) == 154
    told = {name for row in rows for name in re.findall(r"`([a-z-]+)`", row[1])}
    beside = set(re.findall(r"`([a-z-]+)`", page.rpartition("Beside these")[2]))
    assert told | beside == {entry.id for entry in REGISTRY} and not told & beside
    assert {name for row in rows for name in re.findall(r"`(\w+)`", row[2])} <= {*SOUND, "lid", "arm"}


@pytest.mark.parametrize("name", SOUND)
def test_a_sound_job_raises_no_alarm(name: str) -> None:
    assert [f"{caution.id}: {caution.message}" for caution in cautions_of(assessed(SOUND[name]()))] == []


def cores_apart(job: Job, gap_m: float) -> Job:
    return reshaped_region(job, "right", rectangle(0.8 + gap_m, 0, 1.6, 0.8))


def ply_short_of_core(short_m: float) -> Job:
    job = SOUND["local_plies_past_the_core"]()
    core = rectangle(0.3 + short_m, 0.2 + short_m, 1.2 - short_m, 0.6 - short_m)
    return reshaped_region(job, "past core", core)


PIPE = Manifold(id="pipe", label="M", tube="spiral-20", hose="hose-12")
NEAR_MISSES: dict[str, tuple[Callable[[Job], Job], str, str]] = {
    "a ply ends 5 mm short of the core's edge": (
        lambda _: ply_short_of_core(0.005), "ply-stops-at-core-edge", "5 mm from the edge",
    ),
    "a ply ends 5 mm past the core's edge": (
        lambda _: ply_short_of_core(-0.005), "ply-stops-at-core-edge", "5 mm from the edge",
    ),
    "a ply ends on the core's edge": (
        lambda _: ply_short_of_core(0.0), "ply-stops-at-core-edge", "where the core ends",
    ),
    "two cores 4 mm apart": (lambda _: cores_apart(two_cores_butted(), 0.004), "core-gap-open", "4.00 mm"),
    "a pressure that falls": (MISTAKES["hold-falling"], "hold-falling", "falls by 9"),
    "a hold of 20 s": (MISTAKES["hold-too-short"], "hold-too-short", "20 s"),
    "no rule chosen": (MISTAKES["hold-no-rule"], "hold-no-rule", "No house rule"),
    "two pots with one label": (
        lambda job: changed(job, pots=tuple(revised(pot, label="P") for pot in (*job.pots, *job.pots)[:2])),
        "label-missing", "“P”",
    ),
    "a manifold with a pot's label": (
        lambda job: changed(job, manifolds=(revised(PIPE, label=job.pots[0].label),)),
        "label-missing", "more than one",
    ),
    "fibre under the tape": (MISTAKES["fibre-on-flange"], "fibre-on-flange", "under the tape"),
}  # fmt: skip


@pytest.mark.parametrize("name", NEAR_MISSES)
def test_near_misses_are_caught_with_their_figure(name: str) -> None:
    mistake, caution_id, words = NEAR_MISSES[name]
    found = [
        caution.message for caution in cautions_of(replace(assess(mistake(deck())), on=DAY)) if caution.id == caution_id
    ]
    assert len(found) == 1 and words in found[0], found


@pytest.mark.parametrize("gap_m", [0.0, 0.0005, 0.2])
def test_cores_that_touch_or_are_meant_to_be_apart_are_no_gap(gap_m: float) -> None:
    job = cores_apart(two_cores_butted(), gap_m)
    assert "core-gap-open" not in {caution.id for caution in cautions_of(assess(job))}


def long_panel(**more: object) -> Job:
    """Two metres of plain laminate: resin has far to go, but not too far while nothing else is wrong."""
    lines = (line("feed", "F1", across(0.03, 0.6)), line("vent", "V1", across(1.9, 0.6)))
    charge = ChargePlan(resin="epoxy-slow", gel_margin_s=4000.0)
    return job_of("long", rectangle(0, 0, 1.9, 0.6), plies("glass-biax-800", 4), lines, charge=charge, **more)


def tightened(job: Job) -> Job:
    """*job* with cloth a fiftieth as open, which the brake before the vent consists of."""
    fabric = job.card("glass-biax-800", FabricCard)
    ways = ("along", "across")
    tight = {f"permeability_{way}_m2": {"value": getattr(fabric, f"permeability_{way}_m2").value / 50} for way in ways}
    return with_card(job, revised(fabric, **tight))


def lowered(job: Job, below_part_m: float) -> Job:
    return changed(job, bucket=revised(job.bucket, below_part_m=below_part_m))


def stopped(job: Job) -> Job:
    """*job* with its feed clamped after five minutes, and opened again half an hour later."""
    shut, again = Turn(to="clamped", when=AtTime(time_s=300.0)), Turn(to="open", when=AtTime(time_s=2100.0))
    return with_line(job, revised(job.feeds[0], turns=(shut, again)))


def stubbed(job: Job) -> Job:
    """*job* with a fiftieth of its first feed, at its middle."""
    feed = job.feeds[0]
    start, end = np.array(feed.points[0]), np.array(feed.points[-1])
    points = tuple((float(x), float(y)) for x, y in (start + share * (end - start) for share in (0.49, 0.51)))
    return with_line(job, revised(feed, points=points))


CAUSES: dict[str, tuple[Callable[[], Job], str, str]] = {
    "a 6 mm hose": (lambda: with_hose(long_panel(), 0.006, 3.0), "hose", "hose-restricts-flow"),
    "20 m of hose": (lambda: with_hose(long_panel(), 0.010, 20.0), "hose", "hose-restricts-flow"),
    "a cold shop": (lambda: long_panel(celsius=15.0), "viscosity", "fill-held-back"),
    "no media": (lambda: changed(long_panel(), media=()), "medium", "fill-held-back"),
    "a poor vacuum": (lambda: long_panel(vacuum=Vacuum(cavity_pa=65_000.0)), "vacuum", "fill-held-back"),
    "a bucket in the cellar": (lambda: lowered(long_panel(), 7.5), "bucket", "fill-held-back"),
    "a stub of a feed": (lambda: stubbed(deck()), "feed", "fill-held-back"),
    "a feed shut for half an hour": (lambda: stopped(long_panel()), "stop", "fill-held-back"),
    "a tight fabric": (lambda: tightened(long_panel()), "fabric", "slow-fabric"),
    "nothing but distance": (
        lambda: changed(long_panel(), charge=revised(long_panel().charge, gel_margin_s=4700.0)),
        "distance", "fill-held-back",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CAUSES)
def test_a_missed_margin_is_blamed_on_its_cause_with_a_figure(name: str) -> None:
    """What is blamed is what would help most, and another thing is not blamed beside it."""
    make, kind, caution_id = CAUSES[name]
    assessment = assessed(make())
    assert assessment.causes and assessment.causes[0].kind == kind
    told = {caution.id: caution.message for caution in cautions_of(assessment)}
    assert re.search(r"in \d+(\.\d)? % of the time", told[caution_id]), told
    assert len({"slow-fabric", "fill-held-back", "hose-restricts-flow"} & set(told)) == 1


def test_the_margin_is_of_the_resin_that_fills_the_last_places_not_of_what_swells() -> None:
    """16 quads fill in 100 min from many batches while the laminate swells all over: what fills the last places has
    flowed there, so it is not past flowing; a panel of one feed is filled last by what was poured first."""
    slow = assessed(thick(deck(), 16)).fill
    assert slow is not None and slow.stopped_by == "filled" and slow.margin_s is not None
    assert 0 < slow.margin_s < slow.end_s
    for name in ("test_panel", "two_cores_butted", "cored_all_over"):
        single = assessed(SOUND[name]())
        assert single.fill is not None and len(single.job.feeds) == 1
        assert single.fill.margin_s == pytest.approx(single.resin_flow.stops_s - single.fill.end_s, rel=0.03)


def test_a_thick_stack_is_told_once_by_a_guess_until_its_cure_is_known() -> None:
    """40 plies: before the fill their own heat is guessed; followed, what they get hotter than stands it is told at
    Cure alone, and a stack that gets no hotter than the house allows is not told at all."""
    job = thick(deck(), 40)
    ids = ("stack-too-thick", "cure-too-hot")
    assert [c.id for c in cautions_of(replace(assess(job), on=DAY)) if c.id in ids] == ["stack-too-thick"]
    assert [c.id for c in cautions_of(assessed(job)) if c.id in ids] == ["cure-too-hot"]
    followed = assessed(thick(deck(), 14))
    assert followed.cure_study is not None and 320.0 < followed.cure_study.hottest.peak_k < 353.15
    assert not [c.id for c in cautions_of(followed) if c.id in ids]
    told = [c for c in cautions_of(with_mistake("stack-too-thick")) if c.id == "stack-too-thick"]
    peak = brief(followed.cure_study.hottest.peak_k, "temperature", Units())
    assert peak in told[0].message


def test_figures_have_two_or_three_digits() -> None:
    for name in MISTAKES:
        for caution in cautions_of(with_mistake(name)):
            text = caution.message
            for card in with_mistake(name).job.cards:
                text = text.replace(card.name, "")
            for figure in re.findall(r"(?<![\d:])\d[\d,]*\.?\d*(?![\d:])", text):
                digits = figure.replace(",", "").lstrip("0.").replace(".", "")
                assert len(digits.rstrip("0")) <= 3 or (digits.isdigit() and "." not in figure), (name, text)


@pytest.mark.parametrize("name", [entry.id for entry in REGISTRY if entry.of_plan])
def test_what_is_found_of_the_plan_does_not_wait_for_the_fill(name: str) -> None:
    rule = next(entry.rule for entry in REGISTRY if entry.id == name)
    plain = with_mistake(name)
    found = tuple(rule(plain))
    assert found and tuple(rule(replace(plain, fill=Unread()))) == found


def test_gravest_first_and_placed_on_the_plan() -> None:
    job = media_to_vent(changed(deck(), bucket=revised(deck().bucket, below_part_m=-0.4)))
    found = cautions_of(assessed(job))
    assert found[0].rank == "stop"
    media = next(caution for caution in found if caution.id == "media-reaches-vent")
    assert media.place is not None and media.place[1] == pytest.approx(1.38, abs=0.02)
    assert media.subject == "media-2"


def test_cautions_speak_the_shops_units() -> None:
    job = changed(deck(), charge=revised(deck().charge, in_hand_kg=12.0))
    assessment = replace(assessed(job), units=replace(assess(job).units, system="us"))
    message = next(caution.message for caution in cautions_of(assessment) if caution.id == "charge-short")
    assert "26.5 lb" in message


def test_safety_notes_follow_the_chemistry() -> None:
    job = demo_job()
    assert any("sensitise" in note for note in safety_notes(job, "shoot"))
    assert any("implode" in note for note in safety_notes(job, "hold"))
    peroxide = revised(job.resin, chemistry="polyester")
    assert any("cobalt" in note for note in safety_notes(with_card(job, peroxide), "charge"))


def test_the_dome_gore_has_only_its_hold_test_to_do() -> None:
    found = cautions_of(assessed(demo_job("dome-gore.bibulon")))
    assert [one.id for one in found] == ["hold-not-done", "too-viscous"], "and a thick mix, in a shop at 21 °C"


NO_PLACE = ("no-fill", "pot-too-small", "one-pot-large-part", "pump-slow")
"""Pots and pump stand beside the part; a part with no vent line at all has no place for it yet."""


@pytest.mark.parametrize("name", [entry.id for entry in REGISTRY])
def test_what_is_wrong_has_its_place_on_the_part(name: str) -> None:
    """What is wrong with the plan does; what is wrong with the resin or the day may have none."""
    found = [caution for caution in cautions_of(with_mistake(name)) if caution.id == name]
    assert found
    part = with_mistake(name).job.part
    station = next(entry.station for entry in REGISTRY if entry.id == name)
    for caution in found:
        if station not in ("part", "layup", "lines", "bag") and caution.place is None:
            continue
        if name in NO_PLACE:
            continue
        assert caution.place is not None
        if name == "hose-kinked":  # where it bends, beside the part
            assert caution.place == (2.1, -1.52)
            continue
        assert part.shape.distance(Place(caution.place)) < 1e-9


def test_a_mend_puts_its_mistake_right_and_nothing_else() -> None:
    mended = {entry.id: entry.fix for entry in REGISTRY if entry.fix is not None}
    assert {"overlap-out-of-range", "peel-ply-missing", "ply-stops-at-core-edge", "joints-line-up"} <= set(mended)
    for name, mend in mended.items():
        before = {caution.id for caution in cautions_of(with_mistake(name))}
        after = {caution.id for caution in cautions_of(assessed(mend.apply(mistaken(name)), nodes=250))}
        assert name in before
        if not after <= (before | sound_ids(name)) - {name}:  # it may be of the fill of the job with its mistake
            before = {caution.id for caution in cautions_of(assessed(mistaken(name)))}
            assert after <= before - {name}


@pytest.mark.parametrize(
    ("mouth", "tip", "told"),
    [
        ((2.0, 0.0), (2.0, 0.3), False),  # from the edge inwards
        ((2.0, 0.0), (2.0, 1.4), True),  # right through
        ((2.0, 0.2), (2.0, 0.4), True),  # from nowhere
        ((5.0, 0.0), (5.0, 0.3), False),  # beside the part: no piece has it
    ],
)
def test_darts_that_cannot_be_cut_are_told_and_left(
    mouth: tuple[float, float], tip: tuple[float, float], told: bool
) -> None:
    job = darted(deck(), mouth, tip)
    found = [caution for caution in cautions_of(assess(job)) if caution.id == "dart-not-cut"]
    assert bool(found) == told
    plain = {piece.code: Polygon(piece.outline).area for piece in cut_list(deck()).pieces}
    for piece in cut_list(job).pieces:
        less = plain[piece.code] - Polygon(piece.outline).area
        assert less == pytest.approx(0.0, abs=1e-4) or (not told and 0.003 < less < 0.007)


def test_a_mend_that_would_change_nothing_is_not_offered() -> None:
    job = changed(deck(), cutting=revised(deck().cutting, stagger_m=0.9))
    (caution,) = [caution for caution in cautions_of(assess(job)) if caution.id == "joints-line-up"]
    assert caution.fix is None
    (moved,) = [one for one in cautions_of(assess(MISTAKES["joints-line-up"](deck()))) if one.id == caution.id]
    assert moved.fix is not None


def test_media_is_cut_back_far_enough_from_vents_that_slant_and_bend() -> None:
    """Once is enough: corners on a grid, and round ends of what is kept free, leave no hundredth of a millimetre."""
    gore = demo_job(DEMO_FILES[1])
    job = with_media(gore, revised(gore.media[0], outline=gore.part.outline))

    def told(of: Job) -> list[Caution]:
        return [caution for caution in cautions_of(assess(of)) if caution.id == "media-reaches-vent"]

    (caution,) = told(job)
    assert caution.fix is not None
    cut = caution.fix.apply(job)
    assert told(cut) == []
    (vent,) = cut.vents
    assert cut.house.brake_m < cut.media[0].outline.polygon.distance(LineString(vent.points)) < cut.house.brake_m + 5e-4


def test_no_media_is_reached_under_a_feed_that_lies_beside_a_vent() -> None:
    """It would have to end before the vent, and so beside the feed."""
    job = MISTAKES["feed-beside-vent"](deck())
    (caution,) = [one for one in cautions_of(assess(job)) if one.id == "feed-off-media"]
    assert caution.fix is None


def test_a_charge_of_more_batches_than_are_planned_is_told_as_short() -> None:
    for bleed_kg, told in ((600.0, False), (1000.0, True)):
        job = changed(deck(), charge=revised(deck().charge, bleed_kg=bleed_kg, in_hand_kg=5000.0))
        made = assessed(job, 150)
        messages = [one.message for one in cautions_of(made) if one.id == "batches-short"]
        assert bool(messages) == told == (len(made.batches) >= 200)
        if told:
            assert (
                "200 batches" in messages[0] and f"{sum(batch.mass_kg for batch in made.batches):.0f} kg" in messages[0]
            )


@pytest.mark.parametrize(("over", "told"), [(0.002, False), (0.02, True)])
def test_a_pump_that_all_but_reaches_the_planned_vacuum_does(over: float, told: bool) -> None:
    job = deck()
    weak = changed(job, vacuum=revised(job.vacuum, pump_ultimate_pa=job.vacuum_pa * (1 + over)), hold_tests=())
    said = [one.message for one in cautions_of(assess(weak)) if one.id == "pump-cannot-reach"]
    assert bool(said) == told
    if told:
        assert len(set(re.findall(r"[\d.]+ mbar", said[0]))) == 2, said[0]


def test_a_margin_that_is_short_by_seconds_is_told_with_two_figures() -> None:
    made = assessed(deck())
    assert made.gel_margin_s is not None
    asked = changed(deck(), charge=revised(deck().charge, gel_margin_s=made.gel_margin_s + 15.0))
    (short,) = [one for one in cautions_of(replace(made, job=asked)) if one.id == "margin-short"]
    figures = re.findall(r"[\d:]+ (?:min|h)", short.message)
    assert len(figures) == len(set(figures)) == 2, short.message


def test_valves_and_vacuum_of_the_log_are_held_against_the_plan() -> None:
    made = assessed(deck())
    assert made.fill is not None
    comes_s = next(event.time_s for event in made.fill.events if event.line == "feed-2")
    first = ("valve opened", 0.0, {"label": "F1"})
    over = ("valve clamped", 3000.0, {"label": "all feeds"})

    def told(*entries: tuple[str, float, dict[str, object]]) -> str:
        found = cautions_of(replace(made, job=logged(deck(), first, *entries)))
        return " ".join(one.message for one in found if one.id in ("step-out-of-order", "vacuum-not-as-planned"))

    assert (
        told(("valve opened", comes_s - 30.0, {"label": "F2"}), over, ("valve clamped", 3100.0, {"label": "V1"})) == ""
    )
    assert "F2 was opened at 0:01:30; resin comes to it at" in told(("valve opened", 90.0, {"label": "F2"}))
    assert "V1 was clamped with feed F1 open, and no other is open" in told(("valve clamped", 400.0, {"label": "V1"}))
    for read_pa, words in ((200.0, "gases"), (2950.0, ""), (3900.0, ""), (9000.0, "the plan counts on")):
        said = told(("reading", 300.0, {"vacuum_pa": read_pa}), ("reading", 400.0, {"vacuum_pa": read_pa + 100.0}))
        assert (words in said) if words else not said
    let_go = ("vacuum let go", 60_000.0, {"vacuum_pa": 2950.0})
    assert told(over, let_go, ("reading", 60_100.0, {"vacuum_pa": 100_000.0})) == "", (
        "what is read once it is let go is air"
    )


def test_plies_ticked_are_counted_against_the_book() -> None:
    def told(job: Job) -> list[str]:
        found = cautions_of(assess(job))
        return [f"{one.rank}: {one.message}" for one in found if one.id == "ply-count-differs"]

    job = changed(demo_job(), hold_tests=(held(),))
    every = [line.label for line in lay_list(job)]
    assert every == ["P1", "P2", "P3", "P4", "C1", "P5", "P6", "P7"]
    assert told(laid(job, *every)) == []
    assert told(laid(job, *every[:5])) == ["caution: 3 of 8 plies and cores are not ticked, P5 first."]
    assert told(laid(job, *every, "P9")) == ["caution: Ticked as laid, but not so in the book: P9."]
    begun = laid(job, "P1")
    start = RunEvent(number=2, at=begun.run[0].at, clock_s=0, kind="started")
    assert told(changed(begun, run=(*begun.run, start)))[0].startswith("stop: 7 of 8")
    # the book changed after the tick: what lies there is no longer what is wanted
    other = changed(begun, layup=(revised(job.layup[0], card="glass-biax-800"), *job.layup[1:]))
    assert "P1" in told(other)[0]


@pytest.mark.parametrize("name", [entry.id for entry in REGISTRY])
def test_every_caution_speaks_in_the_shops_unit(name: str) -> None:
    """Figures found and rules of thumb alike; names of materials say what is printed on the roll."""
    in_us = replace(with_mistake(name), units=Units(system="us"))
    found = [caution for caution in cautions_of(in_us) if caution.id == name]
    assert found
    for caution in found:
        for text in (caution.message, caution.why, caution.remedy, caution.fix.text if caution.fix else ""):
            for card in (*in_us.job.cards, *shelf()):
                text = text.replace(card.name, "")
            assert not re.search(r"\d (mm|cm|m|kg|g|mbar|bar|°C|m²|g/m²|kg/m³|L)\b", text), text
