"""The documents say what is there."""

from __future__ import annotations

import doctest
import importlib
import re
from pathlib import Path

import pytest

from bibulon.cli.commands import app
from bibulon.job.format_page import format_page

ROOT = Path(__file__).parent.parent
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]


def test_the_job_format_page_is_that_of_the_models() -> None:
    assert (ROOT / "docs/job-format.md").read_text(encoding="utf-8") == format_page(), (
        "make it anew: bibulon schema --markdown > docs/job-format.md"
    )


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_links_lead_somewhere(page: Path) -> None:
    for target in re.findall(r"\]\(([^)#:]+)\)", page.read_text(encoding="utf-8")):
        assert (page.parent / target).exists(), target


def test_the_architecture_page_names_files_that_exist() -> None:
    page = (ROOT / "docs/architecture.md").read_text(encoding="utf-8")
    source = ROOT / "src/bibulon"
    for name in re.findall(r"`([a-z_]+/[a-z_/]+\.(?:py|toml|bibulon)|[a-z_]+\.py)`", page):
        places = [source, *(folder for folder in source.rglob("*") if folder.is_dir())]
        assert any((place / name).exists() for place in [*places, ROOT, ROOT / "tests"]), name


def test_the_readme_names_every_command() -> None:
    readme = (ROOT / "README.md").read_text(encoding="utf-8")
    for command in app.registered_commands:
        name = command.name or (command.callback.__name__ if command.callback else "")
        assert name == "desk" or f"bibulon {name}" in readme, name


@pytest.mark.parametrize(
    "name",
    [
        ".".join(path.relative_to(ROOT / "src").with_suffix("").parts).removesuffix(".__init__")
        for path in sorted((ROOT / "src/bibulon").rglob("*.py"))
        if ">>>" in path.read_text(encoding="utf-8")
    ],
)
def test_the_examples_in_the_code_hold(name: str) -> None:
    outcome = doctest.testmod(importlib.import_module(name))
    assert outcome.attempted and not outcome.failed
