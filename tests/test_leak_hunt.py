"""The hunt for a leak: belief by hand, fewer isolations than by halving, what a shop has found before, the window."""

from __future__ import annotations

import functools
import math
from datetime import UTC, datetime

import numpy as np
import pytest
from driving import bench, button, choose, press, push, settle, texts, type_into
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QPushButton
from sound_jobs import held

from bibulon.assess import assess
from bibulon.bag.film import bag_plan_of
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.desk.benches import hunt_gauge
from bibulon.desk.window import Window
from bibulon.desk.work import run_controller
from bibulon.job import Job
from bibulon.job.edits import changed, revised, with_line
from bibulon.job.hunt import FoundLeak
from bibulon.job.lines import AtTime
from bibulon.job.storage import dump, parse
from bibulon.planning.leak_places import SPACE, USUAL, LeakMap, branches_of, leak_map, leaks_drawn
from bibulon.planning.line_patterns import with_branches
from bibulon.planning.to_prepare import fittings_needed
from bibulon.plumbing.network import network_of
from bibulon.record.run_list import run_list
from bibulon.stock.leaks import leaks_file, remember_leak, shop_leaks
from bibulon.vacuum.hunt import MISREAD, TWO_LEAKS, Branches, Cut, Isolation, LeakPlace, belief, next_isolation

SMALL = Branches(
    {"bag": "the bag", "pot": "the pot"},
    (Cut("v", "vent at the bag", ("bag", "pot")),),
    "pot",
    (LeakPlace("pleat", "a pleat", "bag", 3.0), LeakPlace("lid", "the lid", "pot", 1.0)),
)


def test_belief_in_two_places_is_bayes_rule_by_hand() -> None:
    """One leak at the pleat 3/4, at the lid 1/4; both with the chance of a second leak."""
    before = belief(SMALL).of_places
    assert before == pytest.approx({"pleat": 0.75 * (1 - TWO_LEAKS) + TWO_LEAKS, "lid": 0.25 * 0.75 + TWO_LEAKS})
    only_pleat, only_lid, both = 0.75 * 0.75 * MISREAD, 0.25 * 0.75 * (1 - MISREAD), TWO_LEAKS * (1 - MISREAD)
    after = belief(SMALL, [Isolation(frozenset({"v"}), True)]).of_places
    whole = only_pleat + only_lid + both
    assert after == pytest.approx({"pleat": (only_pleat + both) / whole, "lid": (only_lid + both) / whole})
    held = belief(SMALL, [Isolation(frozenset({"v"}), False)])
    assert held.of_sections["bag"] > 0.97 and next_isolation(held) is None


def made_bag(seed: int) -> tuple[Branches, list[LeakPlace]]:
    """Vents and feeds on a bag with pots, and one leak or two drawn by how readily the places leak."""
    drawn = np.random.default_rng(seed)
    sections, cuts = {"bag": "bag", "pot": "pot"}, []
    places = [LeakPlace("lid", "lid", "pot", 1.5), LeakPlace("fitting", "fitting", "pot", 1.0)]
    for number in range(drawn.integers(1, 4)):
        name = f"V{number}"
        sections[name] = name
        cuts += [Cut(f"{name} bag", name, ("bag", name)), Cut(f"{name} pot", name, (name, "pot"))]
        places += [LeakPlace(f"{name} joint", name, name, 1.5), LeakPlace(f"{name} hose", name, name, 0.5)]
    for number in range(drawn.integers(1, 5)):
        name = f"F{number}"
        sections[name] = name
        cuts.append(Cut(f"{name} bag", name, ("bag", name)))
        places += [LeakPlace(f"{name} valve", name, name, 1.5), LeakPlace(f"{name} hose", name, name, 0.5)]
    places += [LeakPlace(f"pleat {number}", "pleat", "bag", 1.2) for number in range(drawn.integers(4, 12))]
    places += [LeakPlace(f"tape {number}", "tape", "bag", 0.8) for number in range(4)]
    weights = np.array([place.weight for place in places])
    count = 2 if drawn.random() < TWO_LEAKS else 1
    chosen = drawn.choice(len(places), count, replace=False, p=weights / weights.sum())
    return Branches(sections, tuple(cuts), "pot", tuple(places)), [places[at] for at in chosen]


