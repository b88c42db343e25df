"""Colours, type and the style sheet."""

from __future__ import annotations

from dataclasses import dataclass
from importlib.resources import files

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette
from PySide6.QtWidgets import QApplication

from bibulon.desk.work.settings import Appearance

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


current = _Current()


def font(size_px: int, weight: QFont.Weight = QFont.Weight.Normal, narrow: bool = False) -> QFont:
    """The shipped family; its figures are tabular."""
    made = QFont(NARROW if narrow else FAMILY)
    made.setPixelSize(size_px)
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


def style_sheet(p: Palette) -> str:
    return f"""
    * {{ outline: 0; }}
    QWidget {{ color: {p.ink}; font-family: "{FAMILY}"; font-size: 14px; }}
    QMainWindow, QDialog {{ background: {p.ground}; }}
    QToolTip {{ background: {p.paper}; color: {p.ink}; border: 1px solid {p.rule}; padding: 6px; }}
    QFrame#strip {{ background: {p.paper}; border-bottom: 1px solid {p.rule}; }}
    QFrame#rail {{ background: {p.ground}; border-right: 1px solid {p.rule}; }}
    QFrame#bench {{ background: {p.paper}; border-left: 1px solid {p.rule}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: 0; }}
    QLabel[role="title"] {{ font-size: 20px; font-weight: 600; }}
    QLabel[role="section"] {{ font-size: 12px; font-weight: 600; color: {p.muted}; letter-spacing: 0.5px; }}
    QLabel[role="muted"] {{ color: {p.muted}; font-size: 13px; }}
    QLabel[role="error"] {{ color: {p.stop}; font-size: 13px; }}
    QLabel[role="figure"] {{ font-size: 15px; font-weight: 600; }}
    QLabel[role="huge"] {{ font-size: 44px; font-weight: 600; }}
    QLabel[role="large"] {{ font-size: 26px; font-weight: 600; }}
    QFrame[role="line"] {{ background: {p.rule}; max-height: 1px; min-height: 1px; border: 0; }}
    QLineEdit, QComboBox, QPlainTextEdit, QSpinBox {{
        background: {p.field}; border: 1px solid {p.rule}; border-radius: 4px; padding: 3px 7px; min-height: 22px;
        selection-background-color: {p.accent}; selection-color: {p.on_accent};
    }}
    QListWidget {{ background: {p.field}; border: 1px solid {p.rule}; border-radius: 5px; padding: 2px; }}
    QListWidget::item {{ padding: 5px 3px; border-bottom: 1px solid {p.ground}; color: {p.ink}; }}
    QListWidget::item:selected {{ background: {p.ground}; border-left: 3px solid {p.accent}; color: {p.ink}; }}
    QListWidget:focus {{ border: 2px solid {p.accent}; padding: 1px; }}
    QLineEdit:focus, QComboBox:focus, QPlainTextEdit:focus {{ border: 2px solid {p.accent}; padding: 2px 6px; }}
    QLineEdit[wrong="true"] {{ border: 2px solid {p.stop}; padding: 2px 6px; }}
    QComboBox::drop-down {{ border: 0; width: 20px; }}
    QComboBox::down-arrow {{ image: none; }}
    QComboBox QAbstractItemView {{
        background: {p.field}; border: 1px solid {p.rule}; selection-background-color: {p.accent};
        selection-color: {p.on_accent};
    }}
    QPushButton {{
        background: {p.field}; border: 1px solid {p.rule}; border-radius: 5px; padding: 3px 12px; min-height: 24px;
    }}
    QPushButton:hover {{ border-color: {p.accent}; }}
    QPushButton:focus {{ border: 2px solid {p.accent}; padding: 2px 11px; }}
    QPushButton:pressed {{ background: {p.ground}; }}
    QPushButton:checked {{ background: {p.accent}; color: {p.on_accent}; border-color: {p.accent}; }}
    QPushButton:disabled {{ color: {p.muted}; background: {p.ground}; }}
    QPushButton[role="main"] {{
        background: {p.accent}; color: {p.on_accent}; border-color: {p.accent}; font-weight: 600;
    }}
    QPushButton[role="main"]:disabled {{ background: {p.ground}; color: {p.muted}; border-color: {p.rule}; }}
    QPushButton[role="glove"] {{ min-height: 58px; font-size: 17px; font-weight: 600; }}
    QPushButton[role="glove-main"] {{
        min-height: 74px; font-size: 21px; font-weight: 600; background: {p.accent}; color: {p.on_accent};
        border-color: {p.accent}; text-align: left; padding: 4px 16px;
    }}
    QToolButton {{
        border: 1px solid transparent; border-radius: 5px; padding: 3px; min-width: 24px; min-height: 24px;
    }}
    QToolButton:hover {{ background: {p.ground}; border-color: {p.rule}; }}
    QToolButton:focus {{ border: 2px solid {p.accent}; }}
    QToolButton:checked {{ background: {p.ground}; border: 2px solid {p.accent}; }}
    QToolButton::menu-indicator {{ image: none; }}
    QFrame#tools {{ background: {p.paper}; border: 1px solid {p.rule}; border-radius: 7px; }}
    QTableView, QTableWidget, QListWidget {{
        background: {p.field}; border: 1px solid {p.rule}; border-radius: 4px; gridline-color: {p.rule};
        selection-background-color: {p.ground}; selection-color: {p.ink};
    }}
    QHeaderView::section {{ background: {p.paper}; color: {p.muted}; border: 0; border-bottom: 1px solid {p.rule};
        padding: 4px 6px; font-size: 12px; font-weight: 600; }}
    QFrame[role="card"] {{ background: {p.field}; border: 1px solid {p.rule}; border-radius: 6px; }}
    QFrame[role="grouped"] {{ background: {p.field}; border: 1px solid {p.rule}; border-left: 4px solid {p.accent};
        border-radius: 6px; }}
    QPushButton[role="row"] {{ text-align: left; padding: 3px 8px; font-weight: 500; }}
    QFrame[role="card"][chosen="true"] {{ border: 2px solid {p.accent}; }}
    QFrame#note {{ background: {p.paper}; border: 1px solid {p.accent}; border-radius: 6px; }}
    QMenu {{ background: {p.paper}; border: 1px solid {p.rule}; padding: 4px; }}
    QMenu::item {{ padding: 6px 24px 6px 14px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {p.accent}; color: {p.on_accent}; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {p.rule}; border-radius: 4px; min-height: 30px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; }}
    QCheckBox {{ spacing: 7px; min-height: 26px; }}
    """
