"""Freezes: frames far over budget, and what held them."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from opossum.findings.finding import Evidence, Finding, Severity, Subject
from opossum.findings.scene import Scene, at_place, listed, milliseconds, plural
from opossum.stream.tables import Array
from opossum.take.flow import chain_of, nested_own_time
from opossum.take.frames import game_times

KIND = "freeze"
QUESTION = "What hangs?"


@dataclass(eq=False, repr=False)
class _Cause:
    """What held one frame: told apart by `key`, so that frames of one cause become one finding."""

    cause: str
    key: tuple[object, ...]
    subject: Subject
    reason: str
    advice: str
    evidence: list[Evidence]
    calls: Array
    details: list[str] = field(default_factory=list)
    known: bool = True


def find(scene: Scene) -> Iterator[Finding]:
    """Yield every freeze. Cost: linear in the frames, then in the records of the frames that froze."""
    lengths = frame_lengths(scene)
    by_cause: dict[tuple[object, ...], list[tuple[int, _Cause]]] = {}
    for row in frozen_frames(scene, lengths):
        cause = _cause_of(scene, row, int(lengths[row]))
        by_cause.setdefault((cause.cause, *cause.key), []).append((row, cause))
    for frames in by_cause.values():
        yield _tell(scene, frames, lengths)


def frame_lengths(scene: Scene) -> Array:
    """Return int64 (frames,): ns of work in each frame, with what calls after its `idle` took."""
    take, calls = scene.take, scene.take.calls
    lengths = take.frames.work_ns.copy()
    if not len(calls):
        return lengths
    late = np.flatnonzero((calls.parent < 0) & (calls.start_ns >= np.append(take.frames.work_end_ns, 0)[calls.frame]))
    late = late[take.frames.idle[calls.frame[late]]]
    np.add.at(lengths, calls.frame[late], calls.duration_ns[late])
    return lengths


def frozen_frames(scene: Scene, lengths: Array) -> list[int]:
    """Return the rows of frames far over budget, and of a last frame that ends inside an open call."""
    take, frames = scene.take, scene.take.frames
    limit = scene.thresholds.freeze_longer_than_ms * 1e6
    found: list[int] = []
    for peer in range(len(take.peers)):
        span = frames.of_peer(peer)
        judged = np.flatnonzero(frames.settled[span] & (frames.number[span] >= 0)) + span.start
        ordered = np.sort(lengths[judged])
        for row in judged[lengths[judged] > limit].tolist():
            others = np.delete(ordered, np.searchsorted(ordered, lengths[row]))
            usual = float(np.median(others)) if len(others) else 1e9 / (take.head_hz(peer) or 60)
            if lengths[row] > scene.thresholds.freeze_times_median * usual:
                found.append(row)
        last = span.stop - 1
        if last >= span.start and last not in found and len(_open_calls(scene, last)):
            found.append(last)
    return sorted(found)


def _open_calls(scene: Scene, frame: int) -> Array:
    """Return the calls of a frame that never came back although their peer's stream ends there."""
    take = scene.take
    rows = take.calls_by_frame.rows(frame)
    rows = rows[~take.calls.returned[rows]]
    peer = int(take.frames.peer[frame])
    if frame != take.frames.of_peer(peer).stop - 1 or take.closed(peer) or take.held_at_end(peer):
        return rows[:0]
    if take.growing and not len(_records_in(scene, "stuck", frame)):
        return rows[:0]  # it has only not returned yet
    main = np.asarray(take.tables["call"]["th"])[rows] == -1
    return rows[main] if main.any() else rows


def _cause_of(scene: Scene, frame: int, length: int) -> _Cause:
    """Return what held a frame, surest sign first."""
    rows = scene.take.calls_by_frame.rows(frame)
    storm = _storm(scene, rows)
    if storm is not None:
        return storm
    endless = _endless(scene, frame)
    if endless is not None:
        return endless
    slow = _slow_call(scene, frame, rows, length)
    if slow is not None:
        return slow
    many = _many_calls(scene, frame, rows, length)
    return many if many is not None else _waiting(scene, frame, rows)


def _records_in(scene: Scene, kind: str, frame: int) -> Array:
    """Return the rows of a kind's records that fall in a frame."""
    table = scene.take.tables[kind]
    if not len(table):
        return np.zeros(0, np.int64)
    return np.flatnonzero(scene.take.frames.rows_of_lines(table["p"], table["line"]) == frame)


