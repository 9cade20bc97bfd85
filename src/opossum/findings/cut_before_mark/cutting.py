"""Both causes, which differ in one thing: whether another clip of the owner took the cut one's place."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.clips import clips, wanted
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.wording import with_place
from opossum.stream.tables import Array
from opossum.words import counted, tr


def cut_marks(scene: Scene) -> Array:
    """Return the marks (rows of `take.marks`) whose clip was stopped before their place, and that never came.

    A clip that goes round has passed every mark in its first round: stopping it later cuts nothing off.
    """
    take, marks, known = scene.take, scene.take.marks, scene.once(clips)
    if not len(marks.play):
        return np.zeros(0, np.int64)
    hows = np.append(np.asarray(take.tables["stop"]["how"], np.int64), -1)[take.plays.stop]
    cut = np.isin(hows, [take.code("cut"), take.code("blend")]) & known.counted() & scene.in_play(known.end_frame)
    length = np.asarray(take.tables["play"]["len"], np.float64)
    rate = np.asarray(take.tables["play"]["rate"], np.float64)
    ran = (marks.end_ns - marks.begin_ns) / 1e9 * np.where(rate > 0, rate, 1.0)
    cut &= ~(ran > np.where(length > 0, length, np.inf) * 1.1)
    came = np.zeros(len(known.line), bool)
    came[marks.play[marks.round > 0]] = True
    cut &= ~came & ~known.resumed()
    return np.flatnonzero(cut[marks.play] & (marks.send < 0) & (marks.seconds > marks.reached[marks.play]))


def find_cut_off(scene: Scene, replaced: bool) -> Iterator[Found]:
    """Yield clips stopped before a mark, by whether another clip replaced them."""
    marks, known = scene.take.marks, scene.once(clips)
    rows = scene.once(cut_marks)
    rows = rows[known.replaced()[marks.play[rows]] == replaced]
    for part in known.by_class(marks.play[rows], marks.name[rows]):
        yield _tell(scene, rows[part], replaced)


def _tell(scene: Scene, rows: Array, replaced: bool) -> Found:
    take, marks, known = scene.take, scene.take.marks, scene.once(clips)
    plays = marks.play[rows]
    name = marks.text_of(int(marks.name[rows[0]]))
    waiting, bound = wanted(scene, known.peer[plays], known.owner[plays], marks.name[rows], known.stop_line[plays])
    subject = known.subject(plays, mark=name)
    at, place = marks.reached[plays[0]], marks.seconds[rows[0]]
    why = (
        tr(", and {o} waits for it", o=subject.o or subject.cls)
        if waiting.any()
        else tr(", and somebody listens to it")
        if bound.any()
        else ""
    )
    by = ""
    others, stops = known.following[plays], take.plays.stop[plays]
    if replaced:
        by = tr(" by `{clip}`", clip=take.text(int(known.clip[others[0]]))) if others[0] >= 0 else ""
    evidence = known.evidence(plays, tr("began"))
    evidence += scene.evidence("stop", stops[:4].tolist(), tr("stopped before `{name}`", name=name))
    return Found(
        subject=subject,
        frame_rows=known.end_frame[plays],
        count=len(rows),
        summary=tr(
            "`{clip}` of {o} {was_replaced}{by} at {at:.2f} s, before its mark `{name}` at {place:.2f} s, "
            "{times}{why}.",
            clip=subject.clip,
            o=subject.o or subject.cls,
            was_replaced=tr("was replaced") if replaced else tr("was cut"),
            by=by,
            at=at,
            name=name,
            place=place,
            times=counted(len(rows), "time"),
            why=why,
        ),
        advice=with_place(
            tr(
                "Let `{clip}` play past `{name}` before it is {replaced}, or do what `{name}` does where it is {replaced}.",
                clip=subject.clip,
                name=name,
                replaced=tr("replaced") if replaced else tr("stopped"),
            ),
            scene.place_around(*(("play", others[others >= 0]) if replaced else ("stop", stops[stops >= 0]))),
        ),
        evidence=tuple(evidence),
        rated=None if waiting.any() or bound.any() else Severity.NOTE,
    )
