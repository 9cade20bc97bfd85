"""Double firing: one thing happened, the listener ran more than once."""

from __future__ import annotations

import json
from collections.abc import Iterator

import numpy as np

from opossum.findings.finding import Finding, Severity, Subject
from opossum.findings.scene import Scene, at_place, listed, plural
from opossum.stream.tables import Array
from opossum.take.flow import chain_of
from opossum.take.ids import repeated_rows

KIND = "double-fire"
QUESTION = "What fires twice?"


def find(scene: Scene) -> Iterator[Finding]:
    """Yield every double firing. Cost: linear in the calls, then in what is suspicious."""
    yield from _bound_twice(scene)
    yield from _two_routes(scene)
    yield from _queue_kept(scene)
    yield from _armed_twice(scene)
    yield from _held_input(scene)
    yield from _no_latch_in_zone(scene)
    yield from _no_latch_on_enter(scene)
    yield from _no_latch_on_value(scene)
    yield from _mirrored(scene)


# --- bound-twice ---------------------------------------------------------------------------------


def _bound_twice(scene: Scene) -> Iterator[Finding]:
    calls = scene.take.calls
    asked = np.flatnonzero((calls.send >= 0) & scene.counted)
    extra: list[int] = []
    binds_of: dict[int, Array] = {}
    for group in repeated_rows(calls.send[asked], scene.owner[asked], scene.function[asked]):
        rows = asked[group]
        binds = np.unique(calls.bind[rows])
        binds = binds[binds >= 0]
        if not len(binds):
            binds = _live_binds(scene, int(rows[0]))
        if len(binds) < 2:
            continue  # one listener called twice for one send is not bound twice
        for row in rows[1:]:
            extra.append(int(row))
            binds_of[int(row)] = binds
    for rows in scene.by_class(np.array(sorted(extra), np.int64)):
        yield _tell_bound_twice(scene, rows, binds_of)


def _live_binds(scene: Scene, call: int) -> Array:
    """Return the binds of a call's event, owner and function that were alive when it began."""
    take = scene.take
    table, line = take.tables["bind"], int(take.tables["call"]["line"][call])
    same = (np.asarray(table["ev"]) == take.calls.event[call]) & (np.asarray(table["o"]) == scene.owner[call])
    same &= (np.asarray(table["fn"]) == scene.function[call]) & (np.asarray(table["p"]) == scene.peer[call])
    return np.flatnonzero(same & (np.asarray(table["line"]) < line) & (take.binds.unbind_line > line))


def _tell_bound_twice(scene: Scene, rows: Array, binds_of: dict[int, Array]) -> Finding:
    take = scene.take
    binds = binds_of[int(rows[0])]
    places = [take.text(int(take.tables["bind"]["at"][bind])) for bind in binds]
    sends = np.unique(take.calls.send[rows])
    owners = sorted({take.text(int(code)) for code in scene.owner[rows]})
    subject = scene.subject_of_calls(rows)
    where = [place for place in places if place]
    bound = f"bound {len(binds)} times at once" + (f" (at {listed(where)})" if where else "")
    first = int(rows[0])
    evidence = scene.evidence("bind", binds.tolist(), "bound here")
    evidence += scene.evidence("send", [int(take.calls.send[first])], "one send …")
    same_send = np.flatnonzero(
        (take.calls.send == take.calls.send[first])
        & (scene.owner == scene.owner[first])
        & (scene.function == scene.function[first])
    )
    evidence += scene.evidence("call", same_send.tolist(), "… ran it here")
    again = places[-1] or "the second bind"
    heard = f"each of {len(sends):,} `{subject.ev}` sends" if len(sends) > 1 else f"one `{subject.ev}` send"
    return Finding(
        KIND,
        "bound-twice",
        Severity.FAULT,
        subject,
        *scene.shown_in(take.calls.frame[rows]),
        len(rows),
        int(take.calls.duration_ns[rows].sum()),
        f"{subject.fn} of {listed(owners)} ran twice for {heard}: it is {bound}.",
        f"Remove one of the binds of `{subject.ev}` to {subject.fn}, likely {again}, or unbind before binding again.",
        tuple(evidence),
        np.union1d(rows, same_send),
    )


