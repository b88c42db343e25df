"""Put the program into one user's desktop, or take it out again.

    python -m bibulon.linux.install install | uninstall

Everything lies under ``$XDG_DATA_HOME`` (menu entry, icons, file type, manual page, completion) and ``~/.local/bin``
(the command); nothing outside the user's own folders is touched, and no job, setting or log is ever taken away.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from importlib.resources import files
from pathlib import Path

from bibulon.linux.manual import manual_page

ICONS = (("apps", "bibulon.svg"), ("mimetypes", "application-x-bibulon-job.svg"))
COMPLETION = """\
# completion of bibulon's commands in bash
_bibulon_completion() {
    local IFS=$'\\n'
    COMPREPLY=($(env COMP_WORDS="${COMP_WORDS[*]}" COMP_CWORD=$COMP_CWORD _BIBULON_COMPLETE=complete_bash "$1"))
    return 0
}
complete -o default -F _bibulon_completion bibulon
"""
RENEWALS = (("update-desktop-database", "applications"), ("update-mime-database", "mime"))
"""Programs that tell the desktop of new files in a folder, where they are present."""


def data_home() -> Path:
    """Where the user's desktop looks for menu entries, icons and file types."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def command_place() -> Path:
    """Where the command is put."""
    return Path.home() / ".local" / "bin" / "bibulon"


def placed(command: Path, data: Path | None = None) -> Iterator[tuple[Path, str]]:
    """Every file that is put down in the *data* folder (the user's own), with its content; the menu entry starts the
    *command*."""
    data, shipped = data or data_home(), files("bibulon.linux")

    def content(name: str) -> str:
        return shipped.joinpath(name).read_text(encoding="utf-8")

    entry = content("bibulon.desktop").replace("Exec=bibulon ", f"Exec={_quoted(str(command))} ")
    yield data / "applications" / "bibulon.desktop", entry
    yield data / "mime" / "packages" / "bibulon.xml", content("bibulon.xml")
    yield data / "metainfo" / "example.bibulon.Bibulon.metainfo.xml", content("bibulon.metainfo.xml")
    for folder, name in ICONS:
        yield data / "icons" / "hicolor" / "scalable" / folder / name, content(name)
    yield data / "man" / "man1" / "bibulon.1", manual_page()
    yield data / "bash-completion" / "completions" / "bibulon", COMPLETION


def _quoted(word: str) -> str:
    """*word* as an argument of a menu entry's ``Exec`` line."""
    if not any(sign in word for sign in " \t\"'\\<>~|&;$*?#()`"):
        return word
    for sign in '\\"`$':
        word = word.replace(sign, f"\\{sign}")
    return '"' + word.replace("\\", "\\\\").replace("%", "%%") + '"'


def install(command: Path) -> list[Path]:
    """Put everything down for the program that *command* starts; what was put down. Raises OSError."""
    link = command_place()
    if link.exists() and not link.is_symlink():
        raise FileExistsError(f"{link} is there already and is not a link of this program")
    written = []
    for path, content in placed(link):
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(content, encoding="utf-8")
        written.append(path)
    link.parent.mkdir(parents=True, exist_ok=True)
    link.unlink(missing_ok=True)
    link.symlink_to(command)
    _renew()
    return [*written, link]


def uninstall() -> list[Path]:
    """Take away what :func:`install` put down; what was there. Raises OSError."""
    link = command_place()
    paths = [path for path, _ in placed(link) if path.exists()]
    if link.is_symlink():
        paths.append(link)
    for path in paths:
        path.unlink()
    _renew()
    return paths


def _renew() -> None:
    """Let the desktop look again, by the programs for it that there are."""
    for program, folder in RENEWALS:
        place = data_home() / folder
        if shutil.which(program) and place.exists():
            subprocess.run([program, str(place)], check=False, capture_output=True)


def main(words: list[str]) -> int:
    """Install or uninstall, and say what was done; the exit code."""
    command = Path(sys.executable).parent / "bibulon"
    try:
        if words == ["install"]:
            for path in install(command):
                print(f"put down {path}")
            if str(command_place().parent) not in os.environ.get("PATH", "").split(os.pathsep):
                print(f"To start it as “bibulon”, add {command_place().parent} to your PATH.")
        elif words == ["uninstall"]:
            for path in uninstall():
                print(f"took away {path}")
        else:
            print("say install or uninstall", file=sys.stderr)
            return 2
    except OSError as error:
        print(f"This did not work: {error.strerror or error}.", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
