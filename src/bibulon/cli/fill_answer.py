"""The answer of ``bibulon fill``: its figures, and the same in words."""

from __future__ import annotations

import dataclasses
import logging
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, cast

import typer

from bibulon.assess import Assessment
from bibulon.cli.answers import refuse
from bibulon.flow.result import STOP_WORDS, FillResult
from bibulon.job.words import far_side_word, feed_word
from bibulon.mould.clamp import (
    balance,
    clamp_n_m,
    flange_needed_pa,
    highest_injection_pa,
    holding,
    off_at_gel,
    seals_n_m,
)
from bibulon.quantities import show
from bibulon.quantities_in_words import from_to, percent, show_full, signed_share

SCHEDULER_WAIT_S = 10
Probe = tuple[float, float, int | None]
"""A place in metres and a level from the tool, or None for the last that resin comes to."""


def probe_of(text: str) -> Probe:
    """The place that *text* names."""
    try:
        x, y, *level = text.split(",")
        return float(x), float(y), int(level[0]) if level else None
    except ValueError:
        refuse(f"“{text}” is not a place: write --probe X,Y or X,Y,LEVEL, in metres, level 0 at the tool.")


@contextmanager
def _workers_of(scheduler: str) -> Iterator[None]:
    """Send spread fills to the workers of the dask *scheduler* at that address; to this machine's own for ""."""
    if not scheduler:
        yield
        return
    try:
        from distributed import Client
    except ImportError:
        refuse("--scheduler needs the package distributed: pip install 'bibulon[cluster]'.")
    from joblib import parallel_config

    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    connect = cast(Callable[..., Any], Client)
    try:
        client = connect(scheduler, timeout=SCHEDULER_WAIT_S, set_as_default=False)
    except (OSError, ValueError, TypeError) as error:
        refuse(f"--scheduler: nothing answers at {scheduler} ({error or type(error).__name__}).")
    with client:
        if not client.scheduler_info()["workers"]:
            refuse(f"--scheduler: the scheduler at {scheduler} has no workers.")
        with parallel_config(backend="dask", client=client):
            yield


def ensemble_data(assessment: Assessment, samples: int, levels: int, scheduler: str) -> dict[str, Any]:
    """The figures of so many fills with spread inputs."""
    from bibulon.flow.ensemble import study

    with _workers_of(scheduler):
        ensemble = study(assessment.job, samples, levels=levels)
    return {
        "fills": len(ensemble.fill_time_s),
        "filled_share": ensemble.filled_share,
        **{f"fill_time_p{p}_s": ensemble.fill_percentile_s(p) for p in (10, 50, 90)},
        **{f"resin_drawn_p{p}_m3": ensemble.drawn_percentile_m3(p) for p in (10, 50, 90)},
        "greatest_chance_of_dry": float(ensemble.dry_chance.max()),
        "influence": [{"input": name, "rank_correlation": weight} for name, weight in ensemble.influence],
    }


def fill_data(assessment: Assessment, result: FillResult, places: list[Probe], levels: int) -> dict[str, Any]:
    """The figures of a fill, in SI units."""
    try:
        probes = [
            {"x_m": x, "y_m": y, "level": level, "arrival_s": result.arrival_at(x, y, level)} for x, y, level in places
        ]
    except ValueError as error:
        refuse(f"{error}.")
    return {
        "fill_time_s": result.fill_time_s,
        "filled_fraction": result.filled_fraction,
        "stopped_by": result.stopped_by,
        "end_s": result.end_s,
        "gel_margin_s": assessment.gel_margin_s,
        "lag_max_s": result.lag_max_s,
        "probes": probes,
        "resin_drawn_m3": result.resin_drawn_m3,
        "in_part_m3": float(result.in_part_m3[-1]),
        "in_lines_m3": float(result.in_lines_m3[-1]),
        "in_pots_m3": float(result.in_pots_m3[-1]),
        "mass_error": result.mass_error,
        "pockets": [dataclasses.asdict(pocket) for pocket in result.pockets],
        "nodes": len(result.place),
        "levels": levels,
        "valves": [dataclasses.asdict(event) for event in result.events],
        "waits": [dataclasses.asdict(wait) for wait in result.waits],
        "mould": _mould_data(assessment, result),
    }


