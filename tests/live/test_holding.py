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
from opossum_recorder.asked_attributes import AskedAttributes
from opossum_recorder.holding import Holding


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
                    time.sleep(0.4 if self.slow else 0)
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
        ("o:cat#1 again", "Cat.on_bell"),
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
    frames = take.frames
    frame = int(frames.held_ns.argmax())
    length_ns = (frames.work_end_ns - frames.start_ns)[frame]
    assert frames.held_ns[frame] > 0.45e9 and frames.work_ns[frame] <= length_ns - frames.held_ns[frame]
    # where the machine is busy, it may be stuck before it is held and after
    stuck_ns = take.tables["stuck"]["t"]
    held_ns, went_ns = (int(take.tables[kind]["t"][0]) for kind in ("held", "went"))
    assert not ((held_ns < stuck_ns) & (stuck_ns < went_ns)).any()


def test_a_slow_call_is_held_at_once_after_it_returned(receiver, game):
    """Only then is it known how long it took; a busy machine keeps a call waiting, but not so long."""
    receiver.trip(parse_tripwire("slow:300"))
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


class _Plain:
    """A recorder that only says what it was told."""

    def __init__(self) -> None:
        self.told: list[str] = []

    def now_ns(self) -> int:
        return 0

    def say(self, text: str, level: str = "") -> None:
        self.told.append(text)

    def held(self, *given: object) -> None:
        self.told.append("held")

    def went(self) -> None:
        self.told.append("went")

    def plain_send(self, *given: object) -> int:
        return 1

    def plain_call(self, *given: object):
        return type("Call", (), {"id": 1})()

    def plain_frame(self, *given: object) -> None:
        return None

    def look_through(self, looker: object, *, returns: bool) -> None:
        pass


def test_a_link_that_ends_between_hit_and_hold_holds_nobody():
    """The tripwire is hit, the link ends, and only then the thread begins to wait: it goes on by itself."""
    recorder = _Plain()
    holding = Holding(recorder, AskedAttributes(recorder))

    class Ending:
        """Data whose comparison is the moment in which Opossum goes away."""

        def __eq__(self, other: object) -> bool:
            holding.left()
            return True

        __hash__ = None  # type: ignore[assignment]

    holding.hear({"k": "trip", "id": 1, "when": {"ev": "pay", "at": "send", "value": ["x", "==", 1]}})
    thread = threading.Thread(target=lambda: holding.send("pay", d={"x": Ending()}), daemon=True)
    thread.start()
    thread.join(5)
    assert not thread.is_alive()
    assert recorder.told == ["held", "went"]


def test_what_was_sent_before_receiving_stops_is_kept(tmp_path):
    """A game that has handed its lines to the system thinks that they have arrived."""
    receiver = Receiver(tmp_path / "kept.flow.jsonl", port=0)
    receiver.start()
    connection = socket.create_connection(("127.0.0.1", receiver.port), timeout=5)
    connection.sendall(b'{"k":"head","opossum":1,"game":"g","peer":"main","t":0}\n')
    until(lambda: bool(receiver.peers))
    connection.sendall(b"".join(b'{"k":"frame","n":%d,"t":%d}\n' % (n, n * 1000) for n in range(20_000)))
    receiver.stop()
    connection.close()
    assert (tmp_path / "kept.flow.jsonl").read_bytes().count(b"\n") == 20_001


def test_lines_that_closing_could_not_send_are_counted():
    """Nobody ever listened: every line was lost, and that is said."""
    recorder = Recorder(None, "alone", link="127.0.0.1:9", watch_after=0)
    for number in range(30):
        recorder.say(f"line {number}")
    recorder.close()
    assert recorder.lost == 32  # the head, thirty lines, and the end
    assert "32 lines could not be sent before closing" in recorder.trouble
