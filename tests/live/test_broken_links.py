"""Links that break, stall and come back: nothing is lost untold, and a game stays one peer."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import random
import select
import signal
import socket
import struct
import subprocess
import sys
import termios
import threading
import time
from collections.abc import Callable

import pytest
from test_receiver import HEAD, answer, connect, until

from opossum.live import receiver as listening
from opossum.live.receiver import Receiver
from opossum.take.opening import open_any
from opossum_recorder import Recorder
from opossum_recorder.unkept_lines import UnkeptLines


class Proxy:
    """Stands between a game and Opossum, and cuts the line after some bytes, again and again."""

    def __init__(self, port: int, seed: int) -> None:
        self._to = port
        self._chance = random.Random(seed)
        self._server = socket.create_server(("127.0.0.1", 0))
        self.port = self._server.getsockname()[1]
        self.cuts = 0
        self.cutting = True
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            try:
                game, _ = self._server.accept()
            except OSError:
                return
            with game, socket.create_connection(("127.0.0.1", self._to)) as opossum:
                left = self._chance.randrange(2000, 60_000)
                talking = {game: opossum, opossum: game}
                while talking and (left > 0 or not self.cutting):
                    try:
                        for one in select.select(list(talking), [], [], 5)[0]:
                            data = one.recv(self._chance.choice((7, 500, 4096)))
                            if data:
                                talking[one].sendall(data)
                            else:
                                talking.pop(one).shutdown(socket.SHUT_WR)
                            left -= len(data) if one is game else 0
                    except OSError:
                        break
                else:
                    self.cuts += 1
                    # as a line that goes dead does it: nobody is told properly
                    game.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, b"\1\0\0\0\0\0\0\0")

    def close(self) -> None:
        """Stop listening."""
        self._server.close()


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_line_that_is_cut_again_and_again_loses_nothing(receiver, seed):
    """Every record is there once, in order, in one peer."""
    proxy = Proxy(receiver.port, seed)
    recorder = Recorder(None, "Bakery", peer="host", link=f"127.0.0.1:{proxy.port}", watch_after=0)
    for number in range(4000):
        recorder.frame(number)
        recorder.send("bread_ready", "oven#1")
        recorder.idle()
        if number % 100 == 0:
            time.sleep(0.01)
    until(lambda: receiver.peers[0].records > 12_000)
    proxy.cutting = False
    recorder.close()
    until(lambda: receiver.peers[0].closed)
    proxy.close()
    take = open_any(str(receiver.out))

    assert proxy.cuts > 3
    assert (recorder.lost, take.damage) == (0, [])
    assert [span.name for span in take.peers] == ["host"]
    assert take.tables["frame"]["n"].tolist() == list(range(4000))
    assert take.tables["send"]["s"].tolist() == list(range(1, 4001))
    assert len(take.tables["head"]) == 1


def test_a_receiver_that_stands_still_loses_nothing_untold(tmp_path):
    """Stopped by the system for a while, and let go: one peer, and what could not be kept is counted."""
    target = tmp_path / "night.take"
    command = [sys.executable, "-m", "opossum_commands", "listen", "--port", "0", "--out", str(target), "--until-bye"]
    process = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
    port = int(process.stderr.readline().rpartition(":")[2].partition(";")[0])
    recorder = Recorder(None, "Bakery", peer="host", link=f"127.0.0.1:{port}", watch_after=0)
    until(lambda: recorder.trouble == "")
    wide = {"order": "bread" * 40}
    sent = 0
    os.kill(process.pid, signal.SIGSTOP)
    began = time.monotonic()
    while time.monotonic() - began < 3 or not recorder.lost:
        for _ in range(500):
            recorder.send("bread_ready", "oven#1", d=wide)
            sent += 1
        recorder.flush()
        time.sleep(0.002)
    os.kill(process.pid, signal.SIGCONT)
    until(lambda: not recorder._sink._lines.waiting, 30)
    recorder.close()
    assert process.wait(60) == 0, process.stderr.read()
    process.stderr.close()
    take = open_any(str(target))

    assert [span.name for span in take.peers] == ["host"]
    assert recorder.lost > 0
    assert len(take.tables["send"]) == sent - recorder.lost
    assert int(take.tables["lost"]["n"].sum()) == recorder.lost


def test_a_game_that_does_not_send_again_is_told_exactly_what_was_lost(receiver):
    """Its head says after how many lines it goes on."""
    head = HEAD.rstrip()[:-1] + b',"run":"abc"'
    first = connect(receiver, head + b',"from":0}\n' + b'{"k":"frame","n":0,"t":5}\n{"k":"fra')
    assert answer(first)["kept"] == 0
    until(lambda: receiver.peers[0].records == 2)
    second = connect(receiver, head + b',"from":7}\n{"k":"frame","n":7,"t":9}\n{"k":"bye","t":10}\n')
    assert answer(second) == {"k": "welcome", "opossum": 1, "kept": 7}
    until(lambda: receiver.peers[0].closed)
    for connection in (first, second):
        connection.close()
    take = open_any(str(receiver.out))
    assert [span.name for span in take.peers] == ["host"]
    assert take.tables["lost"]["n"].tolist() == [6]
    assert take.tables["frame"]["n"].tolist() == [0, 7]


@pytest.mark.parametrize(
    "said",
    [
        b"",
        b"rubbish\n" * 30,
        b'{"k":"frame","n":0,"t":5}\n' * 90_000,
    ],
    ids=["nothing", "rubbish", "much"],
)
def test_a_refusal_is_heard_whatever_was_said_before(receiver, monkeypatch, said):
    """Closing over what lies unread would reset the connection."""
    monkeypatch.setattr(listening, "MOST_PEERS", 1)
    first = connect(receiver)
    assert answer(first)["k"] == "welcome"
    second = connect(receiver, HEAD)
    with contextlib.suppress(OSError):
        second.sendall(said)
    heard = b""
    with contextlib.suppress(ConnectionError):
        while received := second.recv(4096):
            heard += received
    assert json.loads(heard.split(b"\n")[0]) == {"k": "refuse", "why": "1 games are connected already"}
    first.close()
    second.close()


def test_whoever_says_nothing_is_told_why_it_is_shown_the_door(receiver, monkeypatch):
    """No head in time is a reason like any other."""
    monkeypatch.setattr(listening, "HEAD_WITHIN_S", 0.2)
    silent = connect(receiver, b"")
    assert answer(silent) == {"k": "refuse", "why": "no `head` came within 0.2 s"}
    silent.close()


def test_a_silent_peer_gives_its_place_back(receiver, monkeypatch):
    """To one that wants it; it is told why, and may come again."""
    monkeypatch.setattr(listening, "MOST_PEERS", 2)
    monkeypatch.setattr(listening, "SILENT_S", 0.3)
    silent, lively = connect(receiver), connect(receiver)
    for connection in (silent, lively):
        assert answer(connection)["k"] == "welcome"
    for number in range(8):
        time.sleep(0.05)
        lively.sendall(b'{"k":"frame","n":%d,"t":5}\n' % number)
    third = connect(receiver)
    assert answer(third)["k"] == "welcome"
    told = answer(silent)
    while told["k"] == "ping":
        told = answer(silent)
    assert told["k"] == "refuse" and "silent for 0.3 s" in told["why"] and told["again"] is True
    assert [peer.connected for peer in receiver.peers] == [False, True, True]
    fourth = connect(receiver)
    assert answer(fourth)["why"] == "2 games are connected already"
    for connection in (silent, lively, third, fourth):
        connection.close()


def test_a_recorder_that_gave_its_place_back_comes_again(tmp_path, monkeypatch):
    """Its lines wait meanwhile."""
    monkeypatch.setattr(listening, "MOST_PEERS", 1)
    monkeypatch.setattr(listening, "SILENT_S", -1.0)
    receiver = Receiver(tmp_path / "a.flow.jsonl", port=0)
    receiver.start()
    recorder = Recorder(None, "Bakery", peer="host", link=f"127.0.0.1:{receiver.port}", watch_after=0)
    until(lambda: bool(receiver.peers))
    other = connect(receiver, HEAD.replace(b"host", b"other"))
    until(lambda: len(receiver.peers) == 2 and not receiver.peers[1].connected)
    recorder.say("still here")
    recorder.flush()
    until(lambda: receiver.peers[0].records == 2)
    recorder.close()
    other.close()
    receiver.stop()
    assert recorder.lost == 0


@pytest.mark.parametrize(
    "said",
    [
        b'{"k":"ping","id":1e999,"t":1}',
        b'{"k":"ping","id":1,"t":1e999}',
        b'{"k":"ping","id":-1,"t":%d}' % 10**30,
        b'{"k":"ping"}',
        b'{"k":"trip","id":1e999,"when":{"ev":"x"}}',
        b'{"k":"trip","id":%d,"when":{"ev":"x"}}' % 10**400,
        b'{"k":"trip","id":1,"when":{"ev":"x","longer_ms":1e999,"count":1e999}}',
        b'{"k":"trip","id":1,"when":[[]]}',
        b'{"k":"trip","id":1,"when":{"value":["a",[],1]}}',
        b'{"k":"untrip","id":[]}',
        b'{"k":"watch","id":{},"o":1,"name":[]}',
        b'{"k":"unwatch","id":[1]}',
        b'{"k":"step","by":{}}',
        b'{"k":"kept","n":1e999}',
        b'{"k":"kept","n":%d}' % 2**61,
        b'{"k":"kept","n":-5}',
        b'{"k":[1]}',
        b"[" * 30_000,
        b'{"a":' * 9000,
        b"\xff\xfe{}",
        b"9" * 6000,
        b"null",
        b'"ping"',
    ],
)
def test_the_link_lives_on_whatever_the_other_side_says(said):
    """And the game's lines go on coming."""
    server = socket.create_server(("127.0.0.1", 0))
    recorder = Recorder(None, "g", link=f"127.0.0.1:{server.getsockname()[1]}", watch_after=0)
    opossum, _ = server.accept()
    opossum.settimeout(5)
    lines = opossum.makefile("rb")
    assert json.loads(lines.readline())["k"] == "head"
    opossum.sendall(
        b'{"k":"welcome","opossum":1,"kept":0}\n' + said + b"\n" + b'{"k":"ping","id":7,"t":70}\n{"k":"go"}\n'
    )
    while (told := json.loads(lines.readline())).get("id") != 7:
        assert told["k"] in ("pong", "say")
    recorder.say("still here")
    recorder.idle()
    while (told := json.loads(lines.readline()))["k"] != "idle":
        assert told["k"] in ("say", "held", "went")
    opossum.sendall(b'{"k":"kept","n":1000}\n')
    until(lambda: not recorder._sink._lines.lines())
    opossum.close()
    server.close()
    recorder.close()
    assert recorder.lost == 0