# --- two-routes ----------------------------------------------------------------------------------


def _two_routes(scene: Scene) -> Iterator[Finding]:
    take, calls = scene.take, scene.take.calls
    tick = take.code("tick")
    asked = np.flatnonzero((calls.send >= 0) & scene.counted & (scene.via != tick) & (scene.owner >= 0))
    if not len(asked):
        return
    root = _root_of(scene, asked)
    extra: list[int] = []
    partner: dict[int, int] = {}
    for group in repeated_rows(calls.frame[asked], scene.owner[asked], scene.function[asked], scene.peer[asked], root):
        rows = asked[group]
        for first, second in _indistinct_pairs(scene, rows):
            extra.append(second)
            partner[second] = first
    by_function: dict[tuple[str, str, int, int, int], list[int]] = {}
    for second in extra:
        key = (
            take.class_of(int(scene.owner[second])),
            take.function_of_call(second),
            int(scene.peer[second]),
            *sorted((int(calls.event[second]), int(calls.event[partner[second]]))),
        )
        by_function.setdefault(key, []).append(second)  # type: ignore[arg-type]
    for seconds in by_function.values():
        yield _tell_two_routes(scene, np.array(seconds, np.int64), partner)


def _root_of(scene: Scene, rows: Array) -> Array:
    """Return what each call springs from: a send's row, or (below a tick) the outermost call, negative.

    A tick is sent to everybody, so it is nobody's common cause; a timer's firing is, whatever it sends.
    """
    take = scene.take
    top = scene.top[rows]
    root_send = take.calls.send[top].astype(np.int64)
    sends = take.tables["send"]
    root_via = np.append(np.asarray(sends["via"], np.int64), -1)[root_send]
    arm = np.append(np.asarray(sends["a"], np.int64), 0)[root_send]
    base = len(sends) + 1
    by_arm = (arm > 0) & np.isin(root_via, [take.code("timer"), take.code("delay")])
    root = np.where(by_arm, base + arm, root_send)
    ticked = (root_via == take.code("tick")) | (root_send < 0)
    return np.where(ticked, -2 - top, root)


def _indistinct_pairs(scene: Scene, rows: Array) -> Iterator[tuple[int, int]]:
    """Yield (first call, later call) pairs that nothing in the data tells apart."""
    take, calls = scene.take, scene.take.calls
    sends = take.tables["send"]
    seen: dict[str, list[int]] = {}
    for row in rows.tolist():
        if _called_by_itself(scene, row):
            continue  # a cycle, told as such
        send = int(calls.send[row])
        data = scene.data_of_send(send)
        earlier = seen.setdefault(data, [])
        for other in earlier:
            other_send = int(calls.send[other])
            if other_send == send:
                break  # the same send: bound twice or pulled twice
            same_event = calls.event[other] == calls.event[row]
            if same_event and sends["o"][send] != sends["o"][other_send]:
                continue
            if same_event and calls.send[scene.top[row]] != calls.send[scene.top[other]]:
                continue  # two firings of one timer: it is catching up
            yield other, row
            break
        if len(earlier) < 8:
            earlier.append(row)


def _called_by_itself(scene: Scene, row: int) -> bool:
    """Say whether a call has the same owner's same function among its ancestors (the nearest 64)."""
    chain = chain_of(scene.take.calls.parent, row, 64)[1:]
    return any(scene.owner[call] == scene.owner[row] and scene.function[call] == scene.function[row] for call in chain)


