"""The receiver and the recorder's link, over real sockets on this machine."""

from __future__ import annotations

import asyncio
import contextlib
import json
import socket
import subprocess
import sys
import time
from collections.abc import Callable

import pytest

from opossum.live import receiver as listening
from opossum.live.receiver import ReceiveError, Receiver, is_loopback
from opossum.take.opening import open_any
from opossum_recorder import Recorder
from opossum_recorder.link import LinkSink
from opossum_recorder.unkept_lines import MOST_BYTES
from tape import Tape

HEAD = b'{"k":"head","t":0,"opossum":1,"game":"Bakery","peer":"host"}\n'


def until(condition: Callable[[], bool], seconds: float = 10.0) -> None:
    """Wait until a condition holds."""
    end = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < end, "it did not come to that in time"
        time.sleep(0.005)


def connect(receiver: Receiver, first: bytes = HEAD) -> socket.socket:
    """Return a connection that has said its first line."""
    connection = socket.create_connection(("127.0.0.1", receiver.port), timeout=5)
    connection.sendall(first)
    return connection


def answer(connection: socket.socket) -> dict:
    """Return the next line the receiver says."""
    data = b""
    while not data.endswith(b"\n"):
        received = connection.recv(1)
        assert received, "the receiver hung up"
        data += received
    return json.loads(data)


def play(recorder: Recorder, frames: int) -> None:
    """Record some frames of a game."""
    for number in range(frames):
        with (
            recorder.frame(number, 0.016),
            recorder.call(recorder.send("tick", via="tick"), None, "oven#1", "Oven.on_tick"),
        ):
            pass


def test_a_recorder_streams_over_the_link(receiver):
    """Nothing is lost; the take is whole; the clock is known."""
    recorder = Recorder(None, "Bakery", peer="host", link=f"127.0.0.1:{receiver.port}", watch_after=0)
    play(recorder, 300)
    until(lambda: bool(receiver.peers) and receiver.peers[0].error_ns is not None)
    recorder.close()
    until(lambda: receiver.peers[0].closed and not receiver.peers[0].connected)
    take = open_any(str(receiver.out))

    assert recorder.lost == 0
    assert recorder.trouble == ""
    assert take.records == 1 + 300 * 5 + 1
    assert [span.name for span in take.peers] == ["host"]
    assert take.damage == []


