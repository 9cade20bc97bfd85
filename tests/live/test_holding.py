"""A game on another thread, held over a real link."""

import socket
import threading
import time

import pytest
from test_listener import until

from opossum.live.listener import Listener
from opossum.live.tripwires import parse_tripwire
from opossum.take.opening import open_any
from opossum_recorder import Recorder


class Game:
    """A loop on a thread of its own: every frame a bell rings, heard by an oven, and twice by a clumsy cat."""

    def __init__(self, port: int) -> None:
        self.recorder = Recorder(None, "bakery", link=f"127.0.0.1:{port}")
        self.frames = 0
        self.playing = True
        self.slow = False
        self.thread = threading.Thread(target=self._play, daemon=True)
        self.thread.start()

    def _play(self) -> None:
        recorder = self.recorder
        recorder.spawn("oven#1", "Oven")
        recorder.spawn("cat#1", "Cat")
        oven = recorder.bind("bell", "oven#1", "Oven.on_bell")
        cat = recorder.bind("bell", "cat#1", "Cat.on_bell")
        while self.playing:
            with recorder.frame(self.frames):
                send = recorder.send("bell", "door#1", d={"ring": self.frames})
                with recorder.call(send, oven, "oven#1", "Oven.on_bell"):
                    time.sleep(0.03 if self.slow else 0)
                for _ in range(2):
                    with recorder.call(send, cat, "cat#1", "Cat.on_bell"):
                        pass
            if self.frames == 20:
                recorder.gone("cat#1")
            self.frames += 1
            time.sleep(0.002)

    def end(self) -> None:
        """End the loop and the stream."""
        self.playing = False
        self.thread.join(10)
        self.recorder.close()


@pytest.fixture
def game(listener):
    """Return a game that plays to the listener."""
    game = Game(listener.port)
    until(lambda: any(peer.records > 20 for peer in listener.peers))
    yield game
    listener.go()
    for number in listener.tripwires:
        listener.untrip(number)
    game.end()


def held(listener: Listener):
    """Return where the game is held, waiting for it."""
    until(lambda: any(peer.held is not None for peer in listener.peers))
    return listener.peers[0].held


def stands(game: Game) -> bool:
    """Say whether the game's loop stands still."""
    before = game.frames
    time.sleep(0.06)
    return game.frames == before


def let_go(listener: Listener) -> None:
    """Take all tripwires away and let the game go on."""
    for number in listener.tripwires:
        listener.untrip(number)
    listener.go()
    until(lambda: listener.peers[0].held is None)


@pytest.mark.parametrize(
    ("text", "function"),
    [
        ("ev:bell cls:Oven", "Oven.on_bell"),
        ("fn:Cat.*", "Cat.on_bell"),
        ("o:cat#1 twice", "Cat.on_bell"),
        ("gone", "Cat.on_bell"),
        ("d.ring>30 o:oven#1", "Oven.on_bell"),
    ],
)
def test_the_game_is_held_before_the_listener_runs(listener, game, text, function):
    """At the call whose condition is met; its loop stands still until it is let go."""
    listener.trip(parse_tripwire(text))
    call_id = held(listener).call
    assert stands(game)
    let_go(listener)
    until(lambda: not stands(game))
    game.end()
    listener.stop()
    take = open_any(str(listener.out))
    call = take.tables["call"]["c"].tolist().index(call_id)
    assert take.function_of_call(call) == function
    assert len(take.tables["held"]) == 1 and "_play" in take.tables["held"].json("stack")[0]


def test_time_held_is_not_game_time(listener, game):
    """The frame in which the game was held is no freeze."""
    listener.trip(parse_tripwire("fn:Oven.on_bell"))
    held(listener)
    time.sleep(0.5)
    let_go(listener)
    game.end()
    listener.stop()
    take = open_any(str(listener.out))
    frame = int(take.frames.held_ns.argmax())
    assert take.frames.held_ns[frame] > 0.45e9 > take.frames.work_ns[frame]
    assert not len(take.tables["stuck"])


