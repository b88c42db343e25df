"""The command line: the same work with no window.

Exit codes: 0 fine, 1 a stop-rank caution, 2 bad input, 3 the answer could not be written, 4 an error of the program.
"""

from __future__ import annotations

import dataclasses
import json
import logging
import os
import sys
import threading
import warnings
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Annotated, Any, NoReturn, TextIO, cast

import typer

from bibulon.assess import FULL_LEVELS, FULL_NODES, Assessment, assess, filled
from bibulon.cautions import cautions_of
from bibulon.job.edits import new_id
from bibulon.job.format_page import format_page
from bibulon.job.storage import StorageError, load, save, schema
from bibulon.laminate.cut_list import cut_list
from bibulon.laminate.other_hand import other_hand
from bibulon.quantities import from_to, show, show_full
from bibulon.whole_file import write_whole

app = typer.Typer(add_completion=False, no_args_is_help=True, help="Plan and run vacuum infusion jobs.")

JobFile = Annotated[Path, typer.Argument(help="A .bibulon job file.", metavar="JOB")]
AsJson = Annotated[bool, typer.Option("--json", help="Answer as JSON, SI units.")]
Nodes = Annotated[int, typer.Option(min=100, max=200_000, help="About how many nodes the mesh gets.")]


SCHEDULER_WAIT_S = 10


def _refuse(message: str) -> NoReturn:
    typer.echo(message, err=True)
    raise typer.Exit(2)


def _open(path: Path, nodes: int = FULL_NODES, with_fill: bool = True, levels: int = FULL_LEVELS) -> Assessment:
    try:
        assessment = assess(load(path))
    except StorageError as error:
        _refuse(str(error))
    return filled(assessment, nodes, levels=levels) if with_fill else assessment


def _print(data: object) -> None:
    typer.echo(json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False))


def _stop(assessment: Assessment) -> None:
    if any(caution.rank == "stop" for caution in cautions_of(assessment)):
        raise typer.Exit(1)


@app.command()
def check(job: JobFile, as_json: AsJson = False) -> None:
    """List the cautions of a job."""
    assessment = _open(job)
    found = cautions_of(assessment)
    if as_json:
        _print(
            [
                {
                    "id": one.id,
                    "rank": one.rank,
                    "message": one.message,
                    "why": one.why,
                    "remedy": one.remedy,
                    "where": None if one.place is None else {"x_m": one.place[0], "y_m": one.place[1]},
                    "station": one.station,
                }
                for one in found
            ]
        )
    else:
        for one in found:
            typer.echo(f"{one.rank.upper():8} {one.message}\n         {one.why}\n         {one.remedy}")
        typer.echo(f"{len(found)} cautions." if found else "No cautions.")
    _stop(assessment)


def _probe(text: str) -> tuple[float, float, int | None]:
    try:
        x, y, *level = text.split(",")
        return float(x), float(y), int(level[0]) if level else None
    except ValueError:
        _refuse(f"“{text}” is not a place: write --probe X,Y or X,Y,LEVEL, in metres, level 0 at the tool.")


@contextmanager
def _workers_of(scheduler: str) -> Iterator[None]:
    """Send spread fills to the workers of the dask *scheduler* at that address; to this machine's own for ""."""
    if not scheduler:
        yield
        return
    try:
        from distributed import Client
    except ImportError:
        _refuse("--scheduler needs the package distributed: pip install 'bibulon[cluster]'.")
    from joblib import parallel_config

    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    connect = cast(Callable[..., Any], Client)
    try:
        client = connect(scheduler, timeout=SCHEDULER_WAIT_S, set_as_default=False)
    except (OSError, ValueError, TypeError) as error:
        _refuse(f"--scheduler: nothing answers at {scheduler} ({error or type(error).__name__}).")
    with client:
        if not client.scheduler_info()["workers"]:
            _refuse(f"--scheduler: the scheduler at {scheduler} has no workers.")
        with parallel_config(backend="dask", client=client):
            yield


