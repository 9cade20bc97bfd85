"""Waiting: the thread was held up outside any call, standing still or working, as far as that is told."""

from __future__ import annotations

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Severity, Subject
from opossum.findings.freeze import endless_loop, event_storm, many_calls, slow_call
from opossum.findings.freeze.frozen import (
    THRESHOLDS,
    happened_before,
    records_in,
    stack_details,
    stack_of,
)
from opossum.findings.freeze.main_thread import main_calls
from opossum.findings.freeze.telling import Verdict, told, verdicts_of
from opossum.findings.scene import Scene
from opossum.findings.wording import at_place, milliseconds
from opossum.stream.tables import Array
from opossum.words import tr, translatable

_WAITED = translatable(
    "Do not wait on the game's thread{where}: load or ask on another thread and send an event when it is done."
)
_EITHER = translatable(
    "See what the loop itself does{where}: spread that work over frames, or tell its calls; if it waits, load or ask on another thread."
)
_WORKED = translatable(
    "See what the loop itself does{where}: no call was recorded meanwhile, so spread that work over frames, or tell its calls."
)


def judge(scene: Scene, frame: int, length: int) -> Verdict | None:
    """Say where the frame stood still: what no other cause explains."""
    take = scene.take
    peer = int(take.frames.peer[frame])
    stuck = records_in(scene, "stuck", frame)
    rows = scene.once(main_calls).rows(frame)
    outer = rows[take.calls.parent[rows] < 0]
    gap_ns, last = _longest_gap(scene, frame, outer)
    long_ns = min(gap_ns, float(take.frames.work_ns[frame]))  # what waited as it may is no standstill
    stack = stack_of(scene, stuck)
    place = _place_in(stack[0]) if stack else ""
    table = take.tables["frame"]
    frame_row = np.flatnonzero(np.asarray(table["line"], np.int64) == take.frames.line[frame])
    evidence = scene.evidence("frame", frame_row.tolist(), tr("the frame"))
    evidence += scene.evidence("stuck", stuck[-2:].tolist(), tr("the watchdog saw it"))
    if last is not None:
        evidence += scene.evidence("call", [last], tr("the last call before"))
    after = last + 1 if last is not None else (int(rows[0]) if len(rows) else None)
    worked = _worked(scene, frame)
    return Verdict(
        key=(place,),
        subject=Subject(peer=scene.peer_name(peer), at=place),
        reason=_reason(worked, milliseconds(long_ns)),
        advice=tr(_EITHER if worked is None else _WORKED if worked else _WAITED, where=at_place(place)),
        evidence=evidence,
        details=[*stack_details(scene, stuck), happened_before(scene, frame, after)],
    )


def _reason(worked: bool | None, length: str) -> str:
    if worked is None:
        return tr("{length} passed outside any call, and what the game's thread did then is not told", length=length)
    if worked:
        return tr("the game's thread worked for {length} outside any call", length=length)
    return tr("the game's thread stood still for {length} outside any call", length=length)


def _worked(scene: Scene, frame: int) -> bool | None:
    """Say whether most of a frame's time was the processor's; None where the stream does not tell."""
    frames = scene.take.frames
    processor_ns = int(frames.cpu_ns[frame])
    return None if processor_ns < 0 else processor_ns * 2 > int(frames.work_ns[frame])


def _longest_gap(scene: Scene, frame: int, outer: Array) -> tuple[float, int | None]:
    """Return (ns, the call before it or None) of the longest stretch of a frame outside its outermost calls."""
    take, calls = scene.take, scene.take.calls
    ends = np.array([take.frames.start_ns[frame], take.frames.work_end_ns[frame]])
    start, end = take.holds.game_times(np.full(2, take.frames.peer[frame]), ends).tolist()
    gap_starts = np.concatenate(([start], np.maximum.accumulate(calls.game_end_ns[outer])))
    gap_ends = np.concatenate((calls.game_start_ns[outer], [end]))
    gap = int(np.argmax(gap_ends - gap_starts))
    return float(gap_ends[gap] - gap_starts[gap]), int(outer[gap - 1]) if gap > 0 else None


def _place_in(stack_line: str) -> str:
    """Return the source place a line of a stack names, else the line."""
    return stack_line.rpartition(" ")[2] if ":" in stack_line else stack_line


VERDICTS = verdicts_of(judge, event_storm.VERDICTS, endless_loop.VERDICTS, slow_call.VERDICTS, many_calls.VERDICTS)
WAITING = Cause(
    "waiting",
    "held up outside any call",
    Severity.FAULT,
    told(VERDICTS),
    THRESHOLDS,
    about="The thread was held up outside any call: it stood still, or worked at what tells no calls, as far as `cpu` tells.",
    quiet="waiting after `idle`, or in a phase that the head names in `waits`; a game that closes itself (`bye`) in the middle of a frame.",
)
