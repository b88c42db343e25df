"""The job on disk: whole or not at all, refused with a reason, journal torn anywhere still read."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, get_args

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.demo import demo_job
from bibulon.job import Job
from bibulon.job.base import Model
from bibulon.job.edits import changed
from bibulon.job.journal import Journal, fits, resumed
from bibulon.job.paths import JobPath, path_in
from bibulon.job.run import RunEvent, entry
from bibulon.job.storage import FileChanged, StorageError, backup_of, dump, load, parse, save, schema
from bibulon.quantities import Units
from bibulon.record.run_log import log_rows


def event(number: int, **more: object) -> RunEvent:
    return RunEvent(
        number=number, at=datetime(2026, 3, 12, 9, 30, tzinfo=UTC), clock_s=number * 10.0, kind="note", **more
    )


def test_round_trip_and_previous_version(demo: Job, tmp_path: Path) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo, path)
    save(changed(demo, name="second"), path)
    assert load(path).name == "second"
    assert load(backup_of(path)) == demo
    assert [entry.name for entry in tmp_path.iterdir() if entry.name.startswith(".")] == []


def test_a_crash_while_saving_leaves_the_old_file(demo: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "deck.bibulon"
    save(demo, path)

    def power_cut(handle: int) -> None:
        raise OSError(5, "power cut")

    monkeypatch.setattr(os, "fsync", power_cut)
    with pytest.raises(StorageError, match="still open here"):
        save(changed(demo, name="never"), path)
    monkeypatch.undo()
    assert load(path) == demo


@given(cut=st.floats(0.0, 0.999))
def test_any_half_written_file_is_refused(cut: float) -> None:
    text = dump(demo_job())
    with pytest.raises(StorageError):
        parse(text[: int(len(text.rstrip()) * cut)])


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"format_version": 3}, "newer Bibulon"),
        ({"format": "something else"}, "not a Bibulon job"),
        ({"surprise": 1}, "surprise"),
        ({"shop": {"temperature_k": 900.0}}, "temperature_k"),
        ({"part": {"outline": [[0, 0], [1, 1], [1, 0], [0, 1]]}}, "crosses or touches itself"),
        ({"part": {"outline": [[0, 0], [1, 0], [2, 0]]}}, "outline"),
        ({"layup": [{"id": "a", "card": "no-such-card"}]}, "no-such-card"),
        ({"peel_ply": "epoxy-slow"}, "resin card"),
    ],
)
def test_wrong_content_is_named(demo: Job, change: dict[str, object], says: str) -> None:
    data = json.loads(dump(demo)) | change
    with pytest.raises(StorageError, match=says):
        parse(json.dumps(data))


def leaves(data: Any, way: tuple[str | int, ...] = ()) -> list[tuple[str | int, ...]]:
    """The ways to all figures and words in *data*."""
    if not isinstance(data, dict | list):
        return [way]
    every = data.items() if isinstance(data, dict) else enumerate(data)
    return [leaf for step, inner in every for leaf in leaves(inner, (*way, step))]


WAYS = leaves(json.loads(dump(demo_job())))


@settings(max_examples=300)
@given(
    way=st.sampled_from(WAYS),
    wrong=st.sampled_from(("x", "x" * 5000, "", -1, 0, 1e12, 2.5, None, True, [], [[1]], {}, {"kind": "x"})),
)
def test_whatever_is_wrong_in_a_file_is_named_in_plain_words(way: tuple[str | int, ...], wrong: object) -> None:
    data = json.loads(dump(demo_job()))
    inner = data
    for step in way[:-1]:
        inner = inner[step]
    inner[way[-1]] = wrong
    try:
        read = parse(json.dumps(data), "deck.bibulon")
    except StorageError as error:
        assert str(error).startswith("deck.bibulon ") and str(error).endswith(".")
        assert not re.search(r"Input|should|valid |type=|pydantic|NoneType|Traceback", str(error)), str(error)
    else:
        assert parse(dump(read)) == read, "what is taken is kept"


def test_nan_and_a_newer_file_beside_a_good_backup(demo: Job, tmp_path: Path) -> None:
    with pytest.raises(StorageError, match="not a number"):
        parse(dump(demo).replace("294.15", "NaN", 1))
    path = tmp_path / "deck.bibulon"
    save(demo, path)
    save(demo, path)
    path.write_bytes(b"\x00\xff\x00")
    with pytest.raises(StorageError, match="not a text file"):
        load(path)
    path.write_text('{"format": "bibulon job"')
    with pytest.raises(StorageError, match=r"deck\.bibulon\.previous"):
        load(path)


def test_schema_describes_the_demo(demo: Job) -> None:
    described = schema()
    assert set(json.loads(dump(demo))) <= set(described["properties"])
    assert described["properties"]["format_version"]["const"] == 2


def test_journal_survives_a_torn_line(tmp_path: Path, demo: Job) -> None:
    journal = Journal(tmp_path / "runs" / "deck.journal")
    for number in (1, 2, 3):
        journal.append(event(number, text=f"entry {number}"))
    whole = journal.path.read_bytes()
    for cut in range(len(whole)):
        journal.path.write_bytes(whole[:cut])
        found = journal.events()
        assert [one.number for one in found] == list(range(1, len(found) + 1))
        assert len(found) >= whole[:cut].count(b"\n")
    journal.path.write_bytes(whole[:-7])
    journal.append(event(3, text="again"))
    assert [one.text for one in journal.events()] == ["entry 1", "entry 2", "again"]
    assert [one.text for one in resumed(demo, journal.events()).run] == ["entry 1", "entry 2", "again"]


def test_a_damaged_entry_costs_itself_only_and_its_number_is_not_given_again(tmp_path: Path, demo: Job) -> None:
    journal = Journal(tmp_path / "deck.journal")
    for number in (1, 2, 3, 4, 5):
        journal.append(event(number, text=f"entry {number}"))
    lines = journal.path.read_bytes().splitlines(keepends=True)
    lines[2] = lines[2].replace(b"entry", b"ENTRY")
    lines[4] = lines[4].replace(b"entry", b"ENTRY")
    journal.path.write_bytes(b"".join(lines))
    found = journal.read()
    assert [one.number for one in found.events] == [1, 2, 4] and (found.damaged, found.highest) == (2, 5)
    job = resumed(demo, found.events)
    assert [one.number for one in job.run] == [1, 2, 4]
    job = changed(job, run=(*job.run, event(found.highest + 1)))
    assert parse(dump(job)) == job, "a log with a gap is kept in the file"
    assert [(row.number, row.what) for row in log_rows(job.run, Units())] == [
        (1, "note"), (2, "note"), (0, "entry 3 is missing"), (4, "note"), (0, "entry 5 is missing"), (6, "note"),
    ]  # fmt: skip


def test_a_refused_append_leaves_nothing_behind(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    journal = Journal(tmp_path / "deck.journal")
    journal.append(event(1))
    whole = journal.path.read_bytes()

    def full_after_a_little(handle: int, content: bytes) -> int:
        if len(content) < 20:
            raise OSError(28, "No space left on device")
        return write(handle, content[:20])

    write = os.write
    monkeypatch.setattr(os, "write", full_after_a_little)
    with pytest.raises(OSError, match="No space"):
        journal.append(event(2, text="never confirmed"))
    monkeypatch.undo()
    assert journal.path.read_bytes() == whole
    journal.append(event(2, text="now"))
    assert [one.text for one in journal.events()] == ["", "now"]


def test_a_journal_deleted_in_mid_run_is_written_again_whole(tmp_path: Path) -> None:
    journal = Journal(tmp_path / "state" / "runs" / "journal")
    done: list[RunEvent] = []
    for number in range(1, 6):
        if number == 4:
            shutil.rmtree(tmp_path / "state")
        journal.append(event(number), tuple(done))
        done.append(event(number))
    assert list(Journal(journal.path).events()) == done


def test_entries_of_another_job_are_told_apart(demo: Job) -> None:
    ran = changed(demo, run=(event(1), event(2)))
    assert fits(ran, (event(2), event(3))) and not fits(ran, (event(2, text="of another"),))


def test_a_file_changed_by_another_program_is_not_overwritten(demo: Job, tmp_path: Path) -> None:
    path = tmp_path / "deck.bibulon"
    ours = save(demo, path)
    theirs = changed(demo, name="of a colleague")
    save(theirs, path)
    with pytest.raises(FileChanged, match="another program"):
        save(changed(demo, name="ours"), path, ours)
    assert load(path) == theirs
    save(changed(demo, name="ours"), path)
    assert load(backup_of(path)) == theirs


def test_a_save_through_a_link_keeps_the_link(demo: Job, tmp_path: Path) -> None:
    (tmp_path / "server").mkdir()
    real, link = tmp_path / "server" / "deck.bibulon", tmp_path / "deck.bibulon"
    save(demo, real)
    link.symlink_to(real)
    save(changed(demo, name="second"), link)
    assert link.is_symlink() and load(real).name == "second"


def test_what_killed_saves_left_is_cleared_away_by_the_next(demo: Job, tmp_path: Path) -> None:
    dead = subprocess.Popen(["true"])
    dead.wait()
    (tmp_path / f".deck.bibulon.{dead.pid}-abcd1234.part").write_text("half")
    alive = tmp_path / f".deck.bibulon.{os.getppid()}-abcd1234.part"
    alive.write_text("being written by another window")
    other = tmp_path / ".deck.bibulon.swp"
    other.write_text("of an editor")
    save(demo, tmp_path / "deck.bibulon")
    assert sorted(one.name for one in tmp_path.iterdir()) == sorted([alive.name, other.name, "deck.bibulon"])


def test_a_file_with_a_byte_order_mark_opens_and_one_too_large_to_open_is_not_saved(
    demo: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "deck.bibulon"
    path.write_bytes(b"\xef\xbb\xbf" + dump(demo).encode())
    assert load(path) == demo
    monkeypatch.setattr("bibulon.job.storage.LARGEST_FILE_BYTES", 1000)
    with pytest.raises(StorageError, match="photographs"):
        save(demo, path)


@settings(max_examples=100)
@given(given=st.fixed_dictionaries({
    "label": st.text(max_size=100), "by": st.text(max_size=100), "text": st.text(max_size=3000),
    "mass_kg": st.none() | st.floats(), "vacuum_pa": st.none() | st.floats(), "temperature_k": st.none() | st.floats(),
    "place": st.none() | st.tuples(st.floats(), st.floats()),
}))  # fmt: skip
def test_nothing_that_is_given_stops_an_entry(given: dict[str, Any]) -> None:
    made = entry(number=1, at=datetime(2026, 3, 12, tzinfo=UTC), clock_s=0.0, kind="note", **given)
    for name in ("mass_kg", "vacuum_pa", "temperature_k", "place"):
        if getattr(made, name) is None and given[name] is not None:
            assert "left out" in made.text
    assert RunEvent.model_validate_json(made.model_dump_json()) == made


def test_a_saved_file_is_as_open_to_others_as_it_was(demo: Job, tmp_path: Path) -> None:
    path = tmp_path / "job.bibulon"
    before = os.umask(0o027)
    try:
        save(demo, path)
    finally:
        os.umask(before)
    assert path.stat().st_mode & 0o777 == 0o640
    path.chmod(0o664)
    save(demo, path)
    assert path.stat().st_mode & 0o777 == 0o664


def test_a_file_of_format_1_opens_with_its_cavity_where_it_is_now(demo: Job) -> None:
    data = json.loads(dump(demo))
    data["format_version"] = 1
    del data["pair"], data["series"]["cycle"]
    for line in data["lines"]:
        del line["is_port"]
    data["mould"]["cavity_m"] = 0.004
    opened = parse(json.dumps(data))
    assert opened.format_version == 2 and opened.pair.cavity_m == 0.004
    assert changed(opened, pair=demo.pair) == demo
    data["mould"]["cavity_m"] = None
    assert parse(json.dumps(data)) == demo


def test_the_paths_of_fields_are_those_of_the_models() -> None:
    """To have a new field's path in the vocabulary, add it to ``job/paths.py``."""

    def paths(model: type[Model], before: str) -> Iterator[str]:
        for name, field in model.model_fields.items():
            inner = field.annotation
            if isinstance(inner, type) and issubclass(inner, Model):
                yield from paths(inner, f"{before}{name}/")
            elif before:
                yield f"{before}{name}"

    assert set(get_args(JobPath)) == set(paths(Job, "")) | {"name", "peel_ply", "peel_ply_on", "tack"}
    with pytest.raises(KeyError):
        path_in("flow", "gravitas")
