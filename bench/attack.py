"""Attacks on what must not be lost or hang: kills in mid-save and mid-entry, mangled job files.

    .venv/bin/python bench/attack.py [kills] [files]

Prints how many were tried, how many lost anything, crashed or took over the limits, and the worst figures.
"""

from __future__ import annotations

import json
import random
import resource
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from bibulon.demo import demo_job
from bibulon.job.journal import Journal
from bibulon.job.storage import StorageError, dump, load, parse

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
MOST_S, MOST_KB = 5.0, 1_000_000


def _killed(script: str, *words: str) -> int:
    """Run *script*, kill it a little after it has begun to work; the last number that it confirmed."""
    child = subprocess.Popen([sys.executable, "-c", script, *words], stdout=subprocess.PIPE, text=True)
    assert child.stdout is not None
    first = child.stdout.readline()
    time.sleep(random.uniform(0.0, 0.03))
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
    path, lost = folder / "journal", 0
    for number in range(count):
        if number % 50 == 0:
            path.unlink(missing_ok=True)
        last = _killed(LOGGER, str(path))
        numbers = [event.number for event in Journal(path).events()]
        lost += numbers != list(range(1, len(numbers) + 1)) or len(numbers) < last
    return lost, len(numbers)


def mangled(text: str, chance: random.Random) -> str:
    """*text* of a job file with something wrong in it."""
    if chance.random() < 0.4:
        at = chance.randrange(len(text))
        return (
            text[:at] + chance.choice(["", "}", "[", "\0", "1e400", '"', "NaN", text[at : at + 200]]) + text[at + 1 :]
        )
    data: Any = json.loads(text)
    for _ in range(chance.randint(1, 3)):
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
            parse(content, "file")
            taken += 1
        except StorageError:
            refused += 1
        except Exception as error:
            crashed += 1
            print(f"  crashed: {type(error).__name__}: {str(error)[:100]}")
        took = time.process_time() - start
        worst = max(worst, took)
        slow += took > MOST_S
    most_kb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return {"taken": taken, "refused": refused, "crashed": crashed, "slow": slow, "worst_s": worst, "most_kb": most_kb}


def main(kills: int = 200, files: int = 1000) -> None:
    """Run all of it."""
    folder = Path(tempfile.mkdtemp())
    try:
        lost, halves = kills_in_save(kills, folder)
        print(f"kills in save: {kills}, saves lost: {lost}, half-written files left: {halves}")
        lost, entries = kills_in_journal(kills, folder)
        print(f"kills in journal: {kills}, entries lost: {lost} (the last journal has {entries})")
    finally:
        shutil.rmtree(folder)
    found = mangled_files(files)
    print(f"mangled files: {files}, " + ", ".join(f"{name}: {value:g}" for name, value in found.items()))


if __name__ == "__main__":
    main(*(int(word) for word in sys.argv[1:3]))