def by_belief(branches: Branches, leaks: list[LeakPlace]) -> int | None:
    """Isolations until every leak's section was named and mended, each mend followed by one more hold."""
    left, tests, mended, count = list(leaks), list[Isolation](), list[str](), 0
    while left:
        known = belief(branches, tests, mended)
        shut = next_isolation(known)
        if shut is not None:
            joined = branches.joined(shut)
            tests.append(Isolation(shut, any(leak.section in joined for leak in left)))
            count += 1
            continue
        best = max(known.of_sections, key=lambda name: known.of_sections[name])
        hit = next((leak for leak in left if leak.section == best), None)
        if hit is None:
            return None
        left.remove(hit)
        mended.append(hit.id)
        count += 1
        tests = [test for test in tests if not test.leaks] + ([Isolation(frozenset(), True)] if left else [])
    return count


def by_halving(branches: Branches, leaks: list[LeakPlace]) -> int | None:
    """The same by hand: half of the sections that may leak is kept on the gauge each time."""
    left, clean, count = list(leaks), set[str](), 0
    while left:
        may = {name for name in branches.sections if name not in clean}
        while len(may) > 1:
            halves = sorted(
                branches.choices, key=lambda shut: (abs(len(may & branches.joined(shut)) - len(may) / 2), len(shut))
            )
            joined = branches.joined(halves[0])
            if not may & joined or may <= joined:
                break
            count += 1
            if any(leak.section in joined for leak in left):
                may &= joined
            else:
                clean |= joined
                may -= joined
        hit = next((leak for leak in left if leak.section in may), None)
        if hit is None:
            return None
        left.remove(hit)
        count += 1
    return count


def test_leaks_of_a_hundred_made_bags_are_found_in_fewer_isolations_than_by_halving() -> None:
    mine, hand = ([way(*made_bag(seed)) for seed in range(100)] for way in (by_belief, by_halving))
    assert sum(count is None for count in mine) <= 2
    both = [(one, other) for one, other in zip(mine, hand, strict=True) if one is not None and other is not None]
    assert len(both) >= 85
    assert sum(one for one, _ in both) < 0.95 * sum(other for _, other in both)


@pytest.mark.parametrize("name", DEMO_FILES)
def test_every_section_of_a_job_can_be_told_from_the_others(name: str) -> None:
    """Whichever section leaks, what is asked for ends at it, or at those that no clamp parts."""
    branches = branches_of(demo_job(name))
    assert set(branches.sections) == {place.section for place in branches.places}
    for leaking in branches.sections:
        tests, searched = list[Isolation](), list[str]()
        for _ in range(40):
            known = belief(branches, tests, (), searched)
            shut = next_isolation(known)
            if shut is not None:
                tests.append(Isolation(shut, leaking in branches.joined(shut)))
                continue
            best = max(known.of_sections, key=lambda section: known.of_sections[section])
            if best == leaking:
                break
            searched.append(best)
        assert best == leaking and len(searched) <= 2, (leaking, len(tests), searched)


def test_a_branch_under_the_film_is_no_hose_to_clamp() -> None:
    job, spine = with_branches(changed(demo_job(), lines=(), media=()), ((0.2, 0.7), (4.0, 0.7)))
    hung = {line.id for line in job.lines if line.fed_by == spine}
    branches = branches_of(job)
    assert hung and not any(cut.id.startswith(tuple(hung)) for cut in branches.cuts)
    assert {place.section for place in branches.places if place.id.startswith("tee")} == {SPACE}
    counts = {words: count for words, _, count in fittings_needed(network_of(job))}
    assert counts == {"ports of lines": 1, "valves": 2, "where a hose branches": len(hung)}
    worked = [step.text for step in run_list(assess(job)) if step.kind in ("valve opened", "valve clamped")]
    assert worked == ["Open feed F1", "Clamp feed F1"], "nor one to open"
    first = next(line for line in job.lines if line.id in hung)
    later = with_line(job, revised(first, opens=AtTime(time_s=600.0)))
    assert [s.label for s in run_list(assess(later)) if s.kind == "valve opened"] == ["F1", first.label]


def test_a_feed_hose_that_is_not_fitted_yet_cannot_leak(demo: Job) -> None:
    bare = changed(demo, hold_tests=(held(stage="before the feed hose"),))
    fitted = changed(demo, hold_tests=(*bare.hold_tests, held(id="again", stage="with the feed hose")))
    sections = set(branches_of(demo).sections)
    assert branches_of(fitted).sections.keys() == sections
    hoses = {f"hose {feed.id}" for feed in demo.feeds}
    assert hoses < sections and branches_of(bare).sections.keys() == sections - hoses
    assert {f"port {feed.id}" for feed in demo.feeds} < {place.id for place in branches_of(bare).places}


