"""Everything that recurs, and how far each time was from when it should have come: gathered once a take.

Timers, delays and cues are gathered whole, linear in their firings; what is reckoned from calls (ticks, answers to one
event) is reckoned when its row is first seen, linear in its calls.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cached_property, partial

import numpy as np

from opossum.findings.cue_off.cues import cues
from opossum.findings.frame_times import frame_times, stalls
from opossum.findings.scene import Scene
from opossum.findings.wording import plural
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, Runs, distinct, factorised, parted
from opossum.take.take import Take
from opossum_desk.pacing.layout.firings import Firings
from opossum_desk.pacing.layout.verdict import verdict

FEWEST_FIRINGS = 3
"""What came less often has no rhythm yet."""
FEWEST_ANSWERS = 3
FEWEST_KNOWN = 10
"""With fewer known effects no share of what ran for nothing is told."""


class Recurring:
    """One thing that recurs.

    `sort`: ``timer``, ``delay``, ``tick``, ``cue`` or ``answer``; `rows_of`: the table its firings are rows of;
    `unit_ns`: the usual frame of its peer, the measure of what is off; `cost_ns`: what its calls took a second of play;
    `wasted`: the share of its calls known to have run for nothing, NaN where that is not known.
    """

    def __init__(
        self,
        *,
        sort: str,
        name: str,
        rhythm: str,
        via: str,
        rows_of: str,
        unit_ns: float,
        count: int,
        reckon: Callable[[], Firings],
        event: str = "",
        owner: str = "",
        cls: str = "",
        function: str = "",
        clip: str = "",
        peer: str = "",
        cost_ns: float = 0.0,
        wasted: float = float("nan"),
    ) -> None:
        self.sort, self.name, self.rhythm, self.via, self.rows_of = sort, name, rhythm, via, rows_of
        self.unit_ns, self.count, self._reckon = max(unit_ns, 1.0), count, reckon
        self.event, self.owner, self.cls, self.function, self.clip, self.peer = event, owner, cls, function, clip, peer
        self.cost_ns, self.wasted = cost_ns, wasted

    @cached_property
    def firings(self) -> Firings:
        """When it came, and how far off."""
        return self._reckon()

    @cached_property
    def verdict(self) -> tuple[str, bool]:
        """What its firings say in words, and whether that is wrong."""
        return verdict(self.sort, self.firings.off_ns, self.unit_ns)

    def prepare(self) -> None:
        """Reckon all that a picture asks for."""
        assert self.firings.levels is not None and self.firings.usual_reach_ns >= 0 and self.verdict


def recurring(take: Take) -> list[Recurring]:
    """Return all that recurs in a take, sort by sort."""
    scene = Scene(take)
    if not len(take.frames):
        return []
    return [*_timers(scene), *_delays(scene), *_cues(scene), *_ticks(scene), *_answers(scene)]


def _peer_name(take: Take, peer: int) -> str:
    return f"{take.peers[peer].name}: " if len(take.peers) > 1 else ""


def _seconds(value: float) -> str:
    return f"{value:.3g} s" if value >= 1 else f"{value * 1000:.3g} ms"


# --- timers and delays -------------------------------------------------------------------------------


def _fired(scene: Scene, arms: Array) -> tuple[Array, Array, Array, Array, Array]:
    """Return for each firing of arms (rows): its place in `arms`, its send, its time, the time of the firing before (or of
    the arming), and whether the stretch between counts: no pause, hold, freeze or loading lies in it."""
    take = scene.take
    table, sends = take.tables["arm"], take.tables["send"]
    sizes = take.arms.firings.sizes()[arms]
    send = take.arms.firings.rows_of_all(arms).astype(np.int64)
    place = np.repeat(np.arange(len(arms)), sizes)
    peers = np.asarray(table["p"])[arms]
    times = take.holds.game_times(peers[place], np.asarray(sends["t"], np.int64)[send])
    armed = take.holds.game_times(peers, np.asarray(table["t"], np.int64)[arms])
    first = np.concatenate(([True], np.diff(place) != 0)) if len(place) else np.zeros(0, bool)
    before = np.where(first, armed[place], np.append(0, times)[: len(times)])
    stood = np.concatenate(
        ([0], np.cumsum(scene.once(stalls) | take.frames.loading | (take.frames.held_ns > 0), dtype=np.int64))
    )
    arm_frame = take.frames.rows_of_lines(peers, np.asarray(table["line"], np.int64)[arms]).astype(np.int64)
    end = take.sends.frame[send].astype(np.int64)
    begin = np.where(first, arm_frame[place], np.append(0, end)[: len(end)])
    counts = (begin >= 0) & (end >= 0) & (stood[np.maximum(end, 0) + 1] == stood[np.maximum(begin, 0)])
    paused = np.zeros(len(arms), bool)
    for kind in ("pause", "resume"):
        other = take.tables[kind]
        paused |= np.isin(arms, take.arm_ids.rows(other["p"], other["a"]))
    counts &= ~(paused[place] | ((np.asarray(table["paused"])[arms] == 1)[place] & first))
    return place, send, times, before, counts


def _asked(scene: Scene, arms: Array) -> Array:
    """Return float64 (n,): the interval in ns that was asked for, NaN where none was told."""
    table = scene.take.tables["arm"]
    usual = np.array(scene.once(frame_times).usual_ns)[np.asarray(table["p"], np.int64)[arms]]
    counted = np.asarray(table["frames"], np.float64)[arms]
    return np.where(counted > 0, counted * usual, np.asarray(table["sec"], np.float64)[arms] * 1e9)


def _arm_groups(scene: Scene, arms: Array) -> Iterator[Array]:
    """Yield arms (rows) of one peer, class, event and interval."""
    take = scene.take
    table = take.tables["arm"]
    if len(arms):
        classes = np.asarray(scene.class_of_object[np.asarray(table["o"])[arms]], np.int64)
        asked = np.round(np.nan_to_num(_asked(scene, arms), nan=-1.0) / 1e5).astype(np.int64)
        for part in parted(np.asarray(table["p"])[arms], classes, take.arms.event[arms], asked):
            yield arms[part]


def _of_arms(scene: Scene, arms: Array, sort: str, reckon: Callable[[], Firings], rhythm: str) -> Recurring:
    take = scene.take
    table = take.tables["arm"]
    peer, owner = int(table["p"][arms[0]]), int(table["o"][arms[0]])
    event, cls = take.text(int(take.arms.event[arms[0]])), take.class_of(owner)
    owners = len(distinct(np.asarray(table["o"])[arms]))
    called = scene.calls_by_send.rows_of_all(take.arms.firings.rows_of_all(arms).astype(np.int64))
    who = take.text(owner) if owners == 1 else f"{cls} ×{owners:,}"
    return Recurring(
        sort=sort,
        name=f"{_peer_name(take, peer)}{who or 'the game'}  {event}",
        rhythm=rhythm,
        via=sort,
        rows_of="send",
        unit_ns=scene.once(frame_times).usual_ns[peer],
        count=int(take.arms.firings.sizes()[arms].sum()),
        reckon=reckon,
        event=event,
        owner=take.text(owner) if owners == 1 else "",
        cls=cls,
        peer=take.peers[peer].name,
        cost_ns=float(take.calls.duration_ns[called].sum()) / (scene.played_ns / 1e9),
        wasted=_wasted(take.calls.effect[called]),
    )


def _wasted(effect: Array) -> float:
    """Return the share of calls that ran for nothing, of those whose effect (n,) is known; NaN where too few are."""
    known = int(np.count_nonzero(effect >= 0))
    return float(np.count_nonzero(effect == 0)) / known if known >= FEWEST_KNOWN else float("nan")


def _timers(scene: Scene) -> Iterator[Recurring]:
    """Yield looping timers: each firing is off by what all intervals so far were off together, so that drift is a slope."""
    take = scene.take
    table = take.tables["arm"]
    looping = np.flatnonzero((np.asarray(table["loop"]) == 1) & (take.arms.firings.sizes() > 0))
    for arms in _arm_groups(scene, looping):
        if int(take.arms.firings.sizes()[arms].sum()) < FEWEST_FIRINGS:
            continue
        asked = _asked(scene, arms)

        def reckon(arms: Array = arms, asked: Array = asked) -> Firings:
            place, send, times, before, counts = _fired(scene, arms)
            usual = asked
            if np.isnan(asked).all():
                steps = (times - before)[counts]
                usual = np.full(len(arms), float(np.median(steps)) if len(steps) else 0.0)
            step = np.where(counts, times - before - usual[place], 0.0)
            total = np.cumsum(step)
            first = np.searchsorted(place, np.arange(len(arms)))
            begins = np.append(0.0, total)[first]
            return Firings(np.asarray(take.tables["send"]["t"], np.int64)[send], total - begins[place], send)

        yield _of_arms(scene, arms, "timer", reckon, _rhythm(table, arms, asked))


def _rhythm(table: object, arms: Array, asked: Array) -> str:
    frames = int(table["frames"][arms[0]])  # type: ignore[index]
    if frames > 0:
        return f"every {plural(frames, 'frame')}"
    return f"every {_seconds(float(asked[0]) / 1e9)}" if asked[0] == asked[0] else "no interval told"


def _delays(scene: Scene) -> Iterator[Recurring]:
    """Yield delays that are set again and again: each landing is off by itself."""
    take = scene.take
    table = take.tables["arm"]
    once = np.flatnonzero((np.asarray(table["loop"]) != 1) & (take.arms.firings.sizes() > 0))
    once = once[~np.isnan(_asked(scene, once))]
    for arms in _arm_groups(scene, once):
        if len(arms) < FEWEST_FIRINGS:
            continue
        asked = _asked(scene, arms)

        def reckon(arms: Array = arms, asked: Array = asked) -> Firings:
            place, send, times, before, counts = _fired(scene, arms)
            off = (times - before - asked[place])[counts]
            return Firings(np.asarray(take.tables["send"]["t"], np.int64)[send][counts], off, send[counts])

        yield _of_arms(scene, arms, "delay", reckon, f"{_rhythm(table, arms, asked).replace('every', 'after')}")


# --- cues ----------------------------------------------------------------------------------------------


def _cues(scene: Scene) -> Iterator[Recurring]:
    """Yield tracks: how far beside its place each cue came."""
    take, known = scene.take, scene.once(cues)
    if not len(known.rows):
        return
    marks, table = take.marks, take.tables["play"]
    plays = marks.play[known.rows]
    peers = np.asarray(table["p"])[plays]
    for part in parted(peers, np.asarray(table["clip"])[plays]):
        if len(part) < FEWEST_FIRINGS:
            continue
        rows, play = known.rows[part], int(plays[part[0]])
        sends = marks.send[rows]
        firings = Firings(np.asarray(take.tables["send"]["t"], np.int64)[sends], known.off_ns[part], sends)
        peer, owner, clip = int(peers[part[0]]), int(table["o"][play]), take.text(int(table["clip"][play]))
        yield Recurring(
            sort="cue",
            name=f"{_peer_name(take, peer)}{take.text(owner) or 'track'}  {clip}",
            rhythm=f"{plural(len(part), 'cue')} of its track",
            via="clip",
            rows_of="send",
            unit_ns=scene.once(frame_times).usual_ns[peer],
            count=len(part),
            reckon=partial(_as_is, firings),
            owner=take.text(owner),
            cls=take.class_of(owner),
            clip=clip,
            peer=take.peers[peer].name,
        )


def _as_is(firings: Firings) -> Firings:
    return firings


# --- ticks and answers ---------------------------------------------------------------------------------


def _ticks(scene: Scene) -> Iterator[Recurring]:
    """Yield functions that run with every frame, or while something stays in a zone: how far each run is off the usual time since the run before."""
    take = scene.take
    calls = take.calls
    by_frame = [code for code in (take.code("tick"), take.code("zone")) if code >= 0]
    mine = np.flatnonzero(np.isin(scene.via, by_frame))
    if not len(mine):
        return
    group = scene.class_groups[calls.listener[mine]]
    codes, first = factorised(group)
    durations = np.bincount(codes, calls.duration_ns[mine])
    effect = calls.effect[mine]
    known = np.bincount(codes, effect >= 0)
    idle = np.bincount(codes, effect == 0)
    counts = np.bincount(codes)
    groups = Groups(codes, len(first))
    for number in range(len(first)):
        if counts[number] < FEWEST_FIRINGS:
            continue
        call = int(mine[first[number]])
        wasted = float(idle[number] / known[number]) if known[number] >= FEWEST_KNOWN else float("nan")

        def reckon(number: int = number) -> Firings:
            rows = mine[groups.rows(number)]
            return _intervals(scene, rows, calls.listener[rows])

        yield _of_call(
            scene,
            call,
            mine[groups.rows(number)],
            sort="tick",
            rhythm=f"{plural(int(counts[number]), 'run')} by {take.via_of_send(int(calls.send[call]))}",
            reckon=reckon,
            cost_ns=float(durations[number]) / (scene.played_ns / 1e9),
            wasted=wasted,
        )


def _intervals(scene: Scene, rows: Array, within: Array) -> Firings:
    """Return calls (rows, ascending), each off by how much longer than usual ago its listener ran before."""
    start = scene.take.calls.game_start_ns
    runs = Runs(within)
    ordered = rows[runs.order]
    steps = np.diff(start[ordered])
    same = runs.group[1:] == runs.group[:-1]
    usual = float(np.median(steps[same])) if same.any() else 0.0
    later = ordered[1:][same]
    return Firings(scene.take.calls.start_ns[later], steps[same] - usual, later)


def _of_call(scene: Scene, call: int, rows: Array, **more: object) -> Recurring:
    take = scene.take
    listener = int(take.calls.listener[call])
    owner, peer = int(take.listeners.owner[listener]), int(take.listeners.peer[listener])
    function = take.text(int(take.listeners.function[listener]))
    owners = len(distinct(take.calls.listener[rows]))
    cls = take.class_of(owner)
    who = take.text(owner) if owners == 1 else f"{cls} ×{owners:,}"
    return Recurring(
        name=f"{_peer_name(take, peer)}{who}  {function.rpartition('.')[2]}",
        via=take.via_of_send(int(take.calls.send[call])),
        rows_of="call",
        unit_ns=scene.once(frame_times).usual_ns[peer],
        count=len(rows),
        event=take.text(int(take.listeners.event[listener])),
        owner=take.text(owner) if owners == 1 else "",
        cls=cls,
        function=function,
        peer=take.peers[peer].name,
        **more,  # type: ignore[arg-type]
    )


def _answers(scene: Scene) -> Iterator[Recurring]:
    """Yield events that several hear: how long after the send each of them was called."""
    take = scene.take
    listeners, calls = take.listeners, take.calls
    if not len(listeners):
        return
    codes, first = factorised(listeners.peer, listeners.event)
    groups = Groups(codes, len(first))
    sizes = take.calls_by_listener.sizes()
    ticks = _tick_events(scene)
    for number in range(len(first)):
        mine = groups.rows(number)
        event, peer = int(listeners.event[first[number]]), int(listeners.peer[first[number]])
        count = int(sizes[mine].sum())
        if len(mine) < 2 or event < 0 or (peer, event) in ticks or count < 2 * FEWEST_ANSWERS:
            continue

        def reckon(mine: Array = mine) -> Firings:
            rows = np.sort(take.calls_by_listener.rows_of_all(mine)).astype(np.int64)
            rows = rows[calls.send[rows] >= 0]
            sent = np.asarray(take.tables["send"]["t"], np.int64)[calls.send[rows]]
            return Firings(calls.start_ns[rows], calls.start_ns[rows] - sent, rows)

        yield Recurring(
            sort="answer",
            name=f"{_peer_name(take, peer)}answers to {take.text(event)}",
            rhythm=f"{plural(count, 'call')} of {plural(len(mine), 'listener')}",
            via="direct",
            rows_of="call",
            unit_ns=scene.once(frame_times).usual_ns[peer],
            count=count,
            reckon=reckon,
            event=take.text(event),
            peer=take.peers[peer].name,
        )


def _tick_events(scene: Scene) -> set[tuple[int, int]]:
    """Return the (peer, event) of what comes with every frame."""
    table = scene.take.tables["send"]
    tick = scene.take.code("tick")
    rows = np.flatnonzero((np.asarray(table["via"]) == tick) & (tick >= 0))
    if not len(rows):
        return set()
    _, first = factorised(np.asarray(table["p"])[rows], np.asarray(table["ev"])[rows])
    return {(int(table["p"][row]), int(table["ev"][row])) for row in rows[first].tolist()}
