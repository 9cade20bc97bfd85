"""Whoever sees little, or sees colours otherwise, sees what is there: contrast of text and marks, and shapes beside colours.

Contrast as in WCAG 2.2 (relative luminance); how colours look to people who lack a cone as in Machado, Oliveira and Fernandes, "A
Physiologically-based Model for Simulation of Color Vision Deficiency", 2009 (severity 1.0); differences as CIE76 in CIELAB.
"""

from itertools import combinations

import numpy as np
import pytest

from opossum_desk.layout.bead import shape_of
from opossum_desk.layout.colours import DAY, NIGHT

LOOKS = {"day": DAY, "night": NIGHT}
GROUNDS = ("paper", "panel", "band", "choice")
VISION = {
    "usual": np.eye(3),
    "protanopia": [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    "deuteranopia": [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
    "tritanopia": [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]],
    "no colours": [[0.2126, 0.7152, 0.0722]] * 3,
}
TOLD_APART = 15.0
"""CIELAB colours nearer than this are too alike for a bead of a few pixels."""


def linear(colour: str) -> np.ndarray:
    """Return linear red, green and blue."""
    values = np.array([int(colour[place : place + 2], 16) / 255 for place in (1, 3, 5)])
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)


def contrast(one: str, other: str) -> float:
    """Return the contrast of two colours, 1 to 21."""
    low, high = sorted(float(linear(colour) @ [0.2126, 0.7152, 0.0722]) for colour in (one, other))
    return (high + 0.05) / (low + 0.05)


def lab(colour: str, vision: str) -> np.ndarray:
    """Return a colour in CIELAB as it looks to somebody."""
    seen = np.clip(np.asarray(VISION[vision]) @ linear(colour), 0, 1)
    xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]) @ seen
    x, y, z = np.cbrt(np.maximum(xyz / [0.9505, 1.0, 1.089], 0.0088)) * 116
    return np.array([y - 16, (x - y) * 500 / 116, (y - z) * 200 / 116])


@pytest.mark.parametrize("look", LOOKS)
@pytest.mark.parametrize("ground", GROUNDS)
def test_text_can_be_read(look, ground):
    """4.5:1, what is faded too."""
    colours = LOOKS[look]
    for text in ("ink", "quiet", "rose", "focus"):
        assert contrast(getattr(colours, text), getattr(colours, ground)) >= 4.5, text
    if ground != "choice":  # nothing faded stands on what is chosen
        assert contrast(colours.faint, getattr(colours, ground)) >= 4.5


@pytest.mark.parametrize("look", LOOKS)
def test_marks_can_be_seen(look):
    """3:1 on every ground that beads stand on, those that are faded too."""
    colours = LOOKS[look]
    for ground in ("paper", "band", "choice"):
        for via, colour in [*colours.via.items(), ("faded", colours.faint), ("wrong", colours.rose)]:
            assert contrast(colour, getattr(colours, ground)) >= 3.0, (via, ground)


@pytest.mark.parametrize("look", LOOKS)
@pytest.mark.parametrize("vision", VISION)
def test_ways_are_told_apart_by_everybody(look, vision):
    """By shape where colours are alike to somebody."""
    via = LOOKS[look].via
    for one, other in combinations(via, 2):
        if shape_of(one) == shape_of(other):
            assert np.linalg.norm(lab(via[one], vision) - lab(via[other], vision)) >= TOLD_APART, (one, other)


def test_shapes_are_of_about_one_size():
    """No way looks weightier than another; none is so flat that it cannot be seen."""
    for via in DAY.via:
        shape = shape_of(via)
        if shape.corners:
            xs, ys = np.array(shape.corners).T
            area = abs(np.dot(xs, np.roll(ys, 1)) - np.dot(ys, np.roll(xs, 1))) / 2
            sizes = np.ptp(xs), np.ptp(ys)
        else:
            sizes = 2 * shape.half_axes[0], 2 * shape.half_axes[1]
            area = np.pi * shape.half_axes[0] * shape.half_axes[1]
        assert 0.4 <= area <= 0.8, via
        assert min(sizes) >= 0.5 and max(sizes) <= 1.2, via