def _tell_two_routes(scene: Scene, rows: Array, partner: dict[int, int]) -> Finding:
    take, calls = scene.take, scene.take.calls
    second = int(rows[0])
    first = partner[second]
    events = list(dict.fromkeys(take.event_of_call(call) for call in (first, second)))
    subject = scene.subject_of_calls(rows, ev=events[0] if len(events) == 1 else events[1])
    top = int(scene.top[second])
    shared_call = scene.top[first] == top
    if shared_call:
        cause = f"{take.function_of_call(top)} of {take.owner_of_call(top)}"
    else:
        cause = f"one `{take.event_of_call(top)}` send"
    routes = f"through `{events[0]}` and `{events[1]}`" if len(events) == 2 else f"through two `{events[0]}` sends"
    evidence = (
        scene.evidence("call", [top], "the one cause")
        if shared_call
        else scene.evidence("send", [int(calls.send[top])], "the one cause")
    )
    evidence += scene.evidence("send", [int(calls.send[first]), int(calls.send[second])], "a route")
    evidence += scene.evidence("call", [first, second], "ran here")
    return Finding(
        KIND,
        "two-routes",
        Severity.FAULT,
        subject,
        *scene.shown_in(calls.frame[rows]),
        len(rows),
        int(calls.duration_ns[rows].sum()),
        f"{subject.fn} of {take.owner_of_call(second)} ran twice in a frame {routes}, both from {cause}; "
        f"it happened {plural(len(rows), 'time')}.",
        f"Let {subject.fn} listen to one of the two only, or let the sender send once; look at "
        f"{scene.place_of_call(second) or subject.fn}.",
        tuple(evidence),
        np.unique(np.concatenate((rows, [partner[int(row)] for row in rows]))),
    )


# --- queue-kept ----------------------------------------------------------------------------------


def _queue_kept(scene: Scene) -> Iterator[Finding]:
    take = scene.take
    pull, put = take.tables["pull"], take.tables["put"]
    puts: dict[tuple[int, int, int], int] = {}
    for key in zip(put["p"].tolist(), put["q"].tolist(), put["s"].tolist(), strict=True):
        puts[key] = puts.get(key, 0) + 1
    again: dict[tuple[int, int], list[int]] = {}
    first_pull: dict[int, int] = {}
    for group in repeated_rows(pull["p"], pull["q"], pull["s"]):
        key = (int(pull["p"][group[0]]), int(pull["q"][group[0]]), int(pull["s"][group[0]]))
        for row in group[max(1, puts.get(key, 1)) :].tolist():
            again.setdefault(key[:2], []).append(row)
            first_pull[row] = int(group[0])
    send_rows = take.send_ids.rows(pull["p"], pull["s"])
    frames = take.frames.rows_of_lines(pull["p"], pull["line"])
    for (peer, queue), rows in again.items():
        rows = sorted(row for row in rows if frames[row] < 0 or not take.frames.loading[frames[row]])
        if not rows:
            continue
        sends = [int(send_rows[row]) for row in rows if send_rows[row] >= 0]
        events = sorted({take.text(int(take.tables["send"]["ev"][send])) for send in sends})
        made = np.flatnonzero(np.isin(take.calls.send, sends))
        lines = np.asarray(take.tables["call"]["line"], np.int64)
        from_line = int(pull["line"][rows[0]])
        repeats = made[lines[made] > from_line]
        name = take.text(queue)
        shown = frames[rows]
        function = take.function_of_call(int(repeats[0])) if len(repeats) else ""
        evidence = scene.evidence("put", _rows_where(put, peer, queue, int(pull["s"][rows[0]])), "put once")
        evidence += scene.evidence("pull", [first_pull[rows[0]], rows[0]], "pulled here")
        yield Finding(
            KIND,
            "queue-kept",
            Severity.FAULT,
            Subject(ev=events[0] if len(events) == 1 else "", q=name, fn=function, peer=scene.peer_name(peer)),
            *scene.shown_in(shown),
            len(rows),
            int(take.calls.duration_ns[repeats].sum()),
            f"Queue `{name}` delivered {plural(len(set(sends)), 'send')} ({listed([f'`{event}`' for event in events])}) "
            f"again, {plural(len(rows), 'time')} in all: they stayed on the queue after they were pulled.",
            f"Take a send off `{name}` when it is pulled, or clear the queue after delivering it.",
            tuple(evidence),
            repeats,
        )


