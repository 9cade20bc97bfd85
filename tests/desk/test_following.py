"""A stream that grows is read by a process of its own: what comes over is what reading it here would give."""

from __future__ import annotations

import os
import signal

import numpy as np
import pytest

from opossum.findings.examine import examine
from opossum.stream.contents import StreamError
from opossum.take.opening import open_any
from opossum_desk.state.carrying_over import as_grown, carry_over
from opossum_desk.state.following import FollowedTake
from opossum_desk.state.session import Session
from tape import Tape, only, read


def doubled_night(frames: int) -> bytes:
    """Return the stream of a game whose counter listens twice, one frame after another."""
    tape = Tape().frame()
    binds = [tape.bind("bell", "counter#1", "Counter.on_bell") for _ in range(2)]
    for _ in range(frames):
        tape.frame()
        tape.heard("bell", *binds, o="door#1", eff=1)
    return "\n".join([*tape.lines, ""]).encode()


@pytest.fixture
def stream(tmp_path):
    """Return a path to write a stream to."""
    return tmp_path / "night.flow.jsonl"


@pytest.fixture
def followed(stream):
    """Return the take that is followed there."""
    stream.write_bytes(doubled_night(20)[:2000])
    followed = FollowedTake(str(stream))
    yield followed
    followed.close()


def flags_and_sums(session: Session) -> dict[str, list]:
    """Return all that is counted of a session's calls."""
    threads = session.row_index
    counted = {name: flags.tolist() for name, flags in threads.flags.items()}
    for kind, level in (("single", threads.single), ("folded", threads.folded)):
        counted |= {f"{kind} {name}": np.asarray(sums).tolist() for name, sums in level.sums.items()}
        counted |= {f"{kind} columns": level.columns.tolist(), f"{kind} order": level.groups.order.tolist()}
    return counted


def test_it_is_what_reading_it_here_would_give(followed, stream):
    """Tables, texts, rows and counts, in every growth; nothing while nothing has come."""
    for end in (2000, 4000, None):
        stream.write_bytes(doubled_night(20)[:end])
        number, session = followed.read_on(sieve="o:counter#1")
        here = Session(open_any(str(stream)))
        here.set_sieve("o:counter#1")

        assert session.take.name == "night" and session.sieve.active
        assert session.take.records == here.take.records and session.take.strings == here.take.strings
        assert flags_and_sums(session) == flags_and_sums(here)
        assert session.rows == here.rows and session.frame_lengths.tolist() == here.frame_lengths.tolist()
        assert followed.read_on(sieve="") is None
    assert number == 3


def test_it_is_examined_there_and_the_next_growth_is_marked(followed, stream):
    """The same findings with the same proof; what was found before stands where it stood."""
    followed.read_on(sieve="")
    stream.write_bytes(doubled_night(20))
    number, session = followed.read_on(sieve="")
    examined = followed.examine(playing=True)
    here = examine(open_any(str(stream)))

    assert (examined.growth, examined.number) == (number, 1) == (2, 1)
    assert [finding.as_dict() for finding in examined.findings] == [finding.as_dict() for finding in here]
    assert [finding.calls.tolist() for finding in examined.findings] == [finding.calls.tolist() for finding in here]
    assert examined.findings[0].evidence == here[0].evidence and examined.findings[0].severity is here[0].severity
    session.set_findings(examined.findings, examined.doubled)
    stream.write_bytes(doubled_night(30))
    _, grown = followed.read_on(sieve="")
    marked = np.flatnonzero(grown.row_index.flags["twin"]).tolist()
    assert grown.doubles_of == 1 and marked == np.flatnonzero(session.row_index.flags["twin"]).tolist() and marked


def night_of_two(frames: int) -> bytes:
    """Return the stream of a host and, later, a guest whose counter listens twice."""
    tape = Tape(peer="host").frame()
    tape("head", opossum=1, peer="guest", p="guest")
    for b in (1, 2):
        tape("bind", b=b, ev="bell", o="counter#1", fn="Counter.on_bell", p="guest")
    for n in range(1, frames):
        tape.frame()("frame", n=100 + n, p="guest")("send", s=n, ev="bell", o="door#1", p="guest")
        for b in (1, 2):
            c = 2 * n + b
            tape("call", c=c, s=n, b=b, o="counter#1", fn="Counter.on_bell", p="guest")("ret", c=c, eff=1, p="guest")
    return "\n".join([*tape.lines, ""]).encode()