@pytest.mark.parametrize("name", DEMO_FILES[:2])
def test_stretches_of_tape_are_named_by_the_pleats_that_the_plan_numbers(name: str) -> None:
    job = demo_job(name)
    pleats = {f"pleat {number}": pleat for number, pleat in enumerate(bag_plan_of(job).pleats, 1)}
    stretches = [place for place in branches_of(job).places if place.words.startswith("tape from ")]
    assert len(stretches) >= 4
    for stretch in stretches:
        one, other = (pleats[words] for words in stretch.words.removeprefix("tape from ").split(" to "))
        assert one.why == other.why == "corner" and stretch.at is not None
        assert math.dist(one.place, stretch.at) == pytest.approx(math.dist(other.place, stretch.at), rel=0.05)


def test_what_the_shop_has_found_before_comes_first() -> None:
    job = demo_job()
    plain, taught = branches_of(job), branches_of(job, ("pot",) * 30)
    lid = next(place.id for place in plain.places if place.kind == "pot")
    before, after = belief(plain).of_places, belief(taught).of_places
    assert after[lid] > 2 * before[lid] and max(after, key=lambda name: after[name]) == lid


def test_a_leak_is_hunted_down_and_logged_in_the_window(window: Window) -> None:
    window.go("hold")
    side = bench(window)
    next(box for box in side.findChildren(QCheckBox) if "find where" in box.text()).click()
    branches = branches_of(window.document.job)
    for _ in range(20):  # the hose of F2 leaks
        if "It is in" in texts(side):
            break
        shut = next_isolation(side.hunt.belief)
        assert shut is not None
        for cut in branches.cuts:
            assert (cut.words in texts(side)) or cut.id not in shut
        answer = "It still leaks" if "hose feed-2" in branches.joined(shut) else "It holds"
        side.ensureWidgetVisible(button(side, answer))
        box = next(box for box in side.findChildren(QCheckBox) if "find where" in box.text())
        stood = box.mapTo(side.viewport(), box.rect().center()).y()
        push(side, answer)
        settle(side)
        moved = box.mapTo(side.viewport(), box.rect().center()).y() - stood
        assert abs(moved) < 60, "the bench stays where it is, though the buttons of the answer are made anew"
    assert "It is in the hose of F2" in texts(side)
    before = side.hunt.belief.of_sections["hose feed-2"]
    push(side, "Nothing found there")
    assert "Nothing found in the hose of F2" in texts(side) and side.hunt.belief.of_sections["hose feed-2"] < before
    window.undo()
    window.refresh()
    assert None in window.plan.numbered, "a joint of a hose is nowhere on the plan"
    type_into(side, "Cured by", "a clamp that shuts it")
    choose(window, "Found how", "with a listener")
    found = next(one for one in side.findChildren(QPushButton) if "clamped end of F2" in one.accessibleName())
    found.click()
    (leak,) = window.document.job.hunt.found
    assert (leak.kind, leak.how, leak.cure) == ("hose joint", "with a listener", "a clamp that shuts it")
    assert shop_leaks() == (leak,) and leaks_file().exists()
    assert parse(dump(window.document.job)).hunt == window.document.job.hunt
    assert "clamped end of F2's hose, with a listener: a clamp that shuts it" in texts(side)
    press(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not window.document.job.hunt.found


def test_a_hunt_on_lines_that_went_is_still_read(window: Window) -> None:
    """A clamp that was set on a line which is no longer there says nothing, and breaks nothing."""
    window.go("hold")
    side = bench(window)
    next(box for box in side.findChildren(QCheckBox) if "find where" in box.text()).click()
    push(side, "It holds")
    shut = window.document.job.hunt.isolations[0].shut
    job = window.document.job
    window.document.edit("no lines", changed(job, lines=job.lines[:1]))
    window.refresh()
    assert shut and side.hunt.belief.of_sections[SPACE] > 0


def let_time_pass_by_readings(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    """Have the clock of simulated instruments go on by a tenth of a second with every reading that the window takes: a
    machine that is busy then lets no time pass between two readings."""
    passed_s = [0.0]
    monkeypatch.setattr(
        run_controller, "SimulatedBench", functools.partial(run_controller.SimulatedBench, now=lambda: passed_s[0])
    )

    def pass_on(name: str, _: float) -> None:
        passed_s[0] += 0.1 if name == "vacuum" else 0.0

    window.run.reading_taken.connect(pass_on)


def read_on_the_gauge(window: Window, qtbot, minutes: float) -> None:
    """Take and keep a test from the simulated gauge."""
    push(bench(window), "From the gauge")
    page = bench(window)
    qtbot.waitUntil(lambda: page.readings.toPlainText().count("\n") >= minutes, timeout=240_000)
    push(page, "Keep this test")
    window.refresh()


def test_a_leak_that_the_gauge_has_drawn_is_held_hunted_mended_and_held_again(
    window: Window, qtbot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(hunt_gauge, "PACE", 900.0)
    let_time_pass_by_readings(window, monkeypatch)
    window.go("hold")
    for text in ("It leaks: find where", "Rehearse: a leak somewhere"):
        next(one for one in bench(window).findChildren(QCheckBox) if one.text() == text).click()
    read_on_the_gauge(window, qtbot, 15)
    first = window.document.assessment.hold_verdicts[-1][1]
    assert not first.passed
    job = window.document.job
    assert all(test.taken_at <= datetime.now(UTC) for test in job.hold_tests), "a rehearsal's clock may run ahead"
    places = leaks_drawn(branches_of(job), hunt_gauge.zlib.crc32(job.id.encode()))
    mended, asked = set[str](), 0
    while len(mended) < len(places):
        offered = [one.text() for one in bench(window).findChildren(QPushButton) if one.isVisible()]
        if "Have the gauge say it" in offered:
            count = len(window.document.job.hunt.isolations)
            push(bench(window), "Have the gauge say it")
            qtbot.waitUntil(lambda count=count: len(window.document.job.hunt.isolations) > count, timeout=240_000)
            asked += 1
            window.refresh()
            continue
        listed = [one for one in bench(window).findChildren(QPushButton) if one.text() == "Found"]
        heard = next(
            (
                (one, place.id)
                for one in listed
                for place in places
                if place.id not in mended and one.accessibleName() == f"Found: {place.words}"
            ),
            None,
        )
        assert heard is not None, "the places of the section that leaks are listed"
        heard[0].click()
        mended.add(heard[1])
        window.refresh()
    assert 1 <= asked <= 12
    read_on_the_gauge(window, qtbot, 15)
    verdict = window.document.assessment.hold_verdicts[-1][1]
    assert verdict.leak_pa_m3_s < first.leak_pa_m3_s / 4 and verdict.passed


def test_what_the_shop_found_becomes_a_map_of_the_next_job(demo: Job, window: Window) -> None:
    """Of each kind the share is what is usual and what was found; on the plan every place has its disc."""
    plain, found = leak_map(demo, ()), leak_map(demo, ["port"] * 30 + ["pleat"])
    assert sum(share for _, share in plain.places) == pytest.approx(1.0)

    def of(kind: str, shown: LeakMap) -> float:
        return sum(share for place, share in shown.places if place.kind == kind)

    usual = sum(USUAL[kind] for kind in {place.kind for place, _ in plain.places})
    assert of("port", found) == pytest.approx((USUAL["port"] + 30) / (usual + 31))
    assert found.by_kind == (("port", 30), ("pleat", 1))
    tube = changed(demo, bag=revised(demo.bag, shape="tube"))
    words = [place.words for place, _ in leak_map(tube, ()).places]
    assert "seams along the tube" in words and not any("corner" in one for one in words)
    pieces = changed(demo, mould=revised(demo.mould, pieces=("left", "right")))
    assert any("joints between the pieces" in place.words for place, _ in leak_map(pieces, ()).places)
    remember_leak(FoundLeak(place="port x", kind="port", words="port of F9", at=datetime.now(UTC)))
    window.go("hold")
    box = next(one for one in bench(window).findChildren(QCheckBox) if one.text().startswith("Map"))
    box.click()
    window.refresh()
    assert "1 leaks found so far" not in texts(bench(window)) and "port 1" in texts(bench(window))
    on_plan = [place for place, _ in leak_map(window.document.job, ["port"]).places if place.at is not None]
    assert len(window.plan.leak_shares) == len(on_plan)
    box.click()
    assert window.plan.leak_shares == ()