def _stack_details(scene: Scene, stuck: Array) -> list[str]:
    """Return the last stack the watchdog left as lines of text, innermost first."""
    if not len(stuck):
        return []
    try:
        stack = json.loads(scene.take.tables["stuck"].json("stack")[int(stuck[-1])] or "[]")
    except (ValueError, RecursionError):
        return []
    lines = [str(line)[:200] for line in stack[:12]] if isinstance(stack, list) else []
    return ["Stack, innermost first: " + " ← ".join(lines)] if lines else []


def _before(scene: Scene, frame: int, call: int | None) -> str:
    """Say what happened last before the frame (or the call in it) began to hang."""
    take, calls = scene.take, scene.take.calls
    rows = take.calls_by_frame.rows(frame)
    if call is not None:
        rows = rows[rows < call]
    if not len(rows):
        earlier = np.flatnonzero(calls.frame[: call or 0] >= 0)
        if not len(earlier):
            return "Nothing was called before in this take."
        rows = np.array([earlier[-1]])
    last = int(rows[-1])
    ago = "in the same frame" if calls.frame[last] == frame else f"in frame {take.frames.number[calls.frame[last]]}"
    return f"Last before: `{take.event_of_call(last)}` called {take.function_of_call(last)} of {take.owner_of_call(last)} {ago}."


def _endless(scene: Scene, frame: int) -> _Cause | None:
    take = scene.take
    spin, stuck = _records_in(scene, "spin", frame), _records_in(scene, "stuck", frame)
    open_calls = _open_calls(scene, frame)
    peer = int(take.frames.peer[frame])
    turning: int | None = None
    if len(spin):
        named = take.call_ids.rows(np.array([peer]), np.asarray(take.tables["spin"]["c"])[spin[-1:]])
        turning = int(named[0]) if named[0] >= 0 else None
    if turning is None and len(open_calls):
        turning = int(open_calls[-1])
    if not len(spin) and turning is None:
        return None
    place = take.text(int(take.tables["spin"]["at"][spin[-1]])) if len(spin) else ""
    details = _stack_details(scene, stuck)
    ended = bool(len(open_calls))
    if turning is not None:
        subject = scene.subject_of_calls(np.array([turning]), at=place or scene.place_of_call(turning))
        name = f"{subject.fn} of {take.owner_of_call(turning)}"
    else:
        subject, name = Subject(peer=scene.peer_name(peer), at=place), "a loop"
    proof = []
    if len(spin):
        turns = int(np.asarray(take.tables["spin"]["n"])[spin].max())
        proof.append(f"its loop{at_place(place)} turned {turns:,} times")
    if len(stuck):
        lasted = np.asarray(take.tables["stuck"]["sec"])[stuck]
        longest = float(np.max(lasted, initial=0.0, where=~np.isnan(lasted)))
        proof.append(f"the watchdog saw it stuck for {longest:.1f} s" if longest else "the watchdog saw it stuck")
    if ended:
        proof.append("the stream ends inside it without `bye`")
    known = bool(len(spin) or len(stuck))
    if not known:
        details.append("No watchdog was heard: the records do not tell whether the game froze here or crashed.")
    details.append(_before(scene, frame, turning))
    evidence = scene.evidence(
        "call", [turning] if turning is not None else [], "never came back" if ended else "the call it turned in"
    )
    evidence += scene.evidence("spin", spin[-2:].tolist(), "the loop turned")
    evidence += scene.evidence("stuck", stuck[-2:].tolist(), "the watchdog saw it")
    where = place or subject.at or name
    advice = f"Give the loop in {where} a way out" if known else f"Look at {where}: the game froze or crashed inside it"
    return _Cause(
        "endless-loop",
        (subject.cls, subject.fn, subject.ev, place),
        subject,
        f"{name} did not end: {listed(proof)}"
        if ended or not len(spin)
        else f"{name} turned in a loop: {listed(proof)}",
        advice + ".",
        evidence,
        np.array([turning] if turning is not None else [], np.int64),
        details,
        known,
    )


