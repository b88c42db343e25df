"""Attacks on what must not be lost or hang: kills in mid-save, mid-entry and of the window, mangled files of all kinds.

    .venv/bin/python bench/attack.py [kills] [files] [kills of the window]

Prints how many were tried, how many lost anything, crashed or took over the limits, and the worst figures.
"""

from __future__ import annotations

import json
import logging
import os
import random
import resource
import shutil
import subprocess
import sys
import tempfile
import time
import warnings
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from bibulon.assess import assess, filled
from bibulon.cautions import cautions_of
from bibulon.demo import demo_file, demo_job
from bibulon.exchange.drawings import DrawingRefusal, read_drawing
from bibulon.exchange.outlines import outline_of
from bibulon.exchange.reliefs import Placement, ReliefRefusal, read_surface, relief_of
from bibulon.job.edits import changed
from bibulon.job.journal import Journal, resumed
from bibulon.job.kept import Kept
from bibulon.job.storage import StorageError, dump, load, parse, save

SAVER = """
import sys
from pathlib import Path
from bibulon.demo import demo_job
from bibulon.job.edits import changed
from bibulon.job.storage import save
job, number = demo_job(), int(sys.argv[2])
while True:
    number += 1
    save(changed(job, name=f"version {number}"), Path(sys.argv[1]))
    print(number, flush=True)
"""
LOGGER = """
import sys
from datetime import datetime, UTC
from pathlib import Path
from bibulon.job.journal import Journal
from bibulon.job.run import RunEvent
journal = Journal(Path(sys.argv[1]))
number = journal.read().highest
while True:
    number += 1
    text = "x" * (number * 37 % 1900)
    journal.append(RunEvent(number=number, at=datetime.now(UTC), clock_s=number, kind="note", text=text))
    print(number, flush=True)
"""
WINDOW = """
import os, sys
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from pathlib import Path

def main():
    from PySide6.QtCore import QTimer
    from bibulon.desk.app import make_app
    from bibulon.desk.work.fill_runner import FillRunner
    from bibulon.desk.work.settings import Settings
    from bibulon.desk.window import Window
    from bibulon.job.edits import changed
    from bibulon.job.storage import load
    app = make_app()
    path = Path(sys.argv[1])
    window = Window(load(path), Settings(), runner=FillRunner(nodes=(150, 200)))
    window.files.open(path)
    window.show()
    done = window.document.next_number - 1

    def work():
        nonlocal done
        number = window.document.next_number
        window.run.log("note", text=f"entry {number}")
        done += 1
        if number % 5 == 0:
            window.document.edit("name", changed(window.document.job, name=f"version {number}"))
            window.document.save(path)
        print(number, flush=True)

    timer = QTimer()
    timer.timeout.connect(work)
    timer.start(0)
    app.exec()

if __name__ == "__main__":
    main()
"""
MOST_S, MOST_KB = 5.0, 1_000_000
FILLED_EVERY = 25
"""One of so many mangled jobs that can be read is filled as well: that takes the most time."""


def _killed(script: str, *words: str, longest_s: float = 0.03) -> int:
    """Run *script*, or the one in that file, and kill it a little after it has begun to work; the last number that it
    confirmed."""
    how = [script] if script.endswith(".py") else ["-c", script]
    child = subprocess.Popen(
        [sys.executable, *how, *words], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
    )
    assert child.stdout is not None
    first = child.stdout.readline()
    time.sleep(random.uniform(0.0, longest_s))
    child.kill()
    rest = child.stdout.read()
    child.wait()
    whole = [line for line in (first + rest).splitlines(keepends=True) if line.endswith("\n")]
    return int(whole[-1]) if whole else 0


def kills_in_save(count: int, folder: Path) -> tuple[int, int]:
    """How many of *count* kills lost a confirmed save, and how many half-written files are left."""
    path, lost, last = folder / "deck.bibulon", 0, 0
    for _ in range(count):
        last = _killed(SAVER, str(path), str(last)) or last
        found = int(load(path).name.split()[-1])
        lost += found < last
        last = max(found, last)
    return lost, len([one for one in folder.iterdir() if one.name.endswith(".part")])


def kills_in_journal(count: int, folder: Path) -> tuple[int, int]:
    """How many of *count* kills lost a confirmed entry, and how many entries there are."""
    path, lost, numbers = folder / "journal", 0, list[int]()
    for number in range(count):
        if number % 50 == 0:
            path.unlink(missing_ok=True)
        last = _killed(LOGGER, str(path))
        numbers = [event.number for event in Journal(path).events()]
        lost += numbers != list(range(1, len(numbers) + 1)) or len(numbers) < last
    return lost, len(numbers)


def kills_of_the_window(count: int, folder: Path) -> tuple[int, int]:
    """How many of *count* kills of a window that logs and saves lost a confirmed entry; how many entries were made."""
    os.environ["XDG_STATE_HOME"] = str(folder / "state")
    path, script, lost, numbers = folder / "deck.bibulon", folder / "window.py", 0, list[int]()
    script.write_text(WINDOW, encoding="utf-8")
    for number in range(count):
        if number % 20 == 0:  # another part
            save(changed(demo_job(), id=f"deck {number}"), path)
            shutil.rmtree(folder / "state", ignore_errors=True)
        last = _killed(str(script), str(path), longest_s=0.4)
        kept = Kept(Path(os.environ["XDG_STATE_HOME"]) / "bibulon", path)
        job = resumed(load(path), kept.journal.read().events)
        kept.close()
        numbers = [event.number for event in job.run]
        lost += numbers != list(range(1, len(numbers) + 1)) or len(numbers) < last
    return lost, len(numbers)


