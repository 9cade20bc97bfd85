"""A game on another thread, held over a real link."""

import socket
import threading
import time

import pytest
from test_receiver import until

from opossum.live.receiver import Receiver
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
def game(receiver):
    """Return a game that plays to the receiver."""
    game = Game(receiver.port)
    until(lambda: any(peer.records > 20 for peer in receiver.peers))
    yield game
    receiver.go()
    for number in receiver.tripwires:
        receiver.untrip(number)
    game.end()


def held(receiver: Receiver):
    """Return where the game is held, waiting for it."""
    until(lambda: any(peer.held is not None for peer in receiver.peers))
    return receiver.peers[0].held


def stands(game: Game) -> bool:
    """Say whether the game's loop stands still."""
    before = game.frames
    time.sleep(0.06)
    return game.frames == before


def let_go(receiver: Receiver) -> None:
    """Take all tripwires away and let the game go on."""
    for number in receiver.tripwires:
        receiver.untrip(number)
    receiver.go()
    until(lambda: receiver.peers[0].held is None)


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
def test_the_game_is_held_before_the_listener_runs(receiver, game, text, function):
    """At the call whose condition is met; its loop stands still until it is let go."""
    receiver.trip(parse_tripwire(text))
    call_id = held(receiver).call
    assert stands(game)
    let_go(receiver)
    until(lambda: not stands(game))
    game.end()
    receiver.stop()
    take = open_any(str(receiver.out))
    call = take.tables["call"]["c"].tolist().index(call_id)
    assert take.function_of_call(call) == function
    assert len(take.tables["held"]) == 1 and "_play" in take.tables["held"].json("stack")[0]


def test_time_held_is_not_game_time(receiver, game):
    """The frame in which the game was held is no freeze."""
    receiver.trip(parse_tripwire("fn:Oven.on_bell"))
    held(receiver)
    time.sleep(0.5)
    let_go(receiver)
    game.end()
    receiver.stop()
    take = open_any(str(receiver.out))
    frame = int(take.frames.held_ns.argmax())
    assert take.frames.held_ns[frame] > 0.45e9 > take.frames.work_ns[frame]
    assert not len(take.tables["stuck"])


def test_a_slow_call_is_held_at_once_after_it_returned(receiver, game):
    """Only then is it known how long it took."""
    receiver.trip(parse_tripwire("slow:20"))
    time.sleep(0.05)
    assert receiver.peers[0].held is None
    game.slow = True
    assert held(receiver).trip == 1


def test_the_third_time_counts_from_setting_the_wire(receiver, game):
    """And holds once."""
    before = game.frames
    receiver.trip(parse_tripwire("send ev:bell count:3"))
    held(receiver)
    assert game.frames >= before + 2
    receiver.go()
    until(lambda: not stands(game))


def test_stepping_goes_to_the_next_call_or_frame(receiver, game):
    """A call at a time, then a frame, then on."""
    receiver.hold()
    first = held(receiver)
    calls = [first.call]
    for _ in range(4):
        receiver.step("call")
        until(lambda: receiver.peers[0].held not in (None, (0, calls[-1])))
        calls.append(receiver.peers[0].held.call)
    assert calls == sorted(set(calls)) and calls[-1] > calls[0]
    frames = game.frames
    receiver.step("frame")
    until(lambda: game.frames == frames + 1)
    until(lambda: receiver.peers[0].held == (0, 0))
    assert stands(game)
    receiver.go()
    until(lambda: not stands(game))


def test_when_opossum_goes_away_the_game_goes_on(receiver, game):
    """And what it asked for is forgotten."""
    receiver.trip(parse_tripwire("fn:Oven.on_bell"))
    held(receiver)
    receiver.stop()
    until(lambda: not stands(game))
    assert "call" not in vars(game.recorder)


def test_a_game_that_comes_later_is_told_of_the_tripwires(receiver):
    """They are set before its first frame, or soon after."""
    receiver.trip(parse_tripwire("fn:Oven.on_bell"))
    late = Game(receiver.port)
    held(receiver)
    assert late.frames < 50
    let_go(receiver)
    late.end()


def test_tripwires_of_another_peer_leave_this_one_alone(receiver, game):
    """They name it."""
    receiver.trip(parse_tripwire("peer:client fn:Oven.on_bell"))
    time.sleep(0.1)
    assert receiver.peers[0].held is None


def test_while_nothing_is_asked_for_the_recorder_is_its_plain_self(receiver, game):
    """Nothing is looked at, so nothing is paid."""
    assert receiver.peers[0].holds and "call" not in vars(game.recorder)
    number = receiver.trip(parse_tripwire("ev:never"))
    until(lambda: "call" in vars(game.recorder))
    receiver.untrip(number)
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


def test_what_a_recorder_is_told_wrongly_is_said_in_the_stream(receiver, game):
    """The wire is not set."""
    receiver.tell({"k": "trip", "id": 9, "when": {"colour": "red"}})
    receiver.tell({"k": "trip", "id": "nine"})
    until(lambda: receiver.out.read_bytes().count(b'"k":"say"') == 2)
    assert "call" not in vars(game.recorder)
