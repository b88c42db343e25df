"""Each caution about a closed mould on a lid that has the mistake, and none of them on the sound lid."""

from __future__ import annotations

import re
from datetime import UTC, datetime
from functools import cache

import pytest
from faulty_jobs import OF_PLAN, assessed, with_mistake
from mould_jobs import BLADDER_MISTAKES, MOULD_MISTAKES, arm, blown, lid, pair, pressed
from shapely import Point as Place
from shapely.ops import substring
from sound_jobs import plies

from bibulon.assess import Assessment, assess
from bibulon.cautions import REGISTRY, cautions_of
from bibulon.cautions.safety import safety_notes
from bibulon.job import IN_MOULD, UNDER_FILM, Job
from bibulon.job.edits import changed, revised
from bibulon.job.run import RunEvent
from bibulon.mould.cavity_height import with_proposed_height
from bibulon.planning.mould_layouts import with_port_at
from bibulon.stock import shelf_card


@cache
def sound() -> Assessment:
    return assessed(lid())


def test_the_sound_lid_has_nothing_to_be_said_about_its_mould() -> None:
    assert [caution.id for caution in cautions_of(sound()) if caution.rank != "note"] == []


def test_film_and_mould_have_cautions_of_their_own() -> None:
    for entry in REGISTRY:
        if entry.station == "bag":
            assert entry.processes <= UNDER_FILM
        if entry.station == "mould":
            assert entry.processes <= IN_MOULD
    under_film = changed(lid(), process="film infusion")
    assert not {caution.station for caution in cautions_of(assess(under_film))} & {"mould"}


@pytest.mark.parametrize("name", MOULD_MISTAKES)
def test_the_mistake_is_caught_on_the_lid(name: str) -> None:
    assert name not in {caution.id for caution in cautions_of(sound())}
    found = [caution for caution in cautions_of(with_mistake(name)) if caution.id == name]
    assert found, name
    for caution in found:
        assert caution.message.endswith(".") and caution.why and caution.remedy
        assert "None" not in caution.message and "nan" not in caution.message


def test_how_far_the_rim_is_from_an_inlet_goes_by_where_the_inlets_are() -> None:
    """Both on one side: not a quarter of the rim, as with two that are spread evenly, but the way there is."""
    job = MOULD_MISTAKES["channel-too-narrow"](with_port_at(lid(), "inlet-2", (0.0, 0.5)))
    (found,) = (one for one in cautions_of(assessed(job)) if one.id == "channel-too-narrow")
    assert found.place is not None
    rim = job.part.outline.polygon.exterior
    there, *inlets = (rim.project(Place(at)) for at in (found.place, *(feed.place for feed in job.feeds)))
    ways_m = [substring(rim, min(there, inlet), max(there, inlet)).length for inlet in inlets]
    way_m = min(min(way, rim.length - way) for way in ways_m)
    told = re.search(r"([\d.]+) m from an inlet", found.message)
    assert told and float(told[1]) == pytest.approx(way_m, abs=0.01) and way_m > 0.3 * rim.length


@pytest.mark.parametrize(
    ("cavity_m", "said"),
    [(0.001, "less room than the fibre"), (0.0017, "the vacuum pulls with"), (0.0037, "the vacuum pulls with")],
)
def test_a_cavity_that_is_too_shallow_is_told_once(cavity_m: float, said: str) -> None:
    """Also where the fill is refused for it."""
    made = assessed(pair(lid(), cavity_m=cavity_m))
    found = [caution for caution in cautions_of(made) if caution.id in ("cavity-too-tight", "no-fill")]
    assert [said in caution.message for caution in found] == [True], [caution.message for caution in found]
    cannot_close = made.refusal is not None
    assert (found[0].rank, found[0].station) == (("stop", "mould") if cannot_close else ("caution", "layup"))
    assert cannot_close == (cavity_m < 0.0015)


@pytest.mark.parametrize("count", [1, 3, 9])
@pytest.mark.parametrize("cavity_pa", [20_000.0, 50_000.0, 80_000.0])
def test_a_cavity_as_high_as_the_stack_asks_for_closes(count: int, cavity_pa: float) -> None:
    made = changed(
        pair(lid(), cavity_m=None, cavity_pa=cavity_pa),
        layup=plies("glass-biax-600", count),
        cards=(*lid().cards, shelf_card("glass-biax-600")),
    )
    told = {caution.id for caution in cautions_of(assess(with_proposed_height(made)))}
    assert "cavity-too-tight" not in told and "cavity-height-missing" not in told


