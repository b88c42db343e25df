"""The traveller, the log and the command line: what a customer or a script reads."""

from __future__ import annotations

import csv
import io
import json
import math
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path
from xml.etree import ElementTree

import ezdxf
import meshio
import numpy as np
import pytest
from conftest import bare_panel
from pypdf import PdfReader
from shapely import LineString
from typer.testing import CliRunner

from bibulon.assess import assess, filled
from bibulon.cli.commands import app
from bibulon.demo import demo_job
from bibulon.exchange.readings import log_csv
from bibulon.job import Job
from bibulon.job.cards import CoreCard, MediaCard
from bibulon.job.curing import LoggedPoint
from bibulon.job.edits import changed, revised, with_card, with_counted, with_line
from bibulon.job.gear_cards import TubeCard
from bibulon.job.hold import HoldTest
from bibulon.job.run import RunEvent
from bibulon.job.storage import load, save
from bibulon.laminate.cut_list import cut_list
from bibulon.planning.to_prepare import fittings_needed, needs_of
from bibulon.plumbing.network import network_of
from bibulon.quantities import Units, show
from bibulon.quantities_in_words import from_to
from bibulon.record.prepare_sheet import prepare_pdf
from bibulon.record.run_list import done_steps, next_step, run_list
from bibulon.record.run_log import clocks, details, what
from bibulon.record.traveller import traveller_pdf

AT = datetime(2026, 3, 12, 9, 30, tzinfo=UTC)


def entry(number: int, kind: str, label: str = "", **more: object) -> RunEvent:
    return RunEvent(number=number, at=AT, clock_s=number * 60.0, kind=kind, label=label, **more)


@pytest.fixture
def shot(demo: Job) -> Job:
    """The demo job after a hold test and the first steps of the shot."""
    test = HoldTest(
        id="h", stage="with the feed hose", taken_at=AT, readings=((0.0, 3000.0), (600.0, 3020.0), (900.0, 3030.0))
    )
    run = (
        entry(1, "step done", "hold"),
        entry(2, "step done", "people"),
        entry(3, "started"),
        entry(4, "front marked", place=(2.1, 0.42)),
        entry(5, "note", text="=left corner lags <b>"),
    )
    return changed(demo, hold_tests=(test,), run=run)


def test_traveller_holds_the_whole_job(shot: Job) -> None:
    assessment = filled(assess(shot), 500)
    pages = PdfReader(io.BytesIO(traveller_pdf(assessment))).pages
    text = " ".join(page.extract_text() for page in pages)
    for words in (
        "Footbridge deck panel", "Stitched glass quad, 1200 g/m²", "bearing pads", "has passed the whole of F2",
        "Core grooves and perforations", "Slow hardener by weight", "B1", "with the feed hose", "pass",
        "at 2100 mm, 420 mm", "left corner lags <b>", "Signatures", "planning figures, not approval", "sensitise",
    ):  # fmt: skip
        assert words in text.replace("\n", " "), words
    assert f"{assessment.charge.total_kg:.2f} kg" in text


def test_log_entries_say_who_and_have_a_clock_once_a_feed_is_open(shot: Job) -> None:
    early = RunEvent(number=1, at=shot.run[0].at, clock_s=0, kind="ply laid", label="P1", text="Mat", by="AK")
    run = (early, *(revised(event, number=event.number + 1) for event in shot.run))
    assert clocks(run)[:3] == ("", "", "") and all(clocks(run)[3:])
    assert clocks((early,)) == ("",)
    assert (what(early), details(early, Units())) == ("ply laid P1", "Mat, by AK")
    assert (what(run[1]), details(run[1], Units())) == ("step done", "Last hold test read and passed")
    marked = next(event for event in run if event.place)
    assert details(marked, Units(system="us")).startswith("at 82.68 in, 16.54 in")


def test_log_as_csv_is_whole_and_harmless(shot: Job) -> None:
    rows = list(csv.DictReader(io.StringIO(log_csv(shot))))
    assert [row["event"] for row in rows] == ["step done", "step done", "started", "front marked", "note"]
    assert (rows[3]["x_m"], rows[3]["y_m"]) == ("2.1", "0.42")
    assert rows[4]["text"].startswith("'="), "a spreadsheet must not take a note for a formula"