def _rows_where(table: object, peer: int, queue: int, send_id: int) -> list[int]:
    columns = table  # a Table
    hit = (columns["p"] == peer) & (columns["q"] == queue) & (columns["s"] == send_id)  # type: ignore[index]
    return np.flatnonzero(hit).tolist()


# --- armed-twice ---------------------------------------------------------------------------------


def _armed_twice(scene: Scene) -> Iterator[Finding]:
    take = scene.take
    table, arms = take.tables["arm"], take.arms
    looping = np.asarray(table["loop"]) == 1
    asked = np.flatnonzero((np.asarray(table["o"]) >= 0) & (arms.event >= 0) & (arms.firings.sizes() > 0))
    found: dict[tuple[int, str, int, bool], list[tuple[int, int, Array]]] = {}
    for group in repeated_rows(table["p"][asked], table["o"][asked], arms.event[asked], looping[asked]):
        rows = asked[group]
        rows = rows[np.argsort(np.asarray(table["line"])[rows], kind="stable")]
        loops = bool(looping[rows[0]])
        earlier: list[int] = []
        for row in rows.tolist():
            start = int(table["line"][row])
            earlier = [other for other in earlier if arms.end_line[other] > start]
            for other in earlier:
                doubled = _doubled_firings(scene, other, row, loops)
                if len(doubled):
                    owner_class = take.class_of(int(table["o"][row]))
                    key = (int(table["p"][row]), owner_class, int(arms.event[row]), loops)
                    found.setdefault(key, []).append((other, row, doubled))
                    break
            earlier.append(row)
    for (peer, owner_class, event, loops), pairs in found.items():
        yield _tell_armed_twice(scene, peer, owner_class, take.text(event), loops, pairs)


def _doubled_firings(scene: Scene, first: int, second: int, loops: bool) -> Array:
    """Return the sends of `second` that came on top of those of `first` (rows), or none."""
    take = scene.take
    sends, arms = take.tables["send"], take.arms
    lines = np.asarray(sends["line"], np.int64)
    of_first, of_second = arms.firings.rows(first), arms.firings.rows(second)
    if loops:
        end = min(int(arms.end_line[first]), int(arms.end_line[second]))
        begin = int(take.tables["arm"]["line"][second])
        of_first = of_first[(lines[of_first] > begin) & (lines[of_first] <= end)]
        of_second = of_second[(lines[of_second] > begin) & (lines[of_second] <= end)]
    if not len(of_first) or not len(of_second):
        return of_second[:0]
    data_first = {scene.data_of_send(int(send)) for send in of_first[:20]}
    data_second = {scene.data_of_send(int(send)) for send in of_second[:20]}
    if len(data_first) == len(data_second) == 1 and data_first != data_second:
        return of_second[:0]  # the data tells the two apart
    frames = take.sends.frame[of_second]
    return of_second[(frames < 0) | ~np.append(take.frames.loading, False)[frames]]


