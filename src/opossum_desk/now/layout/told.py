"""What is said of the games that play to us: in one line, and of each peer in a few."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np

from opossum.stream.tables import told_counts
from opossum.take.take import Take
from opossum.words import number, tr

if TYPE_CHECKING:
    from opossum.live.peers import PeerState
    from opossum.live.receiver import Receiver
    from opossum_desk.state.session import Session

MOST_NAMED = 3
SILENT_S = 2.0
"""A connected game that says nothing for this long is told to be silent."""


def state_told(receiver: Receiver | None) -> str:
    """Return what the games do, in one line."""
    if receiver is None:
        return tr("No game is being listened for.")
    if receiver.trouble:
        return tr("Nothing more is recorded: {trouble}.", trouble=receiver.trouble)
    peers = receiver.peers
    playing = [peer for peer in peers if peer.connected]
    held = [peer for peer in peers if peer.held is not None]
    silent = [peer for peer in playing if peer.silent_s >= SILENT_S and peer.held is None]
    if held:
        told = tr("Held: {named}", named=_named(held, peers))
    elif silent:
        told = tr("{name}: no answer for {silent_s:.0f} s", name=silent[0].name, silent_s=silent[0].silent_s)
    elif playing:
        told = tr("Playing: {named}", named=_named(playing, peers))
    else:
        return tr("Listening on {host}:{port}; no game plays.", host=receiver.host, port=receiver.port)
    if not any(peer.holds for peer in playing):
        told += tr(". Its recorder cannot hold it")
    return f"{told}."


def _named(some: list[PeerState], peers: list[PeerState]) -> str:
    one_game = len({peer.game for peer in peers}) == 1  # then its peers' names tell them apart
    names = [peer.name if one_game and len(peers) > 1 else f"{peer.name} – {peer.game}" for peer in some[:MOST_NAMED]]
    more = tr(" and {some} more", some=len(some) - MOST_NAMED) if len(some) > MOST_NAMED else ""
    return ", ".join(names) + more


def peers_told(peers: list[PeerState], rates: Mapping[str, float], dropped: Mapping[str, int]) -> list[str]:
    """Return for each peer its records, records a second, clock, and what was dropped."""
    lines = []
    for peer in peers:
        state = "held" if peer.held is not None else "playing" if peer.connected else "gone"
        parts = [f"{peer.name} – {peer.game}: {state}", tr("{records:,} records", records=peer.records)]
        if peer.connected:
            parts.append(tr("{rates:,.0f} a second", rates=rates.get(peer.name, 0.0)))
        parts.append(tr("clock {clock_told}", clock_told=clock_told(peer, peers)))
        lost = dropped.get(peer.name, 0)
        parts.append(tr("{lost:,} dropped", lost=lost) if lost else tr("nothing dropped"))
        if peer.rubbish:
            parts.append(tr("{rubbish:,} lines that are no records", rubbish=peer.rubbish))
        lines.append(" · ".join(parts))
    return lines


def clock_told(peer: PeerState, peers: list[PeerState]) -> str:
    """Return how a peer's clock stands to the first one's."""
    first = peers[0]
    if peer is first:
        return tr("sets the time")
    if peer.error_ns is None or first.error_ns is None:
        return tr("not known yet")
    if not (peer.clock_is_believable and first.clock_is_believable):
        return tr("does not agree with its records, not used")
    offset_ms, error_ms = (peer.offset_ns - first.offset_ns) / 1e6, (peer.error_ns + first.error_ns) / 1e6
    told = f"{number(offset_ms / 1000, '+.3f')} s" if abs(offset_ms) >= 1000 else number(offset_ms, "+.1f")
    return f"{told} ± {number(error_ms, '.1f')} ms".replace("-", "−")


def dropped_by_peer(take: Take) -> dict[str, int]:
    """Return how many records each peer says that it dropped."""
    table = take.tables["lost"]
    sums = np.bincount(np.asarray(table["p"], np.int64), told_counts(table["n"]).clip(0), len(take.peers))
    return {span.name: int(sums[place]) for place, span in enumerate(take.peers)}


def met_by_wire(take: Take) -> dict[int, int]:
    """Return how often each tripwire, by number, has held a game."""
    trips = np.asarray(take.tables["held"]["trip"], np.int64)
    return {int(trip): int(np.count_nonzero(trips == trip)) for trip in set(trips.tolist()) if trip > 0}


def silence(peers: list[PeerState], session: Session | None) -> str:
    """Return what to say of a connected game that has gone silent, empty while none has."""
    silent = [peer for peer in peers if peer.connected and peer.silent_s >= SILENT_S]
    if not silent:
        return ""
    peer = silent[0]
    known = ""
    if session is not None and len(session.take.calls):
        call = len(session.take.calls) - 1
        known = tr(
            ", last known: {function_of_call} of {owner_of_call}",
            function_of_call=session.take.function_of_call(call),
            owner_of_call=session.take.owner_of_call(call),
        )
        known += "" if session.take.calls.returned[call] else tr(", which has not returned")
    return tr("{name}: no answer for {silent_s:.0f} s{known}.", name=peer.name, silent_s=peer.silent_s, known=known)
