"""Files that are written whole or not at all, and a stamp by which to tell whether one has changed."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Generic, TypeVar

Content = TypeVar("Content")


def write_own(path: Path, text: str) -> None:
    """Write one of the program's own files whole, its folder made if need be. Raises OSError."""
    path.parent.mkdir(parents=True, exist_ok=True)
    write_whole(path, text.encode("utf-8"))


def write_whole(path: Path, content: bytes) -> None:
    """Put *content* in place of the file; until it is all on the disk the old one stays. Raises OSError.

    The file keeps who may read it; a new one is as open as the user's other new files.
    """
    mode = path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask()
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
    temporary = Path(name)
    try:
        with os.fdopen(handle, "wb") as stream:
            stream.write(content)
            stream.flush()
            os.fsync(stream.fileno())
        temporary.chmod(mode)
        temporary.replace(path)
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
    except BaseException:
        temporary.unlink(missing_ok=True)
        raise


def _umask() -> int:
    try:  # asking the other way would change it for a moment, for every thread
        lines = Path("/proc/self/status").read_text(encoding="ascii").splitlines()
        return int(next(line for line in lines if line.startswith("Umask:")).split()[1], 8)
    except (OSError, StopIteration, ValueError):
        return 0o077


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
        found = path.stat()
    except FileNotFoundError:
        return None
    return found.st_ino, found.st_mtime_ns, found.st_size