def _mould_data(assessment: Assessment, result: FillResult) -> dict[str, Any] | None:
    """What the halves of a closed mould do, in SI units, pressures absolute; None under film and if nothing bends."""
    course, margin, job = result.upper, assessment.clamp, assessment.job
    if course is None or margin is None:
        return None
    least, when_s, place = margin.worst
    held, off = holding(job, course), off_at_gel(result)
    at = int(margin.least_n_m.argmin())
    return {
        "clamp_n_m": clamp_n_m(job),
        "seals_n_m": seals_n_m(job),
        "least_margin_n_m": least,
        "least_margin_at_s": when_s,
        "least_margin_place_m": place,
        "opens_at_s": margin.opens[0] if margin.opens else None,
        "forces_then_n": {line.name: line.force_n for line in balance(job, course, at, assessment.units)},
        "highest_injection_over_pressure_pa": highest_injection_pa(job, course),
        "flange_needed_pa": flange_needed_pa(job, margin),
        "hold_best_pa": held.best_pa if held else None,
        "hold_within_tolerance_pa": [held.low_pa, held.high_pa] if held and held.low_pa is not None else None,
        "thickness_off_at_gel": list(off) if off else None,
        "rise_m": {
            "before": [float(course.rise_m[0].min()), float(course.rise_m[0].max())],
            "at_the_clamp": [
                float(course.rise_m[course.filled - 1].min()),
                float(course.rise_m[course.filled - 1].max()),
            ],
            "at_gel": [float(course.rise_m[-1].min()), float(course.rise_m[-1].max())],
        },
        "steps_begun_s": list(result.stage_begun_s),
    }


def export_fill(assessment: Assessment, result: FillResult, export: Path) -> None:
    """Write the fill to the file *export*."""
    from bibulon.exchange.fill_files import write_fill
    from bibulon.exchange.line_drawing import ExportError

    try:
        write_fill(assessment.job, result, export)
    except OSError as error:
        refuse(f"{export.name} could not be written: {error.strerror or error}.")
    except ExportError as error:
        refuse(f"{export.name} could not be written: {error}")


def print_fill(assessment: Assessment, result: FillResult, data: dict[str, Any]) -> None:
    """Print the *data* of a fill, and of its spread if that is there, in words."""
    ending = "Filled" if result.fill_time_s is not None else f"{STOP_WORDS[result.stopped_by]}. Stopped"
    typer.echo(f"{ending} after {show(result.end_s, 'duration')}, {show_full(result.filled_fraction)} of the pores.")
    for event in result.events:
        label = assessment.job.line(event.line).label
        typer.echo(f"  {label} {event.action} at {show(event.time_s, 'duration')}")
    for wait in result.waits:
        since, until = show(wait.since_s, "duration"), show(wait.until_s, "duration")
        typer.echo(f"  every {feed_word(assessment.job)} clamped from {since} until B{wait.batch} is there at {until}")
    for probe in data["probes"]:
        when = "never" if probe["arrival_s"] is None else show(probe["arrival_s"], "duration")
        level = "" if probe["level"] is None else f", level {probe['level']}"
        typer.echo(f"  resin at {probe['x_m']:g}, {probe['y_m']:g} m{level}: {when}")
    for pocket in result.pockets:
        where = f"{pocket.x_m:.2f}, {pocket.y_m:.2f} m"
        typer.echo(f"  air trapped at {where}: {show(pocket.volume_m3, 'volume')}")
    far_side, lag = far_side_word(assessment.job), show(result.lag_max_s, "duration")
    typer.echo(f"  the tool side lags the {far_side} by at most {lag}")
    if data["mould"] is not None:
        _print_mould(assessment, data["mould"])
    if "ensemble" in data:
        _print_spread(data["ensemble"])
    for name in ("resin_drawn_m3", "in_part_m3", "in_lines_m3", "in_pots_m3"):
        typer.echo(f"  {name[:-3].replace('_', ' ')}: {show(data[name], 'volume')}")


def _print_mould(assessment: Assessment, mould: dict[str, Any]) -> None:
    units = assessment.units
    least, when = show(mould["least_margin_n_m"], "line force", units), show(mould["least_margin_at_s"], "duration")
    typer.echo(f"  the clamp has {least} left at the least, after {when}")
    highest = mould["highest_injection_over_pressure_pa"]
    if highest is not None:
        most = show(highest, "pressure difference", units, 0)
        typer.echo(f"  with the vent shut it holds up to {most} over the atmosphere")
    typer.echo(f"  the flange needs {show(mould['flange_needed_pa'], 'pressure', units)} or better")
    if mould["thickness_off_at_gel"] is not None:
        low, high = (round(off, 3) + 0.0 for off in mould["thickness_off_at_gel"])
        typer.echo(
            f"  the part is {signed_share(low, 1)} to {signed_share(high, 1)} off the cavity as it was built, at gel"
        )
    if mould["hold_best_pa"] is not None:
        typer.echo(f"  it comes out best held at {show(mould['hold_best_pa'], 'pressure', units)} until gel")


def _print_spread(spread: dict[str, Any]) -> None:
    low, middle, high = (
        "not full" if spread[f"fill_time_p{p}_s"] is None else show(spread[f"fill_time_p{p}_s"], "duration")
        for p in (10, 50, 90)
    )
    typer.echo(f"  with spread inputs: fill {from_to(low, high)} in 8 of 10, middle {middle}")
    typer.echo(f"  {percent(spread['filled_share'])} of {spread['fills']} fills are full before the resin stops")
    for factor in spread["influence"][:3]:
        typer.echo(f"  {factor['rank_correlation']:+.2f}  {factor['input']}")
