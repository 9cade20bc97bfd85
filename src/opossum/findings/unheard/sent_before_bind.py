"""Sent before bind: the listener was bound a little after the send it was meant to hear."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.listening import listening
from opossum.findings.scene import Scene
from opossum.findings.unheard.hearing import FIRST_SECONDS_NS, bearing, by_event, place_of_sends, senders, told
from opossum.findings.wording import at_place, plural
from opossum.stream.tables import Array
from opossum.take.indexes.objects import NEVER

NEAR_FRAMES = 10
"""Where others of its class listened and went before, a send this close to the bind was meant for the new one."""

MOST_BINDS = 50
"""Binds after a send that are looked through for one that fits."""


class TooEarly(NamedTuple):
    """Unheard sends (rows) and, for each, the first fitting bind (row) after it."""

    sends: Array
    binds: Array


def too_early(scene: Scene) -> TooEarly:
    """Return the sends that came before their listener was bound. Cost: a look at a few binds for each unheard send."""
    take = scene.take
    known, unheard = scene.once(listening), scene.once(bearing)
    sends, table = take.tables["send"], take.tables["bind"]
    # what comes again by itself is heard the next time
    again = np.isin(np.asarray(sends["edge"])[unheard.rows], [take.code("stay"), take.code("held")])
    again |= _from_loop(scene, unheard.rows)
    bind_ns = take.holds.game_times(table["p"], table["t"])
    send_ns = take.holds.game_times(sends["p"], sends["t"])
    following = known.bound.next_begun(unheard.key, unheard.line)
    soon = np.append(bind_ns, np.int64(2**62))[following] - send_ns[unheard.rows] <= FIRST_SECONDS_NS
    asked = np.flatnonzero(~again & soon & (following >= 0))
    play_ns = _play_begins(scene)
    found_sends, found_binds = [], []
    order_of: dict[int, Array] = {}
    for place in asked.tolist():
        send, key, line = int(unheard.rows[place]), int(unheard.key[place]), int(unheard.line[place])
        if key not in order_of:
            order_of[key] = known.bound.rows(key)
        rows = order_of[key]
        first = int(np.searchsorted(known.begin[rows], line))
        later = rows[first : first + MOST_BINDS]
        later = later[bind_ns[later] - send_ns[send] <= FIRST_SECONDS_NS]
        later = later[known.fits(later, np.full(len(later), send))]
        if not len(later):
            continue
        bind = int(later[0])
        if _in_first_seconds(scene, send, bind, int(send_ns[send]), play_ns) and _meant_for(
            scene, send, bind, rows[:first]
        ):
            found_sends.append(send)
            found_binds.append(bind)
    return TooEarly(np.array(found_sends, np.int64), np.array(found_binds, np.int64))


def _from_loop(scene: Scene, sends: Array) -> Array:
    """Return a boolean array (n,): the send is a looping timer's firing."""
    take = scene.take
    table = take.tables["send"]
    arms = take.arm_ids.rows(np.asarray(table["p"])[sends], np.asarray(table["a"])[sends])
    loops = np.append(np.asarray(take.tables["arm"]["loop"]) == 1, False)[arms]
    return loops | ((arms < 0) & (np.asarray(table["via"])[sends] == take.code("timer")))


def _play_begins(scene: Scene) -> list[int]:
    """Return when play begins for each peer, in game time: with its first frame that is not loading."""
    take = scene.take
    begins = []
    for peer in range(len(take.peers)):
        frames = take.frames.of_peer(peer)
        settled = np.flatnonzero(take.frames.settled[frames])
        start = take.frames.start_ns[frames][settled[0]] if len(settled) else take.peers[peer].first_t
        begins.append(int(take.holds.game_times(np.array([peer]), np.array([start]))[0]))
    return begins


def _in_first_seconds(scene: Scene, send: int, bind: int, sent_ns: int, play_ns: list[int]) -> bool:
    """Say whether the send fell in the first seconds of play, or of the listener's owner's life, or before that."""
    take = scene.take
    peer, owner = int(take.tables["bind"]["p"][bind]), int(take.tables["bind"]["o"][bind])
    if sent_ns - play_ns[peer] <= FIRST_SECONDS_NS:
        return True
    spawns = take.objects.spans(peer, owner)
    line = int(take.tables["bind"]["line"][bind])
    born = [spawn for spawn, _ in spawns if spawn < line] or [spawn for spawn, _ in spawns]
    if not born:
        return False
    spawn_row = int(np.searchsorted(np.asarray(take.tables["spawn"]["line"], np.int64), born[-1]))
    spawned = int(take.holds.game_times(np.array([peer]), take.tables["spawn"]["t"][spawn_row : spawn_row + 1])[0])
    return sent_ns - spawned <= FIRST_SECONDS_NS


def _meant_for(scene: Scene, send: int, bind: int, earlier: Array) -> bool:
    """Say whether the send was meant for this bind: not where others of its class came, listened and went before."""
    take = scene.take
    table, sends = take.tables["bind"], take.tables["send"]
    if int(table["src"][bind]) >= 0 or int(sends["to"][send]) >= 0 or not len(earlier):
        return True
    classes = scene.class_of_object
    alike = earlier[classes[np.asarray(table["o"])[earlier]] == classes[int(table["o"][bind])]]
    ended = np.minimum(take.binds.unbind_line[alike], take.binds.owner_gone_line[alike])
    if not (ended != NEVER).any():
        return True
    return int(take.binds.frame[bind]) - int(take.sends.frame[send]) <= NEAR_FRAMES


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
    owners = list(dict.fromkeys(take.text(int(code)) for code in np.asarray(table["o"])[binds]))
    event = take.text(int(take.tables["send"]["ev"][sends[0]]))
    cls = take.class_of(int(table["o"][binds[0]]))
    late = int(take.binds.frame[binds[0]]) - int(take.sends.frame[sends[0]])
    bound = "in the same frame" if late == 0 else f"{plural(late, 'frame')} later"
    function, place = take.text(int(table["fn"][binds[0]])), at_place(take.text(int(table["at"][binds[0]])))
    who = senders(scene, sends)
    return told(
        scene,
        sends,
        f"`{event}` was sent {plural(len(sends), 'time')} by {who} before {function} of {owners[0]} was bound to it: "
        f"{owners[0]} was bound {bound}.",
        f"Bind `{event}`{place} before {who} sends it{at_place(place_of_sends(scene, sends))}, or let {cls or owners[0]} "
        "ask for the state when it is bound.",
        owner=owners[0] if len(owners) == 1 else "",
        cls=cls,
        binds=binds,
        note="bound too late",
    )


SENT_BEFORE_BIND = Cause(
    "sent-before-bind",
    "sent before its listener was bound",
    Severity.FAULT,
    find,
    about="A fitting listener is bound within five seconds after a send that nobody heard, in the first seconds of play or of its owner's life.",
    quiet="what comes again by itself (looping timers, held keys, stays); where others of its class listened and went before, only a send within ten frames of the bind counts.",
)
