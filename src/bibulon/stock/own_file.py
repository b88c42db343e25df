"""The shop's own files: written all at once, and told apart by a stamp so that they are read only when they change."""

from __future__ import annotations

from pathlib import Path


def write_whole(path: Path, text: str) -> None:
    """Put *text* in place of the file; until it is all there the old one stays. Raises OSError."""
    fresh = path.with_suffix(".new")
    path.parent.mkdir(parents=True, exist_ok=True)
    fresh.write_text(text, encoding="utf-8")
    fresh.replace(path)


def stamp_of(path: Path) -> tuple[int, int, int] | None:
    """What changes with the file; None if there is none. Raises OSError."""
    try:
        found = path.stat()
    except FileNotFoundError:
        return None
    return found.st_ino, found.st_mtime_ns, found.st_size