def test_run_list_is_in_order_and_ticked_by_the_log(shot: Job) -> None:
    steps = run_list(filled(assess(shot), 500))
    times = [step.due_s for step in steps if step.due_s is not None]
    assert times == sorted(times)
    assert [step.text for step in steps if step.text.startswith("Open feed")] == ["Open feed F1", "Open feed F2"]
    strip = "Strip film, media and peel ply"
    assert [step.text for step in steps[-4:]] == ["Let the vacuum go", strip, "Take the part off", "Trim the part"]
    assert done_steps(steps, shot.run) == {"check hold", "check people"}
    following = next_step(steps, shot.run)
    assert following is not None and following.text.startswith("Mix batch 1")
    poured = (*shot.run, entry(6, "batch added", "B1"))
    assert "mix 1" in done_steps(steps, poured), "what was poured was mixed"


@pytest.fixture
def deck(demo: Job, tmp_path: Path) -> Path:
    path = tmp_path / "deck.bibulon"
    save(demo, path)
    return path


@pytest.fixture
def plain(tmp_path: Path) -> Path:
    """A job that is filled in a moment, for what does not hang on the job."""
    path = tmp_path / "plain.bibulon"
    save(bare_panel(), path)
    return path


def call(*words: str) -> tuple[int, str, str]:
    result = CliRunner().invoke(app, list(words))
    return result.exit_code, result.stdout, result.stderr


def test_fill_as_json(deck: Path) -> None:
    code, out, _ = call("fill", str(deck), "--nodes", "600", "--probe", "2.1,0.3", "--probe", "2.1,1.3", "--json")
    data = json.loads(out)
    assert code == 0
    assert data["stopped_by"] == "filled" and data["filled_fraction"] == 1.0
    assert data["probes"][0]["arrival_s"] < data["probes"][1]["arrival_s"] < data["fill_time_s"]
    shared = data["in_part_m3"] + data["in_lines_m3"] + data["in_pots_m3"]
    assert data["resin_drawn_m3"] == pytest.approx(shared, rel=1e-9)


def test_the_gel_margin_counts_the_heat_of_the_resins_own_cure(tmp_path: Path) -> None:
    """The lid is warmed by its cure: the first gel in the part, of ``cure``, bounds the margin of ``fill``."""
    lid = tmp_path / "lid.bibulon"
    save(demo_job("seed-hopper-lid.bibulon"), lid)
    fill, cure, resin = (
        json.loads(call(*words, "--json")[1])
        for words in (("fill", str(lid), "--nodes", "400"), ("cure", str(lid), "--nodes", "400"), ("resin", str(lid)))
    )
    margin = fill["gel_margin_s"]
    assert margin == pytest.approx(cure["first_gel_s"] - fill["end_s"], rel=0.01)
    kept_cool = resin["flows_until_s"] - fill["end_s"] - 180.0  # mixed three minutes before it is fed
    assert 0.85 * kept_cool < margin < 0.97 * kept_cool


def test_check_charge_and_report(deck: Path, plain: Path, tmp_path: Path) -> None:
    code, out, _ = call("check", str(deck), "--json")
    found = json.loads(out)
    caution = found[0]
    assert [one["id"] for one in found] == ["hold-not-done", "too-viscous", "stack-uneven"]
    assert code == 0 and set(caution) >= {"id", "rank", "message", "why", "remedy", "where"}
    code, out, _ = call("charge", str(deck), "--json")
    data = json.loads(out)
    assert sum(item["mass_kg"] for item in data["items"]) == pytest.approx(data["total_kg"])
    assert sum(batch["mass_kg"] for batch in data["batches"]) == pytest.approx(data["total_kg"])
    code, out, _ = call("report", str(plain), "-o", str(tmp_path / "t.pdf"))
    assert code == 0 and (tmp_path / "t.pdf").read_bytes().startswith(b"%PDF")
    job = load(plain)
    save(changed(job, bucket=revised(job.bucket, below_part_m=-1.0)), plain)
    for command in ("check", "charge", "fill"):
        assert call(command, str(plain))[0] == 1, "a stop-rank caution"


def test_spread_fills_go_to_the_workers_of_a_scheduler(deck: Path) -> None:
    """What a cluster answers is what this machine answers; the workers are another program's, and stay up."""
    from distributed import LocalCluster

    words = ("fill", str(deck), "--nodes", "200", "--ensemble", "3", "--json")
    with LocalCluster(n_workers=1, threads_per_worker=1, dashboard_address=None) as cluster:
        for _ in range(2):
            code, out, err = call(*words, "--scheduler", cluster.scheduler_address)
            assert code in (0, 1), err
        assert cluster.scheduler_info["workers"]
    assert json.loads(out)["ensemble"] == json.loads(call(*words)[1])["ensemble"]


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["fill", "DECK", "--probe", "9,9"], "not on the part"),
        (["fill", "DECK", "--probe", "middle"], "write --probe X,Y"),
        (["fill", "DECK", "--nodes", "200", "--ensemble", "2", "--scheduler", "nowhere"], "nothing answers at nowhere"),
        (["fill", "DECK", "--nodes", "200", "--ensemble", "2", "--scheduler", "tcp://127.0.0.1:9"], "nothing answers"),
        (["fill", "nowhere.bibulon"], "could not be read"),
        (["report", "DECK", "-o", "/nowhere/t.pdf"], "could not be written"),
    ],
)
def test_bad_input_is_named_and_exits_with_two(plain: Path, words: list[str], says: str) -> None:
    code, _, err = call(*(str(plain) if word == "DECK" else word for word in words))
    assert code == 2
    assert says in err