def _storm(scene: Scene, rows: Array) -> _Cause | None:
    """Return an event storm if the deepest chain of calls in the frame goes round in a circle."""
    take, calls = scene.take, scene.take.calls
    if not len(rows):
        return None
    depth = np.zeros(len(rows), np.int64)
    place = {int(row): index for index, row in enumerate(rows)}
    for index, row in enumerate(rows.tolist()):  # parents come before their children
        depth[index] = depth[place[int(calls.parent[row])]] + 1 if int(calls.parent[row]) in place else 0
    deepest = int(rows[int(np.argmax(depth))])
    if int(depth.max()) < scene.thresholds.storm_rounds:
        return None
    chain = [row for row in chain_of(calls.parent, deepest) if row in place]
    listeners = calls.listener[chain]
    rounds = np.bincount(listeners)
    if int(rounds.max()) < scene.thresholds.storm_rounds:
        return None
    # one turn of the circle, innermost to outermost: from the deepest listener to where it comes again
    again = np.flatnonzero(listeners == listeners[np.argmax(rounds[listeners] == rounds.max())])
    turn = [chain[i] for i in range(int(again[0]), int(again[1]))]
    steps = [f"`{take.event_of_call(row)}` → {take.function_of_call(row)}" for row in turn]
    inside = np.array(
        sorted(place_row for place_row in rows.tolist() if listeners_in(calls.listener[place_row], turn, calls)),
        np.int64,
    )
    subject = scene.subject_of_calls(np.array([turn[0]]))
    events = [f"`{take.event_of_call(row)}`" for row in turn]
    evidence = scene.evidence("call", turn[:6], "a step of the circle")
    evidence += scene.evidence("call", [chain[-1]], "where the chain began")
    return _Cause(
        "event-storm",
        ("storm", *sorted({take.function_of_call(row) for row in turn})),
        subject,
        f"{listed(events)} called each other {int(rounds.max()):,} times in one frame, {len(chain):,} calls deep",
        f"Break the circle: let {take.function_of_call(turn[0])} not send while it is being called, or send only when something changed"
        f"{at_place(scene.place_of_call(turn[0]))}.",
        evidence,
        inside,
        [
            "The circle, innermost to outermost: " + " ← ".join(steps) + ".",
            _before(scene, int(calls.frame[deepest]), chain[-1]),
        ],
    )


def listeners_in(listener: int, turn: list[int], calls: object) -> bool:
    """Say whether a listener is one of those in the circle."""
    return any(listener == calls.listener[row] for row in turn)  # type: ignore[attr-defined]


def _on_main_thread(scene: Scene, rows: Array) -> Array:
    main = np.asarray(scene.take.tables["call"]["th"])[rows] == -1
    return rows[main] if main.any() else rows


def _slow_call(scene: Scene, frame: int, rows: Array, length: int) -> _Cause | None:
    take, calls = scene.take, scene.take.calls
    rows = _on_main_thread(scene, rows)
    if not len(rows):
        return None
    own, _ = nested_own_time(calls.game_start_ns[rows], calls.game_end_ns[rows])
    worst = int(np.argmax(own))
    if own[worst] < scene.thresholds.freeze_own_share * length:
        return None
    call = int(rows[worst])
    subject = scene.subject_of_calls(rows[worst : worst + 1])
    stuck = _records_in(scene, "stuck", frame)
    evidence = scene.evidence("call", [call], "began here")
    if calls.ret[call] >= 0:
        evidence += scene.evidence("ret", [int(calls.ret[call])], "came back here")
    evidence += scene.evidence("stuck", stuck[-2:].tolist(), "the watchdog saw it")
    return _Cause(
        "slow-call",
        (subject.cls, subject.fn, subject.ev),
        subject,
        f"{subject.fn} of {take.owner_of_call(call)}, called by `{subject.ev}`, took {milliseconds(int(own[worst]))} itself",
        f"Spread the work of {subject.fn} over frames, or do it on another thread{at_place(subject.at)}.",
        evidence,
        np.array([call], np.int64),
        [*_stack_details(scene, stuck), _before(scene, frame, call)],
    )


