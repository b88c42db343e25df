"""The commands. Each loads what it needs when it is asked for, so that help comes at once."""

from __future__ import annotations

import dataclasses
import threading
from pathlib import Path
from typing import Annotated

import typer

from bibulon.cli.answers import end_by_cautions, opened, print_json, refuse
from bibulon.fineness import FULL_LEVELS, FULL_NODES
from bibulon.quantities_in_words import percent

app = typer.Typer(
    help="Plan and run vacuum infusion and light RTM jobs. With a job file, or nothing at all: open the window."
)

JobFile = Annotated[Path, typer.Argument(help="A .bibulon job file.", metavar="JOB")]
AsJson = Annotated[bool, typer.Option("--json", help="Answer as JSON, SI units.")]
Nodes = Annotated[int, typer.Option(min=100, max=200_000, help="About how many nodes the mesh gets.")]


def _print_version(asked: bool) -> None:
    if asked:
        from importlib.metadata import version

        typer.echo(f"bibulon {version('bibulon')}")
        raise typer.Exit


@app.callback(invoke_without_command=True)
def window_without_command(
    context: typer.Context,
    version: Annotated[
        bool, typer.Option("--version", callback=_print_version, is_eager=True, help="Tell the version and end.")
    ] = False,
) -> None:
    if context.invoked_subcommand is None:
        desk()


@app.command()
def check(job: JobFile, as_json: AsJson = False) -> None:
    """List the cautions of a job."""
    from bibulon.cautions import cautions_of

    assessment = opened(job)
    cautions = cautions_of(assessment)
    if as_json:
        print_json(
            [
                {
                    "id": caution.id,
                    "rank": caution.rank,
                    "message": caution.message,
                    "why": caution.why,
                    "remedy": caution.remedy,
                    "where": None if caution.place is None else {"x_m": caution.place[0], "y_m": caution.place[1]},
                    "station": caution.station,
                }
                for caution in cautions
            ]
        )
    else:
        for caution in cautions:
            typer.echo(f"{caution.rank.upper():8} {caution.message}\n         {caution.why}\n         {caution.remedy}")
        typer.echo(f"{len(cautions)} cautions." if cautions else "No cautions.")
    end_by_cautions(assessment)


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
    from bibulon.cli import fill_answer

    places = [fill_answer.probe_of(text) for text in probe or []]
    assessment = opened(job, nodes, levels=levels)
    result = assessment.fill
    if result is None:
        refuse(str(assessment.refusal))
    data = fill_answer.fill_data(assessment, result, places, levels)
    if export is not None:
        fill_answer.export_fill(assessment, result, export)
    if ensemble:
        data["ensemble"] = fill_answer.ensemble_data(assessment, ensemble, levels, scheduler)
    if as_json:
        print_json(data)
    else:
        fill_answer.print_fill(assessment, result, data)
    end_by_cautions(assessment)


@app.command()
def mirror(
    job: JobFile, to: Annotated[Path, typer.Argument(help="The .bibulon file to write.", metavar="FILE")]
) -> None:
    """Save the other hand of a job: all of its plan mirrored, nothing of what was logged on the first."""
    from bibulon.job.edits import new_id
    from bibulon.job.storage import StorageError, save
    from bibulon.laminate.other_hand import other_hand

    if to.exists():
        refuse(f"{to} is there already. Choose another name.")
    try:
        save(other_hand(opened(job, with_fill=False).job, new_id("job")), to)
    except StorageError as error:
        refuse(str(error))
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
    from bibulon.laminate.cut_list import cut_list
    from bibulon.laminate.laid_across import across_words, laid_across
    from bibulon.quantities import show
    from bibulon.record.kit import cutting_pdf, labels_pdf
    from bibulon.whole_file import write_whole

    assessment = opened(job, with_fill=False)
    cuts = cut_list(assessment.job)
    try:
        if export is not None and export.suffix.lower() == ".pdf":
            write_whole(export, cutting_pdf(assessment.job, cuts, assessment.units))
        elif export is not None:
            write_cut_list(cuts, export)
        if labels is not None:
            write_whole(labels, labels_pdf(assessment.job, cuts, assessment.units))
    except OSError as error:
        refuse(f"The file could not be written: {error.strerror or error}.")
    except ValueError as error:
        refuse(f"The file could not be written: {error}")
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
            for roll in cuts.rolls
        ]
        turned = [
            {**dataclasses.asdict(better), "card": better.card.id} for better in laid_across(assessment.job, cuts)
        ]
        print_json({"plies": len(cuts.plies), "rolls": rolls, "laid_across": turned})
        return
    for roll in cuts.rolls:
        width = show(roll.width_m, "length")
        typer.echo(f"{roll.title}: {roll.length_m:.2f} m off {width}, {percent(roll.waste)} waste")
        for piece in roll.pieces:
            size = f"{show(piece.length_m, 'length')} × {show(piece.width_m, 'length')}"
            direction = piece.direction if piece.any_way else f"at {piece.direction}"
            typer.echo(f"  {piece.code:6}{size:>22}  {direction}, {piece.region or 'whole part'}")
    for better in laid_across(assessment.job, cuts):
        typer.echo(f"{better.card.name}, laid across: {across_words(better, assessment.units)}.")


