"""Draw the icons at the sizes that desktops ask for, from the drawing that has no size."""

from __future__ import annotations

import os
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QImage, QPainter
from PySide6.QtSvg import QSvgRenderer

from opossum_commands.integrate import ICON_SIZES

ICONS = Path(__file__).parent.parent / "src" / "opossum_desk" / "desktop_kit" / "icons"


def main() -> None:
    """Draw them."""
    application = QGuiApplication([])
    for size in ICON_SIZES:
        image = QImage(size, size, QImage.Format.Format_ARGB32_Premultiplied)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        QSvgRenderer(str(ICONS / "opossum.svg")).render(painter)
        painter.end()
        image.save(str(ICONS / f"opossum-{size}.png"))
    application.quit()


if __name__ == "__main__":
    main()
