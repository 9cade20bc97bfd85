"""The desk while a game plays: growing, holding, following."""

from __future__ import annotations

import threading
import time

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu

from moonrise_bakery import demo_take_path
from opossum.live.receiver import PeerState
from opossum_desk.context_menus import add_call_actions
from opossum_desk.memory import Memory
from opossum_desk.recordings import silence
from opossum_desk.state.session import Session
from opossum_desk.window import DeskWindow
from opossum_recorder import Recorder
from tape import Tape


class Game:
    """Frames on a thread of its own: an oven is heated on every one, a cat is gone after some."""

    def __init__(self, desk: DeskWindow, name: str = "main") -> None:
        assert desk.games.receiver is not None
        self.recorder = Recorder(
            None, "Live Bakery", peer=name, link=f"127.0.0.1:{desk.games.receiver.port}", watch_after=0
        )
        self.frames = 0
        self.cat_leaves = False
        self.playing = True
        self.thread = threading.Thread(target=self._play, daemon=True)
        self.thread.start()

    def _play(self) -> None:
        recorder = self.recorder
        recorder.spawn("oven#1", "Oven")
        recorder.spawn("cat#1", "Cat")
        while self.playing:
            with recorder.frame(self.frames):
                with recorder.call(recorder.send("heat", d={"by": self.frames}), None, "oven#1", "Oven.on_heat"):
                    recorder.watch("oven#1", "heat", self.frames)
                if self.cat_leaves:
                    self.cat_leaves = False
                    recorder.gone("cat#1")
            if self.frames % 50 == 0:
                recorder.say(f"frame {self.frames} is done")
            self.frames += 1
            time.sleep(0.004)

    def end(self) -> None:
        """End the loop and the stream."""
        self.playing = False
        self.thread.join(10)
        self.recorder.close()