def _ensemble(assessment: Assessment, samples: int, levels: int, scheduler: str) -> dict[str, Any]:
    from bibulon.flow.ensemble import study

    with _workers_of(scheduler):
        found = study(assessment.job, samples, levels=levels)
    return {
        "fills": len(found.fill_time_s),
        "filled_share": found.filled_share,
        **{f"fill_time_p{p}_s": found.fill_percentile_s(p) for p in (10, 50, 90)},
        **{f"resin_drawn_p{p}_m3": found.drawn_percentile_m3(p) for p in (10, 50, 90)},
        "greatest_chance_of_dry": float(found.dry_chance.max()),
        "influence": [{"input": name, "rank_correlation": weight} for name, weight in found.influence],
    }


@app.command()
def fill(
    job: JobFile,
    probe: Annotated[
        list[str] | None, typer.Option(help="A place X,Y or X,Y,LEVEL in metres, level 0 at the tool; may be repeated.")
    ] = None,
    nodes: Nodes = FULL_NODES,
    levels: Annotated[int, typer.Option(min=1, max=4, help="Most flow levels through the thickness.")] = FULL_LEVELS,
    ensemble: Annotated[int, typer.Option(min=0, max=4096, help="So many fills with spread inputs besides.")] = 0,
    scheduler: Annotated[
        str, typer.Option(help="Address of a dask scheduler whose workers take the spread fills, tcp://HOST:PORT.")
    ] = "",
    export: Annotated[
        Path | None, typer.Option(help="Write the fill to FILE.vtu, .pvd (a VTU a step), .csv, .dxf or .svg.")
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Simulate the fill."""
    places = [_probe(text) for text in probe or []]
    assessment = _open(job, nodes, levels=levels)
    result = assessment.fill
    if result is None:
        _refuse(str(assessment.refusal))
    try:
        probes = [
            {"x_m": x, "y_m": y, "level": level, "arrival_s": result.arrival_at(x, y, level)} for x, y, level in places
        ]
    except ValueError as error:
        _refuse(f"{error}.")
    data: dict[str, Any] = {
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
    }
    if export is not None:
        from bibulon.exchange.fill_files import ExportError, write_fill

        try:
            write_fill(assessment.job, result, export)
        except (ExportError, OSError) as error:
            _refuse(f"{export.name} could not be written: {error}")
    if ensemble:
        data["ensemble"] = _ensemble(assessment, ensemble, levels, scheduler)
    if as_json:
        _print(data)
    else:
        ending = "Filled" if result.fill_time_s is not None else f"Stopped ({result.stopped_by})"
        typer.echo(
            f"{ending} after {show(result.end_s, 'duration')}, {show_full(result.filled_fraction)} of the pores."
        )
        for event in result.events:
            label = assessment.job.line(event.line).label
            typer.echo(f"  {label} {event.action} at {show(event.time_s, 'duration')}")
        for one in probes:
            when = "never" if one["arrival_s"] is None else show(one["arrival_s"], "duration")
            level = "" if one["level"] is None else f", level {one['level']}"
            typer.echo(f"  resin at {one['x_m']:g}, {one['y_m']:g} m{level}: {when}")
        for pocket in result.pockets:
            where = f"{pocket.x_m:.2f}, {pocket.y_m:.2f} m"
            typer.echo(f"  air trapped at {where}: {show(pocket.volume_m3, 'volume')}")
        typer.echo(f"  the tool side lags the film side by at most {show(result.lag_max_s, 'duration')}")
        if ensemble:
            spread = data["ensemble"]
            low, middle, high = (
                "not full" if spread[f"fill_time_p{p}_s"] is None else show(spread[f"fill_time_p{p}_s"], "duration")
                for p in (10, 50, 90)
            )
            typer.echo(f"  with spread inputs: fill {from_to(low, high)} in 8 of 10, middle {middle}")
            typer.echo(f"  {spread['filled_share']:.0%} of {spread['fills']} fills are full before the resin stops")
            for one in spread["influence"][:3]:
                typer.echo(f"  {one['rank_correlation']:+.2f}  {one['input']}")
        for name in ("resin_drawn_m3", "in_part_m3", "in_lines_m3", "in_pots_m3"):
            typer.echo(f"  {name[:-3].replace('_', ' ')}: {show(data[name], 'volume')}")
    _stop(assessment)


@app.command()
def mirror(
    job: JobFile, to: Annotated[Path, typer.Argument(help="The .bibulon file to write.", metavar="FILE")]
) -> None:
    """Save the other hand of a job: all of its plan mirrored, nothing of what was logged on the first."""
    if to.exists():
        _refuse(f"{to} is there already. Choose another name.")
    try:
        save(other_hand(_open(job, with_fill=False).job, new_id("job")), to)
    except StorageError as error:
        _refuse(str(error))
    typer.echo(f"Written to {to}.")


@app.command()
def cut(
    job: JobFile,
    export: Annotated[
        Path | None, typer.Option(help="Write cutting drawings to FILE.dxf, .svg or .pdf, or the list to .csv.")
    ] = None,
    labels: Annotated[Path | None, typer.Option(help="Write a sheet of kit labels to FILE.pdf.")] = None,
    as_json: AsJson = False,
) -> None:
    """The cut list: pieces of every ply, and what to buy of each fabric."""
    from bibulon.exchange.cut_files import write_cut_list
    from bibulon.record.kit import cutting_pdf, labels_pdf

    assessment = _open(job, with_fill=False)
    found = cut_list(assessment.job)
    try:
        if export is not None and export.suffix.lower() == ".pdf":
            write_whole(export, cutting_pdf(assessment.job, found, assessment.units))
        elif export is not None:
            write_cut_list(found, export)
        if labels is not None:
            write_whole(labels, labels_pdf(assessment.job, found, assessment.units))
    except (ValueError, OSError) as error:
        _refuse(f"The file could not be written: {error}")
    if as_json:
        rolls = [
            {
                "card": roll.card.id,
                "offcut": roll.offcut,
                "roll_width_m": roll.width_m,
                "length_m": roll.length_m,
                "waste": roll.waste,
                "pieces": [dataclasses.asdict(piece) for piece in roll.pieces],
            }
            for roll in found.rolls
        ]
        _print({"plies": len(found.plies), "rolls": rolls})
        return
    for roll in found.rolls:
        width = show(roll.width_m, "length")
        typer.echo(f"{roll.title}: {roll.length_m:.2f} m off {width}, {roll.waste:.0%} waste")
        for piece in roll.pieces:
            size = f"{show(piece.length_m, 'length')} × {show(piece.width_m, 'length')}"
            typer.echo(f"  {piece.code:6}{size:>22}  at {piece.angle_deg:g}°, {piece.region or 'whole part'}")


@app.command()
def charge(job: JobFile, as_json: AsJson = False) -> None:
    """The resin charge, line by line, and the batches."""
    assessment = _open(job)
    result = assessment.charge
    if as_json:
        _print(
            {
                "total_kg": result.total_kg,
                "items": [dataclasses.asdict(item) for item in result.items],
                "components": [dataclasses.asdict(one) for one in result.components],
                "batches": [dataclasses.asdict(batch) for batch in assessment.batches],
            }
        )
    else:
        for item in result.items:
            typer.echo(f"{item.name:32}{show(item.mass_kg, 'mass'):>12}   {item.how}")
        typer.echo(f"{'Total':32}{show(result.total_kg, 'mass'):>12}")
        for one in result.components:
            typer.echo(f"  {one.name}: {show(one.mass_kg, 'mass')} by weight ({show(one.volume_m3, 'volume')})")
        for batch in assessment.batches:
            typer.echo(f"  batch {batch.number}: {show(batch.mass_kg, 'mass')}, mix at {show(batch.mix_s, 'duration')}")
    _stop(assessment)


@app.command()
def report(
    job: JobFile,
    output: Annotated[Path | None, typer.Option("--output", "-o", help="Where the PDF goes.")] = None,
    as_json: AsJson = False,
) -> None:
    """Write the traveller as PDF."""
    from bibulon.record.traveller import traveller_pdf  # loads the PDF writer, which the other commands do without

    assessment = _open(job)
    target = output or job.with_suffix(".pdf")
    try:
        write_whole(target, traveller_pdf(assessment))
    except OSError as error:
        _refuse(f"{target} could not be written: {error.strerror or error}.")
    if as_json:
        _print({"file": str(target), "bytes": target.stat().st_size})
    else:
        typer.echo(f"Traveller written to {target}.")
    _stop(assessment)


@app.command(name="schema")
def print_schema(
    as_json: Annotated[bool, typer.Option("--json", help="The schema is always JSON.")] = True,
    markdown: Annotated[bool, typer.Option("--markdown", help="Print the format as a page to read instead.")] = False,
) -> None:
    """Print the JSON Schema of job files."""
    if markdown:
        typer.echo(format_page(), nl=False)
    else:
        _print(schema())


@app.command()
def instruments(
    job: JobFile,
    pace: Annotated[float, typer.Option(min=0.1, max=1000, help="Seconds that pass there for one here.")] = 1.0,
) -> None:
    """Serve simulated instruments that follow a job's plan, until interrupted."""
    from bibulon.instruments.simulated import SimulatedBench, world_of

    bench = SimulatedBench(world_of(_open(job)), pace)
    typer.echo(f"Simulated instruments at {bench.url}; Ctrl-C ends them.")
    try:
        threading.Event().wait()
    except KeyboardInterrupt:
        bench.close()


@app.command()
def desk(
    job: Annotated[Path | None, typer.Argument(help="A .bibulon job file to open.", metavar="[JOB]")] = None,
    demo: Annotated[bool, typer.Option("--demo", help="Open the demo job.")] = False,
) -> None:
    """Open the window."""
    try:
        from bibulon.desk.app import run
    except ImportError as error:
        _refuse(f"The window needs the desk packages (pip install 'bibulon[desk]'): {error}.")
    raise typer.Exit(run(job, demo))


NOT_WRITTEN, BROKEN = 3, 4
"""Exit codes beside those of the commands."""


class _OutputLost(RuntimeError):
    """The answer cannot be written any more: the pipe is closed or the disk full."""


class _Output:
    """Standard output that tells its own failure from any other."""

    def __init__(self, stream: TextIO) -> None:
        self._stream = stream

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)

    def write(self, text: str) -> int:
        try:
            return self._stream.write(text)
        except OSError as error:
            raise _OutputLost(error.strerror or str(error)) from error

    def flush(self) -> None:
        try:
            self._stream.flush()
        except OSError as error:
            raise _OutputLost(error.strerror or str(error)) from error


def main() -> None:
    """Entry point: whatever goes wrong is said in a sentence, and each kind has an exit code of its own."""
    warnings.simplefilter("ignore")  # what libraries tell each other's programmers
    logging.disable(logging.WARNING)
    if sys.stdout is None:
        sys.exit(_say_on_stderr("The answer could not be written: there is no output to write it to.", NOT_WRITTEN))
    output = _Output(sys.stdout)
    sys.stdout = cast(TextIO, output)
    code: int | str | None = BROKEN
    try:
        try:
            app()
        except SystemExit as end:
            code = end.code
        output.flush()
    except _OutputLost as error:
        # nothing more can be written there, not even by the interpreter as it ends
        os.dup2(os.open(os.devnull, os.O_WRONLY), output.fileno())
        code = _say_on_stderr(f"The answer could not be written: {error}.", NOT_WRITTEN)
    except MemoryError:
        code = _say_on_stderr("This job needs more memory than there is here.", BROKEN)
    except Exception as error:
        what = f"{type(error).__name__}: {error}"
        code = _say_on_stderr(f"Something went wrong inside the program ({what}). Nothing was changed.", BROKEN)
    sys.exit(code)


def _say_on_stderr(message: str, code: int) -> int:
    with suppress(OSError, AttributeError):
        print(message, file=sys.stderr, flush=True)
    return code