def test_the_game_may_begin_before_opossum(tmp_path):
    """Lines wait until somebody listens."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    recorder = Recorder(None, "Bakery", link=f"127.0.0.1:{port}", watch_after=0)
    play(recorder, 20)
    assert recorder.trouble
    late = Receiver(tmp_path / "late.flow.jsonl", port=port)
    late.start()
    until(lambda: bool(late.peers) and late.peers[0].records >= 101)
    recorder.close()
    late.stop()

    assert recorder.lost == 0
    assert len(open_any(str(late.out)).frames) == 20


def test_a_game_without_anybody_listening_is_not_held_up():
    """What does not fit into the store is dropped and counted; closing takes a bounded time."""
    sink = LinkSink("127.0.0.1:9", lambda: 0)
    began = time.monotonic()
    chunk = b"x" * (1 << 20) + b"\n"
    taken = sum(sink.write(chunk) for _ in range(40))
    assert time.monotonic() - began < 2
    assert taken <= MOST_BYTES // (1 << 20) + 1
    sink.close()
    assert time.monotonic() - began < 6


def test_several_peers_become_one_take(receiver):
    """Each line says whose it is; one that vanishes mid-line harms nobody."""
    others = [
        Recorder(None, "Bakery", peer=name, link=f"127.0.0.1:{receiver.port}", watch_after=0)
        for name in ("host", "guest")
    ]
    until(lambda: len(receiver.peers) == 2)
    torn = connect(receiver, HEAD.replace(b"host", b"torn") + b'{"k":"frame","n":0,"t":5}\n{"k":"frame","n":1,')
    assert answer(torn) == {"k": "welcome", "opossum": 1, "kept": 0}
    torn.close()
    for recorder in others:
        play(recorder, 50)
        recorder.close()
    until(lambda: not any(peer.connected for peer in receiver.peers))
    take = open_any(str(receiver.out), shifts=receiver.shifts())

    assert take.damage == []
    assert sorted(span.name for span in take.peers) == ["guest", "host", "torn"]
    assert sorted((frames.stop - frames.start) for frames in map(take.frames.of_peer, range(3))) == [1, 50, 50]


def test_a_peers_clock_is_set_on_reading_and_taken_off_on_writing(tmp_path):
    """The take compares; the stream keeps what the games wrote."""
    from opossum.stream.writing import stream_lines
    from opossum.take.archive import open_take, save_take

    tape = Tape(peer="host")("head", opossum=1, peer="guest", p="guest")("frame", n=0)("frame", n=0, p="guest")
    path = tmp_path / "two.flow.jsonl"
    path.write_bytes(tape.bytes(bye=False))
    take = open_any(str(path), shifts={"guest": (500_000, 70)})
    save_take(take, tmp_path / "two.take")
    again = open_take(tmp_path / "two.take")

    assert take.frames.start_ns.tolist() == [3000, 504_000]
    assert [(span.shift_ns, span.shift_error_ns) for span in again.peers] == [(0, -1), (500_000, 70)]
    written = [json.loads(line)["t"] for line in stream_lines(again.tables, again.strings, again.peers)]
    assert written == [1000, 2000, 3000, 4000]


def test_pings_tell_clocks_apart(tmp_path):
    """A game whose clock is far ahead is set back, within the error that is told."""
    receiver = Receiver(tmp_path / "clocks.flow.jsonl", port=0)
    receiver.start()
    ahead = 3_600_000_000_000
    clocks = (time.monotonic_ns, lambda: time.monotonic_ns() + ahead)
    recorders = []
    for name, clock in zip(("host", "guest"), clocks, strict=True):
        recorders.append(
            Recorder(None, "Bakery", peer=name, link=f"127.0.0.1:{receiver.port}", watch_after=0, clock=clock)
        )
        recorders[-1]._origin = 0  # times since the clock's own beginning, so that the offset is known
        until(lambda: len(receiver.peers) == len(recorders))
    until(lambda: all(peer.error_ns is not None for peer in receiver.peers))
    shift, error = receiver.shifts()["guest"]
    for recorder in recorders:
        recorder.close()
    receiver.stop()

    assert abs(shift + ahead) <= error
    assert error < 1_000_000_000


@pytest.mark.parametrize(
    ("said", "why"),
    [
        (b"hello there\n", "the first line must be a `head`"),
        (HEAD + b"x" * (listening.LONGEST_LINE + 100) + b"\n", "a line is longer than 1 MiB"),
        (HEAD + b"rubbish\n" * 300, "were no records"),
    ],
)
def test_who_does_not_keep_the_rules_is_told_and_shown_the_door(receiver, said, why):
    """And somebody else goes on undisturbed."""
    other = connect(receiver)
    assert answer(other)["k"] == "welcome"
    rude = socket.create_connection(("127.0.0.1", receiver.port), timeout=5)
    with contextlib.suppress(OSError):  # the door may close while we still talk
        rude.sendall(said)
    until(lambda: any(why in reason for reason in receiver.refusals))
    rude.close()
    other.sendall(b'{"k":"frame","n":0,"t":5}\n')
    until(lambda: receiver.peers[0].records == 2)
    other.close()


def test_a_refusal_reaches_the_recorder(tmp_path):
    """It stops trying and says why."""
    receiver = Receiver(tmp_path / "closed.flow.jsonl", port=0, token="secret")
    receiver.start()
    wrong = Recorder(None, "Bakery", link=f"127.0.0.1:{receiver.port}", token="guess", watch_after=0)
    until(lambda: "token is missing or wrong" in wrong.trouble)
    wrong.close()
    right = Recorder(None, "Bakery", link=f"127.0.0.1:{receiver.port}", token="secret", watch_after=0)
    until(lambda: bool(receiver.peers))
    right.close()
    receiver.stop()

    assert b"secret" not in receiver.out.read_bytes()


def test_too_many_peers_are_refused(receiver, monkeypatch):
    """The bound is told."""
    monkeypatch.setattr(listening, "MOST_PEERS", 1)
    first = connect(receiver)
    assert answer(first)["k"] == "welcome"
    second = connect(receiver)
    assert answer(second) == {"k": "refuse", "why": "1 games are connected already"}
    first.close()
    second.close()


def test_beyond_this_machine_a_token_is_demanded(tmp_path):
    """Listening to the world needs a word first."""
    with pytest.raises(ReceiveError, match="a token is needed"):
        Receiver(tmp_path / "x", "0.0.0.0")
    Receiver(tmp_path / "x", "0.0.0.0", token="secret")
    assert [is_loopback(host) for host in ("127.0.0.1", "::1", "localhost", "0.0.0.0", "192.168.1.7", "game.local")] == [
        True, True, True, False, False, False,
    ]  # fmt: skip


def test_a_port_that_is_taken_is_said(receiver, tmp_path):
    """With the likely reason."""
    with pytest.raises(ReceiveError, match="is another Opossum listening there"):
        Receiver(tmp_path / "second", port=receiver.port).start()
    with pytest.raises(ReceiveError, match="cannot be written"):
        Receiver("/nowhere/x", port=0).start()


def test_everything_received_is_on_disk_when_the_receiver_is_killed(tmp_path):
    """A real process, killed by SIGKILL: the stream beside the take holds all that came."""
    code = (
        "import sys, time\nfrom opossum.live.receiver import Receiver\n"
        "receiver = Receiver(sys.argv[1], port=0)\nreceiver.start()\nprint(receiver.port, flush=True)\ntime.sleep(60)\n"
    )
    path = tmp_path / "killed.flow.jsonl"
    process = subprocess.Popen([sys.executable, "-c", code, str(path)], stdout=subprocess.PIPE, text=True)
    try:
        port = int(process.stdout.readline())
        connection = socket.create_connection(("127.0.0.1", port), timeout=5)
        connection.sendall(HEAD + b"".join(b'{"k":"frame","n":%d,"t":%d}\n' % (n, n * 1000) for n in range(500)))
        until(lambda: path.read_bytes().count(b"\n") == 501)
    finally:
        process.kill()
        process.wait()
        process.stdout.close()
    connection.close()

    assert len(open_any(str(path)).frames) == 500


def test_the_command_records_a_game_into_a_take(tmp_path):
    """As a script uses it: until bye, then saved, with nothing left beside it."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    target = tmp_path / "night.take"
    command = [
        sys.executable,
        "-m",
        "opossum_commands",
        "listen",
        "--port",
        str(port),
        "--out",
        str(target),
        "--until-bye",
    ]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    recorder = Recorder(None, "Bakery", link=f"127.0.0.1:{port}", watch_after=0)
    play(recorder, 30)
    until(lambda: recorder.trouble == "")
    recorder.close()
    out, err = process.communicate(timeout=30)

    assert process.returncode == 0, err
    assert "152 records of main" in out
    assert "main is recording Bakery" in err
    assert len(open_any(str(target)).frames) == 30
    assert [path.name for path in tmp_path.iterdir()] == ["night.take"]


