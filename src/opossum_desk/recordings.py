"""Listening from the desk: where recordings go, and when to look again."""

from __future__ import annotations

import time
from pathlib import Path
from typing import TYPE_CHECKING

from opossum.words import tr
from opossum_desk.state.session import Session

if TYPE_CHECKING:  # the network is loaded when first listened to
    from opossum.live.peers import PeerState
    from opossum.live.receiver import Receiver

MOST_OFFERED = 3
SILENT_S = 2.0
"""A connected game that says nothing for this long is told to be silent."""


def recordings_folder() -> Path:
    """Return the folder of live recordings, made if need be."""
    from platformdirs import user_data_path

    folder = user_data_path("opossum") / "recordings"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def left_behind(known: list[str]) -> list[str]:
    """Return the recordings that nobody has seen: the desk or the machine ended while they were made. Newest first."""
    from platformdirs import user_data_path

    folder = user_data_path("opossum") / "recordings"
    try:
        paths = sorted(folder.glob("*.flow.jsonl"), key=lambda path: path.stat().st_mtime, reverse=True)
        return [str(path) for path in paths if path.stat().st_size and str(path) not in known][:MOST_OFFERED]
    except OSError:
        return []


def begin_receiving(port: int | None = None) -> Receiver:
    """Return a receiver that has begun, on this machine only, recording into a dated stream.

    Raises:
        ReceiveError: it cannot begin; the message says why.
    """
    from opossum.live.receiver import DEFAULT_PORT, Receiver

    name = time.strftime("game-%Y-%m-%d-%H%M%S")
    folder = recordings_folder()
    path, number = folder / f"{name}.flow.jsonl", 2
    while path.exists():
        path, number = folder / f"{name}-{number}.flow.jsonl", number + 1
    receiver = Receiver(path, port=DEFAULT_PORT if port is None else port)
    receiver.start()
    return receiver


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
