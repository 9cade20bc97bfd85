"""A picture of a view, as PNG or SVG: written whole or not at all."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QPoint, QRect
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QWidget

from opossum.whole_file import whole_file
from opossum.words import tr

FILTER = "Pictures (*.png *.svg)"


def save_picture(view: QWidget, path: str) -> None:
    """Write what a view shows; the file's ending says whether as PNG or as SVG.

    Raises:
        OSError: it cannot be written there.
        ValueError: the ending is neither; the message says so.
    """
    ending = Path(path).suffix.lower()
    if ending not in (".png", ".svg"):
        raise ValueError(tr("{name}: a picture is a .png or a .svg; name it so", name=Path(path).name))
    data = _png(view) if ending == ".png" else _svg(view)
    with whole_file(path) as file:
        file.write(data)


def _png(view: QWidget) -> bytes:
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    view.grab().save(buffer, "PNG")
    return bytes(buffer.data().data())


def _svg(view: QWidget) -> bytes:
    from PySide6.QtSvg import QSvgGenerator  # loaded when first wanted

    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    generator = QSvgGenerator()
    generator.setOutputDevice(buffer)
    generator.setSize(view.size())
    generator.setViewBox(QRect(QPoint(0, 0), view.size()))
    generator.setTitle(view.accessibleName() or view.windowTitle() or "Opossum")
    generator.setDescription(view.accessibleDescription())
    painter = QPainter(generator)
    try:
        view.render(painter, QPoint(0, 0))
    finally:
        painter.end()
    return bytes(buffer.data().data())
