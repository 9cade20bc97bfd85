"""Starting the desk."""

from __future__ import annotations

import signal
import sys
from typing import Any

from PySide6.QtCore import QTimer
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QApplication, QStyleFactory

from opossum_desk.memory import Memory
from opossum_desk.views.look import Look
from opossum_desk.window import DeskWindow

LEAST_FONT_PX = 13


def make_application(arguments: list[str] | None = None) -> QApplication:
    """Return the application, with a style that looks the same everywhere."""
    existing = QApplication.instance()
    application = existing if isinstance(existing, QApplication) else QApplication(arguments or ["opossum"])
    application.setApplicationName("opossum")
    application.setApplicationDisplayName("Opossum")
    application.setDesktopFileName("opossum")
    application.setStyle(QStyleFactory.create("Fusion"))
    font = QFont(application.font())
    font.setPixelSize(
        max(LEAST_FONT_PX, round(font.pointSizeF() * 96 / 72) if font.pointSizeF() > 0 else LEAST_FONT_PX)
    )
    application.setFont(font)
    return application


def dress(application: QApplication, look: Look) -> None:
    """Put a look on the application, and keep it on when it changes."""

    def apply() -> None:
        application.setPalette(look.palette())
        application.setStyleSheet(look.sheet())

    look.changed.connect(apply)
    apply()


def run_desk(paths: list[str], *, look: str | None = None, take: Any = None) -> int:
    """Open the desk on files, or on a take made in memory; return the exit status when it is closed."""
    application = make_application([sys.argv[0]])
    memory = Memory()
    chosen = Look(look or memory.kept.look)
    # dressed once built: a style sheet that is there from the start is worked out for every widget as it is added
    window = DeskWindow(memory, chosen)
    dress(application, chosen)
    # let Ctrl+C in the terminal close the window properly: Python sees signals only between its own steps
    signal.signal(signal.SIGINT, lambda *_: window.close())
    pulse = QTimer()
    pulse.timeout.connect(lambda: None)
    pulse.start(300)
    window.show()
    if take is not None:
        from opossum_desk.state.session import Session

        window.show_session(Session(take))
    elif paths:
        window.open_paths(paths)
    return int(application.exec())
