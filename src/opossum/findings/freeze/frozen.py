"""Which frames froze, and what is recorded of each: asked once for all causes."""

from __future__ import annotations

import json
from typing import NamedTuple

import numpy as np

from opossum.findings.freeze.main_thread import main_calls, on_main_thread
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.stream.tables import Array
from opossum.take.chains import nested_own_time
from opossum.take.grouping import Groups
from opossum.words import tr

FREEZE_LONGER_THAN_MS = Threshold("freeze_longer_than_ms", 100.0, "ms", "from here on a stop of the picture is felt")
FREEZE_TIMES_MEDIAN = Threshold(
    "freeze_times_median", 6.0, "times the median frame", "a game that is slow throughout is slow, not frozen"
)
FREEZE_OWN_SHARE = Threshold(
    "freeze_own_share", 0.5, "share of the frame", "a call whose own time is most of the frame is named instead of it"
)

THRESHOLDS = (FREEZE_LONGER_THAN_MS, FREEZE_TIMES_MEDIAN)

DRAWING = ("draw", "on_draw")
"""Events for which engines have a game draw."""
MOST_STACK = 12
"""Lines of a stack that are told."""
LONGEST_STACK_LINE = 200
USUAL_HZ = 60.0


class Frozen(NamedTuple):
    """The frames that froze: rows, and how long each frame of the take was, in ns."""

    rows: list[int]
    lengths: Array


def frozen(scene: Scene) -> Frozen:
    """Return the frames that froze."""
    lengths = frame_lengths(scene)
    return Frozen(frozen_frames(scene, lengths), lengths)


def frame_lengths(scene: Scene) -> Array:
    """Return int64 (frames,): ns of work in each frame, with what the main thread's calls after its `idle` took."""
    take, calls = scene.take, scene.take.calls
    lengths = take.frames.work_ns.copy()
    if not len(calls):
        return lengths
    late = np.flatnonzero((calls.parent < 0) & (calls.start_ns >= np.append(take.frames.work_end_ns, 0)[calls.frame]))
    late = late[take.frames.idle[calls.frame[late]] & scene.once(on_main_thread)[late]]
    np.add.at(lengths, calls.frame[late], calls.duration_ns[late])
    return lengths - _waited_for_display(scene, lengths)


def _waited_for_display(scene: Scene, lengths: Array) -> Array:
    """Return int64 (frames,): ns that the thread did not run in while it drew, where its own time is told.

    What holds a thread up that draws is the display, or whatever draws for it: no more work of the game's than a flip is.
    """
    take, calls = scene.take, scene.take.calls
    codes = [code for name in DRAWING if (code := take.code(name)) >= 0]
    drawing = np.isin(calls.event, codes) & (calls.parent < 0) & (calls.frame >= 0)
    drawn = np.zeros(len(lengths), np.int64)
    np.add.at(drawn, calls.frame[drawing], calls.duration_ns[drawing])
    cpu = take.frames.cpu_ns
    return np.where(cpu >= 0, np.clip(lengths - cpu, 0, drawn), 0)


def frozen_frames(scene: Scene, lengths: Array) -> list[int]:
    """Return the rows of frames far over budget, and of a last frame that ends inside an open call.

    A frame is measured against the median of the others of its peer.  Cost: one sort of the frames' lengths.
    """
    take, frames = scene.take, scene.take.frames
    found: list[int] = []
    for peer in range(len(take.peers)):
        span = frames.of_peer(peer)
        judged = np.flatnonzero(frames.settled[span] & (frames.number[span] >= 0)) + span.start
        ordered = np.sort(lengths[judged])
        long = judged[lengths[judged] > scene[FREEZE_LONGER_THAN_MS] * 1e6]
        alone = 1e9 / (take.recording.head_hz(peer) or USUAL_HZ)
        usual = _medians_without(ordered, np.searchsorted(ordered, lengths[long]), alone)
        found += long[lengths[long] > scene[FREEZE_TIMES_MEDIAN] * usual].tolist()
        last = span.stop - 1
        if last >= span.start and last not in found and not frames.gap[last] and len(open_calls(scene, last)):
            found.append(last)
    return sorted(found)


