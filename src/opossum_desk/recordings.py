"""Listening from the desk: where recordings go, and when to look again."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from opossum_desk.user_folders import recordings_folder

if TYPE_CHECKING:  # the network is loaded when first listened to
    from opossum.live.receiver import Receiver

MOST_OFFERED = 3


def left_behind(known: list[str]) -> list[str]:
    """Return the recordings that nobody has seen: the desk or the machine ended while they were made. Newest first."""
    try:
        paths = sorted(recordings_folder().glob("*.flow.jsonl"), key=lambda path: path.stat().st_mtime, reverse=True)
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
    folder.mkdir(parents=True, exist_ok=True)
    path, number = folder / f"{name}.flow.jsonl", 2
    while path.exists():
        path, number = folder / f"{name}-{number}.flow.jsonl", number + 1
    receiver = Receiver(path, port=DEFAULT_PORT if port is None else port)
    receiver.start()
    return receiver
