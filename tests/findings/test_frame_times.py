"""When frames begin and in which a moment or a mark is due, by the wall's clock and by the one a game is told."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest

from opossum.findings.frame_times import FrameTimes, frame_times
from opossum.findings.scene import Scene
from opossum.findings.settings import Settings
from opossum.take.take import Take
from tape import read

MS = 1_000_000
STALLED = 5
"""The main peer's frame that takes 100 ms, and is told as 20: from there on its clock is 80 ms behind the wall's."""


def two_rhythms(*others: dict) -> Take:
    """Return a game whose guest (first in the take) plays frames of 25 ms and tells no time; the main peer frames of 20 ms."""
    lines = [{"k": "head", "t": 0, "opossum": 1, "game": "test", "peer": peer, "p": peer} for peer in ("guest", "main")]
    lines += [{"k": "frame", "t": 25 * MS * number, "n": number, "p": "guest"} for number in range(16)]
    for number in range(16):
        begin = (20 * number + 80 * (number > STALLED)) * MS
        lines.append({"k": "frame", "t": begin, "n": number, "dt": 0.02, "p": "main"})
    lines += others
    lines.sort(key=lambda line: line["t"])
    return read(b"".join(msgspec.json.encode(line) + b"\n" for line in lines))


def times_of(take: Take) -> FrameTimes:
    """Return the frame times of a take."""
    return Scene(take, Settings()).once(frame_times)


def place(take: Take, peer: str) -> int:
    """Return a peer's place among the peers."""
    return [span.name for span in take.peers].index(peer)


def numbers(take: Take, rows: np.ndarray) -> list[tuple[str, int]]:
    """Return whose frames these rows are, and their numbers."""
    return [(take.peers[int(take.frames.peer[row])].name, int(take.frames.number[row])) for row in rows.tolist()]


def test_frames_begin_and_last_as_long_as_they_do():
    """The last one of a peer has no length; the usual one is each peer's own."""
    take = two_rhythms()
    times = times_of(take)
    guest, main = (times.length_ns[take.frames.of_peer(place(take, peer))] for peer in ("guest", "main"))
    assert guest.tolist() == [25 * MS] * 15 + [0]
    assert main.tolist() == [20 * MS] * STALLED + [100 * MS] + [20 * MS] * 9 + [0]
    assert times.frame_ns(np.arange(2)).tolist() == [25 * MS, 20 * MS]
    told = times.told_ns[take.frames.of_peer(place(take, "main"))]
    assert told.tolist() == [20 * MS * number for number in range(16)]


@pytest.mark.parametrize(
    ("peer", "due_ms", "by_wall", "by_told"),
    [
        ("main", 100, 5, 5),
        ("main", 100.000001, 6, 6),
        ("main", 120, 6, 6),
        ("main", 200, 6, 10),
        ("main", 220.5, 8, 12),
        ("guest", 100, 4, 4),
        ("guest", 100.5, 5, 5),
        ("guest", 0, 0, 0),
    ],
)
def test_a_moment_is_due_in_the_first_frame_that_begins_then_or_later(peer, due_ms, by_wall, by_told):
    """Of its own peer, by either clock; who tells no time goes by the wall's."""
    take = two_rhythms()
    times, asked = times_of(take), np.array([place(take, peer)] * 2)
    due = np.array([int(due_ms * MS), 0])
    assert numbers(take, times.due_frame(asked, due)) == [(peer, by_wall), (peer, 0)]
    assert numbers(take, times.due_told(asked, due)) == [(peer, by_told), (peer, 0)]


def test_beyond_its_last_frame_a_moment_is_due_in_the_row_after_it():
    """Which is another peer's first, or none."""
    take = two_rhythms()
    times, both = times_of(take), np.arange(2)
    ends = [take.frames.of_peer(peer).stop for peer in range(2)]
    assert times.due_frame(both, np.array([10**12] * 2)).tolist() == ends
    assert times.due_told(both, np.array([10**12] * 2)).tolist() == ends


def a_clip(peer: str, sent_ms: float) -> list[dict]:
    """Return the records of a clip that begins at 60 ms (the main peer's third frame), its mark 100 ms later."""
    said = {"o": "cook#1", "p": peer}
    return [
        {"k": "play", "t": 60 * MS, "y": 1, "clip": "chop", "len": 1.0, "marks": [["cut", 0.1]], **said},
        {"k": "send", "t": int(sent_ms * MS), "s": 1, "ev": "cut", "y": 1, "mark": "cut", "via": "clip", **said},
    ]


@pytest.mark.parametrize(
    ("peer", "sent_ms", "after_ms", "due"),
    [
        ("main", 200, 40.0, 8),  # of the 100 ms the wall's clock has passed 140 and the other 60: neither is nearer
        ("main", 210, -30.0, 8),
        ("main", 240, 0.0, 8),  # on the dot by the clock that it is told, 80 ms late by the wall's
        ("main", 250, 10.0, 8),
        ("main", 165, 5.0, 8),
        ("guest", 160, 0.0, 7),
        ("guest", 180, 20.0, 7),
        ("guest", 140, -20.0, 7),
    ],
)
def test_a_mark_is_due_by_either_clock(peer, sent_ms, after_ms, due):
    """What it is off by is what the nearer clock says; the frame it is due in is the later of both."""
    take = two_rhythms(*a_clip(peer, sent_ms))
    times, mark, send = times_of(take), np.array([0]), np.array([0])
    assert take.marks.send.tolist() == [0]
    assert times.time_of("send", send).tolist() == [int(sent_ms * MS)]
    assert times.beside("send", send, mark).tolist() == [int(after_ms * MS)]
    assert numbers(take, times.mark_frames(mark)) == [(peer, due)]
    row = times.mark_frames(mark)
    assert times.with_its_mark(np.append(row, [row - 1, row + 1]), mark).tolist() == [True, True, False]
