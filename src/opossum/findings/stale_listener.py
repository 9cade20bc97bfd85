"""Stale listeners: bound past their owner's life."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.finding import Finding, Severity, Subject
from opossum.findings.scene import Scene, at_place, listed, milliseconds, plural
from opossum.stream.tables import Array
from opossum.take.ids import factorised
from opossum.take.lives import ALIVE, GONE, NEVER

KIND = "stale-listener"
QUESTION = "What listens past its life?"


def find(scene: Scene) -> Iterator[Finding]:
    """Yield every stale listener. Cost: linear in the binds and in the calls of objects that went."""
    stale = _stale_calls(scene)
    for rows in scene.by_class(stale):
        yield _tell_called(scene, rows)
    called = np.unique(scene.take.calls.bind[stale])
    yield from _left_bound(scene, called)
    yield from _sender_gone(scene)


def _frames_of_lines(scene: Scene, lines: Array) -> Array:
    """Return the frame rows of bind-table lines; lines that never come get -2."""
    peers = scene.take.tables["bind"]["p"]
    known = lines != NEVER
    frames = np.full(len(lines), -2, np.int64)
    frames[known] = scene.take.frames.rows_of_lines(np.asarray(peers)[known], lines[known])
    return frames


def _outlives(scene: Scene, gone_line: Array) -> Array:
    """Return a boolean array (binds,): still bound when that `gone` came, and not unbound in its frame."""
    unbind_line = scene.take.binds.unbind_line
    gone_frame, unbind_frame = _frames_of_lines(scene, gone_line), _frames_of_lines(scene, unbind_line)
    return (gone_line != NEVER) & (unbind_line > gone_line) & (unbind_frame != gone_frame)


def _stale_calls(scene: Scene) -> Array:
    """Return the calls (rows) of listeners whose owner was gone."""
    take, calls, binds = scene.take, scene.take.calls, scene.take.binds
    gone = take.owner_gone & scene.counted
    has_bind = calls.bind >= 0
    outlives = np.append(_outlives(scene, binds.owner_gone_line), False)
    by_bind = gone & has_bind & outlives[calls.bind]
    by_bind |= _replaced(scene, outlives)
    # a call without a bind may still belong to the frame in which its owner went
    loose = np.flatnonzero(gone & ~has_bind)
    if len(loose):
        table = take.tables["call"]
        frame_begin = take.frames.line[calls.frame[loose]]
        before = take.objects.state_at(np.asarray(table["p"])[loose], scene.owner[loose], frame_begin)
        by_bind[loose[before == GONE]] = True
    return np.flatnonzero(by_bind)


def _replaced(scene: Scene, outlives: Array) -> Array:
    """Return calls of an old life's bind after a new life of the same name bound the same again."""
    take, calls, binds = scene.take, scene.take.calls, scene.take.binds
    table = take.tables["bind"]
    line = np.asarray(table["line"], np.int64)
    hit = np.zeros(len(calls), bool)
    old = np.flatnonzero(outlives[:-1])
    if not len(old):
        return hit
    calls_line = np.asarray(take.tables["call"]["line"], np.int64)
    heirs = np.flatnonzero(np.isin(binds.same, binds.same[old]))
    for row in old.tolist():
        newer = heirs[(binds.same[heirs] == binds.same[row]) & (line[heirs] > binds.owner_gone_line[row])]
        if len(newer):
            hit |= (calls.bind == row) & (calls_line > line[newer[0]]) & (calls_line < binds.unbind_line[newer].max())
    return hit


def _tell_called(scene: Scene, rows: Array) -> Finding:
    take, calls = scene.take, scene.take.calls
    subject = scene.subject_of_calls(rows)
    owners = [take.text(int(code)) for code in np.unique(scene.owner[rows])]
    binds = np.unique(calls.bind[rows])
    binds = binds[binds >= 0]
    cost = int(calls.duration_ns[rows].sum())
    gone_rows = _gone_rows(scene, rows)
    evidence = scene.evidence("bind", binds[:3].tolist(), "bound here")
    evidence += scene.evidence("gone", gone_rows[:3], "its owner went")
    evidence += scene.evidence("call", rows[:4].tolist(), "called all the same")
    where = take.text(int(take.tables["bind"]["at"][binds[0]])) if len(binds) else ""
    unbind = f"Unbind `{subject.ev}` where {subject.cls or 'the owner'} is destroyed"
    return Finding(
        KIND,
        "called-after-gone",
        Severity.FAULT,
        subject,
        *scene.shown_in(calls.frame[rows]),
        len(rows),
        cost,
        f"{subject.fn} was called {plural(len(rows), 'time')} for {plural(len(owners), 'object')} already gone "
        f"({listed(owners)}), {milliseconds(cost)} in all" + _pile_up(scene, len(owners)) + ".",
        f"{unbind}{f'; it is bound at {where}' if where else f' ({subject.fn}{at_place(subject.at)})'}.",
        tuple(evidence),
        rows,
    )


def _gone_rows(scene: Scene, calls: Array) -> list[int]:
    """Return rows of the `gone` records of the calls' owners, first one each."""
    gone = scene.take.tables["gone"]
    owners = np.unique(scene.owner[calls])
    _, first = np.unique(np.asarray(gone["o"]), return_index=True)
    return [int(row) for row in sorted(first) if gone["o"][row] in owners]