@cache
def sound_arm() -> Assessment:
    return assessed(arm())


def test_the_sound_arm_has_nothing_to_be_said() -> None:
    assert [caution.id for caution in cautions_of(sound_arm()) if caution.rank != "note"] == []


@pytest.mark.parametrize("name", BLADDER_MISTAKES)
def test_the_mistake_is_caught_on_the_arm(name: str) -> None:
    assert name not in {caution.id for caution in cautions_of(sound_arm())}
    job = BLADDER_MISTAKES[name](arm())
    a = assess(job) if name in OF_PLAN else assessed(job)
    found = [caution for caution in cautions_of(a) if caution.id == name]
    assert found, name
    assert all(caution.message.endswith(".") and "None" not in caution.message for caution in found)


def test_fibre_carries_what_the_bladder_presses_beyond_the_resin() -> None:
    """Laminate under 1 bar over the atmosphere is as thick as under film with that much more barometer."""
    job = blown(arm(), over_pressure_pa=8_000.0)
    heavy = changed(
        job,
        process="film infusion",
        shop=revised(job.shop, barometer_pa=job.shop.barometer_pa + 8_000.0),
        vacuum=revised(job.vacuum, cavity_pa=job.pair.cavity_pa),
    )
    inside, under_film = (assess(case).laminate.total for case in (job, heavy))
    assert inside.thickness_m == pytest.approx(under_film.thickness_m, rel=1e-12)
    assert inside.thickness_m > assess(arm()).laminate.total.thickness_m


@pytest.mark.parametrize("name", ["flange-vacuum-low", "cold-slug"])
def test_what_puts_it_right_does(name: str) -> None:
    job = MOULD_MISTAKES[name](lid())
    caution = next(caution for caution in cautions_of(assess(job)) if caution.id == name)
    assert caution.fix is not None
    mended = caution.fix.apply(job)
    assert name not in {caution.id for caution in cautions_of(assess(mended))}


def test_the_mould_opens_where_and_when_its_margin_says() -> None:
    a = with_mistake("mould-opens")
    caution = next(caution for caution in cautions_of(a) if caution.id == "mould-opens")
    assert a.clamp is not None and a.clamp.opens is not None
    when_s, place = a.clamp.opens
    assert caution.place is not None and abs(caution.place[0] - place[0]) < 0.05
    before = a.clamp.least_n_m[a.clamp.times_s < when_s]
    assert (before >= 0).all()


def test_hands_and_vessels_are_warned_of_where_they_are_used() -> None:
    text = " ".join(safety_notes(pressed(lid(), 20_000.0), "mould"))
    assert "Fingers" in text and "relief valve" in text
    assert "relief valve" not in " ".join(safety_notes(lid(), "mould"))
    assert "Fingers" not in " ".join(safety_notes(changed(lid(), process="film infusion"), "shoot"))


def test_the_flange_is_judged_by_the_barometer_of_the_day() -> None:
    high = changed(lid(), shop=lid().shop.model_copy(update={"barometer_pa": 80_000.0}))
    assert "flange-vacuum-low" in {caution.id for caution in cautions_of(assess(high))}
    assert "flange-vacuum-low" not in {caution.id for caution in cautions_of(assess(pair(high, flange_pa=2_000.0)))}


def logged(*readings: tuple[float, str, float]) -> Job:
    at = datetime(2026, 10, 5, 8, 30, tzinfo=UTC)
    said = [("started", "", 0.0, None), *(("reading", label, clock, pa) for clock, label, pa in readings)]
    return changed(lid(), run=tuple(
        RunEvent(number=number, at=at, clock_s=clock, kind=kind, label=label, vacuum_pa=pa)
        for number, (kind, label, clock, pa) in enumerate(said, 1)
    ))  # fmt: skip


def test_two_gauges_are_two_and_the_cavity_may_come_up_to_what_it_is_held_at() -> None:
    def rises(job: Job) -> str:
        return " ".join(caution.message for caution in cautions_of(assess(job)) if caution.id == "vacuum-rising")

    assert not rises(logged((9.0, "flange", 22_700.0), (13.0, "cavity", 51_200.0)))
    assert not rises(logged((13.0, "cavity", 51_200.0), (400.0, "cavity", 71_400.0)))
    assert "flange's vacuum has lost" in rises(logged((9.0, "flange", 22_700.0), (300.0, "flange", 31_000.0)))
    assert "cavity's vacuum" in rises(logged((13.0, "cavity", 51_200.0), (400.0, "cavity", 90_000.0)))
