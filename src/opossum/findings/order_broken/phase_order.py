"""Phase order: phases came in another order than the head guarantees."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity, Subject
from opossum.findings.scene import Scene
from opossum.findings.wording import listed
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, factorised
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield peers whose phases come out of order. Linear in the phases."""
    take = scene.take
    for peer in range(len(take.peers)):
        names = take.recording.head_list(peer, "phases")
        rows = take.recording.rows_of_peer("phase", peer)
        if len(names) > 1 and len(rows):
            yield from _of_peer(scene, peer, names, rows)


def _of_peer(scene: Scene, peer: int, names: list[str], rows: Array) -> Iterator[Found]:
    take = scene.take
    table = take.tables["phase"]
    place_of = np.full(len(take.strings) + 1, -1, np.int64)
    for place, name in reversed(list(enumerate(names))):
        if take.code(name) >= 0:
            place_of[take.code(name)] = place
    rows = rows[place_of[np.asarray(table["name"])[rows]] >= 0]
    if not len(rows):
        return
    place = place_of[np.asarray(table["name"])[rows]]
    frame = take.frames.rows_of_lines(np.full(len(rows), peer), np.asarray(table["line"])[rows]).astype(np.int64)
    # a phase may come several times in a frame: its first coming is what the order is about
    code, _ = factorised(frame, place)
    runs = Runs(code)
    first = np.sort(runs.order[runs.starts])
    rows, place, frame = rows[first], place[first], frame[first]
    inside = (frame >= 0) & scene.in_play(frame)
    rows, place, frame = rows[inside], place[inside], frame[inside]
    highest = np.maximum.accumulate(frame * (len(names) + 1) + place)
    wrong = np.flatnonzero(highest > frame * (len(names) + 1) + place)
    if not len(wrong):
        return
    frames = distinct(frame[wrong])
    came = [take.text(int(code)) for code in np.asarray(table["name"])[rows[frame == frames[0]]]]
    late = listed([f"`{take.text(int(code))}`" for code in distinct(np.asarray(table["name"])[rows[wrong]])])
    yield Found(
        subject=Subject(peer=scene.peer_name(peer)),
        frame_rows=frames,
        count=len(frames),
        summary=tr(
            "{late} came after a later phase in {frames}: {came} instead of {name}.",
            late=late,
            frames=counted(len(frames), "frame"),
            came=", ".join(came),
            name=", ".join(name for name in names if name in came),
        ),
        advice=tr(
            "Put {late} back in place; whatever hangs on the order {names} was wrong in these frames.",
            late=late,
            names=", ".join(names),
        ),
        evidence=tuple(scene.evidence("phase", rows[wrong][:6].tolist(), tr("came too late"))),
    )


PHASE_ORDER = Cause(
    "phase-order",
    "phases out of order",
    Severity.FAULT,
    find,
    about="A phase comes in a frame for the first time after one that the head orders behind it.",
    quiet="phases that come several times, or not at all.",
)
