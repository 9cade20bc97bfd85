"""Sent before bind: the listener was bound a little after the send it was meant to hear."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.frame_times import frame_times
from opossum.findings.listening import listening
from opossum.findings.scene import Scene
from opossum.findings.unheard.hearing import FIRST_SECONDS_NS, bearing, by_event, senders, told
from opossum.findings.wording import at_place
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, factorised, joined
from opossum.take.indexes.frames import STARTUP
from opossum.take.indexes.objects import NEVER
from opossum.take.spans import LineSpans
from opossum.words import counted, tr

NEAR_FRAMES = 10
"""Where others of its class listened and went before, a send this close to the bind was meant for the new one."""


class TooEarly(NamedTuple):
    """Unheard sends (rows) and, for each, the first fitting bind (row) after it."""

    sends: Array
    binds: Array


def too_early(scene: Scene) -> TooEarly:
    """Return the sends that came before their listener was bound. Cost: sorts of the binds, searches for each unheard send."""
    take = scene.take
    known, unheard = scene.once(listening), scene.once(bearing)
    sends, table, times = take.tables["send"], take.tables["bind"], scene.once(frame_times)
    # what comes again by itself is heard the next time
    again = np.isin(np.asarray(sends["edge"])[unheard.rows], [take.code("stay"), take.code("held")])
    again |= _from_loop(scene, unheard.rows)
    bind = _first_fitting(scene)
    sent_ns = times.time_of("send", unheard.rows)
    bound_ns = np.append(times.time_of("bind", np.arange(len(table))), np.int64(2**62))[bind]
    # whoever pressed too early presses again
    by_player = np.append(known.by_player, False)[bind]
    soon = (bind >= 0) & ~again & ~by_player & (bound_ns - sent_ns <= FIRST_SECONDS_NS)
    places = np.flatnonzero(soon)
    bind, sent_ns = bind[places], sent_ns[places]
    peers = np.asarray(table["p"], np.int64)[bind]
    young = sent_ns - np.array([*_play_begins(scene), 0])[peers] <= FIRST_SECONDS_NS
    young |= sent_ns - _born_ns(scene)[bind] <= FIRST_SECONDS_NS
    frames_apart = take.binds.frame[bind] - take.sends.frame[unheard.rows[places]]
    specific = (known.source[bind] >= 0) | (np.asarray(sends["to"])[unheard.rows[places]] >= 0)
    # not where others of its class came, listened and went before, or may have
    others = _others_went(scene)[bind] | (scene.once(_played_before)[peers] >= FIRST_SECONDS_NS)
    meant = specific | (frames_apart <= NEAR_FRAMES) | ~others
    kept = young & meant
    return TooEarly(unheard.rows[places[kept]], bind[kept])


def _first_fitting(scene: Scene) -> Array:
    """Return int64 (n,): for each unheard send the first bind (row) after it that would have heard it, -1 where none would."""
    take = scene.take
    known, unheard = scene.once(listening), scene.once(bearing)
    sends = take.tables["send"]
    sender, to = (np.asarray(sends[name], np.int64)[unheard.rows] for name in ("o", "to"))
    best = np.full(len(unheard.rows), -1, np.int64)
    begins = np.append(known.begin, np.int64(2**62))
    # asked for by name: any sender, or this one; for addressed sends the owner must be that object
    for of_source in (False, True):
        for of_owner in (False, True):
            binds = np.flatnonzero((known.source >= 0) == of_source)
            asked = np.flatnonzero((to >= 0) == of_owner)
            key, wanted = known.key[binds], unheard.key[asked]
            for used, mine, theirs in (
                (of_source, known.source[binds], sender[asked]),
                (of_owner, known.owner[binds], to[asked]),
            ):
                if used:
                    codes, other = joined((key, mine), (wanted, theirs))
                    key, wanted = codes.astype(np.int64), other.astype(np.int64)
            found = LineSpans(key, known.begin[binds], known.unbound[binds]).next_begun(wanted, unheard.line[asked])
            row = np.append(binds, -1)[found]
            nearer = (row >= 0) & (begins[row] < begins[best[asked]])
            best[asked[nearer]] = row[nearer]
    return best


def _born_ns(scene: Scene) -> Array:
    """Return int64 (binds,): when each bind's owner was spawned last before it (else first after it), -2**62 if never."""
    take = scene.take
    table, spawns = take.tables["bind"], take.tables["spawn"]
    texts = len(take.strings) + 2
    keys = np.asarray(spawns["p"], np.int64) * texts + np.asarray(spawns["o"], np.int64)
    lives = LineSpans(keys, np.asarray(spawns["line"], np.int64), np.full(len(keys), NEVER))
    asked = np.asarray(table["p"], np.int64) * texts + np.asarray(table["o"], np.int64)
    spawn = lives.last_begun(asked, table["line"])
    spawn = np.where(spawn >= 0, spawn, lives.next_begun(asked, table["line"]))
    times = scene.once(frame_times).time_of("spawn", np.arange(len(keys)))
    return np.append(times, np.int64(-(2**62)))[spawn]