def _many_calls(scene: Scene, frame: int, rows: Array, length: int) -> _Cause | None:
    take, calls = scene.take, scene.take.calls
    rows = _on_main_thread(scene, rows)
    if not len(rows):
        return None
    own, _ = nested_own_time(calls.game_start_ns[rows], calls.game_end_ns[rows])
    if int(own.sum()) < scene.thresholds.freeze_own_share * length:
        return None
    events, first = np.unique(calls.event[rows], return_inverse=True)
    spent = np.bincount(first, weights=own)
    event = int(np.argmax(spent))
    burst = rows[first == event]
    subject = scene.subject_of_calls(burst)
    functions = sorted({take.function_of_call(int(row)) for row in burst[:2000]})
    name = take.text(int(events[event]))
    if len(functions) > 1:
        subject = Subject(ev=name, peer=subject.peer)
    evidence = scene.evidence("call", burst[:2].tolist(), "the first of them")
    evidence += scene.evidence("call", burst[-1:].tolist(), "the last of them")
    return _Cause(
        "many-calls",
        (name,),
        subject,
        f"`{name}` made {plural(len(burst), 'call')} of {listed(functions)} in one frame, {milliseconds(float(spent[event]))} together, none of them long",
        f"Send `{name}` once with all it is about, or spread it over frames{at_place(subject.at)}.",
        evidence,
        burst,
        [_before(scene, frame, int(burst[0]))],
    )


def _waiting(scene: Scene, frame: int, rows: Array) -> _Cause:
    take, calls = scene.take, scene.take.calls
    peer = int(take.frames.peer[frame])
    stuck = _records_in(scene, "stuck", frame)
    rows = _on_main_thread(scene, rows)
    outer = rows[calls.parent[rows] < 0] if len(rows) else rows
    ends = [take.frames.start_ns[frame], take.frames.work_end_ns[frame]]
    start, end = game_times(take, np.full(2, peer), np.array(ends)).tolist()
    gap_starts = np.concatenate(([start], np.maximum.accumulate(calls.game_end_ns[outer]) if len(outer) else []))
    gap_ends = np.concatenate((calls.game_start_ns[outer] if len(outer) else [], [end]))
    gap = int(np.argmax(gap_ends - gap_starts))
    long_ns = float(gap_ends[gap] - gap_starts[gap])
    last = int(outer[gap - 1]) if gap > 0 else None
    place = ""
    details = _stack_details(scene, stuck)
    if details:
        try:
            innermost = str(json.loads(take.tables["stuck"].json("stack")[int(stuck[-1])])[0])
        except (ValueError, IndexError, TypeError, KeyError):
            innermost = ""
        place = innermost.rpartition(" ")[2] if ":" in innermost else innermost
    evidence = scene.evidence("stuck", stuck[-2:].tolist(), "the watchdog saw it")
    table = take.tables["frame"]
    frame_row = np.flatnonzero(np.asarray(table["line"], np.int64) == take.frames.line[frame])
    evidence = scene.evidence("frame", frame_row.tolist(), "the frame") + evidence
    if last is not None:
        evidence += scene.evidence("call", [last], "the last call before")
    details.append(_before(scene, frame, last + 1 if last is not None else (int(rows[0]) if len(rows) else len(calls))))
    return _Cause(
        "waiting",
        (place,),
        Subject(peer=scene.peer_name(peer), at=place),
        f"the game's thread stood still for {milliseconds(long_ns)} outside any call",
        f"Do not wait on the game's thread{at_place(place)}: load or ask on another thread and send an event when it is done.",
        evidence,
        np.zeros(0, np.int64),
        details,
    )


def _tell(scene: Scene, frames: list[tuple[int, _Cause]], lengths: Array) -> Finding:
    take = scene.take
    rows = np.array([row for row, _ in frames], np.int64)
    worst_row, cause = max(frames, key=lambda item: lengths[item[0]])
    longest = int(lengths[worst_row])
    name = f"Frame {take.frames.number[worst_row]}" if take.frames.number[worst_row] >= 0 else "Start-up"
    peer = int(take.frames.peer[worst_row])
    open_end = (
        cause.cause == "endless-loop" and not take.closed(peer) and worst_row == take.frames.of_peer(peer).stop - 1
    )
    if open_end:
        verb = f"froze and never ended ({milliseconds(longest)} recorded)" if cause.known else "never ended"
    else:
        verb = f"took {milliseconds(longest)}"
    more = f" It happened in {plural(len(rows), 'frame')}." if len(rows) > 1 else ""
    return Finding(
        KIND,
        cause.cause,
        Severity.FAULT,
        cause.subject,
        rows,
        take.frame_numbers(rows),
        len(rows),
        int(lengths[rows].sum()),
        f"{name} {verb}: {cause.reason}.{more}",
        cause.advice,
        tuple(cause.evidence),
        np.unique(np.concatenate([item.calls for _, item in frames])),
        tuple(detail for detail in cause.details if detail),
    )