@pytest.fixture
def playing(desk, qtbot, monkeypatch, tmp_path):
    """Return a desk in its place Live and a game that plays to it."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    desk.go_to("live")
    desk.games.listen(0)
    assert desk.view("live").listening.text() == "Stop listening"
    game = Game(desk)
    qtbot.waitUntil(lambda: desk.session is not None, timeout=10_000)
    yield desk, game
    if desk.games.receiver is not None:
        for number in desk.games.receiver.tripwires:
            desk.games.receiver.untrip(number)
        desk.games.receiver.go()
    game.end()


def rows(tree) -> list[tuple[str, ...]]:
    """Return what a list shows."""
    items = [tree.topLevelItem(number) for number in range(tree.topLevelItemCount())]
    return [tuple(item.text(column) for column in range(tree.columnCount())) for item in items]


def test_a_tripwire_holds_the_game_and_shows_where(playing, qtbot):
    """Typed as words; the call, its data, its stack, and what is so; then it goes on."""
    desk, game = playing
    place = desk.view("live")
    assert desk.stack.currentWidget() is place
    qtbot.keyClicks(place.line, "fn:Oven.* d.by>30")
    qtbot.keyClick(place.line, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: "Oven.on_heat" in place.page.toPlainText(), timeout=15_000)
    frames = game.frames
    text = place.page.toPlainText()
    assert "Held at the tripwire fn:Oven.* d.by>30" in text and '{"by":' in text and "_play" in text
    assert place.told.text() == "Held: main." and not place.hold.isEnabled()
    qtbot.waitUntil(lambda: rows(place.moment.alive) == [("cat#1", "Cat"), ("oven#1", "Oven")], timeout=10_000)
    assert [row[:2] for row in rows(place.moment.values)] == [("oven#1", "heat")]
    assert rows(place.moment.values)[0][4] == "Oven.on_heat"
    qtbot.waitUntil(lambda: ("0", "frame 0 is done") in rows(place.moment.log), timeout=5000)
    qtbot.waitUntil(lambda: desk.session.call >= 0, timeout=10_000)
    assert desk.session.take.recording.held_at_end(0)
    qtbot.waitUntil(lambda: desk.session.examined, timeout=10_000)
    assert not [finding for finding in desk.session.findings if finding.kind == "freeze"]

    place.by_call.click()
    qtbot.waitUntil(lambda: game.frames == frames + 1, timeout=10_000)
    place.wires.setFocus()
    qtbot.keyClick(place.wires, Qt.Key.Key_Delete)
    assert rows(place.wires) == []
    qtbot.waitUntil(lambda: place.go.isEnabled(), timeout=10_000)
    place.go.click()
    qtbot.waitUntil(lambda: game.frames > frames + 5, timeout=10_000)
    qtbot.waitUntil(lambda: "Nothing is held" in place.page.toPlainText(), timeout=10_000)


def test_flow_says_that_the_game_is_held_and_keys_let_it_go(playing, qtbot):
    """The banner, Space, and C."""
    desk, game = playing
    desk.go_to("take")
    desk.take_area.flow.loom.setFocus()
    qtbot.keyClick(desk.take_area.flow.loom, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: desk.take_area.banner.isVisible(), timeout=10_000)
    assert desk.take_area.banner.text.text().startswith("main is held as asked.")
    frames = game.frames
    qtbot.keyClick(desk.take_area.flow.loom, Qt.Key.Key_C, Qt.KeyboardModifier.ShiftModifier)
    qtbot.waitUntil(lambda: game.frames == frames + 1 and desk.view("live").held_peer() is not None, timeout=10_000)
    qtbot.keyClick(desk.take_area.flow.loom, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: game.frames > frames + 5 and not desk.take_area.banner.isVisible(), timeout=10_000)


def test_a_tripwire_that_is_not_understood_is_said(playing, qtbot):
    """In a sentence below the line; the line keeps what was typed."""
    desk, _ = playing
    place = desk.view("live")
    qtbot.keyClicks(place.line, "oven")
    qtbot.keyClick(place.line, Qt.Key.Key_Return)
    assert "`oven` is not understood" in place.wrong.text() and place.wrong.isVisible()
    assert place.line.text() == "oven" and rows(place.wires) == []


def test_an_object_is_followed_until_it_is_gone(playing, qtbot):
    """Chosen from what is alive; the desk says when it is no more."""
    desk, game = playing
    place = desk.view("live")
    qtbot.waitUntil(lambda: ("cat#1", "Cat") in rows(place.moment.alive), timeout=10_000)
    place.moment.narrow.setText("cat")
    assert rows(place.moment.alive) == [("cat#1", "Cat")]
    place.moment.alive.itemActivated.emit(place.moment.alive.topLevelItem(0), 0)
    assert (desk.session.sieve.text, desk.stack.currentWidget()) == ("o:cat#1", desk.take_area)
    game.cat_leaves = True
    qtbot.waitUntil(lambda: "cat#1 is gone" in desk.told.toolTip(), timeout=15_000)


def test_two_peers_and_their_clocks_are_listed(playing, qtbot):
    """The first sets the time."""
    desk, _ = playing
    guest = Game(desk, "guest")
    place = desk.view("live")
    qtbot.waitUntil(lambda: len(rows(place.games_list)) == 2 and "±" in rows(place.games_list)[1][2], timeout=15_000)
    assert rows(place.games_list)[0][2] == "sets the time"
    guest.end()


def test_a_recorded_take_has_its_moments_too(desk, qtbot, tmp_path):
    """Without any game: values and lives at the selected frame; a log line leads to its frame."""
    tape = Tape().frame()("spawn", o="cat#1", cls="Cat")("watch", o="cat#1", name="purrs", v=1)
    tape.frames(5)("say", text="the cat leaves")("gone", o="cat#1").frames(5)("watch", o="cat#1", name="purrs", v=2)
    desk.takes.show(Session(tape.take()))
    desk.go_to("live")
    place = desk.view("live")
    assert (rows(place.moment.alive), rows(place.moment.log)) == ([], [("5", "the cat leaves")])
    assert not place.hold.isEnabled() and place.told.text() == "No game is being listened for."
    desk.session.select_column(2)
    assert rows(place.moment.alive) == [("cat#1", "Cat")] and rows(place.moment.values)[0][2] == "1"
    assert place.moment.alive_title.text() == "Alive at frame 2 · 1" and rows(place.moment.log) == []
    desk.session.select_column(7)
    place.moment.log.itemActivated.emit(place.moment.log.topLevelItem(0), 0)
    assert (desk.session.column, desk.stack.currentWidget()) == (5, desk.take_area)


def test_the_desk_listens_for_a_game_and_grows_with_it(desk, qtbot, monkeypatch, tmp_path):
    """It appears by itself, is followed while it plays, and its end is said."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    desk.games.listen(0)
    assert desk.stack.currentWidget() is desk.page("listening")
    assert str(desk.games.receiver.port) in desk.page("listening").text.text()
    recorder = Recorder(None, "Live Bakery", link=f"127.0.0.1:{desk.games.receiver.port}", watch_after=0)

    def play(first: int, last: int) -> None:
        for number in range(first, last):
            with (
                recorder.frame(number),
                recorder.call(recorder.send("tick", via="tick"), None, "oven#1", "Oven.on_tick"),
            ):
                pass

    play(0, 30)
    qtbot.waitUntil(lambda: desk.session is not None and desk.session.axis.columns >= 30, timeout=10_000)
    assert desk.stack.currentWidget() is desk.take_area
    assert desk.session.take.game == "Live Bakery"
    desk.take_area.sieve.line.setText("oven")
    desk.take_area.sieve.apply()
    desk.session.select_column(5)
    desk.take_area.sieve.line.setFocus()
    play(30, 60)
    qtbot.waitUntil(lambda: desk.session.axis.columns == 60, timeout=10_000)
    assert (desk.take_area.sieve.line.text(), desk.session.sieve.text) == ("oven", "oven")
    assert "of 60 calls" in desk.take_area.sieve.told.text()
    assert desk.session.column == 5
    said: list[str] = []  # what is said next may come at once
    say = desk.say
    monkeypatch.setattr(desk, "say", lambda text, *more: (said.append(text), say(text, *more))[1])
    recorder.close()
    qtbot.waitUntil(lambda: any("has ended" in text for text in said), timeout=10_000)
    assert desk.games.receiver is None
    qtbot.waitUntil(lambda: desk.games.followed is None, timeout=10_000)  # who read the stream has gone as well
    assert desk.session.examined and desk.session.axis.columns == 60 and not desk.session.playing


