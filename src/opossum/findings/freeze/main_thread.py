"""The calls of a game's main thread: what others do meanwhile holds no frame up."""

from __future__ import annotations

import numpy as np

from opossum.findings.scene import Scene
from opossum.stream.tables import Array
from opossum.take.grouping import Groups


def on_main_thread(scene: Scene) -> Array:
    """Return a boolean array (calls,): it ran on the thread that told its peer's frames; asked through `scene.once`.

    Where none of a peer's calls did, who told them did not look at threads, and all did.
    """
    table, frames = scene.take.tables["call"], scene.take.tables["frame"]
    peers, first = np.unique(frames["p"], return_index=True)
    main = np.full(len(scene.take.peers), -1, np.int64)
    main[peers] = np.asarray(frames["th"], np.int64)[first]
    flags = np.asarray(table["th"]) == main[scene.peer]
    told = np.zeros(len(main), bool)
    told[scene.peer[flags]] = True
    return flags | ~told[scene.peer]


def main_calls(scene: Scene) -> Groups:
    """Return the calls (rows) of the main thread by frame row; asked through `scene.once`."""
    flags = scene.once(on_main_thread)
    if flags.all():
        return scene.take.calls_by_frame
    return Groups(np.where(flags, scene.take.calls.frame, -1), len(scene.take.frames))
