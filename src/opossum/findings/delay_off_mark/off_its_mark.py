"""Early and late: a delay lands beside the mark it stands in for."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.clips import clips
from opossum.findings.delay_off_mark.pairing import landings
from opossum.findings.finding import Found
from opossum.findings.frame_times import frame_times
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import at_place
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, distinct, factorised, parted
from opossum.words import counted, tr

DELAY_OFF_MS = Threshold("delay_off_ms", 40.0, "ms", "less beside a mark is not seen")
DELAY_OFF_FRAMES = Threshold("delay_off_frames", 2.0, "frames", "a delay lands on a frame, and a mark on another")
DELAY_NEAREST_PLAYS = Threshold(
    "delay_nearest_plays", 3, "plays", "of several marks the one a delay lands nearest to again and again is meant"
)


class Offsets(NamedTuple):
    """Landings (positions in `landings`), for each the mark (row of `take.marks`) it stands in for and the ns beside it."""

    place: Array
    mark: Array
    off_ns: Array


def offsets(scene: Scene) -> Offsets:
    """Return how far landings are from the marks they stand in for: that of the delay's event, the clip's only one, or the
    one most of its landings in that clip are nearest to. Linear in landings times the marks of their clips.
    """
    take, marks, pairs = scene.take, scene.take.marks, scene.once(landings)
    first_round = np.flatnonzero(marks.round == 0)
    by_play = Groups(marks.play[first_round], len(take.tables["play"]))
    counts = by_play.sizes()[pairs.play]
    event = take.arms.event[pairs.arm]
    nearest, named = np.full(len(pairs.play), -1, np.int64), np.full(len(pairs.play), -1, np.int64)
    best, best_named = np.full(len(pairs.play), np.inf), np.full(len(pairs.play), np.inf)
    for rank in range(int(counts.max(initial=0))):
        mine = np.flatnonzero(counts > rank)
        mark = first_round[by_play.order[by_play.starts[pairs.play[mine]] + rank]]
        off = np.abs(pairs.at_ns[mine] - marks.due_ns[mark])
        nearer = off < best[mine]
        best[mine[nearer]], nearest[mine[nearer]] = off[nearer], mark[nearer]
        same = (marks.name[mark] == event[mine]) & (off < best_named[mine])
        best_named[mine[same]], named[mine[same]] = off[same], mark[same]
    meant = np.where(named >= 0, named, np.where(counts == 1, nearest, -1))
    several = np.flatnonzero((named < 0) & (counts > 1))
    if len(several):
        known = scene.once(clips)
        plays = pairs.play[several]
        use, _ = factorised(
            known.peer[plays], known.cls[plays], known.clip[plays], event[several], marks.name[nearest[several]]
        )
        often = np.bincount(use)[use] >= scene[DELAY_NEAREST_PLAYS]
        meant[several[often]] = nearest[several[often]]
    place = np.flatnonzero(meant >= 0)
    beside = scene.once(frame_times).beside("send", pairs.send[place], meant[place])
    return Offsets(place, meant[place], beside)


def find_beside(scene: Scene, early: bool) -> Iterator[Found]:
    """Yield delays that land beside their marks, before or after."""
    take, marks, pairs = scene.take, scene.take.marks, scene.once(landings)
    known, off = scene.once(clips), scene.once(offsets)
    if not len(off.place):
        return
    plays = pairs.play[off.place]
    limit = np.maximum(
        scene[DELAY_OFF_MS] * 1e6, scene[DELAY_OFF_FRAMES] * scene.once(frame_times).frame_ns(known.peer[plays])
    )
    lands = take.sends.frame[pairs.send[off.place]]
    waited = (not early) & scene.once(frame_times).with_its_mark(lands, off.mark)
    far = np.flatnonzero(((-off.off_ns if early else off.off_ns) > limit) & ~waited)
    groups = (known.peer[plays[far]], known.cls[plays[far]], known.clip[plays[far]])
    for part in parted(*groups, marks.name[off.mark[far]], take.arms.event[pairs.arm[off.place[far]]]):
        yield _tell(scene, far[part], early)


def _tell(scene: Scene, mine: Array, early: bool) -> Found:
    take, marks, pairs, known = scene.take, scene.take.marks, scene.once(landings), scene.once(clips)
    off = scene.once(offsets)
    place, mark = off.place[mine], int(off.mark[mine[0]])
    plays, sends, arm = distinct(pairs.play[place]), distinct(pairs.send[place]), int(pairs.arm[place[0]])
    event, name = take.text(int(take.arms.event[arm])), marks.text_of(int(marks.name[mark]))
    subject = known.subject(plays, ev=event, mark=name, at=take.text(int(take.tables["arm"]["at"][arm])))
    median = float(np.median(off.off_ns[mine]))
    frame = scene.once(frame_times).usual_ns[int(known.peer[plays[0]])]
    spread = (float(off.off_ns[mine].max()) - float(off.off_ns[mine].min())) / 1e6
    calls = scene.calls_of_sends(sends)
    listener = take.function_of_call(int(calls[0])) if len(calls) else ""
    bind = (
        tr("Bind {listener} to the mark `{name}`", listener=listener, name=name)
        if listener
        else tr("Do it on the mark `{name}`", name=name)
    )
    word = tr("before") if early else tr("after")
    evidence = scene.evidence("arm", distinct(pairs.arm[place])[:3].tolist(), tr("the delay is set"))
    evidence += known.evidence(plays, tr("the clip begins"), most=3)
    evidence += scene.evidence("send", sends[:4].tolist(), tr("the delay lands"))
    return Found(
        subject=subject,
        frame_rows=take.sends.frame[sends],
        count=len(sends),
        summary=tr(
            "The delay for `{event}` of {o} lands {median:.0f} ms ({median2:.1f} frames) {word} the mark "
            "`{name}` of `{clip}`, {times}{what}.",
            event=event,
            o=subject.o or subject.cls,
            median=abs(median) / 1e6,
            median2=abs(median) / frame,
            word=word,
            name=name,
            clip=subject.clip,
            times=counted(len(sends), "time"),
            what=tr(", which differ by up to {spread:.0f} ms", spread=spread) if spread >= 1 else "",
        ),
        advice=tr(
            "{bind} instead of a delay{place}: the mark moves with the clip, the delay does not.",
            bind=bind,
            place=at_place(subject.at),
        ),
        evidence=tuple(evidence),
        calls=calls,
        sends=pairs.send[place],
        due_ns=marks.due_ns[off.mark[mine]],
    )


THRESHOLDS = (DELAY_OFF_MS, DELAY_OFF_FRAMES, DELAY_NEAREST_PLAYS)
