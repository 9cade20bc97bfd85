"""What the dots of a row say in words: kept, always late, drifting, or jumping about."""

from __future__ import annotations

import numpy as np

from opossum.findings.wording import milliseconds
from opossum.stream.tables import Array
from opossum.words import counted, tr

SLOPE_FRAMES = 0.02
"""Drift of so many frames a firing is a slope, if it comes to more than a frame in all."""
SLOPE_SHARE = 0.7
"""A slope must explain so much of how far the firings are apart."""
EARLY_FRAMES = 1.0
"""What comes more than this before its time is wrong."""
LATE_FRAMES = 1.5
"""What is off by more than this is not only waiting for its frame."""
CLOUD_FRAMES = 1.0
"""From so many frames between the tenth and the ninetieth of a hundred firings on it jumps about."""
EXACT_NS = 1000.0
"""What is off by less is as exact as clocks are read."""
NEARLY = 1.25
"""What is off by no more than so much of the usual is told by one number."""
MOST_JUDGED = 20_000
"""Firings that are looked at for a verdict; of more, evenly chosen ones."""


def right_bounds_ns(sort: str, unit: float) -> tuple[float, float]:
    """Return how far off something may be, from and up to, before more than waiting for a frame of `unit` ns explains it.

    Intervals of frames are never wrong, answers only late, cooldowns only early.
    """
    early = -np.inf if sort in ("tick", "answer") else -EARLY_FRAMES * unit
    late = np.inf if sort in ("tick", "cooldown") else LATE_FRAMES * unit
    return early, late


def verdict(sort: str, off: Array, unit: float) -> tuple[str, bool]:
    """Return (what the dots say, whether it is wrong) of firings `off` (n,) ns, measured by a frame of `unit` ns."""
    lowest, highest = (float(off.min()), float(off.max())) if len(off) else (0.0, 0.0)
    count = len(off)
    if count > MOST_JUDGED:
        off = off[np.linspace(0, len(off) - 1, MOST_JUDGED).astype(np.int64)]
    if not len(off):
        return tr("never free of a pause or a freeze"), False
    middle = float(np.median(off))
    low, high = np.percentile(off, [10, 90]).tolist()
    if sort == "answer":
        return tr("within {milliseconds} of the send", milliseconds=milliseconds(highest)), bool(
            high > LATE_FRAMES * unit
        )
    if sort == "tick":
        return tr("most intervals within {milliseconds}", milliseconds=milliseconds(high - low)), False
    if sort == "cooldown":
        early = int((off < -EARLY_FRAMES * unit).sum())
        if early:
            return tr("acted {times} while it was cooling", times=counted(early, "time")), True
        return tr(
            "again within {time} of its end, at the earliest after {least}",
            time=milliseconds(high),
            least=milliseconds(max(lowest, 0.0)),
        ), False
    slope, share = _slope(off)
    slope *= len(off) / count  # by the firing, not by the one that is looked at
    if abs(slope) > SLOPE_FRAMES * unit and share >= SLOPE_SHARE and abs(slope) * count > unit:
        told = tr("{time} later each time", time=milliseconds(slope)) if slope > 0 else ""
        return told or tr("{time} earlier each time", time=milliseconds(-slope)), True
    if high - low > CLOUD_FRAMES * unit:
        return tr("jumps about by {milliseconds}", milliseconds=milliseconds(high - low)), False
    if abs(middle) > LATE_FRAMES * unit:
        always = (lowest if middle > 0 else -highest) > 0
        time = milliseconds(abs(middle))
        if middle > 0:
            return (tr("always {time} late", time=time) if always else tr("mostly {time} late", time=time)), True
        return (tr("always {time} early", time=time) if always else tr("mostly {time} early", time=time)), True
    furthest = max(abs(lowest), abs(highest))
    if furthest < EXACT_NS:
        return tr("kept exactly"), False
    usual = max(abs(low), abs(high), EXACT_NS)
    if furthest <= usual * NEARLY:
        return tr("kept to {milliseconds}", milliseconds=milliseconds(furthest)), False
    return tr(
        "mostly within {milliseconds}, at worst {milliseconds_2}",
        milliseconds=milliseconds(usual),
        milliseconds_2=milliseconds(furthest),
    ), False


def _slope(off: Array) -> tuple[float, float]:
    """Return (ns a firing by a straight line, the share of the spread that the line explains)."""
    if len(off) < 3:
        return 0.0, 0.0
    places = np.arange(len(off)) - (len(off) - 1) / 2
    centred = off - off.mean()
    total = float((centred * centred).sum())
    slope = float((places * centred).sum() / (places * places).sum())
    return slope, slope * slope * float((places * places).sum()) / total if total > 0 else 0.0
