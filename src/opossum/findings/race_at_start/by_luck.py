"""By luck: new objects of a class are bound before an event is sent, or after it, as it happens."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause, Spring
from opossum.findings.finding import Finding, Found, Severity, Subject
from opossum.findings.listening import listening
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import at_place
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, factorised, parted
from opossum.words import tr

RACE_SPAWNS = Threshold("race_spawns", 4, "spawns", "with fewer, now this and now that is no pattern")
RACE_FRAMES = Threshold("race_frames", 10, "frames", "what comes so soon after a spawn belongs to its start")

MOST_SENDS = 200
"""Sends of one event around a spawn that are looked through."""


def find(scene: Scene) -> Iterator[Found]:
    """Yield races between being bound and being told. Cost: a sort of binds and a binary search in the sends of each event."""
    take = scene.take
    table, spawns = take.tables["bind"], take.tables["spawn"]
    if len(spawns) < scene[RACE_SPAWNS] or not len(table):
        return
    rows, spawn = _first_binds(scene)
    if not len(rows):
        return
    near, late = _near_sends(scene, rows, spawn)
    classes = np.asarray(scene.class_of_object[np.asarray(table["o"])[rows]], np.int64)
    for part in parted(np.asarray(table["p"])[rows], np.asarray(table["ev"])[rows], classes):
        missed, heard = part[late[part] >= 0], part[(late[part] < 0) & (near[part] >= 0)]
        if len(missed) and len(heard) and len(part) >= scene[RACE_SPAWNS]:
            yield _tell(scene, rows[missed], late[missed], rows[heard])


def _first_binds(scene: Scene) -> tuple[Array, Array]:
    """Return (binds, spawns): the first bind of each owner to each event in each of its lives, and that life's spawn."""
    take = scene.take
    table, spawns = take.tables["bind"], take.tables["spawn"]
    texts = len(take.strings) + 2
    spawn_key = np.asarray(spawns["p"], np.int64) * texts + np.asarray(spawns["o"], np.int64)
    bind_key = np.asarray(table["p"], np.int64) * texts + np.asarray(table["o"], np.int64)
    order = np.lexsort((np.asarray(spawns["line"]), spawn_key))
    stride = 2 + int(max(np.max(spawns["line"]), np.max(table["line"])))
    known = np.unique(spawn_key)
    place = np.minimum(np.searchsorted(known, bind_key), len(known) - 1)
    own = np.searchsorted(known, spawn_key[order]) * stride + np.asarray(spawns["line"], np.int64)[order]
    at = np.searchsorted(own, place * stride + np.asarray(table["line"], np.int64), "right") - 1
    sound = (known[place] == bind_key) & (at >= 0) & (spawn_key[order][np.maximum(at, 0)] == bind_key)
    binds = np.flatnonzero(sound)
    spawn = order[at[sound]]
    life, _ = factorised(spawn, np.asarray(table["ev"])[binds])
    runs = Runs(life)
    first = np.sort(runs.order[runs.starts])
    return binds[first], spawn[first]


