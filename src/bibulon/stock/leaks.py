"""The leaks that the shop has found in all its jobs, in a file beside its cards: where it leaks here, as a rule."""

from __future__ import annotations

from pathlib import Path

import platformdirs
import tomli_w
from pydantic import ValidationError

from bibulon.job.faults import explain
from bibulon.job.hunt import FoundLeak
from bibulon.stock import StockError, read_own, tables_in
from bibulon.whole_file import OwnFile, write_own

MOST_KEPT = 2000


def leaks_file() -> Path:
    """Where the shop's leaks are listed."""
    return Path(platformdirs.user_data_dir("bibulon")) / "leaks.toml"


def shop_leaks() -> tuple[FoundLeak, ...]:
    """The leaks found so far. Raises :class:`~bibulon.stock.StockError` if the list cannot be used."""
    return read_own(_own_leaks, leaks_file()) or ()


def _parse(text: str, name: str) -> tuple[FoundLeak, ...]:
    try:
        return tuple(FoundLeak.model_validate(table) for table in tables_in(text, "leak", name))
    except ValidationError as error:
        raise StockError(f"{name}: {explain(error)}.") from error


_own_leaks = OwnFile(_parse)


def remember_leak(leak: FoundLeak) -> None:
    """Add *leak* to the shop's list. Raises :class:`~bibulon.stock.StockError`; the old list stays then."""
    leaks = (*shop_leaks(), leak)[-MOST_KEPT:]
    try:
        tables = [leak.model_dump(mode="json", exclude_none=True) for leak in leaks]
        write_own(leaks_file(), tomli_w.dumps({"leak": tables}))
    except OSError as error:
        raise StockError(f"The leak could not be kept in the shop's list ({error.strerror or error}).") from error
