"""The shop's offcuts: cloth left of earlier jobs, in a file beside the shop's cards."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable
from functools import lru_cache
from pathlib import Path
from typing import Any

import platformdirs
import tomli_w
from pydantic import ValidationError

from bibulon.job.layup import Offcut
from bibulon.job.storage import explain
from bibulon.stock import StockError
from bibulon.whole_file import stamp_of, write_own


def offcuts_file() -> Path:
    """Where the shop's offcuts are listed."""
    return Path(platformdirs.user_data_dir("bibulon")) / "offcuts.toml"


def shop_offcuts() -> tuple[Offcut, ...]:
    """The shop's offcuts. Raises :class:`~bibulon.stock.StockError` if the list cannot be used."""
    path = offcuts_file()
    try:
        stamp = stamp_of(path)
    except OSError as error:
        raise StockError(f"{path} cannot be read ({error}).") from error
    return _read(path, stamp) if stamp is not None else ()


@lru_cache(maxsize=4)
def _read(path: Path, stamp: tuple[int, ...]) -> tuple[Offcut, ...]:
    """The offcuts in the file, read once while its *stamp* stays: the bench asks at every refresh."""
    try:
        tables: list[dict[str, Any]] = tomllib.loads(path.read_text(encoding="utf-8")).get("offcut", [])
        return tuple(Offcut.model_validate(table) for table in tables)
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise StockError(f"{path} cannot be read ({error}).") from error
    except ValidationError as error:
        raise StockError(f"{path.name}: {explain(error)}.") from error


def save_offcuts(offcuts: Iterable[Offcut]) -> None:
    """Keep *offcuts* as the shop's, all at once. Raises :class:`~bibulon.stock.StockError`; the old list stays then."""
    try:
        write_own(offcuts_file(), tomli_w.dumps({"offcut": [one.model_dump(mode="json") for one in offcuts]}))
    except OSError as error:
        raise StockError(f"The offcuts could not be kept ({error.strerror or error}).") from error


def put_away(left: Iterable[Offcut], used: Iterable[str]) -> tuple[Offcut, ...]:
    """The shop's offcuts without those *used*, by label, and with those *left*, in place of any of the same label."""
    kept = {one.label: one for one in shop_offcuts()}
    for label in used:
        kept.pop(label, None)
    kept |= {one.label: one for one in left}
    return tuple(kept.values())