def _tell_armed_twice(
    scene: Scene, peer: int, owner_class: str, event: str, loops: bool, pairs: list[tuple[int, int, Array]]
) -> Finding:
    take = scene.take
    table = take.tables["arm"]
    firings = np.unique(np.concatenate([pair[2] for pair in pairs]))
    owners = [take.text(int(table["o"][pair[1]])) for pair in pairs]
    first, second, _ = pairs[0]
    calls = np.flatnonzero(np.isin(take.calls.send, firings))
    places = [place for arm in (first, second) if (place := take.text(int(table["at"][arm])))]
    if not places:
        causes = [int(take.arms.cause[arm]) for arm in (first, second)]
        places = [take.function_of_call(cause) for cause in causes if cause >= 0]
    what = "looping timers" if loops else "delays"
    word = "timer" if loops else "delay"
    own = set(owners)
    subject = Subject(
        ev=event,
        o=owners[0] if len(own) == 1 else "",
        cls=owner_class,
        fn=take.function_of_call(int(calls[0])) if len(calls) else "",
        peer=scene.peer_name(peer),
        at=take.text(int(table["at"][second])),
    )
    effect = "so it comes at a higher rate than meant" if loops else "so the effect comes twice"
    evidence = scene.evidence("arm", [first, second], "alive together")
    evidence += scene.evidence("send", firings[:4].tolist(), "fired on top of the other")
    return Finding(
        KIND,
        "armed-twice",
        Severity.FAULT,
        subject,
        *scene.shown_in(take.sends.frame[firings]),
        len(firings),
        int(take.calls.duration_ns[calls].sum()),
        f"Two {what} for `{event}` of {listed(owners)} are alive together, {effect}: "
        f"{plural(len(firings), 'firing')} too many.",
        f"Clear the first {word} before setting it again, or do not set it again"
        + (f"; it is set in {listed(places)}." if places else "."),
        tuple(evidence),
        calls,
    )


# --- held-input ----------------------------------------------------------------------------------


def _held_input(scene: Scene) -> Iterator[Finding]:
    take, calls = scene.take, scene.take.calls
    sends = take.tables["send"]
    edge = np.append(np.asarray(sends["edge"], np.int64), -1)[calls.send]
    key = np.append(np.asarray(sends["key"], np.int64), -1)[calls.send]
    from_input = scene.via == take.code("input")
    held = np.flatnonzero(from_input & (edge == take.code("held")) & scene.counted)
    down = from_input & (edge == take.code("down"))
    pressed = (np.asarray(sends["edge"]) == take.code("down")) & (np.asarray(sends["via"]) == take.code("input"))
    for group in repeated_rows(scene.peer[held], scene.owner[held], scene.function[held], key[held]):
        rows = held[group]
        one = int(rows[0])
        same_key = (np.asarray(sends["key"]) == key[one]) & (np.asarray(sends["p"]) == scene.peer[one])
        presses = np.flatnonzero(pressed & same_key)
        if not len(presses):
            continue
        of_press = down & (key == key[one]) & (scene.peer == scene.peer[one]) & (scene.owner == scene.owner[one])
        if (of_press & (scene.function != scene.function[one])).any():
            continue  # the press has a listener of its own there: holding is meant
        repeats = _repeats_in_runs(calls.frame[rows], calls.effect[rows] > 0)
        if not len(repeats):
            continue
        extra = rows[repeats]
        name = take.text(int(key[one]))
        subject = scene.subject_of_calls(rows)
        runs = len(extra) and int((np.diff(calls.frame[extra]) > 1).sum()) + 1
        evidence = scene.evidence("send", presses[:2].tolist(), "the press that nobody uses for it")
        evidence += scene.evidence("call", rows[: min(4, len(rows))].tolist(), "ran while held, and changed something")
        yield Finding(
            KIND,
            "held-input",
            Severity.FAULT,
            subject,
            *scene.shown_in(calls.frame[extra]),
            len(extra),
            int(calls.duration_ns[extra].sum()),
            f"{subject.fn} of {take.owner_of_call(one)} ran on every frame while key `{name}` was held: "
            f"{plural(len(extra), 'time')} too many in {plural(runs, 'press', 'presses')}.",
            f"Bind {subject.fn} to the `down` of key `{name}` instead of `{subject.ev}`, which repeats while held"
            f"{at_place(subject.at)}.",
            tuple(evidence),
            rows,
        )


def _repeats_in_runs(frames: Array, changed: Array) -> Array:
    """Return positions of calls that follow one on the frame before, where both changed something."""
    order = np.argsort(frames, kind="stable")
    frames, changed = frames[order], changed[order]
    follows = (np.diff(frames) == 1) & changed[1:] & changed[:-1]
    return order[np.flatnonzero(follows) + 1]


