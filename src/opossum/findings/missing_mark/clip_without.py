"""Clip without: of several clips that one function starts, one lacks a mark that another has."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.clips import clips
from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.missing_mark.lacking import marked_clips, tell
from opossum.findings.missing_mark.wait_without import waited_in_vain
from opossum.findings.scene import Scene
from opossum.take.grouping import parted
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield clips without a mark that another one started by the same function has. Linear in the plays."""
    take, known, all_clips = scene.take, scene.once(clips), scene.once(marked_clips)
    told = set(scene.once(waited_in_vain))
    # a function that runs on every frame starts whatever comes next: its clips are not each other's like
    rows = np.flatnonzero(known.counted() & (known.starter >= 0) & ~known.by_tick)
    for part in parted(all_clips.class_of_play[rows], known.starter[rows]):
        plays = rows[part]
        numbers = np.unique(all_clips.clip_of_play[plays]).tolist()
        names = sorted(set().union(*(all_clips.marks_of_clip.get(clip, set()) for clip in numbers)))
        for name in names if len(numbers) > 1 else ():
            others = [clip for clip in numbers if name in all_clips.marks_of_clip.get(clip, ())]
            for clip in numbers:
                if clip in others or (clip, name) in told:
                    continue
                told.add((clip, name))
                mine = plays[all_clips.clip_of_play[plays] == clip]
                function = take.text(int(known.starter[mine[0]]))
                yield tell(
                    scene,
                    mine,
                    name,
                    known.begin_frame[mine],
                    tr(
                        "{function} starts both, and started this one {times}",
                        function=function,
                        times=counted(len(mine), "time"),
                    ),
                    others,
                    [],
                )


CLIP_WITHOUT = Cause(
    "clip-without",
    "lacks a mark of its like",
    Severity.FAULT,
    find,
    about="Of several clips that one function starts for one class, one lacks a mark that another has.",
    quiet="clips of different functions, or of one that runs on every frame and starts whatever comes next.",
)
