"""Arcs, dashed lines and boxes that are pressed by NumPy: where each pixel is, and that nothing beyond the canvas harms."""

from __future__ import annotations

import numpy as np
import pytest

from opossum_desk.views.pixel_bars import press_boxes
from opossum_desk.views.pixel_curves import DASH_PX, GAP_PX, SHADES, press_arcs, press_dashed

SHADES_OF_GREY = (np.arange(SHADES + 1, dtype=np.uint32) * 15) << 24


def blank(height: int = 40, width: int = 120) -> np.ndarray:
    return np.zeros((height, width), np.uint32)


def cover(canvas: np.ndarray) -> np.ndarray:
    """Return how far each pixel is covered, 0 … 1."""
    return (canvas >> 24) / (15 * SHADES)


@pytest.mark.parametrize("ratio", [1.0, 1.5, 2.0])
def test_an_arc_goes_over_its_peak_in_the_middle(ratio):
    """A parabola, as strong everywhere as it is told to be."""
    canvas = blank(80, 240)
    press_arcs(canvas, np.array([[10.0, 30.0, 110.0, 5.0]]), 2.0, SHADES_OF_GREY, ratio, dashed=False)
    covered = cover(canvas)
    columns = np.flatnonzero(covered.any(0))
    middles = (covered * (np.arange(80)[:, None] + 0.5)).sum(0)[columns] / covered.sum(0)[columns]
    share = ((columns + 0.5) / ratio - 10) / 100

    assert (columns[0], columns[-1]) == (10 * ratio, 110 * ratio - 1)
    assert middles / ratio == pytest.approx(30 - 4 * 25 * share * (1 - share), abs=0.6)
    assert covered.sum(0)[columns].min() >= 2 * ratio - 2 / SHADES


def test_a_narrow_arc_is_an_upright_line():
    """From foot to peak, one pixel wide."""
    canvas = blank()
    press_arcs(canvas, np.array([[20.2, 30.0, 20.9, 10.0], [50.0, 30.0, 50.0, 10.0]]), 1.0, SHADES_OF_GREY, 1.0, False)
    assert np.flatnonzero(canvas.any(0)).tolist() == [20, 50]
    assert np.flatnonzero(canvas[:, 20]).tolist() == list(range(9, 31))


def test_dashes_begin_with_the_line_and_leave_gaps():
    """Of arcs, too."""
    canvas, arcs = blank(), blank()
    press_dashed(canvas, np.array([[12.0, 52.0, 8.5]]), 1.0, SHADES_OF_GREY, 1.0)
    press_arcs(arcs, np.array([[12.0, 30.0, 52.0, 25.0]]), 1.0, SHADES_OF_GREY, 1.0, dashed=True)
    drawn = [12 + along for along in range(40) if along % (DASH_PX + GAP_PX) < DASH_PX]
    assert np.flatnonzero(canvas.any(0)).tolist() == np.flatnonzero(arcs.any(0)).tolist() == drawn
    assert np.flatnonzero(canvas.any(1)).tolist() == [8]


FAR = [-1e9, -7.0, 3.0, 1e9]


def test_what_lies_beyond_the_canvas_is_cut_off():
    """On each side, or on all."""
    within = blank()
    for left in FAR:
        for right in (end for end in FAR if end > left):
            for y, y2 in ((-50.0, -60.0), (20.0, -50.0), (90.0, 10.0), (900.0, 800.0)):
                press_arcs(within, np.array([[left, y, right, y2]]), 1.4, SHADES_OF_GREY, 1.0, dashed=False)
                press_dashed(within, np.array([[left, right, y]]), 1.4, SHADES_OF_GREY, 1.0)
                press_boxes(within, np.array([[left, y2, right - left, y - y2]]), np.uint32(1), 1.0)
    empty = blank()
    press_arcs(empty, np.zeros((0, 4)), 1.4, SHADES_OF_GREY, 1.0, dashed=False)
    press_dashed(empty, np.zeros((0, 3)), 1.4, SHADES_OF_GREY, 1.0)
    press_boxes(
        empty, np.array([[-20.0, 3, 10, 10], [200, 3, 10, 10], [3, -20, 10, 10], [3, 90, 10, 10]]), np.uint32(1), 1.0
    )
    assert within.any() and not empty.any()


@pytest.mark.parametrize("ratio", [1.0, 2.0])
def test_a_box_is_never_lost(ratio):
    """However thin: a pixel of the device at least."""
    canvas = blank(80, 240)
    press_boxes(
        canvas, np.array([[10.0, 5.0, 0.1, 20.0], [30.0, 8.0, 12.0, 0.2], [60.0, 2.0, 4.0, 3.0]]), np.uint32(7), ratio
    )
    rows, columns = np.nonzero(canvas)
    assert set(rows[columns == 10 * ratio].tolist()) == set(range(int(5 * ratio), int(25 * ratio)))
    assert set(columns[rows == 8 * ratio].tolist()) == {int(10 * ratio), *range(int(30 * ratio), int(42 * ratio))}
    assert (canvas[:, int(50 * ratio) :] > 0).sum() == 12 * ratio**2