# --- no-latch ------------------------------------------------------------------------------------


def _no_latch_in_zone(scene: Scene) -> Iterator[Finding]:
    take, calls = scene.take, scene.take.calls
    sends = take.tables["send"]
    edge = np.append(np.asarray(sends["edge"], np.int64), -1)[calls.send]
    stays = np.flatnonzero((scene.via == take.code("zone")) & (edge == take.code("stay")) & scene.counted)
    if not len(stays):
        return
    other = _others(scene, np.unique(calls.send[stays]))
    other_of = np.array([other[int(send)] for send in calls.send[stays]], np.int64)
    zone = np.asarray(sends["o"], np.int64)[calls.send[stays]]
    borders = _zone_borders(scene)
    extra: list[int] = []
    for group in repeated_rows(scene.peer[stays], scene.owner[stays], scene.function[stays], zone, other_of):
        rows = stays[group]
        crossed = borders.get((int(scene.peer[rows[0]]), int(zone[group[0]]), int(other_of[group[0]])), np.zeros(0))
        visit = np.searchsorted(crossed, np.asarray(take.tables["call"]["line"])[rows])
        for part in np.split(rows, np.flatnonzero(np.diff(visit)) + 1):
            changed = calls.effect[part] > 0
            first = int(np.argmax(changed)) if changed.any() else len(part)
            if len(part) - first > scene.thresholds.latch_repeats and changed[first:].all():
                extra += part[first + 1 :].tolist()
    for rows in scene.by_class(np.array(sorted(extra), np.int64)):
        yield _tell_no_latch_in_zone(scene, rows)


def _no_latch_on_enter(scene: Scene) -> Iterator[Finding]:
    """Find `enter` sent again for somebody who had not left in between."""
    take, calls = scene.take, scene.take.calls
    sends = take.tables["send"]
    crossing = np.isin(np.asarray(sends["edge"]), [take.code("enter"), take.code("leave")])
    rows = np.flatnonzero(crossing & (np.asarray(sends["via"]) == take.code("zone")))
    if not len(rows):
        return
    other = _others(scene, rows)
    again: list[int] = []
    inside: dict[tuple[int, int, int], set[int]] = {}  # the events that told of an entering, while it lasts
    for row in rows.tolist():
        place = (int(sends["p"][row]), int(sends["o"][row]), other[row])
        if sends["edge"][row] == take.code("leave"):
            inside.pop(place, None)
            continue
        told, event = inside.setdefault(place, set()), int(sends["ev"][row])
        if event in told:
            again.append(row)
        told.add(event)
    acted = np.flatnonzero(np.isin(calls.send, again) & (calls.effect > 0) & scene.counted)
    for group in scene.by_class(acted):
        subject = scene.subject_of_calls(group)
        evidence = scene.evidence("send", calls.send[group[:3]].tolist(), "entered again without having left")
        evidence += scene.evidence("call", group[:3].tolist(), "acted again")
        yield Finding(
            KIND,
            "no-latch",
            Severity.FAULT,
            subject,
            *scene.shown_in(calls.frame[group]),
            len(group),
            int(calls.duration_ns[group].sum()),
            f"{subject.fn} of {take.owner_of_call(int(group[0]))} acted again {plural(len(group), 'time')} on `{subject.ev}`: "
            "it was sent again although nobody had left in between.",
            f"Send `{subject.ev}` once, and again only after the zone was left{at_place(subject.at)}.",
            tuple(evidence),
            group,
        )


def _others(scene: Scene, sends: Array) -> dict[int, int]:
    """Return a number for who is in the zone (`d.other`) of each send; sends without one share a number."""
    numbers: dict[str, int] = {}
    found = {}
    for send in sends.tolist():
        try:
            data = json.loads(scene.data_of_send(send) or "null")
        except (ValueError, RecursionError):
            data = None
        who = data.get("other") if isinstance(data, dict) else None
        found[send] = numbers.setdefault(str(who), scene.take.code(str(who)) if who is not None else -1)
    return found