def _near_sends(scene: Scene, binds: Array, spawn: Array) -> tuple[Array, Array]:
    """Return (near, late): for each bind the first fitting send near its spawn that came while it was bound, and the first
    that came between its spawn and its bind; -1 where there is none.

    What comes again by itself (ticks, looping timers, held keys) is in no race.
    """
    take = scene.take
    known, sends, table = scene.once(listening), take.tables["send"], take.tables["bind"]
    timers = [take.code(name) for name in ("tick", "timer")]
    edges = [take.code(name) for name in ("stay", "held")]
    rows = np.flatnonzero(~np.isin(np.asarray(sends["via"]), timers) & ~np.isin(np.asarray(sends["edge"]), edges))
    keys = known.of_sends(rows)
    used = np.isin(keys, known.key[binds])
    rows, keys = rows[used], keys[used]
    order = np.lexsort((rows, keys))
    rows, keys = rows[order], keys[order]
    spawn_frame = take.frames.rows_of_lines(
        np.asarray(take.tables["spawn"]["p"])[spawn], np.asarray(take.tables["spawn"]["line"])[spawn]
    ).astype(np.int64)
    frames = take.sends.frame[rows].astype(np.int64)
    lines = np.asarray(sends["line"], np.int64)[rows]
    bind_line = np.asarray(table["line"], np.int64)[binds]
    spawn_line = np.asarray(take.tables["spawn"]["line"], np.int64)[spawn]
    reach = scene[RACE_FRAMES]
    near, late = np.full(len(binds), -1, np.int64), np.full(len(binds), -1, np.int64)
    # (event, line) and (event, frame) as one ascending number each: sends stand in order of both
    known_keys = np.unique(keys)
    rank, asked = np.searchsorted(known_keys, keys), np.searchsorted(known_keys, known.key[binds])
    heard = (asked < len(known_keys)) & (np.append(known_keys, -1)[asked] == known.key[binds])
    by_line, line_stride = _ascending(rank, lines, np.concatenate((bind_line, spawn_line)))
    by_frame, frame_stride = _ascending(rank, frames, spawn_frame + reach)
    low = np.searchsorted(by_line, asked * line_stride + spawn_line, "left")
    middle = np.searchsorted(by_line, asked * line_stride + bind_line, "left")
    high = np.searchsorted(by_frame, asked * frame_stride + spawn_frame + reach, "right")
    # a race needs one who missed it: events that nobody misses are not looked into
    misses = heard & (middle > low) & (high > low)
    group, _ = factorised(known.key[binds], scene.class_of_object[known.owner[binds]])
    raced = np.bincount(group, weights=misses)[group] > 0
    for place in np.flatnonzero(heard & raced & (high > low)).tolist():
        mine = np.arange(low[place], min(high[place], low[place] + MOST_SENDS))
        mine = mine[known.fits(np.full(len(mine), binds[place]), rows[mine])]
        before = mine[lines[mine] < bind_line[place]]
        after = mine[lines[mine] > bind_line[place]]
        if len(before):
            late[place] = rows[before[0]]
        if len(after):
            near[place] = rows[after[0]]
    return near, late


def _ascending(rank: Array, values: Array, others: Array) -> tuple[Array, int]:
    """Return (rank and value as one number, the stride between ranks), the stride beyond all values and others."""
    stride = 2 + int(max(np.max(values, initial=0), np.max(others, initial=0)))
    return rank * stride + values, stride


def _tell(scene: Scene, missed: Array, sends: Array, heard: Array) -> Found:
    take = scene.take
    table = take.tables["bind"]
    event, cls = take.text(int(table["ev"][missed[0]])), take.class_of(int(table["o"][missed[0]]))
    functions = distinct(np.asarray(table["fn"])[missed])
    at = take.text(int(table["at"][missed[0]]))
    evidence = scene.evidence("send", distinct(sends)[:4].tolist(), tr("sent before it was bound"))
    evidence += scene.evidence("bind", missed[:3].tolist(), tr("bound too late"))
    evidence += scene.evidence("bind", heard[:3].tolist(), tr("bound in time"))
    return Found(
        subject=Subject(
            ev=event,
            cls=cls,
            fn=take.text(int(functions[0])) if len(functions) == 1 else "",
            peer=scene.peer_name(int(table["p"][missed[0]])),
            at=at,
        ),
        frame_rows=take.sends.frame[sends],
        count=len(missed),
        summary=tr(
            "Of {count:,} new objects{of_class} {heard:,} were bound to `{event}` before it was sent and {missed:,} "
            "after: whether they hear it is luck.",
            count=len(missed) + len(heard),
            of_class=tr(" of class {cls}", cls=cls) if cls else "",
            heard=len(heard),
            event=event,
            missed=len(missed),
        ),
        advice=tr(
            "Bind `{event}` where {cls} is made{place}, before anything can send it.",
            event=event,
            cls=cls or tr("the object"),
            place=at_place(at),
        ),
        evidence=tuple(evidence),
    )


def of_one_start(scene: Scene, finding: Finding, root: Finding) -> bool:
    """Say whether the root tells of the same event not heard by the same class."""
    return (finding.subject.ev, finding.subject.cls) == (root.subject.ev, root.subject.cls)


BY_LUCK = Cause(
    "by-luck",
    "bound in time by luck",
    Severity.RISK,
    find,
    (RACE_SPAWNS, RACE_FRAMES),
    springs_from=(Spring("unheard/sent-before-bind", of_one_start),),
    about="Of at least four new objects of a class some are bound to an event before it is sent, and some after, within ten frames of their spawn.",
    quiet="what comes again by itself.",
)