def test_an_unfillable_job_is_bad_input(deck: Path, demo: Job) -> None:
    save(changed(demo, lines=demo.feeds), deck)
    code, _, err = call("fill", str(deck))
    assert code == 2 and "no vent line" in err


def test_levels_probes_and_spread_from_the_command_line(deck: Path) -> None:
    two = json.loads(call("fill", str(deck), "--json", "--nodes", "400", "--probe", "2,1,0", "--probe", "2,1,1")[1])
    tool, film = (probe["arrival_s"] for probe in two["probes"])
    assert film < tool < two["fill_time_s"]
    assert two["lag_max_s"] > 0 and two["mass_error"] < 1e-9
    one = json.loads(call("fill", str(deck), "--json", "--nodes", "400", "--levels", "1")[1])
    assert one["lag_max_s"] == 0 and one["nodes"] < two["nodes"]
    assert call("fill", str(deck), "--nodes", "400", "--probe", "2,1,7")[0] == 2
    spread = json.loads(call("fill", str(deck), "--json", "--nodes", "400", "--ensemble", "4")[1])["ensemble"]
    assert spread["fills"] == 4 and spread["fill_time_p10_s"] < spread["fill_time_p50_s"]


def test_trapped_air_is_told_with_its_place(deck: Path, demo: Job) -> None:
    """A core that lets nothing through shuts air in under it."""
    core = revised(demo.card("foam-grooved-perforated-25", CoreCard), perforation_pitch_m=None)
    save(with_card(demo, core), deck)
    code, out, _ = call("fill", str(deck), "--json", "--nodes", "400")
    data = json.loads(out)
    assert code == 1 and data["stopped_by"] == "trapped air" and data["fill_time_s"] is None
    largest = data["pockets"][0]
    assert 0 < largest["x_m"] < 4.2 and 0 < largest["y_m"] < 1.4 and largest["volume_m3"] > 1e-6
    assert "air trapped at" in call("fill", str(deck), "--nodes", "400")[1]


def test_the_fill_as_files_reads_back_at_full_size(deck: Path, tmp_path: Path) -> None:
    for suffix in (".vtu", ".pvd", ".csv", ".dxf", ".svg"):
        target = tmp_path / f"fill{suffix}"
        assert call("fill", str(deck), "--nodes", "300", "--export", str(target))[0] == 0
    mesh = meshio.read(tmp_path / "fill.vtu")
    steps = ElementTree.parse(tmp_path / "fill.pvd").getroot().findall(".//DataSet")
    assert len(steps) > 20 and float(steps[-1].get("timestep", "0")) > 1000
    shares = [meshio.read(tmp_path / step.get("file", "")).point_data["full under film"].mean() for step in steps[::10]]
    assert shares == sorted(shares) and shares[0] < 0.01
    rows = list(csv.DictReader(io.StringIO((tmp_path / "fill.csv").read_text(encoding="utf-8"))))
    assert len(mesh.points) == len(rows) > 300
    assert max(float(row["arrival_through_s"]) for row in rows) == pytest.approx(
        mesh.point_data["arrival through s"].max(), abs=0.1
    )
    drawing = ezdxf.readfile(tmp_path / "fill.dxf")
    outline = drawing.modelspace().query('LWPOLYLINE[layer=="part"]')[0]
    assert {(round(x), round(y)) for x, y, *_ in outline} == {(0, 0), (4200, 0), (4200, 1400), (0, 1400)}
    fronts = [
        np.array([(x, y) for x, y, *_ in one])
        for one in drawing.modelspace().query('LWPOLYLINE[layer=="front 0.10.00"]')
    ]
    assert len(fronts) == 1, "one line across the part, for a plotter to follow"
    assert np.ptp(fronts[0][:, 0]) == pytest.approx(4200, abs=1) and 300 < fronts[0][:, 1].mean() < 800
    written = {one.dxf.text: one.dxf.insert for one in drawing.modelspace().query("TEXT")}
    assert written["F1"].isclose((120, 60, 0)) and "V1" in written
    time = np.array(written["0:10:00"])[:2]
    assert np.linalg.norm(fronts[0] - time, axis=1).min() < 1e-6, "the time is written at its front"
    picture = ElementTree.parse(tmp_path / "fill.svg").getroot()
    _, _, width, height = (float(one) for one in picture.get("viewBox", "").split())
    assert picture.get("width") == f"{width:.3f}mm" and width == pytest.approx(4280, abs=0.1)
    said = {one.text: one for one in picture.iter("{http://www.w3.org/2000/svg}text")}
    assert {"F1", "F2", "V1", "0:10:00"} <= set(said)
    assert all(0 < float(one.get("x")) < width and 20 <= float(one.get("y")) < height for one in said.values())
    assert call("fill", str(deck), "--nodes", "300", "--export", str(tmp_path / "fill.xyz"))[0] == 2