def _pile_up(scene: Scene, objects: int) -> str:
    """Say how fast leftovers pile up, where there are several."""
    if objects < 2:
        return ""
    return f"; {objects * 60e9 / scene.played_ns:.1f} more pile up a minute"


def _left_bound(scene: Scene, called: Array) -> Iterator[Finding]:
    take, binds = scene.take, scene.take.binds
    left = _outlives(scene, binds.owner_gone_line)
    left[called[called >= 0]] = False
    left &= ~_ends_with_take(scene, binds.owner_gone_line)
    rows = np.flatnonzero(left)
    for group in _by_class(scene, rows, "o"):
        subject = _bind_subject(scene, group)
        owners = [take.text(int(code)) for code in np.unique(np.asarray(take.tables["bind"]["o"])[group])]
        frames = _frames_of_lines(scene, binds.owner_gone_line)[group]
        evidence = scene.evidence("bind", group[:3].tolist(), "bound here, never unbound")
        evidence += _gone_evidence(scene, group, "o", "its owner went")
        yield Finding(
            KIND,
            "left-bound",
            Severity.RISK,
            subject,
            *scene.shown_in(frames),
            len(group),
            0,
            f"{subject.fn} of {listed(owners)} was still bound to `{subject.ev}` when its owner went; it was not called since"
            + _pile_up(scene, len(owners))
            + ".",
            f"Unbind `{subject.ev}` where {subject.cls or 'the owner'} is destroyed{'; it is bound' + at_place(subject.at) if subject.at else ''}.",
            tuple(evidence),
        )


def _sender_gone(scene: Scene) -> Iterator[Finding]:
    take, binds = scene.take, scene.take.binds
    table = take.tables["bind"]
    deaf = _outlives(scene, binds.source_gone_line) & (np.asarray(table["src"]) != np.asarray(table["o"]))
    deaf &= np.asarray(table["src"]) >= 0
    deaf &= binds.owner_gone_line > binds.source_gone_line
    deaf &= ~_ends_with_take(scene, binds.source_gone_line)
    rows = np.flatnonzero(deaf)
    if len(rows):
        last = np.full(len(rows), max(span.last_line for span in take.peers) + 1)
        state = take.objects.state_at(np.asarray(table["p"])[rows], np.asarray(table["src"])[rows], last)
        rows = rows[state != ALIVE]
    for group in _by_class(scene, rows, "o"):
        subject = _bind_subject(scene, group)
        owners = [take.text(int(code)) for code in np.unique(np.asarray(table["o"])[group])]
        sources = [take.text(int(code)) for code in np.unique(np.asarray(table["src"])[group])]
        frames = _frames_of_lines(scene, binds.source_gone_line)[group]
        evidence = scene.evidence("bind", group[:3].tolist(), "listens to that sender only")
        evidence += _gone_evidence(scene, group, "src", "the sender went")
        yield Finding(
            KIND,
            "sender-gone",
            Severity.RISK,
            subject,
            *scene.shown_in(frames),
            len(group),
            0,
            f"{subject.fn} of {listed(owners)} still listens to `{subject.ev}` of {listed(sources)}, "
            f"which {'is' if len(sources) == 1 else 'are'} gone: it can never be called again.",
            f"Unbind `{subject.ev}` when its sender goes{'; it is bound' + at_place(subject.at) if subject.at else ''}.",
            tuple(evidence),
        )


def _ends_with_take(scene: Scene, gone_line: Array) -> Array:
    """Return a boolean array (binds,): that `gone` fell in its peer's last frame, so the unbind may be missing."""
    take = scene.take
    frames = _frames_of_lines(scene, gone_line)
    last = np.asarray(take.frames.peer_starts[1:], np.int64) - 1
    return frames == last[np.asarray(take.tables["bind"]["p"], np.int64)]


def _by_class(scene: Scene, rows: Array, owner_field: str) -> Iterator[Array]:
    """Yield binds split by (peer, owner's class, function, event)."""
    if not len(rows):
        return
    table = scene.take.tables["bind"]
    names = [scene.take.class_of(int(code)) for code in np.asarray(table[owner_field])[rows]]
    numbers = {name: number for number, name in enumerate(dict.fromkeys(names))}
    classes = np.array([numbers[name] for name in names], np.int64)
    codes, _ = factorised(table["p"][rows], classes, table["fn"][rows], table["ev"][rows])
    for code in range(int(codes.max()) + 1):
        yield rows[codes == code]


def _bind_subject(scene: Scene, rows: Array) -> Subject:
    take, table = scene.take, scene.take.tables["bind"]
    row = int(rows[0])
    owners = np.unique(np.asarray(table["o"])[rows])
    return Subject(
        ev=take.text(int(table["ev"][row])),
        o=take.text(int(owners[0])) if len(owners) == 1 else "",
        cls=take.class_of(int(owners[0])),
        fn=take.text(int(table["fn"][row])),
        peer=scene.peer_name(int(table["p"][row])),
        at=take.text(int(table["at"][row])),
    )


def _gone_evidence(scene: Scene, binds: Array, field: str, note: str) -> list:
    gone = scene.take.tables["gone"]
    wanted = scene.take.binds.owner_gone_line if field == "o" else scene.take.binds.source_gone_line
    rows = np.flatnonzero(np.isin(np.asarray(gone["line"], np.int64), wanted[binds]))
    return scene.evidence("gone", rows[:3].tolist(), note)
