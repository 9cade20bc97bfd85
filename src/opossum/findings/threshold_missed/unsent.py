"""Jumped and midnight: a time of day was passed and its event was not sent."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.finding import Found
from opossum.findings.scene import Scene
from opossum.findings.threshold_missed.passing import by_event, frame_after, tell
from opossum.words import counted, tr


def find_unsent(scene: Scene, how: int, why: str, advice: str) -> Iterator[Found]:
    """Yield events that were not sent when their time was passed in one way."""
    for moments in by_event(scene):
        missed, frames, clock, came = [], [], [], []
        for passing in moments:
            none = np.array([not len(rows) for rows in passing.sends], bool)
            places = np.flatnonzero(none & (passing.how == how))
            if len(places):
                missed.append(passing)
                frames.append(frame_after(scene, passing, places))
                clock.append(passing.row[places])
                came += [int(rows[0]) for rows in passing.sends if len(rows)]
        if missed:
            shown = np.concatenate(frames)
            yield tell(
                scene,
                missed,
                shown,
                np.array(came[:3], np.int64),
                tr(
                    "`{{event}}` is due {{when}} and was not sent, {times}: {why}.",
                    times=counted(len(shown), "time"),
                    why=why,
                ),
                advice,
                np.concatenate(clock),
            )
