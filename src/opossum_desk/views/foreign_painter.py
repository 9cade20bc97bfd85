"""A painter that lets no name do anything: what a text holds that cannot be seen, or turns the writing round, is made visible."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter

from opossum.foreign_text import shown

_WRAPS = Qt.TextFlag.TextWordWrap.value


class ForeignPainter(QPainter):
    """Draws all texts so; the lines of one that is wrapped stay lines."""

    def drawText(self, *arguments: Any) -> Any:
        """Draw a text wherever the arguments of `QPainter.drawText` say."""
        draw: Any = super().drawText
        if len(arguments) == 2 and type(arguments[1]) is str:  # at a point: nothing says that it may be wrapped
            return draw(arguments[0], shown(arguments[1]))
        wraps = any(_number(item) & _WRAPS for item in arguments)
        return draw(*(_shown(item, wraps) if type(item) is str else item for item in arguments))

    def fillRect(self, *arguments: Any) -> None:
        """Fill a rectangle with a colour: by erasing it, or PySide6 loads all of Qt's gradients to see that it is none."""
        rect, colour = arguments
        self.setBackground(colour)
        self.eraseRect(rect)


def _number(item: Any) -> int:
    return item if type(item) is int else item.value if isinstance(item, Qt.AlignmentFlag | Qt.TextFlag) else 0


def _shown(text: str, wraps: bool) -> str:
    return "\n".join(map(shown, text.split("\n"))) if wraps else shown(text)