def _zone_borders(scene: Scene) -> dict[tuple[int, int, int], Array]:
    """Return the lines of enter and leave sends by (peer, zone, who), ascending."""
    take = scene.take
    sends = take.tables["send"]
    crossing = np.isin(np.asarray(sends["edge"]), [take.code("enter"), take.code("leave")])
    rows = np.flatnonzero(crossing & (np.asarray(sends["via"]) == take.code("zone")))
    other = _others(scene, rows)
    found: dict[tuple[int, int, int], list[int]] = {}
    for row in rows.tolist():
        key = (int(sends["p"][row]), int(sends["o"][row]), other[row])
        found.setdefault(key, []).append(int(sends["line"][row]))
    return {key: np.array(lines) for key, lines in found.items()}


def _tell_no_latch_in_zone(scene: Scene, rows: Array) -> Finding:
    take, calls = scene.take, scene.take.calls
    subject = scene.subject_of_calls(rows)
    consequences = np.unique(np.concatenate([scene.take.children.rows(int(row)) for row in rows[:2000]] or [rows[:0]]))
    evidence = scene.evidence("send", calls.send[rows[:3]].tolist(), "still inside")
    evidence += scene.evidence("call", rows[:3].tolist(), "acted again")
    also = ""
    if len(consequences):
        events = [f"`{take.event_of_call(int(call))}`" for call in consequences[:50]]
        also = f", and sent {listed(events)} each time"
    return Finding(
        KIND,
        "no-latch",
        Severity.FAULT,
        subject,
        *scene.shown_in(calls.frame[rows]),
        len(rows),
        int(calls.duration_ns[rows].sum()),
        f"{subject.fn} of {take.owner_of_call(int(rows[0]))} acted again on {plural(len(rows), 'later frame')} "
        f"while nobody had left the zone{also}.",
        f"Let {subject.fn} remember that it has acted, until the zone is left{at_place(subject.at)}.",
        tuple(evidence),
        np.union1d(rows, consequences),
    )


def _no_latch_on_value(scene: Scene) -> Iterator[Finding]:
    """Find events sent on every frame on which a watched value is beyond some threshold."""
    take = scene.take
    watch, sends = take.tables["watch"], take.tables["send"]
    if not len(watch):
        return
    cause = take.sends.cause
    polled_via = [take.code(name) for name in ("tick", "timer")]
    from_poll = (cause >= 0) & np.isin(np.append(scene.via, -1)[cause], polled_via)
    watched = np.isin(np.asarray(sends["o"]), np.unique(watch["o"])) & (np.asarray(sends["o"]) >= 0)
    rows = np.flatnonzero(from_poll & watched & (np.asarray(sends["via"]) < 0))
    for group in repeated_rows(sends["p"][rows], sends["o"][rows], sends["ev"][rows]):
        own = rows[group]
        frames = take.sends.frame[own]
        repeats = own[_repeats_in_runs(frames, np.ones(len(own), bool))]
        if len(repeats) < scene.thresholds.latch_repeats:
            continue
        poll = int(cause[own[0]])
        of_poll = take.calls_by_listener.rows(int(take.calls.listener[poll]))
        quiet_calls = of_poll[~np.isin(of_poll, cause[own])]
        threshold = _separating_value(scene, int(sends["p"][own[0]]), int(sends["o"][own[0]]), own, quiet_calls)
        if threshold is None:
            continue
        name, side, value = threshold
        calls = np.flatnonzero(np.isin(take.calls.send, repeats))
        event, owner = take.text(int(sends["ev"][own[0]])), take.text(int(sends["o"][own[0]]))
        function = take.function_of_call(poll)
        evidence = scene.evidence("send", own[:3].tolist(), f"sent although `{name}` was still {side} {value:g}")
        yield Finding(
            KIND,
            "no-latch",
            Severity.FAULT,
            Subject(
                ev=event, o=owner, cls=take.class_of(int(sends["o"][own[0]])), fn=function, at=scene.place_of_call(poll)
            ),
            *scene.shown_in(take.sends.frame[repeats]),
            len(repeats),
            int(take.calls.duration_ns[calls].sum()),
            f"`{event}` was sent again on {plural(len(repeats), 'later frame')}, every frame while `{name}` of {owner} was {side} {value:g}.",
            f"Let {function} send `{event}` when `{name}` crosses the value, not while it is beyond{at_place(scene.place_of_call(poll))}.",
            tuple(evidence),
            calls,
        )