@app.command()
def charge(job: JobFile, as_json: AsJson = False) -> None:
    """The resin charge, line by line, and the batches."""
    from bibulon.quantities import show

    assessment = opened(job)
    result = assessment.charge
    if as_json:
        print_json(
            {
                "total_kg": result.total_kg,
                "items": [dataclasses.asdict(item) for item in result.items],
                "components": [dataclasses.asdict(component) for component in result.components],
                "batches": [dataclasses.asdict(batch) for batch in assessment.batches],
            }
        )
    else:
        for item in result.items:
            typer.echo(f"{item.name:32}{show(item.mass_kg, 'mass'):>12}   {item.how}")
        typer.echo(f"{'Total':32}{show(result.total_kg, 'mass'):>12}")
        for component in result.components:
            mass, volume = show(component.mass_kg, "mass"), show(component.volume_m3, "volume")
            typer.echo(f"  {component.name}: {mass} by weight ({volume})")
        for batch in assessment.batches:
            typer.echo(f"  batch {batch.number}: {show(batch.mass_kg, 'mass')}, mix at {show(batch.mix_s, 'duration')}")
    end_by_cautions(assessment)


@app.command()
def cure(
    job: JobFile,
    nodes: Annotated[
        int, typer.Option(min=100, max=40_000, help="About how many mesh points the fill has.")
    ] = FULL_NODES,
    as_json: AsJson = False,
) -> None:
    """Heat and cure through every stack after the fill: gel, vacuum off, demould, how hot, post-cure."""
    from bibulon.cli.cure_answer import cure_answer, cure_lines

    assessment = opened(job, nodes)
    if assessment.refusal is not None:
        refuse(str(assessment.refusal))
    study = assessment.cure_study
    if study is None or not study.stacks:
        refuse("There is nothing that cures.")
    if as_json:
        print_json(cure_answer(assessment, study))
    else:
        for line in cure_lines(assessment, study):
            typer.echo(line)
    end_by_cautions(assessment)


@app.command()
def resin(
    job: JobFile,
    temperature: Annotated[str, typer.Option(help="Where it is kept and mixed, as 23 °C; else as the job's mix.")] = "",
    mass: Annotated[str, typer.Option(help="What one pot holds, as 2 kg; else the largest batch.")] = "",
    tray: Annotated[bool, typer.Option("--tray", help="The pot is a tray filled to 30 mm.")] = False,
    bath: Annotated[str, typer.Option(help="Of a water bath that the pot stands in, as 15 °C.")] = "",
    as_json: AsJson = False,
) -> None:
    """The resin of a job: viscosity, gel, and a pot of it."""
    from bibulon.cli.cure_answer import resin_answer, resin_lines
    from bibulon.quantity_text import QuantityError, parse
    from bibulon.resin.mixing import mixed_temperature_k
    from bibulon.resin.pot import Pot

    assessment = opened(job, with_fill=False)
    of, units = assessment.job, assessment.units
    try:
        warm_k = parse(temperature, "temperature", units) if temperature else mixed_temperature_k(of)
        kilograms = parse(mass, "mass", units) if mass else of.charge.largest_batch_kg
        bath_k = parse(bath, "temperature", units) if bath else of.charge.bath_k
    except QuantityError as error:
        refuse(str(error))
    if not 233 <= warm_k <= 523:
        refuse("A temperature between −40 and 250 °C is wanted.")
    if not 1e-3 <= kilograms <= 10_000:
        refuse("A mass between 1 g and 10 t is wanted.")
    shape = "tray" if tray else of.charge.pot_shape
    air_k = warm_k if temperature else of.shop.temperature_k
    answer = resin_answer(of, warm_k, kilograms, Pot(shape, air_k, bath_k))
    if as_json:
        print_json(answer)
    else:
        for line in resin_lines(answer):
            typer.echo(line)


@app.command()
def report(
    job: JobFile,
    output: Annotated[Path | None, typer.Option("--output", "-o", help="Where the PDF goes.")] = None,
    as_json: AsJson = False,
) -> None:
    """Write the traveller as PDF."""
    from bibulon.record.traveller import traveller_pdf
    from bibulon.whole_file import write_whole

    assessment = opened(job)
    target = output or job.with_suffix(".pdf")
    try:
        write_whole(target, traveller_pdf(assessment))
    except OSError as error:
        refuse(f"{target} could not be written: {error.strerror or error}.")
    if as_json:
        print_json({"file": str(target), "bytes": target.stat().st_size})
    else:
        typer.echo(f"Traveller written to {target}.")
    end_by_cautions(assessment)


@app.command(name="schema")
def print_schema(
    as_json: Annotated[bool, typer.Option("--json", help="The schema is always JSON.")] = True,
    markdown: Annotated[bool, typer.Option("--markdown", help="Print the format as a page to read instead.")] = False,
) -> None:
    """Print the JSON Schema of job files."""
    from bibulon.job.format_page import format_page
    from bibulon.job.storage import schema

    if markdown:
        typer.echo(format_page(), nl=False)
    else:
        print_json(schema())


@app.command()
def instruments(
    job: JobFile,
    pace: Annotated[float, typer.Option(min=0.1, max=1000, help="Seconds that pass there for one here.")] = 1.0,
) -> None:
    """Serve simulated instruments that follow a job's plan, until interrupted."""
    from bibulon.instruments.simulated import SimulatedBench, world_of

    plan = opened(job)
    bench = SimulatedBench(world_of(plan), pace, plan=plan)
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
        refuse(f"The window needs the desk packages (pip install 'bibulon[desk]'): {error}.")
    raise typer.Exit(run(job, demo))