def test_the_words_say_what_the_json_says(deck: Path, plain: Path) -> None:
    asked = ("fill", str(deck), "--nodes", "300", "--probe", "2,1,0", "--ensemble", "4")
    data, words = json.loads(call(*asked, "--json")[1]), call(*asked)[1]
    assert f"Filled after {show(data['fill_time_s'], 'duration')}, 100 % of the pores." in words
    assert f"resin at 2, 1 m, level 0: {show(data['probes'][0]['arrival_s'], 'duration')}" in words
    spread = data["ensemble"]
    low, high = (show(spread[f"fill_time_p{p}_s"], "duration") for p in (10, 90))
    assert f"fill {from_to(low, high)} in 8 of 10" in words and "4 fills are full" in words
    assert f"{spread['influence'][0]['rank_correlation']:+.2f}  {spread['influence'][0]['input']}" in words
    for volume in ("resin_drawn", "in_part", "in_lines", "in_pots"):
        assert f"{volume.replace('_', ' ')}: {show(data[f'{volume}_m3'], 'volume')}" in words
    charge, said = json.loads(call("charge", str(plain), "--json")[1]), call("charge", str(plain))[1]
    for one in charge["components"]:
        assert f"{one['name']}: {show(one['mass_kg'], 'mass')} by weight" in said
    assert said.count("batch ") >= len(charge["batches"]) and show(charge["total_kg"], "mass") in said
    cold = demo_job()
    read = LoggedPoint(time_s=7200.0, temperature_k=cold.mould_temperature_k - 8.0)
    save(changed(cold, curing=revised(cold.curing, logged=(read,))), deck.parent / "cold.bibulon")
    asked = ("cure", str(deck.parent / "cold.bibulon"), "--nodes", "300")
    data, words = json.loads(call(*asked, "--json")[1]), call(*asked)[1]
    planned = json.loads(call("cure", str(deck), "--nodes", "300", "--json")[1])
    for name in ("last_gel_s", "vacuum_off_s", "demould_s", "trim_s"):
        assert data[name] - planned[name] == pytest.approx(data["later_than_planned_s"])
    assert data["later_than_planned_s"] > 3600.0 and planned["later_than_planned_s"] == 0.0
    assert f"{show(data['later_than_planned_s'], 'duration')} later than planned" in words


def test_the_other_hand_and_the_cut_list_from_the_command_line(deck: Path, tmp_path: Path) -> None:
    to = tmp_path / "left.bibulon"
    assert call("mirror", str(deck), str(to))[0] == 0
    again = call("mirror", str(deck), str(to))
    assert again[0] == 2 and "is there already" in again[2]
    hands = [json.loads(call("cut", str(path), "--json")[1]) for path in (deck, to)]
    one, other = ([roll["length_m"] for roll in hand["rolls"]] for hand in hands)
    assert one == pytest.approx(other, rel=0.02) and hands[0]["plies"] == hands[1]["plies"]
    words = call("cut", str(deck), "--export", str(tmp_path / "cut.pdf"), "--labels", str(tmp_path / "kit.pdf"))[1]
    pieces = [piece for roll in hands[0]["rolls"] for piece in roll["pieces"]]
    assert all(f"  {piece['code']:6}" in words for piece in pieces)
    assert len(PdfReader(tmp_path / "cut.pdf").pages) >= len(hands[0]["rolls"])
    text = "".join(page.extract_text() for page in PdfReader(tmp_path / "kit.pdf").pages)
    assert all(piece["code"] in text for piece in pieces)
    assert call("cut", str(deck), "--export", str(tmp_path / "cut.odd"))[0] == 2