def _numbers(data: Any) -> Iterator[tuple[Any, Any]]:
    """Every number within *data*, as what holds it and its key there."""
    for key, value in data.items() if isinstance(data, dict) else enumerate(data):
        if type(value) in (int, float):
            yield data, key
        elif isinstance(value, dict | list):
            yield from _numbers(value)


def mangled(text: str, chance: random.Random) -> str:
    """*text* of a job file with something wrong in it."""
    if chance.random() < 0.4:
        at = chance.randrange(len(text))
        return (
            text[:at] + chance.choice(["", "}", "[", "\0", "1e400", '"', "NaN", text[at : at + 200]]) + text[at + 1 :]
        )
    data: Any = json.loads(text)
    for _ in range(chance.randint(1, 3)):
        if chance.random() < 0.8:  # a slip of the hand
            holder, key = chance.choice(list(_numbers(data)))
            factor = chance.choice((0, -1, 0.1, 0.5, 2, 10, 1e-3, 1e3, 1e6))
            holder[key] = type(holder[key])(holder[key] * factor + chance.choice((0, 0, 0.01)))
            continue
        inner = data
        while isinstance(inner, dict | list) and inner:
            keys = list(inner) if isinstance(inner, dict) else list(range(len(inner)))
            key = chance.choice(keys)
            if not isinstance(inner[key], dict | list) or not inner[key] or chance.random() < 0.2:
                wrong = (None, -1, 1e9, 1e-30, 1e308, "", "x" * 100, [], {}, True, [[0, 0]] * 50, [inner[key]] * 300)
                inner[key] = chance.choice(wrong)
                break
            inner = inner[key]
    return json.dumps(data)


def mangled_files(count: int) -> dict[str, float]:
    """What reading *count* mangled files came to."""
    chance, text = random.Random(1), dump(demo_job())
    taken = refused = crashed = slow = 0
    worst = 0.0
    for _ in range(count):
        content = mangled(text, chance)
        start = time.process_time()
        try:
            job = parse(content, "file")
            taken += 1
            found = assess(job)
            if taken % FILLED_EVERY == 0:
                found = filled(found, 150)
            cautions_of(found)
        except StorageError:
            refused += 1
        except Exception as error:
            crashed += 1
            print(f"  crashed: {type(error).__name__}: {str(error)[:100]}")
        took = time.process_time() - start
        worst = max(worst, took)
        slow += took > MOST_S
    return _figures(taken, refused, crashed, slow, worst)


def _figures(taken: int, refused: int, crashed: int, slow: int, worst: float) -> dict[str, float]:
    most_kb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return {"taken": taken, "refused": refused, "crashed": crashed, "slow": slow, "worst_s": worst, "most_kb": most_kb}


def mangled_drawings(count: int, folder: Path) -> dict[str, float]:
    """What reading *count* mangled drawings and meshes came to."""
    chance = random.Random(2)
    files: dict[str, bytes] = {name: demo_file(name).read_bytes() for name in ("dome-gore.dxf", "dome-gore.stl")}
    curves = "".join(f'<path d="M{i} 0 C {i} 5, {i + 3} 7, {i + 5} 3 S {i + 7} 5 {i + 9} 0 Z"/>' for i in range(9))
    files["curves.svg"] = f'<svg xmlns="http://www.w3.org/2000/svg" width="90mm">{curves}</svg>'.encode()
    files["plate.csv"] = b"x (mm), y (mm)\n0, 0\n800, 0\n800, 300\n0, 300\n"
    taken = refused = crashed = slow = 0
    worst = 0.0
    for number in range(count):
        name = sorted(files)[number % len(files)]
        data = bytearray(files[name])
        for _ in range(chance.randint(1, 6)):
            at = chance.randrange(len(data))
            new = (b"", b"9" * 12, b"-1e300", b"\xff", bytes([chance.randrange(256)]), bytes(data[at : at + 400]))
            data[at : at + chance.choice((0, 1, 1, 8))] = chance.choice(new)
        path = folder / f"{number % 8}-{name}"
        path.write_bytes(bytes(data))
        start = time.process_time()
        try:
            if name.endswith(".stl"):
                relief_of(read_surface(path), Placement(1.0, "z"), ((0.0, 0.0), (4.0, 0.0), (4.0, 1.0), (0.0, 1.0)))
            else:
                drawing = read_drawing(path)
                outline_of(drawing, 0.001, drawing.layers, 0.001)
            taken += 1
        except (DrawingRefusal, ReliefRefusal):
            refused += 1
        except Exception as error:
            crashed += 1
            print(f"  crashed on {name}: {type(error).__name__}: {str(error)[:100]}")
        took = time.process_time() - start
        worst = max(worst, took)
        slow += took > MOST_S
    return _figures(taken, refused, crashed, slow, worst)


def main(kills: int = 200, files: int = 1000, windows: int = 20) -> None:
    """Run all of it."""
    logging.disable()
    warnings.simplefilter("ignore")
    folder = Path(tempfile.mkdtemp())
    try:
        lost, halves = kills_in_save(kills, folder)
        print(f"kills in save: {kills}, saves lost: {lost}, half-written files left: {halves}")
        lost, entries = kills_in_journal(kills, folder)
        print(f"kills in journal: {kills}, entries lost: {lost} (the last journal has {entries})")
        lost, entries = kills_of_the_window(windows, folder)
        print(f"kills of the window: {windows}, entries lost: {lost} (the last job has {entries})")
        for what, found in (
            ("jobs", mangled_files(files)),
            ("drawings and meshes", mangled_drawings(files, folder)),
        ):
            print(f"mangled {what}: {files}, " + ", ".join(f"{name}: {value:g}" for name, value in found.items()))
    finally:
        shutil.rmtree(folder)


if __name__ == "__main__":
    main(*(int(word) for word in sys.argv[1:4]))
