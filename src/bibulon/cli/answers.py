"""What the commands have in common: jobs opened, answers printed, refusals."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, NoReturn

import typer

from bibulon.fineness import FULL_LEVELS, FULL_NODES

if TYPE_CHECKING:
    from bibulon.assess import Assessment


def refuse(message: str) -> NoReturn:
    """End with *message* and the exit code for bad input."""
    typer.echo(message, err=True)
    raise typer.Exit(2)


def opened(path: Path, nodes: int = FULL_NODES, with_fill: bool = True, levels: int = FULL_LEVELS) -> Assessment:
    """The Assessment of the job in that file, with its fill on about so many *nodes* and at most so many *levels*."""
    from bibulon.assess import assess, filled
    from bibulon.job.storage import StorageError, load

    try:
        assessment = assess(load(path))
    except StorageError as error:
        refuse(str(error))
    return filled(assessment, nodes, levels=levels) if with_fill else assessment


def print_json(data: object) -> None:
    """Print *data* as JSON."""
    typer.echo(json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False))


def end_by_cautions(assessment: Assessment) -> None:
    """End with exit code 1 if the job has a caution of rank stop."""
    from bibulon.cautions import cautions_of

    if any(caution.rank == "stop" for caution in cautions_of(assessment)):
        raise typer.Exit(1)
