"""What the causes share: which waits were never met, what ended them, and how they are told."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.clips import clips, open_waits
from opossum.findings.declaring import Spring
from opossum.findings.finding import Finding, Found, Subject
from opossum.findings.links import of_one_peer
from opossum.findings.scene import Scene
from opossum.findings.wording import listed, with_place
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, parted
from opossum.take.indexes.objects import NEVER
from opossum.take.spans import LineSpans
from opossum.words import counted, tr


class NeverMet(NamedTuple):
    """Waits (rows) never met nor given up; for each the play (row) that carried the mark and ended, or -1, and the line in
    which the owner went, or `NEVER`.
    """

    rows: Array
    play: Array
    gone_line: Array


def never_met(scene: Scene) -> NeverMet:
    """Return the waits that were never met. Cost: a sort of the clips with marks, a binary search for each wait."""
    take, marks = scene.take, scene.take.marks
    waits, known = scene.once(open_waits), scene.once(clips)
    table = take.tables["wait"]
    rows = np.flatnonzero(waits.never)
    gone_line, _ = take.objects.next_gone(
        np.asarray(table["p"])[rows], np.asarray(table["o"])[rows], np.asarray(table["line"])[rows]
    )
    play_of = np.full(len(rows), -1, np.int64)
    carries = np.zeros(0, np.int64)
    if len(marks.play):
        carries = np.flatnonzero((marks.round == 0) & (known.counted() & known.stopped)[marks.play])
    if not len(rows) or not len(carries):
        return NeverMet(rows, play_of, gone_line)
    # by (owner, mark): the first clip that ends after the wait began
    plays = marks.play[carries]
    stops = LineSpans(
        waits.keys(known.peer[plays], known.owner[plays], marks.name[carries]),
        known.stop_line[plays],
        NEVER + 0 * plays,
    )
    found = stops.next_begun(waits.key[rows], waits.begin[rows])
    play = np.append(plays, -1)[found]
    frames = take.frames.rows_of_lines(table["p"], table["line"]).astype(np.int64)[rows]
    sound = (found >= 0) & (known.begin_frame[play] <= frames + 1) & ~known.replaced()[play]
    sound &= known.outlived()[play] & (known.stop_line[play] < gone_line)
    play_of[sound] = play[sound]
    return NeverMet(rows, play_of, gone_line)


def told(scene: Scene, waits: Array, frames: Array, why: str, advice: str) -> Iterator[Found]:
    """Yield findings about waits (rows) that show in frames (n,), one for each peer, owner's class and event."""
    take = scene.take
    table = take.tables["wait"]
    classes = scene.class_of_object[np.asarray(table["o"])[waits]]
    for part in parted(np.asarray(table["p"])[waits], classes, np.asarray(table["ev"])[waits]):
        mine = waits[part]
        owners = [take.text(int(code)) for code in distinct(np.asarray(table["o"])[mine])]
        event = take.text(int(table["ev"][mine[0]]))
        openers = take.call_ids.rows(np.asarray(table["p"])[mine[:1]], np.asarray(table["c"])[mine[:1]])
        opener = int(openers[0])
        where = tr(" in {function_of_call}", function_of_call=take.function_of_call(opener)) if opener >= 0 else ""
        yield Found(
            subject=Subject(
                ev=event,
                o=owners[0] if len(owners) == 1 else "",
                cls=take.class_of(int(table["o"][mine[0]])),
                fn=take.text(int(scene.function[opener])) if opener >= 0 else "",
                peer=scene.peer_name(int(table["p"][mine[0]])),
            ),
            frame_rows=frames[part],
            count=len(mine),
            summary=tr(
                "{owners} waited for `{event}`{where} and it never came, {times}: {why}.",
                owners=listed(owners) or tr("Code"),
                event=event,
                where=where,
                times=counted(len(mine), "time"),
                why=why,
            ),
            advice=with_place(advice.format(event=event, where=where), scene.place_around("wait", mine)),
            evidence=tuple(scene.evidence("wait", mine[:6].tolist(), tr("waits from here on"))),
        )


def _of_its_mark(scene: Scene, finding: Finding, root: Finding) -> bool:
    """Say whether the root tells of the mark that is waited for, of the same class."""
    is_it = finding.subject.ev == root.subject.mark and finding.subject.cls == root.subject.cls
    return is_it and of_one_peer(finding, root)


FROM_THE_MARK = (Spring("missing-mark", _of_its_mark), Spring("cut-before-mark", _of_its_mark))


def went(never: NeverMet) -> Array:
    """Return a boolean array (n,): the owner went while it waited, its clip not having ended before."""
    return (never.play < 0) & (never.gone_line != NEVER)
