"""The Pulse's layout: the whole take in one strip.

Per pixel column the longest frame and the most calls, so that a lone long frame never disappears.  Linear in
the frames once (kept by the caller while take and width stay), not in the calls.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.words import number
from opossum_desk.layout.scale import Scale, grid_marks
from opossum_desk.state.session import Session

TICK_PX = 9.0
"""Height of the strip of findings at the bottom."""

USUAL_SHARE = 0.995
"""This share of the frames fits the strip; the rest is cut off at its top."""


class PulsePicture(NamedTuple):
    """Arrays (pixel columns,): height shares 0 … 1 of frame length and of calls a frame; then what lies on top.

    `frozen`: x of frames far over budget, what they cost in words and in ns; `ticks`: (x, severity) of findings; `budget`: height share of the frame budget (over 1: beyond the strip); `top_ms`: what the full height of
    the lengths stands for.  It stays while take, width and findings do; what moves is a `PulseOverlay`.
    """

    scale: Scale
    length: Array
    calls: Array
    budget: float
    frozen: list[tuple[float, str, float]]
    ticks: list[tuple[float, str]]
    grid: list[tuple[float, str]]
    top_ms: float


class PulseOverlay(NamedTuple):
    """What moves on the strip: x from and to of the `window`, of the `selected` frame, and of bookmarks (`marks`)."""

    window: tuple[float, float]
    selected: float | None
    marks: list[float]


def layout_overlay(session: Session, scale: Scale) -> PulseOverlay:
    """Return what moves on the strip."""
    edges, column = session.axis.edges, session.column
    return PulseOverlay(
        (scale.x(session.low), scale.x(session.high)),
        scale.x(float(edges[column] + edges[column + 1]) / 2) if column >= 0 else None,
        [scale.x(float(edges[mark])) for mark in session.marks.columns if mark < session.axis.columns],
    )


def layout_pulse(session: Session, width: float, left: float) -> PulsePicture:
    """Return what to paint on a strip of `width` px whose plot begins at `left`."""
    axis, take = session.axis, session.take
    low, high = axis.extent
    scale = Scale(low, high, left, max(1.0, width - left))
    pixels = int(scale.width)
    rows = slice(axis.first_row, axis.first_row + axis.columns)
    lengths = session.frame_lengths[rows].astype(np.float64)
    counts = take.calls_by_frame.sizes()[rows].astype(np.float64)
    borders = np.searchsorted(axis.edges[:-1], low + np.arange(pixels) / scale.per_unit, "left")
    borders = np.minimum(borders, max(0, axis.columns - 1))
    longest = _peaks(lengths, borders)
    most = _peaks(counts, borders)
    # the strip is as tall as ordinary frames are long; what is far longer stands out at the top, in rose
    ordinary = np.delete(lengths, axis.frozen)
    top = 1.3 * float(np.sort(ordinary)[int(USUAL_SHARE * (len(ordinary) - 1))]) if len(ordinary) else 1.0
    length_share = np.clip(longest / max(top, 1.0), 0, 1)
    budget_ns = 1e9 / (take.recording.head_hz(axis.peer) or 60) if len(take.peers) else 1.0
    budget = budget_ns / max(top, 1.0)
    middles = scale.xs((axis.edges[axis.frozen] + axis.edges[axis.frozen + 1]) / 2)
    frozen = [
        (x, f"{number(length / 1e9, '.2f')} s", length)
        for x, length in zip(middles.tolist(), lengths[axis.frozen].tolist(), strict=True)
    ]
    return PulsePicture(
        scale,
        length_share,
        most / max(1.0, float(counts.max()) if len(counts) else 1.0),
        budget,
        frozen,
        _ticks(session, scale),
        grid_marks(axis, scale, 110.0),
        top / 1e6,
    )


def _peaks(values: Array, borders: Array) -> Array:
    """Return the greatest value of each pixel's frames; a pixel without a frame of its own shows its left one."""
    if not len(values) or not len(borders):
        return np.zeros(len(borders))
    peaks = np.maximum.reduceat(values, borders)
    return peaks


def _ticks(session: Session, scale: Scale) -> list[tuple[float, str]]:
    """Return (x, severity) of findings, worst wins a pixel."""
    order = {"note": 0, "risk": 1, "waste": 2, "fault": 3}
    pixels: dict[int, str] = {}
    edges = session.axis.edges
    for finding in session.findings:
        severity = finding.severity.value
        columns = session.columns_of(finding)
        if severity == "waste" or not len(columns):
            continue  # waste is everywhere; a tick on every frame would say nothing
        for x in distinct(np.round(scale.xs(edges[columns]))).tolist():
            known = pixels.get(int(x))
            if known is None or order[severity] > order[known]:
                pixels[int(x)] = severity
    return sorted((float(x), severity) for x, severity in pixels.items())
