"""Wait without: code waits for a mark that the clip it plays does not have, though others of its class do."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.clips import clips, open_waits
from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.missing_mark.lacking import marked_clips, tell
from opossum.findings.scene import Scene
from opossum.findings.wording import plural
from opossum.stream.tables import Array
from opossum.take.spans import LineSpans


def waited_in_vain(scene: Scene) -> dict[tuple[int, int], list[tuple[int, int]]]:
    """Return, by (clip's number, mark), the (play, wait) rows of waits left open by a clip that lacks the mark.

    The wait was opened while the clip played, or at most a frame before; another clip of the owner that has the mark, or
    meets the wait right after, is the one that was waited for.  Linear in waits, with a look at each one's owner's plays.
    """
    take = scene.take
    known, waits, all_clips = scene.once(clips), scene.once(open_waits), scene.once(marked_clips)
    found: dict[tuple[int, int], list[tuple[int, int]]] = {}
    table = take.tables["wait"]
    if not len(table) or not len(known.line):
        return found
    wait_frame = take.frames.rows_of_lines(table["p"], table["line"]).astype(np.int64)
    plays_of: dict[tuple[int, int], list[int]] = {}
    for play in np.flatnonzero(known.counted() & known.stopped).tolist():
        plays_of.setdefault((int(known.peer[play]), int(known.owner[play])), []).append(play)
    for wait in _outlived(scene):
        mine = plays_of.get((int(table["p"][wait]), int(table["o"][wait])))
        event = int(table["ev"][wait])
        if mine is None or event < 0:
            continue
        plays = np.array(mine)
        begun = (known.begin_frame[plays] <= wait_frame[wait] + 1) & (known.stop_line[plays] > waits.begin[wait])
        playing = plays[begun & (known.stop_line[plays] < waits.end[wait])]
        has = [event in all_clips.marks_of_clip.get(int(all_clips.clip_of_play[play]), ()) for play in plays[begun]]
        if any(has) or not len(playing):
            continue
        if _met_right_after(scene, wait, int(playing[-1])):
            continue
        play = int(playing[0])
        if (int(all_clips.class_of_play[play]), event) in all_clips.having:
            found.setdefault((int(all_clips.clip_of_play[play]), event), []).append((play, wait))
    return found


def _outlived(scene: Scene) -> list[int]:
    """Return the waits (rows) during which a clip of their owner ended."""
    table = scene.take.tables["wait"]
    known, waits = scene.once(clips), scene.once(open_waits)
    texts = len(scene.take.strings) + 2
    ended = np.flatnonzero(known.counted() & known.stopped)
    stops = LineSpans(
        known.peer[ended] * texts + known.owner[ended], known.stop_line[ended], known.stop_line[ended] + 1
    )
    owners = np.asarray(table["p"], np.int64) * texts + np.asarray(table["o"], np.int64)
    between = stops.begun_before(owners, waits.end) - stops.begun_before(owners, waits.begin)
    return np.flatnonzero(between > 0).tolist()


def _met_right_after(scene: Scene, wait: int, play: int) -> bool:
    """Say whether the wait was met by a clip that took over from this one."""
    take, known = scene.take, scene.once(clips)
    met = int(take.waits.met[wait])
    if met < 0:
        return False
    send = int(take.send_ids.rows(take.tables["met"]["p"][met : met + 1], take.tables["met"]["s"][met : met + 1])[0])
    if send < 0:
        return True
    sends = take.tables["send"]
    by = int(take.play_ids.rows(sends["p"][send : send + 1], sends["y"][send : send + 1])[0])
    return by < 0 or bool(known.begin_frame[by] <= known.end_frame[play] + 1)


def find(scene: Scene) -> Iterator[Found]:
    """Yield clips without the mark that is waited for."""
    known, all_clips = scene.once(clips), scene.once(marked_clips)
    for (_, name), pairs in scene.once(waited_in_vain).items():
        plays = np.array([play for play, _ in pairs])
        waits = np.array([wait for _, wait in pairs])
        others = sorted(all_clips.having[int(all_clips.class_of_play[plays[0]]), name])
        yield tell(
            scene,
            plays,
            name,
            known.end_frame[plays],
            f"it ended {plural(len(plays), 'time')} while {_who(scene, waits)} waited for it",
            others,
            scene.evidence("wait", waits[:3].tolist(), "waits for it"),
        )


def _who(scene: Scene, waits: Array) -> str:
    table = scene.take.tables["wait"]
    return scene.take.text(int(table["o"][waits[0]])) or "code"


WAIT_WITHOUT = Cause(
    "wait-without",
    "waited for, and lacking",
    Severity.FAULT,
    find,
    about="A clip ends while its owner waits for a mark that it lacks and another clip of the class has.",
    quiet="a wait that another clip, begun at once, meets.",
)
