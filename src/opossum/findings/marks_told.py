"""How findings about marks of clips and cues of tracks are split and told, whatever is wrong with them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.clips import clips
from opossum.findings.finding import Found
from opossum.findings.scene import Scene
from opossum.findings.wording import with_place
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.words import tr


def by_mark(scene: Scene, rows: Array, *, whole_clip: bool = False) -> Iterator[Array]:
    """Yield positions in `rows` (of `take.marks`) split by peer, class, clip and mark, or by clip alone."""
    marks = scene.take.marks
    if len(rows):
        yield from scene.once(clips).by_class(marks.play[rows], *(() if whole_clip else (marks.name[rows],)))


def first_sends(scene: Scene) -> Array:
    """Return int64 (plays,): the first send of a mark that came in each play, -1 where none did."""
    marks = scene.take.marks
    first = np.full(len(scene.take.tables["play"]), -1, np.int64)
    came = np.flatnonzero(marks.send >= 0)[::-1]
    first[marks.play[came]] = marks.send[came]
    return first


def _sends_of(scene: Scene, plays: Array) -> Array:
    """Return sends of other marks of some plays: who sends those should send the one that is missing too."""
    first = scene.once(first_sends)[plays]
    return first[first >= 0]


def tell(
    scene: Scene,
    rows: Array,
    frames: Array,
    summary: str,
    advice: str,
    *,
    whole_clip: bool = False,
    to_listeners: bool = False,
) -> Found:
    """Return a finding about marks (rows of `take.marks`) of one clip; the texts name {clip}, {mark} and {owner}.

    The advice ends with the source place of who sends the marks, or of who listens to them where it is meant for these.
    """
    marks, known = scene.take.marks, scene.once(clips)
    plays = distinct(marks.play[rows])
    mark = marks.text_of(int(marks.name[rows[0]]))
    subject = known.subject(plays, **({} if whole_clip else {"mark": mark}))
    words = {"clip": subject.clip, "mark": mark, "owner": subject.o or subject.cls or tr("the game")}
    came = marks.send[rows] >= 0
    sends = marks.send[rows[came]]
    calls = scene.calls_of_sends(distinct(sends))
    if to_listeners:
        place = scene.place_of_call(int(calls[0])) if len(calls) else ""
    else:
        place = scene.place_of_sends(sends if len(sends) else _sends_of(scene, plays))
    what = tr("the cue was sent") if known.track[plays[0]] else tr("the mark came")
    evidence = known.evidence(plays, tr("began here"), most=3) + scene.evidence("send", sends[:6].tolist(), what)
    return Found(
        subject=subject,
        frame_rows=frames,
        count=len(rows),
        summary=summary.format(**words),
        advice=with_place(advice.format(**words), place),
        evidence=tuple(evidence),
        calls=calls,
        sends=sends,
        due_ns=marks.due_ns[rows[came]],
    )
