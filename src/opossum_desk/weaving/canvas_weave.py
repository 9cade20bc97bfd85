"""A weave that is one canvas of rows, whatever stands around it."""

from __future__ import annotations

from PySide6.QtWidgets import QScrollBar, QWidget

from opossum_desk.weaving.row_canvas import RowCanvas
from opossum_desk.weaving.weave import WeaveView


class CanvasWeave(WeaveView):
    """Gives its canvas to hands, keys and the status line."""

    def __init__(self, canvas: RowCanvas, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.canvas = canvas
        canvas.measured.connect(self.said)
        canvas.row_told.connect(self.said)

    def focusable(self) -> list[QWidget]:
        return [self.canvas]

    def scroll_bars(self) -> list[QScrollBar]:
        return [self.canvas.scroll_bar]

    def clear_measure(self) -> None:
        self.canvas.clear_measure()

    def fold_selected(self) -> None:
        if self.canvas.cursor_row >= 0:
            self.canvas.fold(self.canvas.cursor_row)
