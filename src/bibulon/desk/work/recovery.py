"""Unsaved work and an unfinished run, as they were kept when the program ended without saving."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.job import Job
from bibulon.job.journal import Journal, damage_in_words, fits, resumed
from bibulon.job.kept import About, Kept
from bibulon.job.run import RunEvent
from bibulon.job.storage import StorageError, load


@dataclass(frozen=True)
class FoundWork:
    """What was found: the ``job`` to take up, None if there is none; what is to be said; the ``highest`` number of the
    journal's entries, 0 where it is of another job; another ``journal`` to write to where that cannot be read."""

    job: Job | None = None
    messages: tuple[str, ...] = ()
    highest: int = 0
    journal: Journal | None = None


def look_for_work(kept: Kept, journal: Journal, opened: Job, read_as: str | None, has_file: bool) -> FoundWork:
    """What was *kept* of the job that was *opened*, from a file with the fingerprint *read_as* if it *has_file*.

    What was kept of another state of the file is set apart, to be offered as a job of its own.
    """
    messages: list[str] = []
    try:
        content = journal.read()
    except OSError as error:
        trouble = (
            f"The run journal {journal.path} cannot be read ({error.strerror or error}). It is left as it "
            "is; what was logged since the last save may be in it. New entries go to a journal of their own."
        )
        return FoundWork(messages=(trouble,), journal=_another(kept))
    recovered = opened
    if kept.recovery.exists():
        try:
            recovered = load(kept.recovery)
        except StorageError as error:
            messages.append(str(error))
    if has_file and _is_of_another(opened, recovered, read_as, kept.about(), content.events):
        if resumed(recovered, content.events) != opened:
            kept.set_apart()
        else:
            kept.clear()
        return FoundWork(messages=tuple(messages))
    recovered = resumed(recovered, content.events)
    if content.damaged:
        messages.append(damage_in_words(content.damaged))
    return FoundWork(None if recovered == opened else recovered, tuple(messages), content.highest)


def _is_of_another(
    opened: Job, recovered: Job, read_as: str | None, about: About, events: tuple[RunEvent, ...]
) -> bool:
    """Whether what was kept is not of the file as it is now."""
    if about.job and about.job != opened.id:
        return True
    changed_since = None not in (about.made_from, read_as) and about.made_from != read_as
    return changed_since or not fits(opened, recovered.run) or not fits(opened, events)


def _another(kept: Kept) -> Journal:
    number = 2
    while (path := kept.folder / f"journal-{number}").exists():
        number += 1
    return Journal(path)
