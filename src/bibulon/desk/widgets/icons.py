"""Icons: SVG strokes on a 24 × 24 grid in ``resources/icons``, drawn in the colours of the theme."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QAbstractButton, QWidget

from bibulon.desk.widgets import theme


@cache
def _source(name: str) -> str:
    return files("bibulon.desk").joinpath("resources", "icons", f"{name}.svg").read_text(encoding="utf-8")


def icon(name: str, colour: str | None = None, size: int = 24, ratio: float = 2.0) -> QIcon:
    """The icon of that name in *colour* (ink if none)."""
    colour = colour or theme.current.palette.ink
    picture = QPixmap(round(size * ratio), round(size * ratio))
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    renderer = QSvgRenderer(QByteArray(_source(name).replace("currentColor", colour).encode()))
    renderer.render(painter, QRectF(0, 0, picture.width(), picture.height()))
    painter.end()
    picture.setDevicePixelRatio(ratio)
    return QIcon(picture)


def put(button: QAbstractButton, name: str) -> None:
    """Give *button* the icon of that name, and let it follow the theme (see :func:`follow_theme`)."""
    button.setIcon(icon(name))
    button.setProperty("icon_name", name)


def follow_theme(root: QWidget) -> None:
    """Draw the icons of every button under *root* again in the theme's colours."""
    for button in root.findChildren(QAbstractButton):
        name = button.property("icon_name")
        if name:
            button.setIcon(icon(name))