def test_lines_stay_until_they_are_known_to_have_arrived():
    """And go again from there, whole."""
    lines = UnkeptLines()
    for number in range(5):
        assert lines.add(b"a%d\nb%d\n" % (number, number))
    assert lines.lines() == 10 and lines.waiting and bytes(lines.next_bytes()) == b"a0\nb0\n"
    lines.sent(3)
    assert bytes(lines.next_bytes()) == b"b0\n" and not lines.between_blocks
    lines.sent(3)
    lines.kept(1)  # half a block is none
    assert (lines.first, lines.lines()) == (0, 10)
    lines.sent(6)
    lines.kept(10**6)  # what was not sent cannot be there
    assert (lines.first, lines.lines()) == (4, 6)
    lines.sent(2)
    assert lines.begin_again() == 4
    assert bytes(lines.next_bytes()) == b"a2\nb2\n"


@pytest.mark.parametrize("counts", [None, False, True])
def test_lines_that_are_not_known_to_have_arrived_take_bounded_memory(monkeypatch, counts):
    """Where the other side does not count, what was sent is let go of."""
    monkeypatch.setattr("opossum_recorder.unkept_lines.MOST_BYTES", 100)
    lines = UnkeptLines()
    lines.counts = counts
    taken = 0
    for _ in range(40):
        taken += lines.add(b"x" * 9 + b"\n")
        if lines.waiting:
            lines.sent(len(lines.next_bytes()))
    assert taken == (10 if counts else 40)
    assert lines.lines() == (10 if counts else 0)


