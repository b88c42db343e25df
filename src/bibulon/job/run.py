"""What happened on the day, in order."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, Field, ValidationError

from bibulon.job.base import Label, Model, Point

LONGEST_TEXT = 2000
LONGEST_LABEL = 40
LARGEST_PHOTOGRAPH = 1_500_000
"""Letters of a picture in base64."""

EventKind = Literal[
    "ply laid",
    "ply taken up",
    "debulked",
    "debulk cleared",
    "check ticked",
    "check cleared",
    "photographed",
    "bag touched",
    "started",
    "valve opened",
    "valve clamped",
    "valve throttled",
    "front marked",
    "batch added",
    "step done",
    "reading",
    "note",
    "vacuum let go",
    "finished",
    "new run",
]
LAYING: frozenset[EventKind] = frozenset(
    (
        "ply laid",
        "ply taken up",
        "debulked",
        "debulk cleared",
        "check ticked",
        "check cleared",
        "photographed",
        "bag touched",
    )
)
"""What is done before a shot, and stands when a shot is begun anew."""


class RunEvent(Model):
    """One entry of the run log; ``clock_s`` counts from the opening of the first feed."""

    number: Annotated[int, Field(ge=1, le=1_000_000_000)]
    at: AwareDatetime
    clock_s: Annotated[float, Field(ge=-1e10, le=1e10)]
    kind: EventKind
    label: Label = ""
    text: Annotated[str, Field(max_length=LONGEST_TEXT)] = ""
    by: Label = ""
    """Who did it, where that was asked."""
    photograph: Annotated[str, Field(max_length=LARGEST_PHOTOGRAPH, pattern=r"^[A-Za-z0-9+/=]*$")] = ""
    """A picture, made small, as JPEG in base64."""
    place: Point | None = None
    mass_kg: Annotated[float, Field(ge=0, le=1e5)] | None = None
    vacuum_pa: Annotated[float, Field(ge=0, le=1e8)] | None = None
    temperature_k: Annotated[float, Field(ge=0, le=2000)] | None = None
    rehearsal: bool = False
    """True when the simulated instruments, not real ones, were on the bench."""


def shot_of(run: tuple[RunEvent, ...]) -> tuple[RunEvent, ...]:
    """The entries of *run* that belong to the shot as it is now: all since the last new run."""
    begun = next((at for at in range(len(run), 0, -1) if run[at - 1].kind == "new run"), 0)
    return run[begun:]


def shots_before(run: tuple[RunEvent, ...]) -> int:
    """How many shots of *run* were begun, other than as a rehearsal, and followed by a new run."""
    count, begun = 0, False
    for event in run:
        if event.kind == "started" and not event.rehearsal:
            begun = True
        elif event.kind == "new run":
            count, begun = count + begun, False
    return count


THERMOCOUPLE = "thermocouple"
"""The label under which the log keeps what a thermocouple at the part reads."""
MIXING = "mix {}"
"""The label under which the log says that the mixing of a batch, by its label, was begun."""
ALL_FEEDS = "all feeds"
"""The label under which the log says that every feed was clamped at once."""


def open_feeds(feeds: Iterable[str], events: Iterable[RunEvent]) -> tuple[str, ...]:
    """Those of the *feeds*, by their labels, that are open after the *events*, in the order opened."""
    states = [open_now for _, open_now in _open_after_each(feeds, events)]
    return states[-1] if states else ()


def clamped_s(feeds: Iterable[str], events: Iterable[RunEvent]) -> float | None:
    """When the last of the *feeds*, by their labels, that had been opened was clamped; None while one is open, and
    where none was opened."""
    opened, clamped = False, None
    for event, open_now in _open_after_each(feeds, events):
        if open_now:
            opened, clamped = True, None
        elif opened and clamped is None:
            clamped = event.clock_s
    return clamped


def _open_after_each(feeds: Iterable[str], events: Iterable[RunEvent]) -> Iterator[tuple[RunEvent, tuple[str, ...]]]:
    """Each event with the feeds that are open after it, in the order opened.

    Where all were clamped and a batch is poured then, they were clamped to wait for it: those that were open before
    are open again.
    """
    known, open_now, waiting = set(feeds), tuple[str, ...](), tuple[str, ...]()
    for event in events:
        before = open_now
        if event.kind == "valve opened" and event.label in known and event.label not in open_now:
            open_now = (*open_now, event.label)
        elif event.kind == "valve clamped":
            gone = known if event.label == ALL_FEEDS else {event.label}
            open_now = tuple(label for label in open_now if label not in gone)
            waiting = waiting if open_now or not before else before
        elif event.kind == "batch added" and not open_now:
            open_now, waiting = waiting, ()
        yield event, open_now


def times_on_run_clock(shot: Iterable[RunEvent]) -> dict[int, float]:
    """When each entry of a *shot* that was started was made, on the run clock, by its number.

    The clock stands at zero until the first feed is opened: what was logged before that is placed by its time of day.
    Empty where the shot was not started.
    """
    events = tuple(shot)
    begun = next((event for event in events if event.kind == "started"), None)
    if begun is None:
        return {}
    times: dict[int, float] = {}
    for event in events:
        early = event.number < begun.number and event.clock_s >= 0
        waited_s = (begun.at - event.at).total_seconds() if early else 0.0
        times[event.number] = event.clock_s - max(waited_s, 0.0)
    return times


def thermocouple_readings(events: Iterable[RunEvent]) -> tuple[tuple[float, float], ...]:
    """What a thermocouple at the part read: time on the run clock and temperature (K)."""
    return tuple(
        (event.clock_s, event.temperature_k)
        for event in events
        if event.kind == "reading" and event.label == THERMOCOUPLE and event.temperature_k is not None
    )


def missing_before(run: tuple[RunEvent, ...]) -> dict[int, tuple[int, int]]:
    """Numbers that are missing from *run*, from and to, by the number of the entry that follows them."""
    before = [0, *(event.number for event in run)]
    return {
        event.number: (last + 1, event.number - 1)
        for last, event in zip(before, run, strict=False)
        if event.number > last + 1
    }


def entry(**fields: Any) -> RunEvent:
    """An entry of the log, whatever is given: words that are too long are cut, what cannot be held is left out, and
    the text says so."""
    fields = {name: value for name, value in fields.items() if value is not None}
    left_out: list[str] = []
    for name, most in (("label", LONGEST_LABEL), ("by", LONGEST_LABEL), ("text", LONGEST_TEXT)):
        words = str(fields.get(name, ""))
        if len(words) > most:
            left_out.append("the end of " + ("what was written" if name == "text" else f"“{words[:12]}…”"))
            fields[name] = words[: most - 1] + "…"
    while True:
        try:
            event = RunEvent(**fields)
            break
        except ValidationError as error:
            name = str(error.errors()[0]["loc"][0])
            if name not in OPTIONAL or name not in fields:
                raise
            left_out.append(OPTIONAL[name])
            del fields[name]
    if not left_out:
        return event
    said = f"[left out: {', '.join(left_out)}]"
    text = event.text[: LONGEST_TEXT - len(said) - 1]
    return event.model_copy(update={"text": f"{text} {said}".strip()})


OPTIONAL = {
    "text": "what was written",
    "by": "who",
    "photograph": "a picture that is too large",
    "place": "a place that is off the plan",
    "mass_kg": "a mass that cannot be",
    "vacuum_pa": "a vacuum reading that cannot be",
    "temperature_k": "a temperature that cannot be",
}
"""Fields that an entry can do without, and what is said where one had to be left out."""
