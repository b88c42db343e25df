"""Icons: the project's own where the trade has its own things, a standard icon font for the rest.

Own icons are SVG strokes on a 24 × 24 grid in ``resources/icons``.
"""

from __future__ import annotations

import json
from functools import cache
from importlib.resources import files
from importlib.util import find_spec
from pathlib import Path

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QAbstractButton, QWidget

from bibulon.desk.widgets import theme


@cache
def _source(name: str) -> str:
    return files("bibulon.desk").joinpath("resources", "icons", f"{name}.svg").read_text(encoding="utf-8")


def own(name: str, colour: str | None = None, size: int = 24, ratio: float = 2.0) -> QIcon:
    """One of the project's own icons in *colour* (ink if none)."""
    colour = colour or theme.current.palette.ink
    picture = QPixmap(round(size * ratio), round(size * ratio))
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    renderer = QSvgRenderer(QByteArray(_source(name).replace("currentColor", colour).encode()))
    renderer.render(painter, QRectF(0, 0, picture.width(), picture.height()))
    painter.end()
    picture.setDevicePixelRatio(ratio)
    return QIcon(picture)


def named(name: str) -> QIcon:
    """The icon of that name in the ink of the theme: ``ph.`` names are the standard font's, the others our own."""
    return standard(name) if name.startswith("ph.") else own(name)


def put(button: QAbstractButton, name: str) -> None:
    """Give *button* the icon of that name, and let it follow the theme (see :func:`follow_theme`)."""
    button.setIcon(named(name))
    button.setProperty("icon_name", name)


def follow_theme(root: QWidget) -> None:
    """Draw the icons of every button under *root* again in the theme's colours."""
    for button in root.findChildren(QAbstractButton):
        name = button.property("icon_name")
        if name:
            button.setIcon(named(name))


@cache
def _standard_font() -> tuple[str, dict[str, int]]:
    """Family and characters of the icon font. Read from the package's files: importing it takes half a second."""
    package = find_spec("qtawesome")
    assert package is not None and package.submodule_search_locations
    folder = Path(package.submodule_search_locations[0]) / "fonts"
    font, characters = (next(folder.glob(f"phosphor*.{kind}")) for kind in ("ttf", "json"))
    family = QFontDatabase.applicationFontFamilies(QFontDatabase.addApplicationFont(str(font)))[0]
    return family, {name: int(code, 16) for name, code in json.loads(characters.read_text()).items()}


def standard(name: str, colour: str | None = None, size: int = 24, ratio: float = 2.0) -> QIcon:
    """An icon of the standard icon font, by its name there with ``ph.`` before it."""
    family, characters = _standard_font()
    font = QFont(family)
    font.setPixelSize(round(size * ratio * 0.9))
    picture = QPixmap(round(size * ratio), round(size * ratio))
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setFont(font)
    painter.setPen(QColor(colour or theme.current.palette.ink))
    painter.drawText(picture.rect(), Qt.AlignmentFlag.AlignCenter, chr(characters[name.removeprefix("ph.")]))
    painter.end()
    picture.setDevicePixelRatio(ratio)
    return QIcon(picture)