def test_another_take_is_opened_while_a_game_plays(desk, qtbot, monkeypatch, tmp_path):
    """Who reads the game's stream is let go of at once; nothing of it comes up later."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    desk.games.listen(0)
    recorder = Recorder(None, "Live Bakery", link=f"127.0.0.1:{desk.games.receiver.port}", watch_after=0)
    with recorder.frame(0), recorder.call(recorder.send("tick", via="tick"), None, "oven#1", "Oven.on_tick"):
        pass
    qtbot.waitUntil(lambda: desk.session is not None and desk.games.followed is not None, timeout=10_000)
    reader = desk.games.followed._process
    desk.open_paths([str(demo_take_path())])
    assert desk.games.followed is None and reader.poll() is not None
    qtbot.waitUntil(lambda: desk.session.take.game == "Moonrise Bakery" and desk.session.examined, timeout=10_000)
    recorder.close()
    qtbot.wait(400)
    assert desk.session.take.game == "Moonrise Bakery" and "could not" not in desk.told.toolTip()


def test_listening_can_be_stopped_and_leaves_nothing(desk, qtbot, monkeypatch, tmp_path):
    """Back to the start page; no empty recording stays."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    desk.games.listen(0)
    port = desk.games.receiver.port
    other = DeskWindow(Memory(tmp_path / "other.json"), desk.look)
    qtbot.addWidget(other)
    other.games.listen(port)
    assert "is another Opossum listening there" in other.page("failed").text.text()
    other.close()
    desk.page("listening").cancel.click()
    assert desk.stack.currentWidget() is desk.view("start")
    assert list((tmp_path / "data" / "opossum" / "recordings").glob("*")) == []


