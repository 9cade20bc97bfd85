"""How findings about marks of clips and cues of tracks are split and told, whatever is wrong with them."""

from __future__ import annotations

from collections.abc import Iterator

from opossum.findings.clips import clips
from opossum.findings.finding import Found
from opossum.findings.scene import Scene
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.words import tr


def by_mark(scene: Scene, rows: Array, *, whole_clip: bool = False) -> Iterator[Array]:
    """Yield positions in `rows` (of `take.marks`) split by peer, class, clip and mark, or by clip alone."""
    marks = scene.take.marks
    if len(rows):
        yield from scene.once(clips).by_class(marks.play[rows], *(() if whole_clip else (marks.name[rows],)))


def tell(scene: Scene, rows: Array, frames: Array, summary: str, advice: str, *, whole_clip: bool = False) -> Found:
    """Return a finding about marks (rows of `take.marks`) of one clip; the texts name {clip}, {mark} and {owner}."""
    marks, known = scene.take.marks, scene.once(clips)
    plays = distinct(marks.play[rows])
    mark = marks.text_of(int(marks.name[rows[0]]))
    subject = known.subject(plays, **({} if whole_clip else {"mark": mark}))
    words = {"clip": subject.clip, "mark": mark, "owner": subject.o or subject.cls or tr("the game")}
    came = marks.send[rows] >= 0
    sends = marks.send[rows[came]]
    what = tr("the cue was sent") if known.track[plays[0]] else tr("the mark came")
    evidence = known.evidence(plays, tr("began here"), most=3) + scene.evidence("send", sends[:6].tolist(), what)
    return Found(
        subject=subject,
        frame_rows=frames,
        count=len(rows),
        summary=summary.format(**words),
        advice=advice.format(**words),
        evidence=tuple(evidence),
        calls=scene.calls_of_sends(distinct(sends)),
        sends=sends,
        due_ns=marks.due_ns[rows[came]],
    )