def test_who_asks_and_does_not_read_gets_no_more_answers():
    """The answers that wait take bounded memory, and the link lives on."""
    server = socket.create_server(("127.0.0.1", 0))
    recorder = Recorder(None, "g", link=f"127.0.0.1:{server.getsockname()[1]}", watch_after=0)
    opossum, _ = server.accept()
    opossum.settimeout(0.5)
    opossum.sendall(b'{"k":"welcome","opossum":1,"kept":0}\n')
    pings = b'{"k":"ping","id":7,"t":70}\n' * 4000
    with contextlib.suppress(TimeoutError):
        for _ in range(120):
            opossum.sendall(pings)
    opossum.settimeout(5)
    recorder.say("still here")
    recorder.flush()
    heard = b""
    while b"still here" not in heard:
        heard = heard[-4000:] + opossum.recv(1 << 16)
    opossum.close()
    server.close()
    recorder.close()


def test_something_else_that_listens_is_asked_now_and_then():
    """Not as fast as it can be."""
    server = socket.create_server(("127.0.0.1", 0))
    server.settimeout(0.05)
    recorder = Recorder(None, "g", link=f"127.0.0.1:{server.getsockname()[1]}", watch_after=0)
    came, end = 0, time.monotonic() + 1
    while time.monotonic() < end:
        with contextlib.suppress(TimeoutError):
            server.accept()[0].close()
            came += 1
    server.close()
    recorder.close()
    assert 1 <= came <= 6


