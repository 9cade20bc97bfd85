"""The desk while a game plays: growing, holding, following."""

from __future__ import annotations

import threading
import time

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QInputDialog, QMenu

from moonrise_bakery import demo_take_path
from opossum.findings.finding import Finding, Severity, Subject
from opossum.live.receiver import PeerState
from opossum_desk.context_menus import add_call_actions
from opossum_desk.memory import Memory
from opossum_desk.now.bar import MOST_TAGS, NowBar
from opossum_desk.now.layout.told import silence
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
    """Return a desk and a game that plays to it."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    desk.games.listen(0)
    game = Game(desk)
    qtbot.waitUntil(lambda: desk.session is not None and desk.is_in("take"), timeout=10_000)
    yield desk, game
    if desk.games.receiver is not None:
        for number in desk.games.receiver.tripwires:
            desk.games.receiver.untrip(number)
        desk.games.receiver.go()
    game.end()


def test_the_bar_is_made_when_games_are_listened_for(desk, monkeypatch, tmp_path):
    """It stands above the Pulse from then on, and Tab goes through it to the Pulse."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    area = desk.take_area
    assert not desk.findChildren(NowBar)
    desk.games.listen(0)
    (now,) = desk.findChildren(NowBar)
    assert not now.isHidden() and not now.isWindow() and now is area.now
    layout = area.layout()
    assert layout.indexOf(area.banner) + 1 == layout.indexOf(now) == layout.indexOf(area.pulse) - 1
    chain = [*now.focusable(), area.pulse]
    walked = [chain[0]]
    while walked[-1] is not area.pulse:
        walked.append(walked[-1].nextInFocusChain())
    assert [widget for widget in walked if widget in chain] == chain
    assert not [widget for widget in walked if widget in (area.findings, area.sieve.line, area.story)]
    desk.games.stop()
    assert now.isHidden()