def test_the_bakery_plays_to_whoever_listens(receiver):
    """In real time, with nothing lost."""
    command = [
        sys.executable,
        "-m",
        "opossum_commands",
        "demo",
        "--link",
        f"127.0.0.1:{receiver.port}",
        "--seconds",
        "1",
        "--healthy",
    ]
    result = subprocess.run(command, capture_output=True, text=True, timeout=60)
    until(lambda: bool(receiver.peers) and receiver.peers[0].closed)

    assert result.returncode == 0, result.stderr
    assert "0 records were lost" in result.stdout
    assert int((open_any(str(receiver.out)).frames.number >= 0).sum()) == 60


def test_the_command_says_when_nobody_came(tmp_path):
    """One sentence, status 2, no empty file."""
    command = [
        sys.executable,
        "-m",
        "opossum_commands",
        "listen",
        "--port",
        "0",
        "--out",
        str(tmp_path / "x.take"),
        "--for",
        "0.2",
    ]
    result = subprocess.run(command, capture_output=True, text=True, timeout=30)

    assert result.returncode == 2
    assert "no game connected, so there is nothing to save" in result.stderr
    assert list(tmp_path.iterdir()) == []


def test_the_emitter_in_the_documents_works(receiver):
    """Twenty lines in any language are enough: docs/stream.md's own, run as they stand."""
    import re
    from pathlib import Path

    text = (Path(__file__).parent.parent.parent / "docs" / "stream.md").read_text()
    code = re.search(r"```python\n(import json, socket.*?)```", text, re.DOTALL).group(1)
    code = code.replace("47533", str(receiver.port)).replace("time.sleep(1 / 60)", "pass")
    subprocess.run([sys.executable, "-c", code], check=True, timeout=30)
    until(lambda: bool(receiver.peers) and receiver.peers[0].closed)
    take = open_any(str(receiver.out))

    assert take.damage == []
    assert len(take.frames) == 601  # its bind came before the first frame: start-up
    assert take.function_of_call(0) == "Cat.on_door_open"


def test_it_stops_though_games_are_connected(receiver, monkeypatch):
    """Newer Pythons' servers wait, as they are left, for every connection to end; the games must be let go of first."""

    async def wait_for_all(server: asyncio.Server) -> None:
        while server._active_count:
            await asyncio.sleep(0.01)

    if sys.version_info < (3, 12):
        monkeypatch.setattr(asyncio.Server, "wait_closed", wait_for_all)
    with contextlib.closing(connect(receiver)) as connection:
        assert answer(connection)["k"] == "welcome"
        began = time.monotonic()
        receiver.stop()
        assert not receiver._thread.is_alive() and time.monotonic() - began < 4
        while connection.recv(4096):
            pass  # what it said before, and then the end