def test_what_nobody_foresaw_ends_one_connection(receiver, monkeypatch):
    """It is told so, and the others go on."""
    other = connect(receiver)
    assert answer(other)["k"] == "welcome"
    rude = connect(receiver)
    assert answer(rude)["k"] == "welcome"
    until(lambda: len(receiver.peers) == 2)
    monkeypatch.setattr(receiver._peers[1].link, "chunk", lambda lines, now: [][1])
    rude.sendall(b'{"k":"frame","n":0,"t":5}\n')
    until(lambda: any("(IndexError): please report this" in why for why in receiver.refusals))
    told = answer(rude)
    while told["k"] == "ping":
        told = answer(rude)
    assert told["k"] == "refuse"
    rude.close()
    other.sendall(b'{"k":"frame","n":0,"t":5}\n')
    until(lambda: receiver.peers[0].records == 2)
    other.close()


def test_strangers_are_bounded(receiver, monkeypatch):
    """As many as are allowed may take their time; one more is told why not."""
    monkeypatch.setattr(listening, "MOST_STRANGERS", 2)
    silent = [connect(receiver, b"") for _ in range(2)]
    until(lambda: receiver._strangers == 2)
    late = connect(receiver, HEAD)
    assert answer(late) == {"k": "refuse", "why": "2 others have connected and not said who they are"}
    silent[0].close()
    until(lambda: receiver._strangers == 1)
    welcome = connect(receiver, HEAD)
    assert answer(welcome)["k"] == "welcome"
    for connection in (*silent, late, welcome):
        connection.close()


LINES = b"".join(b'{"k":"say","t":%d,"text":"line %d"}\n' % (number, number) for number in range(1, 41))


def held_lines(receiver: Receiver) -> list[str]:
    """Return what was said and is kept, in order."""
    with open(receiver.out, "rb") as stream:
        return [told["text"] for told in map(json.loads, stream) if told["k"] == "say"]


def sent_and_not_acknowledged(connection: socket.socket) -> int:
    """Return the bytes that lie with the sender's system still, and go with it."""
    return struct.unpack("i", fcntl.ioctl(connection.fileno(), termios.TIOCOUTQ, b"\0" * 4))[0]


def keep_busy(receiver: Receiver, seconds: float, then: Callable[[], object] = lambda: None) -> None:
    """Have the receiver's thread do nothing else for a while, and something right after."""
    assert receiver._loop is not None
    receiver._loop.call_soon_threadsafe(lambda: (time.sleep(seconds), then()))


@pytest.mark.parametrize("answers_first", [False, True])
def test_a_game_that_ends_over_unread_answers_is_heard_out(receiver, answers_first):
    """Its system resets the connection; what it sent before is kept, whether or not something is sent to it first."""
    connection = connect(receiver)
    connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    select.select([connection], [], [], 5)  # the welcome has come, and is never read
    (peer,) = receiver._peers
    keep_busy(receiver, 0.5, lambda: answers_first and peer.writer.write(b"anything\n"))
    for part in (LINES[:500], LINES[500:]):
        connection.sendall(part)
        while sent_and_not_acknowledged(connection):
            time.sleep(0.001)
    connection.close()
    until(lambda: not receiver.peers[0].connected)
    assert held_lines(receiver) == [f"line {number}" for number in range(1, 41)]


def test_a_game_that_has_ended_before_it_was_welcomed_is_heard_out(receiver):
    """The receiver had no time to read even its first line before all was over."""
    keep_busy(receiver, 0.3)
    connection = connect(receiver, HEAD + LINES)
    connection.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))  # its system says: reset
    time.sleep(0.05)
    connection.close()
    until(lambda: len(receiver.peers) == 1 and not receiver.peers[0].connected)
    assert held_lines(receiver) == [f"line {number}" for number in range(1, 41)]


def test_connections_that_ended_leave_no_file_open(receiver):
    """The second name of each goes with it."""
    before = len(os.listdir("/proc/self/fd"))
    for number in range(5):
        connection = connect(receiver, HEAD.replace(b"host", b"peer%d" % number))
        answer(connection)
        connection.close()
    until(lambda: len(receiver.peers) == 5 and not any(peer.connected for peer in receiver.peers))
    until(lambda: len(os.listdir("/proc/self/fd")) == before)
