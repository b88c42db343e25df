"""The made-up shop's jobs that ship with the program (Marrowby Composites)."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

from bibulon.job import Job
from bibulon.job.storage import parse

DEMO_FILES = (
    "footbridge-deck-panel.bibulon",
    "dome-gore.bibulon",
    "seed-hopper-lid.bibulon",
    "lamp-post-arm.bibulon",
)
DEMO_DRAWING, DEMO_MESH = "dome-gore.dxf", "dome-gore.stl"
"""What the dome gore's outline and relief were brought in from."""


def demo_job(name: str = DEMO_FILES[0]) -> Job:
    """The demo job in the file *name*."""
    return parse(files("bibulon.demo").joinpath(name).read_text(encoding="utf-8"), name)


def demo_file(name: str) -> Path:
    """Where a file of the demo lies."""
    return Path(str(files("bibulon.demo").joinpath(name)))
