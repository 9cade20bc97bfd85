"""The Qt application: a style, a font and colours that are the same everywhere."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Any

from PySide6.QtCore import QtMsgType, qInstallMessageHandler
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QApplication, QStyleFactory

from opossum_desk.screen import why_no_window
from opossum_desk.views.look import Look

LEAST_FONT_PX = 13
STYLE = "fusion"
EXIT_NO_WINDOW = 2
ICON = Path(__file__).parent / "desktop_kit" / "icons" / "opossum-128.png"


def make_application(arguments: list[str] | None = None) -> QApplication:
    """Return the application, with a style that looks the same everywhere."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        application = existing
        application.setStyle(QStyleFactory.create(STYLE))
    else:
        told: list[str] = []
        qInstallMessageHandler(lambda kind, _, text: _tell_start(kind, text, told))
        # named here, Qt makes the style by itself, and PySide6 need not load all that a style can be asked
        application = QApplication([*(arguments or ["opossum"]), "-style", STYLE])
        qInstallMessageHandler(None)
        for text in told:
            print(text, file=sys.stderr)
    application.setApplicationName("opossum")
    application.setApplicationDisplayName("Opossum")
    application.setDesktopFileName("opossum")
    font = QFont(application.font())
    font.setPixelSize(
        max(LEAST_FONT_PX, round(font.pointSizeF() * 96 / 72) if font.pointSizeF() > 0 else LEAST_FONT_PX)
    )
    application.setFont(font)
    return application


def set_icon(application: QApplication) -> None:
    """Give the windows their icon: once they are there, for PySide6 loads the names of all icons of all themes with it."""
    from PySide6.QtGui import QIcon

    application.setWindowIcon(QIcon(str(ICON)))


def _tell_start(kind: QtMsgType, text: str, told: list[str]) -> Any:
    """Keep what Qt says while it starts; where it would abort for want of a window, say why and end."""
    if kind != QtMsgType.QtFatalMsg:
        told.append(text)
        return
    # nothing that is raised here would get past Qt, which ends the process with an abort
    print(f"opossum: {why_no_window()}.", file=sys.stderr, flush=True)
    os._exit(EXIT_NO_WINDOW)


def dress(application: QApplication, look: Look) -> None:
    """Put a look on the application, and keep it on when it changes."""

    def apply() -> None:
        application.setPalette(look.palette())
        sheet = look.sheet()
        if (
            sheet != application.styleSheet()
        ):  # it is worked out anew for all widgets that there are, even where it is the same
            application.setStyleSheet(sheet)

    look.changed.connect(apply)
    apply()
