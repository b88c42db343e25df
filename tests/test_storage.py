"""The job on disk: whole or not at all, refused with a reason, journal torn anywhere still read."""

from __future__ import annotations

import json
import os
import re
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.demo import demo_job
from bibulon.job import Job
from bibulon.job.edits import changed
from bibulon.job.journal import Journal, resumed
from bibulon.job.run import RunEvent
from bibulon.job.storage import StorageError, backup_of, dump, load, parse, save, schema


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
        ({"format_version": 2}, "newer Bibulon"),
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
    assert described["properties"]["format_version"]["const"] == 1


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


def test_journal_put_aside_keeps_the_old_one(tmp_path: Path) -> None:
    journal = Journal(tmp_path / "deck.journal")
    for _ in range(2):
        journal.append(event(1))
        journal.close_run()
    assert journal.events() == ()
    assert len(list(tmp_path.glob("*.kept"))) == 2


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
