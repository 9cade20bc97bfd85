"""Help, About: which Opossum this is, under which licence, and what it runs on."""

from __future__ import annotations

import platform

from PySide6 import __version__ as pyside_version
from PySide6.QtCore import Qt, qVersion
from PySide6.QtWidgets import QMessageBox, QWidget

from opossum.version import __version__
from opossum.words import tr
from opossum_desk.application import ICON


def about_told() -> str:
    """Return what is told: version, licence, and the versions of what it stands on."""
    return "\n\n".join(
        [
            tr("Opossum {version}", version=__version__),
            tr("See in what order your game's events really ran, and what is wrong with it."),
            tr("Free software under the Apache License 2.0. Qt and PySide6 are used under the LGPL 3."),
            f"Python {platform.python_version()} · Qt {qVersion()} · PySide6 {pyside_version}",
        ]
    )


def show_about(parent: QWidget) -> None:
    """Show it; its text can be selected and copied."""
    from PySide6.QtGui import QPixmap

    box = QMessageBox(parent)
    box.setWindowTitle(tr("About Opossum"))
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setTextInteractionFlags(
        Qt.TextInteractionFlag.TextSelectableByMouse | Qt.TextInteractionFlag.TextSelectableByKeyboard
    )
    box.setIconPixmap(QPixmap(str(ICON)).scaledToWidth(64, Qt.TransformationMode.SmoothTransformation))
    box.setText(about_told())
    box.exec()
