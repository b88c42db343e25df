"""Where the window stands: as it was left, and never larger than the screen it opens on."""

from __future__ import annotations

from PySide6.QtCore import QByteArray, QRect, QSettings, QSize
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QMainWindow

from bibulon.desk.work.settings import state_folder

USUAL = QSize(1280, 800)
FRAME = QSize(16, 48)
"""Room for the frame and title that the desktop puts round a window."""
KEY = "geometry"


def _kept() -> QSettings:
    return QSettings(str(state_folder() / "window.ini"), QSettings.Format.IniFormat)


def fitted(wanted: QSize, available: QRect) -> QSize:
    """The *wanted* size, or what of it fits on a screen with that much room.

    >>> fitted(QSize(1280, 800), QRect(0, 0, 1280, 770))
    PySide6.QtCore.QSize(1264, 722)
    """
    return wanted.boundedTo(available.size() - FRAME)


def place(window: QMainWindow) -> None:
    """Put *window* where it was left; the first time at its usual size, or smaller if the screen is."""
    if QGuiApplication.platformName() == "offscreen":  # there is no screen that it could be too large for
        window.resize(USUAL)
        return
    kept = _kept().value(KEY)
    if isinstance(kept, QByteArray) and window.restoreGeometry(kept):
        return  # the toolkit itself keeps it on the screens there are
    window.resize(fitted(USUAL, window.screen().availableGeometry()))


def keep(window: QMainWindow) -> None:
    """Keep where *window* stands, for the next start."""
    if QGuiApplication.platformName() != "offscreen":
        _kept().setValue(KEY, window.saveGeometry())
