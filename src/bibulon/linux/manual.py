"""The manual page, made from the command line's own help."""

from __future__ import annotations

from collections.abc import Iterable
from importlib.metadata import version

import typer
from typer.core import TyperArgument, TyperGroup, TyperOption

from bibulon.cli.commands import app

EXIT_CODES = (
    ("0", "Fine."),
    ("1", "The job has a caution of rank stop."),
    ("2", "Bad input."),
    ("3", "The answer could not be written."),
    ("4", "An error of the program."),
)


def manual_page() -> str:
    """The manual page in troff, for ``man bibulon``."""
    group = typer.main.get_command(app)
    assert isinstance(group, TyperGroup)
    lines = [
        f'.TH BIBULON 1 "" "bibulon {version("bibulon")}" "User commands"',
        ".SH NAME",
        r"bibulon \- plan and run vacuum infusion and light RTM jobs",
        ".SH SYNOPSIS",
        ".B bibulon",
        "[COMMAND] [ARGUMENTS]",
        ".SH DESCRIPTION",
        _plain(group.help or ""),
        ".SH OPTIONS",
        *_parameters(group.params),
    ]
    for name in group.list_commands(typer.Context(group)):
        command = group.commands[name]
        arguments = [param for param in command.params if isinstance(param, TyperArgument)]
        words = " ".join(argument.metavar or (argument.name or "").upper() for argument in arguments)
        lines += [f".SH COMMAND {name.upper()}", f".B bibulon {name}", _plain(words), ".PP", _plain(command.help or "")]
        lines += _parameters(command.params)
    lines += [".SH EXIT STATUS"]
    for code, words in EXIT_CODES:
        lines += [".TP", f".B {code}", words]
    return "\n".join(lines) + "\n"


def _parameters(parameters: Iterable[object]) -> list[str]:
    """The options among *parameters*, each with its help."""
    lines: list[str] = []
    for option in parameters:
        if isinstance(option, TyperOption) and not option.hidden:
            value = "" if option.is_flag else f" {option.metavar or (option.name or '').upper()}"
            lines += [".TP", f".B {_plain(', '.join(option.opts) + value)}", _plain(option.help or "")]
    return lines


def _plain(text: str) -> str:
    """*text* with what troff would take for its own masked."""
    masked = " ".join(text.split()).replace("\\", r"\e").replace("-", r"\-")
    return rf"\&{masked}" if masked.startswith((".", "'")) else masked
