"""The shop's offcuts: cloth left of earlier jobs, in a file beside the shop's cards."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import platformdirs
import tomli_w
from pydantic import ValidationError

from bibulon.job.faults import explain
from bibulon.job.layup import Offcut
from bibulon.stock import StockError, read_own, tables_in
from bibulon.whole_file import OwnFile, write_own


def offcuts_file() -> Path:
    """Where the shop's offcuts are listed."""
    return Path(platformdirs.user_data_dir("bibulon")) / "offcuts.toml"


def shop_offcuts() -> tuple[Offcut, ...]:
    """The shop's offcuts. Raises :class:`~bibulon.stock.StockError` if the list cannot be used."""
    return read_own(_own_offcuts, offcuts_file()) or ()


def _parse(text: str, name: str) -> tuple[Offcut, ...]:
    try:
        return tuple(Offcut.model_validate(table) for table in tables_in(text, "offcut", name))
    except ValidationError as error:
        raise StockError(f"{name}: {explain(error)}.") from error


_own_offcuts = OwnFile(_parse)


def save_offcuts(offcuts: Iterable[Offcut]) -> None:
    """Keep *offcuts* as the shop's, all at once. Raises :class:`~bibulon.stock.StockError`; the old list stays then."""
    try:
        write_own(offcuts_file(), tomli_w.dumps({"offcut": [offcut.model_dump(mode="json") for offcut in offcuts]}))
    except OSError as error:
        raise StockError(f"The offcuts could not be kept ({error.strerror or error}).") from error


def put_away(left: Iterable[Offcut], used: Iterable[str]) -> tuple[Offcut, ...]:
    """The shop's offcuts without those *used*, by label, and with those *left*, in place of any of the same label."""
    kept = {offcut.label: offcut for offcut in shop_offcuts()}
    for label in used:
        kept.pop(label, None)
    kept |= {offcut.label: offcut for offcut in left}
    return tuple(kept.values())
