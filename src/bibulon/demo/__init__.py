"""The made-up shop's jobs that ship with the program (Marrowby Composites)."""

from __future__ import annotations

from importlib.resources import files

from bibulon.job import Job
from bibulon.job.storage import parse

DEMO_FILES = ("footbridge-deck-panel.bibulon",)


def demo_job(name: str = DEMO_FILES[0]) -> Job:
    """The demo job in the file *name*."""
    return parse(files("bibulon.demo").joinpath(name).read_text(encoding="utf-8"), name)