def _others_went(scene: Scene) -> Array:
    """Return a boolean array (binds,): a listener of the event of the same class was bound before, and ended."""
    take, known = scene.take, scene.once(listening)
    if not len(known.key):
        return np.zeros(0, bool)
    ended = np.minimum(known.unbound, take.binds.owner_gone_line) != NEVER
    group, _ = factorised(known.key, scene.class_of_object[known.owner])
    runs = Runs(group)
    found = np.zeros(len(group), bool)
    found[runs.order] = runs.before(ended[runs.order]) > 0
    return found


def _from_loop(scene: Scene, sends: Array) -> Array:
    """Return a boolean array (n,): the send is a looping timer's firing."""
    take = scene.take
    table = take.tables["send"]
    arms = take.arm_ids.rows(np.asarray(table["p"])[sends], np.asarray(table["a"])[sends])
    loops = np.append(np.asarray(take.tables["arm"]["loop"]) == 1, False)[arms]
    return loops | ((arms < 0) & (np.asarray(table["via"])[sends] == take.code("timer")))


def _play_begins(scene: Scene) -> list[int]:
    """Return when play begins for each peer, in game time: with its first frame that is not loading, or before it was recorded."""
    take, before = scene.take, scene.once(_played_before)
    begins = []
    for peer in range(len(take.peers)):
        frames = take.frames.of_peer(peer)
        settled = np.flatnonzero(take.frames.settled[frames])
        start = take.frames.start_ns[frames][settled[0]] if len(settled) else take.peers[peer].first_t
        begins.append(int(take.holds.game_times(np.array([peer]), np.array([start]))[0]) - int(before[peer]))
    return begins


def _played_before(scene: Scene) -> Array:
    """Return int64 (peers,): how long each peer had played when its recording began, at most the first seconds that count.

    By the number of its first frame: a recording that begins in the middle of a game shows no start-up, and who listened and went
    before is not known.
    """
    take, usual_ns = scene.take, scene.once(frame_times).usual_ns
    played = np.zeros(len(take.peers), np.int64)
    for peer in range(len(take.peers)):
        numbers = take.frames.number[take.frames.of_peer(peer)]
        first = int(numbers[numbers != STARTUP][:1].sum())
        played[peer] = min(max(0, first) * usual_ns[peer], FIRST_SECONDS_NS)
    return played


def find(scene: Scene) -> Iterator[Found]:
    """Yield sends that came before their listener."""
    take = scene.take
    early = scene.once(too_early)
    owners = np.asarray(take.tables["bind"]["o"])[early.binds]
    for part in by_event(scene, early.sends, scene.class_of_object[owners]):
        yield _tell(scene, early.sends[part], early.binds[part])


def _tell(scene: Scene, sends: Array, binds: Array) -> Found:
    take = scene.take
    table = take.tables["bind"]
    owners = list(dict.fromkeys(map(take.owner_of_bind, binds.tolist())))
    event = take.text(int(take.tables["send"]["ev"][sends[0]]))
    cls = take.class_of(int(table["o"][binds[0]]))
    late = int(take.binds.frame[binds[0]]) - int(take.sends.frame[sends[0]])
    bound = tr("in the same frame") if late == 0 else tr("{frames} later", frames=counted(late, "frame"))
    function, place = take.function_of_bind(int(binds[0])), at_place(take.text(int(table["at"][binds[0]])))
    who = senders(scene, sends)
    return told(
        scene,
        sends,
        tr(
            "`{event}` was sent {times} by {who} before {function} of {owners} was bound to it: {owners} was "
            "bound {bound}.",
            event=event,
            times=counted(len(sends), "time"),
            who=who,
            function=function,
            owners=owners[0],
            bound=bound,
        ),
        tr(
            "Bind `{event}`{place} before it is sent by {who}{place2}, or let {cls} ask for the state when it is bound.",
            event=event,
            place=place,
            who=who,
            place2=at_place(scene.place_of_sends(sends)),
            cls=cls or owners[0],
        ),
        owner=owners[0] if len(owners) == 1 else "",
        cls=cls,
        binds=binds,
        note=tr("bound too late"),
    )


SENT_BEFORE_BIND = Cause(
    "sent-before-bind",
    "sent before its listener was bound",
    Severity.FAULT,
    find,
    about="A fitting listener is bound within five seconds after a send that nobody heard, in the first seconds of play, by the number of the first frame recorded, or of its owner's life.",
    quiet="what comes again by itself (looping timers, held keys, stays), and what the player sends; where others of its class listened and went before, or may have before the recording began, only a send within ten frames of the bind counts.",
)
