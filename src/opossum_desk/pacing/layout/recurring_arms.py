"""Timers and delays: gathered whole, linear in their firings."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from opossum.findings.frame_times import frame_times, stalls
from opossum.findings.scene import Scene
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, parted
from opossum.words import counted, number, tr
from opossum_desk.pacing.layout.firings import Firings
from opossum_desk.pacing.layout.recurring import FEWEST_FIRINGS, Recurring, wasted_share
from opossum_desk.state.peer_prefix import peer_prefix


def timers(scene: Scene) -> Iterator[Recurring]:
    """Yield looping timers: each firing is off by what all intervals so far were off together, so that drift is a slope."""
    take = scene.take
    table = take.tables["arm"]
    looping = np.flatnonzero((np.asarray(table["loop"]) == 1) & (take.arms.firings.sizes() > 0))
    for arms in _arm_groups(scene, looping):
        if int(take.arms.firings.sizes()[arms].sum()) < FEWEST_FIRINGS:
            continue
        asked = _asked(scene, arms)

        def reckon(arms: Array = arms, asked: Array = asked) -> Firings:
            place, send, passed, counts = _fired(scene, arms, asked)
            usual = asked
            if np.isnan(asked).all():
                steps = passed[counts]
                usual = np.full(len(arms), float(np.median(steps)) if len(steps) else 0.0)
            step = np.where(counts, passed - usual[place], 0.0)
            total = np.cumsum(step)
            first = np.searchsorted(place, np.arange(len(arms)))
            begins = np.append(0.0, total)[first]
            return Firings(np.asarray(take.tables["send"]["t"], np.int64)[send], total - begins[place], send)

        yield _of_arms(scene, arms, "timer", reckon, _rhythm(table, arms, asked))


def _rhythm(table: object, arms: Array, asked: Array, once: bool = False) -> str:
    """Return the interval as it was asked for: every so often, or once after so long."""
    frames = int(table["frames"][arms[0]])  # type: ignore[index]
    if frames > 0:
        told = counted(frames, "frame")
        return tr("after {frames}", frames=told) if once else tr("every {frames}", frames=told)
    if once and asked[0] == asked[0]:
        return tr("after {seconds}", seconds=_seconds(float(asked[0]) / 1e9))
    return (
        tr("every {seconds}", seconds=_seconds(float(asked[0]) / 1e9))
        if asked[0] == asked[0]
        else tr("no interval told")
    )


def delays(scene: Scene) -> Iterator[Recurring]:
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
            place, send, passed, counts = _fired(scene, arms, asked)
            off = (passed - asked[place])[counts]
            return Firings(np.asarray(take.tables["send"]["t"], np.int64)[send][counts], off, send[counts])

        yield _of_arms(scene, arms, "delay", reckon, _rhythm(table, arms, asked, once=True))


def _seconds(value: float) -> str:
    return f"{number(value, '.3g')} s" if value >= 1 else f"{number(value * 1000, '.3g')} ms"


def _fired(scene: Scene, arms: Array, asked: Array) -> tuple[Array, Array, Array, Array]:
    """Return for each firing of arms (rows): its place in `arms`, its send, the ns since the firing before (or the arming), and
    whether that counts: no pause, hold, freeze or loading lies in it. Who counts frames is measured in usual ones, others by
    the clock on the wall or by what the game is told of time, whichever is nearer to what was `asked` for (ns, (arms,))."""
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
    by_frames = (np.asarray(table["frames"], np.int64)[arms] > 0)[place]
    usual = np.array(scene.once(frame_times).usual_ns)[np.asarray(peers, np.int64)[place]]
    passed = np.where(by_frames, (end - begin) * usual, times - before)
    told_ns = scene.once(frame_times).told_ns  # when a frame begins: within one, nothing is told
    told = told_ns[np.maximum(end, 0)] - told_ns[np.maximum(begin, 0)]
    is_told = (told_ns != scene.once(frame_times).start_ns)[np.maximum(end, 0)].any()
    meant = counts & ~by_frames & ~np.isnan(asked[place]) & is_told
    if meant.any():
        by_wall, by_told = (float(np.abs(clock - asked[place])[meant].mean()) for clock in (passed, told))
        passed = np.where(meant, told, passed) if by_told < by_wall else passed
    return place, send, passed, counts


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
        asked = np.round(np.nan_to_num(_asked(scene, arms), nan=-1.0).clip(-1.0, 1e18) / 1e5).astype(np.int64)
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
        name=f"{peer_prefix(take, peer)}{who or tr('the game')}  {event}",
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
        wasted=wasted_share(take.calls.effect[called]),
    )
