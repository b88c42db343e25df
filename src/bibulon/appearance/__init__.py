"""Colours and type of the program, on screen and on paper; no toolkit is needed for them."""

from __future__ import annotations

from dataclasses import dataclass
from importlib.resources import files

FAMILY = "Barlow"
NARROW = "Barlow Condensed"


@dataclass(frozen=True)
class Palette:
    """The colours of one theme; names say what for."""

    name: str
    ground: str
    paper: str
    field: str
    ink: str
    muted: str
    rule: str
    accent: str
    feed: str
    vent: str
    media: str
    dry: str
    note: str
    caution: str
    stop: str
    good: str
    fill_ramp: tuple[str, ...]
    on_accent: str = "#FFFFFF"


LIGHT = Palette(
    name="light",
    ground="#F3EFE6",
    paper="#FBF9F4",
    field="#FFFFFF",
    ink="#22262B",
    muted="#5C6066",
    rule="#CFC8BA",
    accent="#8A4A10",
    feed="#B4560F",
    vent="#1F5A7A",
    media="#D9C69A",
    dry="#F7F1E1",
    note="#3E5C76",
    caution="#9A5B00",
    stop="#A3261C",
    good="#3C6B34",
    fill_ramp=("#F6E3AE", "#EDB95A", "#D9822B", "#A8481F", "#6B2A3C", "#45203F"),
)
DARK = Palette(
    name="dark",
    ground="#1E2023",
    paper="#26292D",
    field="#2F3338",
    ink="#EDE7DA",
    muted="#ABA698",
    rule="#454A50",
    accent="#E0A458",
    feed="#F09A4A",
    vent="#7FB9DA",
    media="#6E6242",
    dry="#35342F",
    note="#9DB9D2",
    caution="#F0B94D",
    stop="#FF8A7A",
    good="#9CCB8C",
    fill_ramp=("#F3DC9C", "#E4AC4E", "#C97628", "#97431F", "#6A2E45", "#4D2A52"),
    on_accent="#1E2023",
)


def font_files() -> dict[str, bytes]:
    """The shipped fonts (TrueType) by their names."""
    folder = files("bibulon.appearance").joinpath("fonts")
    return {
        entry.name.removesuffix(".ttf"): entry.read_bytes() for entry in folder.iterdir() if entry.name.endswith(".ttf")
    }
