"""Rows of which more comes than can be told apart: what is drawn at each pixel, and that it stays while one pans."""

from __future__ import annotations

import numpy as np
import pytest

from opossum_desk.layout.row_picture import RowPicture
from opossum_desk.layout.scale import Scale
from opossum_desk.pacing.layout.crowded import CrowdedRow, draw_crowded
from opossum_desk.pacing.layout.firings import Firings
from opossum_desk.pacing.layout.recurring import Recurring
from opossum_desk.pacing.layout.steady_pixels import MOST_KNOWN, SteadyPixels, _known, reach_of
from opossum_desk.pacing.layout.verdict import right_bounds_ns
from opossum_desk.state.axis import Axis
from opossum_desk.state.session import Session
from opossum_desk.views.pixel_bars import press_bars
from tape import Tape

FRAMES, UNIT_NS = 600, 16_000_000
IN_BLOCKS = 100_000
"""So many firings are looked up by blocks."""
DOT_PX, MIDDLE = 6.0, 50.0
PER_NS = 10 / UNIT_NS


@pytest.fixture
def axis() -> Axis:
    """The axis of ten seconds of frames."""
    tape = Tape()
    for _ in range(FRAMES):
        tape.frame()
    return Session(tape.take()).axis


def scattered(count: int, reach_ns: float = 3 * UNIT_NS) -> Firings:
    """Firings at any time, as far off as may be, of which most keep their time."""
    random = np.random.default_rng(count)
    off = random.uniform(-reach_ns, reach_ns, count) * (random.random(count) < 0.2)
    return Firings(np.sort(random.integers(0, FRAMES * UNIT_NS, count)), off, np.arange(count))


def nearby(lowest: np.ndarray) -> np.ndarray:
    """Return for each pixel the lowest of its own and those beside it."""
    return np.minimum(lowest, np.minimum(np.roll(lowest, 1), np.roll(lowest, -1)))


@pytest.mark.parametrize("count", [3, 5_000, 200_000])
@pytest.mark.parametrize("step", [-0.02, 0.013, 0.4, -1.5, 0.0])
def test_what_is_known_of_a_pixel_stays_while_one_pans(axis, count, step):
    """To either side, by little or much, and beyond the ends: what was kept is what would be found anew."""
    firings, width = scattered(count), axis.extent[1] / 5
    for number in range(8):
        low = axis.extent[1] * 0.4 + number * step * width
        pixels = SteadyPixels(axis, Scale(low, low + width, 200.0, 333.0))
        kept = reach_of(firings, pixels)
        there, *extremes = firings.reach(pixels.moments)
        assert np.flatnonzero(kept.held).tolist() == there.tolist()
        for own, anew in ((kept.lowest[there], extremes[0]), (-kept.highest[there], -extremes[1])):
            if count < IN_BLOCKS:
                assert np.array_equal(own, anew)
            elif len(there):
                # a stretch that came into view may be looked up by smaller blocks: an extreme may go to the next pixel, not away
                assert (nearby(own) <= anew)[1:-1].all() and (nearby(anew) <= own)[1:-1].all()
                assert np.mean(own != anew) < 0.3
        assert not kept.lowest[~kept.held].any() and not kept.highest[~kept.held].any()


def test_small_steps_to_a_side_are_found_at_once(axis, monkeypatch):
    """With the pixels that come into view those of the next steps, as many as are in view: nothing is sought for them."""
    firings, width, sought = scattered(2_000), axis.extent[1] / 5, []
    reach = Firings.reach
    monkeypatch.setattr(Firings, "reach", lambda own, moments: sought.append(len(moments) - 1) or reach(own, moments))
    for step in (0, 1, 25, 49, 50, 20, 0):
        low = axis.extent[1] * 0.4 + step * width / 50
        reach_of(firings, SteadyPixels(axis, Scale(low, low + width, 0.0, 500.0)))
    assert sought == [500, 510]
    low = axis.extent[1] * 0.4 - width / 50
    reach_of(firings, SteadyPixels(axis, Scale(low, low + width, 0.0, 500.0)))
    assert sought[2:] == [510]


@pytest.mark.parametrize("step", [0.5, -0.5])
def test_what_is_known_of_pixels_is_bounded_however_far_one_pans(axis, step):
    """Those that were left long ago are forgotten, and found anew."""
    firings, width = scattered(2_000), axis.extent[1] / 40
    low = axis.extent[1] * (0.1 if step > 0 else 0.9)
    for number in range(40):
        pixels = SteadyPixels(axis, Scale(low + number * step * width, low + (number * step + 1) * width, 0.0, 200.0))
        kept = reach_of(firings, pixels)
        there, lowest, _ = firings.reach(pixels.moments)
        assert np.flatnonzero(kept.held).tolist() == there.tolist() and np.array_equal(kept.lowest[there], lowest)
        known = len(_known[firings].reach.held)
        assert known <= MOST_KNOWN * pixels.count
    assert known > (MOST_KNOWN - 2) * pixels.count


def test_another_zoom_and_another_axis_are_found_anew(axis):
    """Nothing of what was known before is shown."""
    firings = scattered(2_000)
    for width in (1.0, 1.001, 0.2):
        for own in (axis, Session(Tape().take()).axis):
            pixels = SteadyPixels(own, Scale(0.0, max(own.extent[1], 1.0) * width, 0.0, 100.0))
            there, lowest, _ = firings.reach(pixels.moments)
            kept = reach_of(firings, pixels)
            assert np.array_equal(np.flatnonzero(kept.held), there) and np.array_equal(kept.lowest[there], lowest)


@pytest.mark.parametrize("faded", [False, True])
def test_a_bar_is_rose_at_its_wrong_ends_only(axis, faded):
    """Pixel by pixel: from the highest to the lowest, a dot's half beyond each; rose about an end that is wrong."""
    recurring = Recurring(
        sort="timer", name="bell", rhythm="", via="timer", rows_of="call", unit_ns=UNIT_NS, count=700,
        reckon=lambda: scattered(700),
    )  # fmt: skip
    scale = Scale(*axis.extent, 0.0, 300.0)
    pixels, picture = SteadyPixels(axis, scale), RowPicture(scale)
    draw_crowded(picture, [CrowdedRow(recurring, MIDDLE, 100.0, PER_NS, faded)], pixels, DOT_PX)
    canvas = np.zeros((100, 300), np.uint32)
    shades = {"quiet" if faded else "via:timer": 1, "rose": 2}
    for bars in picture.bars:
        press_bars(canvas, bars, np.uint32(shades[bars.role]), 1.0)

    expected, half = np.zeros_like(canvas), DOT_PX / 2
    early, late = right_bounds_ns("timer", UNIT_NS)
    there, lowest, highest = recurring.firings.reach(pixels.moments)
    ends = {"one", "two apart", "two in one", "none"}
    for pixel, low, high in zip(there, lowest, highest, strict=True):
        foot, top = (MIDDLE - min(max(off * PER_NS, -46), 46) for off in (low, high))
        expected[round(top - half) : round(foot + half), pixel] = 1
        wrong = [y for y, off in ((top, high), (foot, low)) if not early <= off <= late]
        for y in wrong:
            expected[round(y - half) : round(y + half), pixel] = 2
        ends.discard(("none", "one", "two apart" if foot - top > DOT_PX else "two in one")[len(wrong)])
    assert not ends
    assert np.array_equal(canvas, expected)