def _medians_without(ordered: Array, places: Array, alone: float) -> Array:
    """Return float64 (n,): the median of ascending values without the one at each place (n,); `alone` of no others."""
    rest = len(ordered) - 1
    if rest < 1:
        return np.full(len(places), alone)
    low, high = (rest - 1) // 2, rest // 2
    return (ordered[low + (low >= places)] + ordered[high + (high >= places)]) / 2.0


def open_calls(scene: Scene, frame: int) -> Array:
    """Return the main thread's calls of a frame that never came back although their peer's stream ends there."""
    take = scene.take
    rows = scene.once(main_calls).rows(frame)
    rows = rows[~take.calls.returned[rows]]
    peer = int(take.frames.peer[frame])
    recording = take.recording
    if frame != take.frames.of_peer(peer).stop - 1 or recording.closed(peer) or recording.held_at_end(peer):
        return rows[:0]
    if scene.playing and not len(records_in(scene, "stuck", frame)):
        return rows[:0]  # it has only not returned yet
    return rows


def own_times(scene: Scene, rows: Array) -> Array:
    """Return int64 (n,): how long each call of one frame took without what ran inside it, in ns."""
    calls = scene.take.calls
    return nested_own_time(calls.game_start_ns[rows], calls.game_end_ns[rows])[0]


def _watched_frames(scene: Scene) -> dict[str, Groups]:
    """Return the rows of watchdogs' and guards' records by frame row."""
    take = scene.take
    return {
        kind: Groups(take.frames.rows_of_lines(take.tables[kind]["p"], take.tables[kind]["line"]), len(take.frames))
        for kind in ("stuck", "spin")
    }


def records_in(scene: Scene, kind: str, frame: int) -> Array:
    """Return the rows of the `stuck` or `spin` records that fall in a frame."""
    return scene.once(_watched_frames)[kind].rows(frame)


def stack_of(scene: Scene, stuck: Array) -> list[str]:
    """Return the last stack the watchdog left, innermost first; nothing where it left none."""
    if not len(stuck):
        return []
    try:
        stack = json.loads(scene.take.tables["stuck"].json("stack")[int(stuck[-1])] or "[]")
    except (ValueError, RecursionError):
        return []
    return [str(line)[:LONGEST_STACK_LINE] for line in stack[:MOST_STACK]] if isinstance(stack, list) else []


def stack_details(scene: Scene, stuck: Array) -> list[str]:
    """Return the last stack the watchdog left as a line of text."""
    lines = stack_of(scene, stuck)
    return [tr("Stack, innermost first: ") + " ← ".join(lines)] if lines else []


def happened_before(scene: Scene, frame: int, until: int | None) -> str:
    """Say what was called last before a frame began to hang; in it, calls (rows) from `until` on came later."""
    take, calls = scene.take, scene.take.calls
    rows = scene.once(main_calls).rows(frame)
    if until is not None:
        rows = rows[rows < until]
    last = int(rows[-1]) if len(rows) else _last_before(scene, frame)
    if last < 0:
        return tr("Nothing was called before in this take.")
    ago = (
        tr("in the same frame")
        if calls.frame[last] == frame
        else tr("in frame {number}", number=take.frames.number[calls.frame[last]])
    )
    return tr(
        "Last before: `{event_of_call}` called {function_of_call} of {owner_of_call} {ago}.",
        event_of_call=take.event_of_call(last),
        function_of_call=take.function_of_call(last),
        owner_of_call=take.owner_of_call(last),
        ago=ago,
    )


def _last_before(scene: Scene, frame: int) -> int:
    """Return the last call (row) of the frames before, of the same peer; -1 where there is none."""
    frames, by_frame = scene.take.frames, scene.once(main_calls)
    first = frames.of_peer(int(frames.peer[frame])).start
    place = int(by_frame.starts[frame])
    return int(by_frame.order[place - 1]) if place > by_frame.starts[first] else -1
