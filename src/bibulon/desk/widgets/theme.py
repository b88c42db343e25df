"""Colours, type and the style sheet."""

from __future__ import annotations

import re
from importlib.resources import files
from string import Template

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QFontInfo, QGuiApplication, QPalette
from PySide6.QtWidgets import QApplication

from bibulon import appearance
from bibulon.appearance import FAMILY, NARROW
from bibulon.desk.work.settings import Appearance

USUAL_TEXT_PX = 14
AS_USUAL = 0.2
"""Desktops' fonts of usual text differ by less than this share."""
LEAST_SCALE, MOST_SCALE = 0.85, 1.5


class Palette(appearance.Palette):
    """The colours of one theme, as the toolkit's."""

    def colour(self, name: str, alpha: int = 255) -> QColor:
        colour = QColor(getattr(self, name))
        colour.setAlpha(alpha)
        return colour


LIGHT = Palette(**vars(appearance.LIGHT))
DARK = Palette(**vars(appearance.DARK))
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
    for data in appearance.font_files().values():
        QFontDatabase.addApplicationFontFromData(data)


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
