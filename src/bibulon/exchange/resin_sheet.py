"""A resin's data sheet as text: tables typed, pasted or from CSV, one figure of the sheet a line, and back to text."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import ValidationError

from bibulon.job.base import Model
from bibulon.job.faults import explain, explain_here
from bibulon.job.resin_card import (
    BoilingPoint,
    CupPoint,
    Dose,
    DosePoint,
    PotLifePoint,
    ResinCard,
    TgPoint,
    TimePoint,
    ViscosityAtAge,
    ViscosityPoint,
)
from bibulon.quantities import QuantityKind, Units, show, show_measure
from bibulon.quantity_text import QuantityError, cells_of, parse, unit_in_heading
from bibulon.refusal import Refusal

TableName = Literal["viscosity", "viscosity_aged", "pot_life", "film_gel", "dose", "tg", "cup_tests", "boiling"]
MOST_LINES = 2000


class SheetError(Refusal):
    """A table that cannot be read; the message names the line."""


@dataclass(frozen=True)
class Table:
    """One table of a data sheet: what is on a line of it, by field of ``model`` and kind of quantity."""

    name: TableName
    words: str
    asked: str
    example: str
    model: type[Model]
    columns: tuple[tuple[str, QuantityKind], ...]
    least: int = 0

    @property
    def column_words(self) -> list[str]:
        """What each figure of a line is, in the words of ``asked``."""
        words = re.split(r"[,;] ", self.asked)
        return [word[:1].lower() + word[1:] for word in words[: len(self.columns)]]

    def named(self, error: ValidationError) -> str:
        """The words of the figure that *error* is about, after a comma; empty where it is about none alone."""
        place = error.errors()[0]["loc"]
        fields = [field for field, _ in self.columns]
        return f", {self.column_words[fields.index(str(place[0]))]}" if place and place[0] in fields else ""


TABLES: tuple[Table, ...] = (
    Table("viscosity", "Viscosity", "Temperature, viscosity of the fresh mix", "20 °C; 360 mPa·s", ViscosityPoint,
          (("temperature_k", "temperature"), ("viscosity_pa_s", "viscosity")), 1),
    Table("viscosity_aged", "Viscosity with time", "Temperature, time since mixing, viscosity of a thin sample",
          "25 °C; 30 min; 420 mPa·s", ViscosityAtAge,
          (("temperature_k", "temperature"), ("time_s", "duration"), ("viscosity_pa_s", "viscosity"))),
    Table("pot_life", "Pot life", "Mass, temperature when mixed, time; “tray” at the end for a shallow one",
          "150 g; 23 °C; 95 min", PotLifePoint,
          (("mass_kg", "mass"), ("temperature_k", "temperature"), ("time_s", "duration")), 1),
    Table("film_gel", "Gel of a thin film", "Temperature, gel time", "23 °C; 4 h 10 min", TimePoint,
          (("temperature_k", "temperature"), ("time_s", "duration")), 1),
    Table("dose", "Dose of catalyst", "Dose by weight of the resin, temperature, gel time",
          "1.5 %; 20 °C; 60 min", DosePoint,
          (("dose", "share"), ("temperature_k", "temperature"), ("gel_s", "duration"))),
    Table("tg", "Tg after cure", "Cure temperature, time, glass transition", "60 °C; 16 h; 82 °C", TgPoint,
          (("cured_k", "temperature"), ("cured_s", "duration"), ("tg_k", "temperature"))),
    Table("cup_tests", "Cup test", "Mass, temperature when mixed, time since, temperature read",
          "200 g; 21 °C; 10 min; 22.4 °C", CupPoint,
          (("mass_kg", "mass"), ("mixed_k", "temperature"), ("time_s", "duration"), ("temperature_k", "temperature"))),
    Table("boiling", "Vapour", "Temperature, absolute pressure at which it boils", "25 °C; 8 mbar", BoilingPoint,
          (("temperature_k", "temperature"), ("pressure_pa", "pressure difference"))),
)  # fmt: skip


def read_table(table: Table, text: str, units: Units) -> tuple[Any, ...]:
    """The entries of a *table* that is written as *text*.

    A line has as many figures as the table has columns; bare times are minutes, a heading may name units, as "Mass (g)"
    or "mass_g"; lines that begin with # are passed over. Raises :class:`SheetError`.
    """
    found: list[Any] = []
    in_heading = [""] * len(table.columns)
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        if number > MOST_LINES:
            raise SheetError(f"There are more than {MOST_LINES} lines; thin them out first.")
        cells = cells_of(line)
        if cells and not found and not re.match(r"[-+−]?[\d.,]", cells[0]):
            heads = [*re.split(r"[;\t,]", line), *("" for _ in table.columns)]
            in_heading = [unit_in_heading(head, kind) for head, (_, kind) in zip(heads, table.columns, strict=False)]
            continue
        extra = cells[len(table.columns) :]
        if len(cells) < len(table.columns) or (extra and table.name != "pot_life"):
            wanted = "figures are" if len(table.columns) > 1 else "figure is"
            raise SheetError(
                f"Line {number}: {len(table.columns)} {wanted} needed, like {table.example}; there are {len(cells)}."
            )
        values: dict[str, Any] = {}
        for at, ((field, kind), cell) in enumerate(zip(table.columns, cells, strict=False)):
            word = re.search(r"\btray\b|\bbucket\b", cell)
            bare = re.sub(r"\btray\b|\bbucket\b", "", cell).strip()
            if word and table.name == "pot_life":
                values["shape"] = word.group()
            if not re.search(r"[A-Za-z°%µμ:]", bare):
                bare = f"{bare} {in_heading[at] or ('min' if kind == 'duration' else '')}".strip()
            try:
                values[field] = parse(bare, kind, units)
            except QuantityError as error:
                raise SheetError(f"Line {number}, {table.column_words[at]}: {error}") from error
        if extra:
            if extra[0] not in ("tray", "bucket"):
                raise SheetError(f"Line {number}: a pot is a bucket or a tray, not “{extra[0]}”.")
            values["shape"] = extra[0]
        try:
            found.append(table.model(**values))
        except ValidationError as error:
            said = explain_here(error, units, dict(table.columns))
            raise SheetError(f"Line {number}{table.named(error)}: {said}") from error
    if len(found) < table.least:
        raise SheetError(f"At least one line is needed, like {table.example}.")
    return tuple(found)


def table_text(table: Table, resin: ResinCard, units: Units) -> str:
    """What *resin* has of a *table*, as text that is read as the same."""
    entries: tuple[Any, ...] = getattr(resin, table.name) if table.name != "dose" else _doses(resin)
    return entries_text(table, entries, units, resin.pot_life_mass_kg)


def entries_text(table: Table, entries: tuple[Any, ...], units: Units, usual_kg: float = 1.0) -> str:
    """*entries* of a *table* as text that is read as the same, each figure with its unit; a pot of no mass of its own
    has *usual_kg*."""
    lines = []
    for entry in entries:
        cells = []
        for field, kind in table.columns:
            value = getattr(entry, field)
            if value is None and field == "mass_kg":
                value = usual_kg
            cells.append(_exactly(value, kind, units))
        if getattr(entry, "shape", "bucket") == "tray":
            cells.append("tray")
        lines.append("; ".join(cells))
    return "\n".join(lines)


def _exactly(value: float, kind: QuantityKind, units: Units) -> str:
    """A figure as it is shown, or with more digits where it would be read as another."""
    text = show_measure(value, "mass", units) if kind == "mass" else show(value, kind, units)
    if abs(parse(text, kind, units) - value) <= 1e-4 * abs(value):
        return text
    plain: dict[QuantityKind, Callable[[float], str]] = {
        "duration": _minutes_and_seconds,
        "temperature": lambda kelvin: f"{kelvin - 273.15:.3f} °C",
        "mass": lambda kg: f"{kg * 1000:.6g} g",
        "viscosity": lambda pa_s: f"{pa_s * 1000:.6g} mPa·s",
        "share": lambda share: f"{share * 100:.6g} %",
        "pressure difference": lambda pascals: f"{pascals:.6g} Pa",
    }
    return plain[kind](value)


def _minutes_and_seconds(time_s: float) -> str:
    minutes, seconds = divmod(time_s, 60)
    return f"{minutes:.0f} min {seconds:g} s" if minutes else f"{seconds:g} s"


def _doses(resin: ResinCard) -> tuple[DosePoint, ...]:
    return resin.dose.points if resin.dose is not None else ()


def with_tables(resin: ResinCard, tables: dict[TableName, tuple[Any, ...]]) -> ResinCard:
    """*resin* with these tables in the place of its own, and without constants that were fitted to the old ones.

    A dose table makes the last component the catalyst, its range that of the table, where the card has none yet. Raises
    :class:`SheetError`.
    """
    update: dict[str, Any] = {name: entries for name, entries in tables.items() if name != "dose"}
    if "dose" in tables:
        points = tables["dose"]
        if not points:
            update["dose"] = resin.dose and resin.dose.model_copy(update={"points": ()})
        else:
            doses = [point.dose for point in points]
            old = resin.dose
            update["dose"] = Dose(
                component=old.component if old else resin.components[-1].name,
                least=min(old.least, min(doses)) if old else min(doses),
                most=max(old.most, max(doses)) if old else max(doses),
                points=points,
            )
    data = {**{name: getattr(resin, name) for name in type(resin).model_fields}, **update, "cure": None}
    try:
        return ResinCard(**data)
    except ValidationError as error:
        raise SheetError(f"{explain(error)}.") from error