def test_a_silent_game_is_told_with_the_last_thing_known():
    """While it lasts."""
    tape = Tape().frame()
    tape.open_call(tape.send("recipe"), tape.bind("recipe", "baker#1", "Baker.on_recipe"))
    session = Session(tape.take(bye=False))
    peers = [PeerState("main", "g", 5, 0, True, False, seconds, 0, None, False, None) for seconds in (0.5, 7.2)]

    assert silence(peers[:1], session) == ""
    assert silence(peers[1:], session) == (
        "main: no answer for 7 s, last known: Baker.on_recipe of baker#1, which has not returned."
    )
    assert silence(peers[1:], None) == "main: no answer for 7 s."


def test_a_recording_that_was_left_behind_is_offered(desk, monkeypatch, tmp_path):
    """The desk or the machine ended while it was made: it is on the start page until it was opened."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    folder = tmp_path / "data" / "opossum" / "recordings"
    folder.mkdir(parents=True)
    (folder / "game-1.flow.jsonl").write_bytes(Tape().frames(3).bytes(bye=False))
    (folder / "game-2.flow.jsonl").write_bytes(b"")
    desk.go_to("start")
    buttons = [
        item.widget() for item in map(desk.view("start")._recent.itemAt, range(desk.view("start")._recent.count()))
    ]
    assert [button.text() for button in buttons] == ["game-1.flow.jsonl – recorded, not opened yet"]
    desk.memory.add_recent(str(folder / "game-1.flow.jsonl"))
    desk.go_to("start")
    assert "game-1.flow.jsonl" in [
        desk.view("start")._recent.itemAt(number).widget().text()
        for number in range(desk.view("start")._recent.count())
    ]


def test_one_event_on_two_peers_is_joined(desk, qtbot):
    """The menu of a call leads to the calls on the other peer for the sends that share its key."""
    tape = Tape()
    tape("head", opossum=1, game="test", peer="client", p="client").frame()("frame", n=0, p="client")
    tape("send", s=1, ev="hit", net="hit-7")("call", c=1, s=1, o="cat#1", fn="Cat.on_hit")("ret", c=1)
    tape("send", s=1, ev="hit", net="hit-7", via="net", p="client")
    tape("call", c=1, s=1, o="cat#1", fn="Cat.shows_hit", p="client")("ret", c=1, p="client")
    session = Session(tape.take())
    desk.takes.show(session)
    menu = QMenu()
    add_call_actions(menu, session, 0)
    (action,) = [action for action in menu.actions() if action.text().startswith("The same on")]
    assert action.text() == "The same on client: Cat.shows_hit (cat#1)"
    action.trigger()
    assert (session.peer, session.call) == (1, 1)
    assert 0 in session.selection.related  # and they light each other up


def test_what_reads_the_stream_may_be_killed(desk, qtbot, monkeypatch, tmp_path):
    """What is shown stays, the recording goes on, and another process reads on."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    desk.games.listen(0)
    game = Game(desk)
    qtbot.waitUntil(lambda: desk.session is not None and desk.session.axis.columns > 5, timeout=15_000)
    reader = desk.games.followed._process
    columns, size = desk.session.axis.columns, desk.games.receiver.out.stat().st_size
    reader.kill()
    qtbot.waitUntil(
        lambda: desk.games.followed is not None and desk.games.followed._process is not reader, timeout=15_000
    )
    assert desk.is_in("take") and desk.session.axis.columns >= columns
    qtbot.waitUntil(lambda: desk.session.axis.columns > columns + 10, timeout=15_000)
    assert desk.games.receiver.out.stat().st_size > size
    game.end()
    qtbot.waitUntil(lambda: "game has" in desk.told.toolTip(), timeout=15_000)
    assert desk.session.axis.numbers[-1] == game.frames - 1


def test_names_in_the_status_line_are_no_markup(desk):
    """And do nothing there."""
    desk.say("Pool<A>::on_tick of <b>cat#1</b>\x1b[31m")
    assert desk.told.text() == "Pool<A>::on_tick of <b>cat#1</b>␛[31m"
    assert desk.told.textFormat() == Qt.TextFormat.PlainText
    assert "&lt;b&gt;" in desk.told.toolTip()
