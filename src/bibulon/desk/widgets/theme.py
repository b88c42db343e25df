"""Colours, type and the style sheet."""

from __future__ import annotations

import re
from dataclasses import dataclass
from importlib.resources import files
from string import Template

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QFontInfo, QGuiApplication, QPalette
from PySide6.QtWidgets import QApplication

from bibulon.desk.work.settings import Appearance

FAMILY = "Barlow"
NARROW = "Barlow Condensed"
USUAL_TEXT_PX = 14
AS_USUAL = 0.2
"""Desktops' fonts of usual text differ by less than this share."""
LEAST_SCALE, MOST_SCALE = 0.85, 1.5


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

    def colour(self, name: str, alpha: int = 255) -> QColor:
        colour = QColor(getattr(self, name))
        colour.setAlpha(alpha)
        return colour


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
PALETTES = {palette.name: palette for palette in (LIGHT, DARK)}


def palette_for(appearance: Appearance) -> Palette:
    """The palette for what was chosen; the desktop's wish where that is to be followed."""
    if appearance != "desktop":
        return PALETTES[appearance]
    return DARK if QGuiApplication.styleHints().colorScheme() == Qt.ColorScheme.Dark else LIGHT


class _Current:
    """The theme in use; painters read it when they paint."""

    palette: Palette = LIGHT
    text_scale: float = 1.0
    """How much larger than usual text is."""


current = _Current()


def desktop_text_scale() -> float:
    """How much larger than usual the desktop wants text; small differences of its fonts leave it as it is."""
    asked = QFontInfo(QFontDatabase.systemFont(QFontDatabase.SystemFont.GeneralFont)).pixelSize() / USUAL_TEXT_PX
    return min(max(asked, LEAST_SCALE), MOST_SCALE) if abs(asked - 1) > AS_USUAL else 1.0


def scaled(size_px: int) -> int:
    """A size that goes with the text."""
    return round(size_px * current.text_scale)


def font(size_px: int, weight: QFont.Weight = QFont.Weight.Normal, narrow: bool = False, most_px: int = 1000) -> QFont:
    """The shipped family; its figures are tabular. It goes with the desktop's text size, to *most_px*."""
    made = QFont(NARROW if narrow else FAMILY)
    made.setPixelSize(min(scaled(size_px), most_px))
    made.setWeight(weight)
    return made


def load_fonts() -> None:
    """Register the shipped fonts."""
    folder = files("bibulon.desk").joinpath("resources", "fonts")
    for entry in folder.iterdir():
        if entry.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(entry.read_bytes())


def apply(app: QApplication, palette: Palette) -> None:
    """Put the whole application into *palette*."""
    current.palette = palette
    current.text_scale = desktop_text_scale()
    app.setStyle("Fusion")
    app.setFont(font(14))
    roles = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, palette.ground),
        (QPalette.ColorRole.WindowText, palette.ink),
        (QPalette.ColorRole.Base, palette.field),
        (QPalette.ColorRole.AlternateBase, palette.paper),
        (QPalette.ColorRole.Text, palette.ink),
        (QPalette.ColorRole.Button, palette.paper),
        (QPalette.ColorRole.ButtonText, palette.ink),
        (QPalette.ColorRole.ToolTipBase, palette.paper),
        (QPalette.ColorRole.ToolTipText, palette.ink),
        (QPalette.ColorRole.PlaceholderText, palette.muted),
        (QPalette.ColorRole.Highlight, palette.accent),
        (QPalette.ColorRole.HighlightedText, palette.on_accent),
    ):
        roles.setColor(role, QColor(colour))
    app.setPalette(roles)
    app.setStyleSheet(style_sheet(palette))


def style_sheet(palette: Palette) -> str:
    """The style of all widgets (``resources/style.qss``) in *palette*, its type as large as the desktop asks for."""
    template = Template(files("bibulon.desk").joinpath("resources", "style.qss").read_text(encoding="utf-8"))
    style = template.substitute({name: str(value) for name, value in vars(palette).items()}, family=FAMILY)
    return re.sub(
        r"(font-size|min-height|min-width): (\d+)px", lambda size: f"{size[1]}: {scaled(int(size[2]))}px", style
    )