def test_a_tripwire_holds_the_game_and_shows_where(playing, qtbot):
    """Typed as words; the Story tells the call, its data and its stack, without leaving the Flow; then it goes on."""
    desk, game = playing
    now, story = desk.take_area.now, desk.take_area.story
    qtbot.keyClick(desk.take_area.flow.loom, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    assert now.line.hasFocus()
    qtbot.keyClicks(now.line, "fn:Oven.* d.by>30")
    qtbot.keyClick(now.line, Qt.Key.Key_Return)
    assert now.line.text() == "" and now.tags[0].text() == "fn:Oven.* d.by>30 · met 0×"
    qtbot.waitUntil(lambda: "Held at the tripwire" in story.toPlainText(), timeout=15_000)
    qtbot.waitUntil(lambda: "Oven.on_heat" in story.toPlainText(), timeout=15_000)
    frames = game.frames
    text = story.toPlainText()
    assert "Held at the tripwire fn:Oven.* d.by>30" in text and '{"by":' in text and "_play" in text
    assert now.told.text() == "Held: main – Live Bakery." and not now.hold.isEnabled() and now.go.isEnabled()
    qtbot.waitUntil(lambda: desk.session.call >= 0, timeout=10_000)
    assert desk.session.column == desk.session.axis.columns - 1 and desk.session.weave == "flow"
    rows = desk.take_area.frame.picture.rows
    assert [row.marks for row in rows if row.call == desk.session.call] == [("held here",)]
    assert desk.session.take.recording.held_at_end(0)
    qtbot.waitUntil(lambda: now.tags[0].text().endswith("met 1×"), timeout=10_000)
    qtbot.waitUntil(lambda: desk.session.examined, timeout=10_000)
    assert not [finding for finding in desk.session.findings if finding.kind == "freeze"]

    now.by_call.click()
    qtbot.waitUntil(lambda: game.frames == frames + 1, timeout=10_000)
    now.tags[0].setFocus()
    qtbot.keyClick(now.tags[0], Qt.Key.Key_Delete)
    assert now.tags == [] and desk.games.receiver.tripwires == {}
    qtbot.waitUntil(now.go.isEnabled, timeout=10_000)
    now.go.click()
    qtbot.waitUntil(lambda: game.frames > frames + 5, timeout=10_000)
    qtbot.waitUntil(lambda: "Held" not in story.toPlainText(), timeout=10_000)


def test_a_held_game_is_told_above_the_finding_that_is_chosen(playing, qtbot):
    """Both stand in the Story, and going on takes the first away."""
    desk, _ = playing
    desk.games.receiver.hold()
    story = desk.take_area.story
    qtbot.waitUntil(lambda: "Held, as asked" in story.toPlainText(), timeout=15_000)
    found = Finding(
        kind="freeze", cause="waiting", id="a", severity=Severity.NOTE, frames=[], subject=Subject(fn="Oven.on_heat"),
        frame_rows=np.zeros(0, np.int64), count=1, summary="It waited.", advice="Wait less.", evidence=(),
    )  # fmt: skip
    desk.session.show_finding(found)
    text = story.toPlainText()
    assert text.index("Held, as asked") < text.index("It waited.")


def test_the_keys_hold_step_and_let_go(playing, qtbot):
    """Space, C and Shift+C, with the Loom in focus or another weave."""
    desk, game = playing
    loom, now = desk.take_area.flow.loom, desk.take_area.now
    loom.setFocus()
    qtbot.keyClick(loom, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: now.told.text().startswith("Held: main"), timeout=10_000)
    frames = game.frames
    qtbot.keyClick(loom, Qt.Key.Key_C, Qt.KeyboardModifier.ShiftModifier)
    qtbot.waitUntil(lambda: game.frames == frames + 1 and desk.games.held_game is not None, timeout=10_000)
    desk.session.choose_weave("roster")
    qtbot.keyClick(desk.take_area.weave("roster").canvas, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: game.frames > frames + 5 and now.told.text().startswith("Playing"), timeout=10_000)


def test_space_right_after_a_step_lets_it_go_on(playing, qtbot):
    """While a step is under way the game is not held; it is about to be, so Space means what it means when it is."""
    desk, game = playing
    games = desk.games
    games.toggle_hold()
    qtbot.waitUntil(lambda: games.held_game is not None, timeout=10_000)
    for _ in range(3):
        frames = game.frames
        games.step("frame")
        qtbot.waitUntil(lambda frames=frames: game.frames > frames, timeout=10_000)
        games.toggle_hold()
        qtbot.waitUntil(lambda frames=frames: game.frames > frames + 5, timeout=10_000)
        games.toggle_hold()
        qtbot.waitUntil(lambda: games.held_game is not None, timeout=10_000)
        qtbot.waitUntil(lambda: any(peer.held is not None for peer in games.receiver.peers), timeout=10_000)


def test_tripwires_without_room_are_said(playing):
    """Their tags come back as others go; until then a word tells how many they are, and which."""
    desk, _ = playing
    now = desk.take_area.now
    for n in range(MOST_TAGS + 2):
        assert now.add(f"ev:none_{n}")
    assert len(now.tags) == MOST_TAGS and now.earlier.text() == "and 2 earlier" and now.earlier.isVisible()
    assert "ev:none_0" in now.earlier.toolTip() and "ev:none_2" not in now.earlier.toolTip()
    for _ in range(2):
        now.tags[-1].click()
    assert len(now.tags) == MOST_TAGS and not now.earlier.isVisible()
    assert now.tags[0].text().startswith("ev:none_0")


def test_a_tripwire_that_is_not_understood_is_said(playing, qtbot):
    """In a sentence beside the line; the line keeps what was typed, and Escape empties it."""
    desk, _ = playing
    now = desk.take_area.now
    qtbot.keyClicks(now.line, "oven")
    qtbot.keyClick(now.line, Qt.Key.Key_Return)
    assert "`oven` is not understood" in now.wrong.text() and now.wrong.isVisible()
    assert now.line.text() == "oven" and now.tags == []
    qtbot.keyClick(now.line, Qt.Key.Key_Escape)
    assert now.line.text() == "" and not now.wrong.isVisible()


@pytest.mark.parametrize(
    ("title", "text"),
    [
        ("Hold here", "ev:heat o:oven#1 fn:Oven.on_heat"),
        ("Hold when it runs again in a frame", "ev:heat o:oven#1 fn:Oven.on_heat again"),
        ("Hold when its owner is gone", "ev:heat o:oven#1 fn:Oven.on_heat gone"),
    ],
)
def test_a_tripwire_is_set_where_one_looks(playing, qtbot, title, text):
    """From the menu of a call, a row of the Loom, or a bar of the Roster."""
    desk, _ = playing
    qtbot.waitUntil(lambda: len(desk.session.take.calls) > 0, timeout=10_000)
    desk.session.choose_weave("roster")
    roster = desk.take_area.weave("roster").canvas
    row = next(place for place, item in enumerate(roster.rows) if "oven#1" in roster.describe_row(place))
    for fill in (
        lambda menu: add_call_actions(menu, desk.session, 0),
        lambda menu: roster.add_row_actions(menu, row),
    ):
        menu = QMenu()
        fill(menu)
        next(action for action in menu.actions() if action.text() == title).trigger()
        assert [wire.text for wire in desk.games.receiver.tripwires.values()] == [text]
        desk.take_area.now.take_away(next(iter(desk.games.receiver.tripwires)))
        desk.games.receiver.go()


def test_an_events_sends_are_held_at_from_its_row(playing, qtbot):
    """Whoever hears it."""
    desk, _ = playing
    desk.session.choose_weave("roster")
    roster = desk.take_area.weave("roster").canvas
    menu = QMenu()
    roster.add_row_actions(menu, 0)
    next(action for action in menu.actions() if action.text() == "Hold when it is sent").trigger()
    assert [wire.text for wire in desk.games.receiver.tripwires.values()] == ["send ev:heat"]


def test_an_attribute_is_watched_while_the_game_plays(playing, qtbot, monkeypatch):
    """Chosen from the menu of an object; it becomes a strand with its number, and a tag takes it away."""
    desk, game = playing
    game.recorder.know("oven#1", game)
    qtbot.waitUntil(lambda: len(desk.session.take.calls) > 0, timeout=10_000)
    menu = QMenu()
    add_call_actions(menu, desk.session, 0)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("frames", True))
    next(action for action in menu.actions() if action.text().startswith("Watch an attribute of “oven#1”")).trigger()
    now = desk.take_area.now
    assert [tag.text() for tag in now.tags] == ["watching oven#1 frames"]
    strands = desk.take_area.flow.strands
    qtbot.waitUntil(lambda: any(item.row.label == "oven#1 frames" for item in strands.ordered), timeout=15_000)
    now.tags[0].click()
    assert now.tags == [] and desk.games.receiver.watched == {}
    qtbot.waitUntil(lambda: game.recorder.attributes.asked == {}, timeout=10_000)