def test_schema_and_a_core_without_qt(plain: Path) -> None:
    assert json.loads(call("schema")[1])["title"] == "Bibulon job"
    program = (
        "import sys; sys.modules['PySide6'] = None\n"
        "from bibulon.cli.commands import app\n"
        f"app(['charge', {str(plain)!r}, '--json'])"
    )
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["total_kg"] > 0.5


@pytest.mark.parametrize("words", [["check"], ["charge"], ["fill", "--json"]])
def test_output_that_cannot_be_written_is_an_error_of_its_own(plain: Path, words: list[str]) -> None:
    with Path("/dev/full").open("w", encoding="utf-8") as full:
        done = subprocess.run(
            [sys.executable, "-m", "bibulon", words[0], str(plain), *words[1:]],
            stdout=full, stderr=subprocess.PIPE, text=True, check=False,
        )  # fmt: skip
    assert done.returncode == 3
    assert done.stderr == "The answer could not be written: No space left on device.\n"


def test_what_to_prepare_lists_hoses_fittings_and_everything_with_its_price() -> None:
    job = demo_job()
    assessed = assess(job)
    needs = {need.what: need for need in needs_of(assessed)}
    spiral = next(card for card in job.cards if card.id == job.feeds[0].tube)
    feeds_m = sum(LineString(line.points).length for line in job.feeds)
    assert needs[spiral.name].amount == pytest.approx(1.05 * feeds_m) and spiral.price is not None
    assert needs[spiral.name].price == pytest.approx(spiral.price * 1.05 * feeds_m)
    cuts = {roll.card.name: roll.length_m * roll.width_m for roll in cut_list(job).rolls}
    assert all(needs[name].amount == pytest.approx(area) for name, area in cuts.items())
    resin = [need for need in needs.values() if need.station == "charge"]
    assert sum(need.amount for need in resin) == pytest.approx(assessed.charge.total_kg)
    valves = [
        (card.name, count)
        for words, card, count in fittings_needed(network_of(job))
        if words == "valves" and card is not None
    ]
    assert valves == [("Hose clamp up to 16 mm outside", 2 * len(job.feeds) + len(job.vents))]
    slope = tuple((x, y, x) for x in (0.0, 4.2) for y in (0.0, 1.4))
    steep = {need.what: need.amount for need in needs_of(assess(changed(job, part=revised(job.part, relief=slope))))}
    media = job.card(job.media[0].card, MediaCard).name
    assert steep[media] == pytest.approx(math.sqrt(2) * needs[media].amount, rel=1e-3), "as it lies on the mould"
    kept = with_card(job, revised(job.card(job.vents[0].hose, TubeCard), reuse=True))
    kept = with_line(kept, revised(kept.feeds[0], hose=kept.vents[0].hose))
    name = kept.card(kept.vents[0].hose, TubeCard).name
    again, bought = sorted(
        (need for need in needs_of(assess(kept)) if need.what == name), key=lambda need: not need.again
    )
    dry_m = sum(hose.length_m for hose in network_of(kept).hoses if hose.card.reuse and hose.side == "vent")
    assert again.amount == pytest.approx(1.05 * dry_m) and again.price is None and "used again" in again.use
    assert not bought.again and bought.price, "a hose that has carried resin is not used again"
    half = with_counted(job, spiral.id, 0.5 * needs[spiral.name].amount)
    short = {need.what: need for need in needs_of(assess(half))}[spiral.name]
    assert short.to_buy == pytest.approx(0.5 * short.amount)
    assert short.costs_to_buy == pytest.approx(0.5 * spiral.price * short.amount)
    counted = changed(job, charge=revised(job.charge, in_hand_kg=assessed.charge.total_kg - 1.0))
    missing = sum(need.to_buy or 0.0 for need in needs_of(assess(counted)) if need.station == "charge")
    assert missing == pytest.approx(1.0), "what is short of resin, both components together"
    hose = revised(job.card(job.vents[0].hose, TubeCard), id="wide", bore_m=0.018, outer_m=0.022, pinch_n=None)
    wide = with_line(with_card(job, hose), revised(job.vents[0], hose="wide"))
    assert any(card is None and words.startswith("port for") for words, card, _ in fittings_needed(network_of(wide)))
    assert any(card is not None and "24 mm" in card.name for _, card, _ in fittings_needed(network_of(wide)))
    text = " ".join(page.extract_text() for page in PdfReader(io.BytesIO(prepare_pdf(assess(wide)))).pages)
    for words in ("bucket to F1", "V1 to pot P1", "No fitting on the shelf", "Open feed F1", "P1 (pot)", "In all"):
        assert words in text, words