def _separating_value(
    scene: Scene, peer: int, owner: int, sends: Array, quiet_calls: Array
) -> tuple[str, str, float] | None:
    """Return (watched value, side, bound) if one number parts the frames that send from those that do not."""
    take = scene.take
    watch = take.tables["watch"]
    mine = np.flatnonzero((np.asarray(watch["o"]) == owner) & (np.asarray(watch["p"]) == peer))
    if not len(quiet_calls):
        return None
    for name in np.unique(np.asarray(watch["name"])[mine]).tolist():
        rows = mine[np.asarray(watch["name"])[mine] == name]
        values = np.array([_number(watch.json("v")[int(row)]) for row in rows])
        lines = np.asarray(watch["line"], np.int64)[rows]

        def value_at(at: Array, values: Array = values, lines: Array = lines) -> Array:
            place = np.searchsorted(lines, at) - 1
            return np.where(place >= 0, values[np.maximum(place, 0)], np.nan)

        loud = value_at(np.asarray(take.tables["send"]["line"], np.int64)[sends])
        quiet = value_at(np.asarray(take.tables["call"]["line"], np.int64)[quiet_calls])
        quiet = quiet[~np.isnan(quiet)]
        if np.isnan(loud).any() or not len(quiet):
            continue
        if loud.min() > quiet.max():
            return take.text(name), "at or above", float(loud.min())
        if loud.max() < quiet.min():
            return take.text(name), "at or below", float(loud.max())
    return None


def _number(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        return float("nan")


# --- mirrored ------------------------------------------------------------------------------------


def _mirrored(scene: Scene) -> Iterator[Finding]:
    """Note effects of one networked event that land on one owner on several peers."""
    take, calls = scene.take, scene.take.calls
    if len(take.peers) < 2:
        return
    net = np.append(np.asarray(take.tables["send"]["net"], np.int64), -1)[calls.send]
    asked = np.flatnonzero((net >= 0) & (calls.effect != 0) & scene.counted)
    found: dict[tuple[int, int], list[int]] = {}
    for group in repeated_rows(net[asked], scene.owner[asked], scene.function[asked]):
        rows = asked[group]
        if len(np.unique(scene.peer[rows])) > 1:
            found.setdefault((int(scene.owner[rows[0]]), int(scene.function[rows[0]])), []).extend(rows.tolist())
    for numbers in found.values():
        rows = np.array(numbers, np.int64)
        subject = scene.subject_of_calls(rows, peer="")
        names = [take.peers[int(peer)].name for peer in np.unique(scene.peer[rows])]
        yield Finding(
            KIND,
            "mirrored",
            Severity.NOTE,
            subject,
            *scene.shown_in(calls.frame[rows]),
            len(np.unique(net[rows])),
            0,
            f"{subject.fn} of {take.owner_of_call(int(rows[0]))} changed the same object on {listed(names)} "
            f"for {plural(len(np.unique(net[rows])), f'`{subject.ev}` send')}.",
            "If one peer decides, let the others only show it; if each keeps its own copy, nothing is to be done.",
            tuple(scene.evidence("call", rows[:4].tolist(), "changed it here")),
            rows,
        )