def test_an_object_is_followed_until_it_is_gone(playing, qtbot):
    """All else fades; the desk says when it is no more."""
    desk, game = playing
    desk.take_area.follow_object("cat#1")
    assert desk.session.sieve.text == "o:cat#1"
    game.cat_leaves = True
    qtbot.waitUntil(lambda: "cat#1 is gone" in desk.told.toolTip(), timeout=15_000)


def test_two_peers_and_their_clocks_are_told(playing, qtbot):
    """The first sets the time; records a second and what was dropped stand beside."""
    desk, _ = playing
    guest = Game(desk, "guest")
    now = desk.take_area.now
    qtbot.waitUntil(lambda: "±" in now.told.accessibleDescription(), timeout=15_000)
    first, second = now.told.accessibleDescription().split("; ")
    assert first.startswith("main – Live Bakery: playing") and "clock sets the time" in first
    assert second.startswith("guest – ") and second.endswith("nothing dropped")
    assert now.told.text() == "Playing: main, guest."
    qtbot.waitUntil(lambda: " 0 a second" not in now.told.accessibleDescription(), timeout=10_000)
    guest.end()


def test_what_was_found_stays_while_two_play(playing, qtbot):
    """Each growth begins with what is known, though the guest's frames begin further on each time."""
    desk, _ = playing
    guest = Game(desk, "guest")
    qtbot.waitUntil(lambda: len(desk.session.take.peers) == 2 and desk.session.examined, timeout=20_000)
    known: list[bool] = []
    desk.games.grown.connect(lambda session: known.append(desk.session.examined))
    qtbot.waitUntil(lambda: len(known) >= 5, timeout=20_000)
    assert all(known)
    guest.end()


def test_without_a_game_there_is_no_bar_and_nothing_to_hold(desk, qtbot):
    """A take from a file has no tripwires in its menus."""
    tape = Tape().frame()
    tape.heard("open", tape.bind("open", "door#1", "Door.on_open"))
    desk.takes.show(Session(tape.take()))
    assert not desk.take_area.now.isVisible()
    menu = QMenu()
    add_call_actions(menu, desk.session, 0)
    assert not [action for action in menu.actions() if action.text().startswith("Hold")]
    qtbot.keyClick(desk.take_area.flow.loom, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    assert "listen for one first" in desk.told.toolTip()


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
    other = DeskWindow(Memory(tmp_path / "other"), desk.look)
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
    peers = [PeerState("main", "g", 5, 0, True, False, seconds, 0, None, False, False, None) for seconds in (0.5, 7.2)]

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
    said: list[str] = []  # what is said next may come at once
    say = desk.say
    monkeypatch.setattr(desk, "say", lambda text, *more: (said.append(text), say(text, *more))[1])
    game.end()
    qtbot.waitUntil(lambda: any("game has" in text for text in said), timeout=15_000)
    assert desk.session.axis.numbers[-1] == game.frames - 1


def test_names_in_the_status_line_are_no_markup(desk):
    """And do nothing there."""
    desk.say("Pool<A>::on_tick of <b>cat#1</b>\x1b[31m")
    assert desk.told.text() == "Pool<A>::on_tick of <b>cat#1</b>␛[31m"
    assert desk.told.textFormat() == Qt.TextFormat.PlainText
    assert "&lt;b&gt;" in desk.told.toolTip()