def test_a_slow_call_is_held_at_once_after_it_returned(listener, game):
    """Only then is it known how long it took."""
    listener.trip(parse_tripwire("slow:20"))
    time.sleep(0.05)
    assert listener.peers[0].held is None
    game.slow = True
    assert held(listener).trip == 1


def test_the_third_time_counts_from_setting_the_wire(listener, game):
    """And holds once."""
    before = game.frames
    listener.trip(parse_tripwire("send ev:bell count:3"))
    held(listener)
    assert game.frames >= before + 2
    listener.go()
    until(lambda: not stands(game))


def test_stepping_goes_to_the_next_call_or_frame(listener, game):
    """A call at a time, then a frame, then on."""
    listener.hold()
    first = held(listener)
    calls = [first.call]
    for _ in range(4):
        listener.step("call")
        until(lambda: listener.peers[0].held not in (None, (0, calls[-1])))
        calls.append(listener.peers[0].held.call)
    assert calls == sorted(set(calls)) and calls[-1] > calls[0]
    frames = game.frames
    listener.step("frame")
    until(lambda: game.frames == frames + 1)
    assert held(listener).call == 0 and stands(game)
    listener.go()
    until(lambda: not stands(game))


def test_when_opossum_goes_away_the_game_goes_on(listener, game):
    """And what it asked for is forgotten."""
    listener.trip(parse_tripwire("fn:Oven.on_bell"))
    held(listener)
    listener.stop()
    until(lambda: not stands(game))
    assert "call" not in vars(game.recorder)


def test_a_game_that_comes_later_is_told_of_the_tripwires(listener):
    """They are set before its first frame, or soon after."""
    listener.trip(parse_tripwire("fn:Oven.on_bell"))
    late = Game(listener.port)
    held(listener)
    assert late.frames < 50
    let_go(listener)
    late.end()


def test_tripwires_of_another_peer_leave_this_one_alone(listener, game):
    """They name it."""
    listener.trip(parse_tripwire("peer:client fn:Oven.on_bell"))
    time.sleep(0.1)
    assert listener.peers[0].held is None


def test_while_nothing_is_asked_for_the_recorder_is_its_plain_self(listener, game):
    """Nothing is looked at, so nothing is paid."""
    assert listener.peers[0].holds and "call" not in vars(game.recorder)
    number = listener.trip(parse_tripwire("ev:never"))
    until(lambda: "call" in vars(game.recorder))
    listener.untrip(number)
    until(lambda: "call" not in vars(game.recorder))


def test_a_recorder_that_writes_to_a_file_cannot_be_held(tmp_path):
    """And its head does not say so."""
    with Recorder(tmp_path / "a.flow.jsonl") as recorder:
        assert recorder.holding is None
    assert b'"holds"' not in (tmp_path / "a.flow.jsonl").read_bytes()


def test_an_opossum_that_falls_silent_is_taken_to_be_gone(monkeypatch):
    """A machine that hangs must not hold the game for ever."""
    monkeypatch.setattr("opossum_recorder.link.SILENT_S", 0.3)
    server = socket.create_server(("127.0.0.1", 0))
    game = Game(server.getsockname()[1])
    connection, _ = server.accept()
    connection.sendall(b'{"k":"welcome","opossum":1}\n{"k":"ping","id":1,"t":5}\n{"k":"hold"}\n')
    until(lambda: game.recorder.holding.held == 1)
    until(lambda: game.recorder.holding.held == 0)
    until(lambda: not stands(game))
    game.end()
    server.close()


def test_what_a_recorder_is_told_wrongly_is_said_in_the_stream(listener, game):
    """The wire is not set."""
    listener.tell({"k": "trip", "id": 9, "when": {"colour": "red"}})
    listener.tell({"k": "trip", "id": "nine"})
    until(lambda: listener.out.read_bytes().count(b'"k":"say"') == 2)
    assert "call" not in vars(game.recorder)
