"""What was given of a track, on its strand: the outline of its sound, and the cues that were planned."""

from __future__ import annotations

import numpy as np

from opossum.take.grouping import factorised
from opossum_desk.flow.layout.strokes import StrokeRun
from opossum_desk.layout.heights import Band
from opossum_desk.layout.row_picture import PixelBars, pixel_times
from opossum_desk.layout.scale import Scale
from opossum_desk.state.session import Session


def sounding(
    session: Session, play: int, scale: Scale, reach: tuple[float, float], band: Band
) -> list[StrokeRun | PixelBars]:
    """Return what a play's strand is drawn of besides its bar, from x to x (`reach`). Cost: the pixels it takes."""
    take = session.take
    table = take.tables["play"]
    sound = session.sounds.of(take.text(int(table["clip"][play])))
    if sound is None:
        return []
    rate, begin = float(table["rate"][play]), float(table["from"][play])
    rate, begin = rate if rate > 0 else 1.0, begin if begin == begin else 0.0
    start = float(table["t"][play])
    drawn: list[StrokeRun | PixelBars] = []
    if sound.waveform is not None:
        first = int(max(0.0, np.floor(reach[0] - scale.left)))
        last = int(min(scale.width, np.ceil(reach[1] - scale.left)))
        if last > first:
            times = pixel_times(session.axis.edges, session.axis.starts_ns, scale)[first : last + 1]
            low, high = sound.waveform.between(begin + (times - start) / 1e9 * rate)
            middle, half = band.middle, band.height / 2 - 5
            tops, bottoms = middle - high * half, middle - low * half
            # silence is a thin line, so that one sees where the sound goes on
            drawn.append(PixelBars("via:net", scale.left + first, tops, np.maximum(bottoms, tops + 1.0), 170))
    seconds = np.array([cue.seconds for cue in sound.cues])
    xs = scale.xs(session.axis.positions(start + (seconds - begin) / rate * 1e9))
    seen = np.flatnonzero((seconds >= begin) & (xs >= reach[0]) & (xs <= reach[1]))
    # of those on one pixel the first stands for all
    _, leading = factorised(xs[seen].astype(np.int64))
    at = xs[np.sort(seen[leading])]
    if len(at):
        ends = np.column_stack((at, np.full(len(at), band.top + 2), at, np.full(len(at), band.bottom - 2)))
        drawn.append(StrokeRun("plan", ends, "track", "quiet"))
    return drawn
