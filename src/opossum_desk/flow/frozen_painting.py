"""Frozen frames on the Loom: torn out of the weave, and named in the header."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetrics, QPainter, QPen

from opossum_desk.flow.layout.frozen import FrozenBand
from opossum_desk.layout.scale import MOST_FROZEN_NAMES, takes_room
from opossum_desk.views.canvas import NARROW_WASH_ALPHA, WASH_ALPHA, AxisCanvas

MOST_WIDTHS = 2048
_widths: dict[tuple[str, str], int] = {}
"""How wide a name is in a font: while one pans, the same names are measured again and again."""
LEAST_RAGGED_PX = 10.0
"""A frozen frame drawn narrower than this is a stripe: its ragged edges would meet."""


WIDE_PX = 30.0


def _tooth(band: FrozenBand) -> float:
    """Return how deep the ragged edges of a frozen frame are."""
    return 4.0 if band.right - band.left > 14 else 2.0


def paint_frozen(view: AxisCanvas, painter: QPainter, bands: list[FrozenBand]) -> None:
    """Draw frozen frames torn out of the weave: a rose wash, with ragged edges where there is room for them."""
    header_px, tall = view.heights().header, view.height()
    stripes = []
    ragged = [band for band in bands if band.right - band.left >= LEAST_RAGGED_PX]
    for band in bands:
        left, right = _torn(view, band)
        tooth = _tooth(band)
        alpha = WASH_ALPHA if band.right - band.left > WIDE_PX else NARROW_WASH_ALPHA
        stripes.append((left + tooth / 2, right - tooth / 2, alpha))
    view.wash(painter, stripes, header_px)
    heights = np.arange(header_px, tall + 7, 7).tolist()
    painter.setPen(QPen(view.colour("rose"), 1.5))
    for band in ragged:
        left, right = _torn(view, band)
        for edge, way in ((left, _tooth(band)), (right, -_tooth(band))):
            painter.drawPolyline([QPointF(edge + (way if number % 2 else 0), y) for number, y in enumerate(heights)])


def _torn(view: AxisCanvas, band: FrozenBand) -> tuple[float, float]:
    """Return where a frozen frame begins and ends within the view."""
    return max(band.left, view.label_px - 30), min(band.right, view.width() + 30.0)


def frozen_names(view: AxisCanvas, bands: list[FrozenBand]) -> list[tuple[QRectF, str]]:
    """Return where in the header is written what frozen frames cost, the longest first, as many as have room beside each other."""
    font, height = view.small_font(0, bold=True), view.heights().header - 3
    metrics, key = QFontMetrics(font), font.key()
    written: list[tuple[float, float]] = []
    names: list[tuple[QRectF, str]] = []
    for band in sorted(bands, key=lambda band: -band.seconds):
        text = band.text
        room = _widths.get((key, text))
        if room is None:
            if len(_widths) >= MOST_WIDTHS:
                _widths.clear()
            room = _widths[key, text] = metrics.horizontalAdvance(text) + 14
        x = min(max(band.left, view.label_px + 2), view.width() - room - 14)
        if takes_room(written, x, x + room):
            names.append((QRectF(x, 2, room, height), text))
            if len(names) == MOST_FROZEN_NAMES:
                break
    return names


def paint_frozen_names(view: AxisCanvas, painter: QPainter, names: list[tuple[QRectF, str]]) -> None:
    """Write in the header what frozen frames cost."""
    font = view.small_font(0, bold=True)
    for box, text in names:
        view.kept.paint(painter, ("frozen", text), font, box, partial(_paint_frozen_name, view, text))


def _paint_frozen_name(view: AxisCanvas, text: str, painter: QPainter, box: QRectF) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(view.colour("rose"))
    painter.drawRoundedRect(box, 2, 2)
    painter.setPen(view.colour("paper"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
