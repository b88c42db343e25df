"""Files that are written whole or not at all, and a stamp by which to tell whether one has changed."""

from __future__ import annotations

import os
import re
import tempfile
import time
import tomllib
from collections.abc import Callable
from pathlib import Path
from typing import Any, Generic, TypeVar

Content = TypeVar("Content")


OWNER_ONLY = 0o600
"""Who may read a file of the program's own that holds work: its owner."""
FORGOTTEN_S = 86_400.0
"""A half-written file this old is removed even if a process of its number is alive: numbers are given again."""
_HALF = re.compile(r"\.(?P<pid>\d+)-[a-z0-9_]+\.part")


def write_own(path: Path, text: str) -> None:
    """Write one of the program's own files whole, its folder made if need be. Raises OSError."""
    path.parent.mkdir(parents=True, exist_ok=True)
    write_whole(path, text.encode("utf-8"))


def write_whole(path: Path, content: bytes, mode: int | None = None) -> None:
    """Put *content* in place of the file; until it is all on the disk the old one stays. Raises OSError.

    A link goes on pointing to the file that is written. The file keeps who may read it; a new one gets *mode*, or is
    as open as the user's other new files. What a killed program left half-written here is cleared away.
    """
    whole(path, lambda to: to.write_bytes(content), mode)


def whole(path: Path, write: Callable[[Path], object], mode: int | None = None) -> None:
    """Have *write* write a file to the path it is given, and put that in place of *path*; until then the old one stays.

    Raises OSError and what *write* raises.
    """
    path = Path(os.path.realpath(path))
    usual = 0o666 & ~_umask() if mode is None else mode
    mode = path.stat().st_mode & 0o777 if path.exists() else usual
    start = "." + path.name.encode()[:80].decode(errors="ignore")
    _clear_half_written(path.parent, start)
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=f"{start}.{os.getpid()}-", suffix=".part")
    temporary = Path(name)
    try:
        try:
            write(temporary)
            os.fsync(handle)
        finally:
            os.close(handle)
        temporary.chmod(mode)
        temporary.replace(path)
        sync_folder(path.parent)
    except BaseException:
        temporary.unlink(missing_ok=True)
        raise


def sync_folder(folder: Path) -> None:
    """Wait until the disk has what stands in the folder. Raises OSError."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def make_folder(folder: Path, mode: int = 0o700) -> None:
    """Make the folder and those above it, and wait until the disk has them. Raises OSError."""
    missing = [parent for parent in (folder, *folder.parents) if not parent.exists()]
    for folder in reversed(missing):
        folder.mkdir(mode=mode, exist_ok=True)
        sync_folder(folder.parent)


def _clear_half_written(folder: Path, start: str) -> None:
    with os.scandir(folder) as entries:
        names = [entry.name for entry in entries if entry.name.startswith(start)]
    for name in names:
        half = _HALF.fullmatch(name[len(start) :])
        if half is None:
            continue
        path = folder / name
        try:
            if not _alive(int(half["pid"])) or time.time() - path.stat().st_mtime > FORGOTTEN_S:
                path.unlink()
        except OSError:  # another program was quicker, or it is not ours
            continue


def _alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):  # it belongs to another user, or never was a process
        return True
    return True


def _umask() -> int:
    try:  # asking the other way would change it for a moment, for every thread
        lines = Path("/proc/self/status").read_text(encoding="ascii").splitlines()
        return int(next(line for line in lines if line.startswith("Umask:")).split()[1], 8)
    except (OSError, StopIteration, ValueError):
        return 0o077


def toml_of(text: str) -> dict[str, Any]:
    """The TOML document in *text*. Raises ValueError with a message to stand within a sentence."""
    try:
        return tomllib.loads(text)
    except RecursionError as error:
        raise ValueError("it is nested deeper than any such file") from error


class OwnFile(Generic[Content]):
    """One of the program's own files, read again only when it has changed; *parse* is given its text and name."""

    def __init__(self, parse: Callable[[str, str], Content]) -> None:
        self._parse = parse
        self._known: tuple[Path, tuple[int, int, int], Content] | None = None

    def read(self, path: Path) -> Content | None:
        """What is in the file; None if there is none. Raises OSError, UnicodeDecodeError, and what *parse* raises."""
        stamp = stamp_of(path)
        if stamp is None:
            return None
        if self._known is None or self._known[:2] != (path, stamp):
            self._known = path, stamp, self._parse(path.read_text(encoding="utf-8"), path.name)
        return self._known[2]


def stamp_of(path: Path) -> tuple[int, int, int] | None:
    """What changes with the file; None if there is none. Raises OSError."""
    try:
        status = path.stat()
    except FileNotFoundError:
        return None
    return status.st_ino, status.st_mtime_ns, status.st_size