def test_what_was_found_with_a_peer_stands_where_its_frames_are_now(followed, stream):
    """The host's frames grow, the guest's begin further on: findings of growths before are not lost, and point at the same."""
    stream.write_bytes(night_of_two(20))
    _, session = followed.read_on(sieve="")
    examined = followed.examine(playing=True)
    doubled = next(finding for finding in examined.findings if finding.kind == "double-fire")
    frames = session.take.frames
    numbers = frames.number[doubled.frame_rows].tolist()
    assert numbers == doubled.frames == list(range(102, 120)) and doubled.subject.peer == "guest"

    stream.write_bytes(night_of_two(30))
    _, grown = followed.read_on(sieve="")
    frames = grown.take.frames
    assert frames.number[doubled.frame_rows].tolist() != numbers, "they have moved"
    [moved] = as_grown([doubled], examined.starts, frames.peer_starts)
    assert frames.number[moved.frame_rows].tolist() == numbers and (frames.peer[moved.frame_rows] == 1).all()
    assert (moved.id, moved.calls.tolist()) == (doubled.id, doubled.calls.tolist())
    assert np.flatnonzero(grown.row_index.flags["twin"]).tolist() == sorted(doubled.calls.tolist())

    session.set_findings(examined.findings, examined.doubled)
    session.show_finding(doubled)
    carry_over(grown, session)
    assert grown.examined and [item.id for item in grown.findings] == [item.id for item in examined.findings]
    assert grown.finding in grown.findings and grown.finding.frame_rows.tolist() == moved.frame_rows.tolist()
    assert (grown.column, grown.call) == (session.column, session.call)


def test_rows_of_several_peers_move_with_their_frames_and_what_lies_in_none_stays():
    """Each by what has come before its peer's first frame; the same finding where none of its rows move."""
    found = only(examine(read(night_of_two(20))), "bound-twice")
    before, now = np.array([0, 4, 6]), np.array([0, 5, 9, 12])
    mixed = found.changed(frame_rows=np.array([-1, 0, 3, 4, 5]))
    assert as_grown([mixed], before, now)[0].frame_rows.tolist() == [-1, 0, 3, 5, 6]
    hosts = found.changed(frame_rows=np.array([-1, 2]))
    assert as_grown([hosts], before, now)[0] is hosts
    assert as_grown([mixed], before, np.array([0, 4, 8]))[0] is mixed


def test_a_finding_that_is_no_longer_listed_stays_chosen(followed, stream):
    """Its reader reads it; it moves with its frames, too, and where nothing moves it is the same."""
    stream.write_bytes(night_of_two(20))
    _, session = followed.read_on(sieve="")
    examined = followed.examine(playing=True)
    session.set_findings(examined.findings, examined.doubled)
    chosen = next(finding for finding in examined.findings if finding.kind == "double-fire")
    session.show_finding(chosen)
    session.list_findings([])
    carry_over(same := Session(session.take), session)
    assert same.finding is chosen and same.findings == []
    stream.write_bytes(night_of_two(21))
    _, grown = followed.read_on(sieve="")
    carry_over(grown, session)
    assert grown.finding.frame_rows.tolist() == [row + 1 for row in chosen.frame_rows]


def test_a_sieve_that_is_not_understood_sieves_nothing(followed):
    """Its user is still writing it."""
    _, session = followed.read_on(sieve="frame:")
    assert not session.sieve.active and session.matched_count == len(session.take.calls)


def test_what_cannot_be_read_is_said(followed, stream):
    """Another recording in its place; a process that is gone."""
    followed.read_on(sieve="")
    stream.write_bytes(b"short\n")
    with pytest.raises(StreamError, match="has become shorter"):
        followed.read_on(sieve="")
    os.kill(followed._process.pid, signal.SIGKILL)
    with pytest.raises(StreamError, match="has ended; open it again"):
        followed.read_on(sieve="")
