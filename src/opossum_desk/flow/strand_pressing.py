"""Pressing what a strand is made of into one image by NumPy: there may be hundreds of each, and Qt takes long for them."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum_desk.flow.layout.strokes import StrokeRun
from opossum_desk.views.canvas import AxisCanvas
from opossum_desk.views.pixel_bars import press_boxes
from opossum_desk.views.pixel_curves import SHADES, press_arcs, press_dashed
from opossum_desk.views.pixel_sheet import premultiplied

GROUNDS = ("wave", "bar", "cut")
"""Bars of clips and tracks: a track's sound lies on them, and all else over that."""
PRESSED_SHAPES = (*GROUNDS, "plan", "arc", "dashed", "mark")
"""The shapes of runs, those that lie lowest first."""
TEETH, TOOTH_PX = 5, 3.0
"""The end of a bar that was cut is ragged."""
BAR_ALPHA = 52
LINE_PX, MARK_PX, LIT_MARK_PX, HOLLOW_PX = 1.4, 2.4, 3.2, 3.6


def press_runs(view: AxisCanvas, canvas: np.ndarray, runs: list[tuple[StrokeRun, str]], ratio: float) -> None:
    """Press runs of strokes, each with the role of its colour, into a canvas, uint32 (height, width)."""
    looks: dict[tuple[int, str, bool], list[Array]] = {}
    for run, role in runs:
        look = (PRESSED_SHAPES.index(run.shape), role, run.state == "open")
        looks.setdefault(look, []).append(run.ends)
    for (shape, role, is_open), ends in sorted(looks.items(), key=lambda item: item[0]):
        _PRESS[PRESSED_SHAPES[shape]](view, canvas, np.concatenate(ends), role, is_open, ratio)


def _bars(view: AxisCanvas, canvas: np.ndarray, ends: Array, role: str, is_open: bool, ratio: float) -> None:
    boxes = np.column_stack((ends[:, :2], ends[:, 2:] - ends[:, :2]))
    press_boxes(canvas, boxes, _shade(view, role, BAR_ALPHA), ratio)
    press_boxes(canvas, _frames(boxes), _shade(view, role), ratio)


def _cut_bars(view: AxisCanvas, canvas: np.ndarray, ends: Array, role: str, is_open: bool, ratio: float) -> None:
    x, y, x2, y2 = ends.T
    tooth = np.minimum(TOOTH_PX, x2 - x)
    boxes = np.column_stack((x, y, x2 - x - tooth, y2 - y))
    press_boxes(canvas, boxes, _shade(view, role, BAR_ALPHA), ratio)
    edge, tall = np.ones(len(x)), (y2 - y) / TEETH
    sides = [(x, y, x2 - x, edge), (x, y2 - 1, x2 - x, edge), (x, y, edge, y2 - y)]
    for number in range(TEETH):
        right = x2 - 1 - (tooth if number % 2 else 0.0)
        sides.append((right, y + number * tall, edge, tall))
        if not number % 2:  # what stands out is filled, too
            press_boxes(
                canvas,
                np.column_stack((x2 - tooth, y + number * tall, tooth, tall)),
                _shade(view, role, BAR_ALPHA),
                ratio,
            )
    press_boxes(canvas, np.concatenate([np.column_stack(side) for side in sides]), _shade(view, role), ratio)


def _plans(view: AxisCanvas, canvas: np.ndarray, ends: Array, role: str, is_open: bool, ratio: float) -> None:
    press_boxes(canvas, _upright(ends, 1.0), _shade(view, role), ratio)


def _marks(view: AxisCanvas, canvas: np.ndarray, ends: Array, role: str, is_open: bool, ratio: float) -> None:
    if is_open:
        boxes = _frames(_upright(ends, HOLLOW_PX))
    else:
        boxes = _upright(ends, LIT_MARK_PX if role == "focus" else MARK_PX)
    press_boxes(canvas, boxes, _shade(view, role), ratio)


def _arcs(view: AxisCanvas, canvas: np.ndarray, ends: Array, role: str, is_open: bool, ratio: float) -> None:
    press_arcs(canvas, ends, LINE_PX, _shades(view, "quiet" if is_open else role), ratio, dashed=is_open)


def _dashed(view: AxisCanvas, canvas: np.ndarray, ends: Array, role: str, is_open: bool, ratio: float) -> None:
    press_dashed(canvas, ends[:, [0, 2, 1]], LINE_PX, _shades(view, role), ratio)


_PRESS = {
    "wave": _bars,
    "bar": _bars,
    "cut": _cut_bars,
    "plan": _plans,
    "arc": _arcs,
    "dashed": _dashed,
    "mark": _marks,
}


def _upright(ends: Array, width: float) -> Array:
    """Return boxes (n, 4) about upright lines."""
    return np.column_stack((ends[:, 0] - width / 2, ends[:, 1], np.full(len(ends), width), ends[:, 3] - ends[:, 1]))


def _frames(boxes: Array) -> Array:
    """Return the four sides of boxes (n, 4), a px strong."""
    x, y, width, height = boxes.T
    one = np.ones(len(boxes))
    sides = ((x, y, width, one), (x, y + height - 1, width, one), (x, y, one, height), (x + width - 1, y, one, height))
    return np.concatenate([np.column_stack(side) for side in sides])


def _shade(view: AxisCanvas, role: str, alpha: int = 255) -> np.uint32:
    return np.uint32(premultiplied(view.role_colour(role), alpha))


def _shades(view: AxisCanvas, role: str) -> Array:
    """Return uint32 (SHADES + 1,): a colour from clear to full."""
    colour = view.role_colour(role)
    return np.array([premultiplied(colour, round(255 * step / SHADES)) for step in range(SHADES + 1)], np.uint32)
