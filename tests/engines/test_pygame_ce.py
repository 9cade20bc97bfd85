"""pygame-ce: the real engine without a screen, running a game that knows nothing of the recorder."""

from __future__ import annotations

import sys

import numpy as np
import pytest
from playing import EXAMPLES, causes, found_in_the_game, played, recorded, shared

from opossum.findings.examine import examine
from opossum.take.checks import check_take
from opossum.take.take import Take

EXAMPLE = EXAMPLES / "pygame_bakery.py"


@pytest.fixture
def healthy(request, tmp_path) -> Take:
    """Return the take of the game without a fault."""
    return shared(request, lambda: played(tmp_path, EXAMPLE))


def test_the_stream_is_sound(healthy):
    """Nothing damaged, nothing dangling, closed on purpose, and nothing wrong to be found."""
    assert check_take(healthy) == []
    assert len(healthy.frames) > 40
    assert [finding.summary for finding in examine(healthy) if finding.kind != "freeze"] == []


def test_a_frame_ends_where_the_clock_ticks(healthy):
    """Waiting in `tick` is no work."""
    frames = healthy.frames
    usual = sorted(frames.work_ns[frames.settled].tolist())[len(frames) // 2]

    assert usual < 8_000_000
    assert healthy.tables["frame"]["dt"][5] > 0.005


def test_posted_events_are_put_and_pulled(healthy):
    """The very event that was posted is the one that is taken; its cause is the sprite that posted it."""
    put, pull = healthy.tables["put"], healthy.tables["pull"]
    assert len(put) >= 3
    assert set(pull["s"].tolist()) <= set(put["s"].tolist())
    sends = healthy.tables["send"]
    bread = [row for row in range(len(sends)) if healthy.text(int(sends["ev"][row])) == "UserEvent 2"]
    causes = {healthy.function_of_call(int(healthy.sends.cause[row])) for row in bread}
    assert causes == {"Oven.update"}
    assert '"loaf": 1' in sends.json("d")[bread[0]]


def line_of(text: str) -> int:
    """Return the number of the line of the example that holds a text."""
    return next(number for number, line in enumerate(EXAMPLE.read_text().splitlines(), 1) if text in line)


def test_what_handles_an_event_is_a_call_of_the_branch_that_does(healthy):
    """Of the object whose method loops, at the line; an event for which there is no branch is heard by nobody."""
    handled = [call for call in range(len(healthy.calls)) if healthy.event_of_call(call) == "UserEvent 1"]
    quarter, second_bread = line_of("self.quarters += 1"), line_of(".kill()")

    assert {healthy.function_of_call(call) for call in handled} == {f"Bakery.handle:{quarter}"}
    assert {healthy.event_of_call(call) for call in range(len(healthy.calls))} == {
        "UserEvent 1", "UserEvent 2", "Group update", "frame of Bakery.run"
    }  # fmt: skip
    bread = [call for call in range(len(healthy.calls)) if healthy.event_of_call(call) == "UserEvent 2"]
    assert {healthy.function_of_call(call) for call in bread} == {f"Bakery.handle:{second_bread}"}
    assert {healthy.owner_of_call(call) for call in handled} == {"bakery#1"}
    assert {healthy.via_of_send(int(healthy.calls.send[call])) for call in handled} == {"timer"}
    assert len(handled) >= 12


def test_timers_are_armed_and_cleared(healthy):
    """A timer set to nothing is cleared."""
    arms = healthy.tables["arm"]
    assert (len(arms), float(arms["sec"][0]), int(arms["loop"][0])) == (1, 0.1, 1)
    assert len(healthy.arms.firings.rows(0)) >= 12
    assert healthy.text(int(healthy.tables["disarm"]["how"][0])) == "cleared"


def test_sprites_are_called_by_their_groups_tick_until_they_are_killed(healthy):
    """One call a sprite and frame; `kill` is the end."""
    ticks = [call for call in range(len(healthy.calls)) if healthy.via_of_send(int(healthy.calls.send[call])) == "tick"]
    by_owner = {owner: sum(healthy.owner_of_call(call) == owner for call in ticks) for owner in ("oven#1", "oven#2")}

    assert [healthy.text(int(code)) for code in healthy.tables["gone"]["o"]][:1] == ["oven#1"]
    assert 35 <= by_owner["oven#1"] < by_owner["oven#2"]


@pytest.mark.parametrize(
    ("fault", "status", "found"),
    [
        ("left", 0, ["unheard/queued-never-pulled"]),
        ("seldom", 0, ["queue-backlog/waits"]),
        ("error", 1, ["raised/raised"]),
        ("poll", 0, ["polling-waste/every-frame"]),
    ],
)
def test_faults_are_found(tmp_path, fault, status, found):
    """Each by its name, and nothing else."""
    ended, take = recorded(tmp_path, "--", sys.executable, str(EXAMPLE), fault)
    assert (ended, causes(take)) == (status, found)


def test_a_slow_handler_is_found(tmp_path):
    """The call is named, and the event it handled."""
    found = [finding for finding in examine(played(tmp_path, EXAMPLE, "slow")) if finding.cause == "slow-call"]

    assert (f"Bakery.handle:{line_of('self.quarters += 1')}", "UserEvent 1") in [
        (finding.subject.fn, finding.subject.ev) for finding in found
    ]


UNCLOCKED = """
import pygame
from pygame.sprite import Group, Sprite
pygame.init()
screen = pygame.display.set_mode((64, 64))
bell = pygame.USEREVENT + 1
pygame.time.set_timer(bell, 10)
still = Group(Sprite())
for turn in range(20):
    event = pygame.event.wait()
    if event.type == bell:
        pygame.event.post(event)
    for event in pygame.event.get():
        pass
    pygame.event.poll()
    still.update()
    pygame.display.update()
    pygame.display.flip()
clock = pygame.{clock}()
for turn in range(10):
    pygame.event.get()
    clock.tick(100)
"""


@pytest.mark.parametrize("clock", ["Clock", "time.Clock"])
def test_a_game_without_a_clock_has_a_frame_a_picture(tmp_path, clock):
    """However often it asks for events and shows parts of a picture; once a clock ticks, that counts.

    What the engine's own sprites do when they are updated is nothing, and is not recorded.
    """
    game = tmp_path / "unclocked.py"
    game.write_text(UNCLOCKED.format(clock=clock))
    take = played(tmp_path, game)
    frames = take.frames

    assert take.game_frames == 20 + 10 + 1
    # each frame's work is told of the processor, whether a clock ended it or the next one began
    assert (frames.cpu_ns[frames.number >= 0][:-1] >= 0).all()
    # what the game waits for before its first frame does not end its loading
    assert int(np.asarray(take.tables["idle"]["t"])[0]) > int(np.asarray(take.tables["frame"]["t"])[0])
    assert sorted(frames.work_ns[frames.settled].tolist())[len(frames) // 2] < 8_000_000
    assert "Sprite.update" not in take.strings
    assert {"UserEvent 1", "WindowShown"} & set(take.strings)
    assert [finding.summary for finding in examine(take) if finding.kind != "freeze"] == []


ASKS_ONLY = """
import time
import pygame
pygame.init()
pygame.display.set_mode((64, 64))
pygame.display.flip()
{first}
end = time.monotonic() + 1.0
while time.monotonic() < end:
    for event in pygame.event.get():
        pass
"""


@pytest.mark.parametrize("first", ["", "pygame.time.Clock().tick(60)"])
def test_a_loop_that_only_asks_for_events_does_not_hang(tmp_path, first):
    """Though it shows no picture until something happens: it has come round whenever it asks again."""
    game = tmp_path / "asks.py"
    game.write_text(ASKS_ONLY.format(first=first))
    take = played(tmp_path, game)

    assert 5 <= take.game_frames <= 27
    assert found_in_the_game(take) == []


ASKS_LATE = """
import time
import pygame
pygame.init()
pygame.display.set_mode((64, 64))
clock = pygame.time.Clock()
for turn in range(12):
    end = time.perf_counter() + 0.07
    while time.perf_counter() < end:
        pass
    pygame.event.get()
    pygame.display.flip()
    clock.tick(60)
"""


def test_a_slow_frame_of_a_clock_is_one_though_events_are_asked_for_late(tmp_path):
    """A part of it would be a frame that the game never had."""
    game = tmp_path / "late.py"
    game.write_text(ASKS_LATE)
    assert 12 <= played(tmp_path, game).game_frames <= 14


WAITS_FOR_EVENTS = """
import pygame
pygame.init()
pygame.display.set_mode((16, 16))
clock = pygame.time.Clock()
pygame.time.set_timer(pygame.USEREVENT + 1, 15)
for turn in range(80):
    event = pygame.event.wait()
    if turn == 40:
        sum(range(40_000_000))
    pygame.display.flip()
    clock.tick(60)
"""


def test_what_a_clocked_loop_works_after_it_waited_for_an_event_counts(tmp_path):
    """It is a frame of its own, with the processor's time of it."""
    game = tmp_path / "waits.py"
    game.write_text(WAITS_FOR_EVENTS)
    (finding,) = found_in_the_game(played(tmp_path, game))
    assert finding.cause == "waiting" and "the game's thread worked" in finding.summary


WAITS = """
import pygame
pygame.init()
pygame.display.set_mode((16, 16))
clock = pygame.time.Clock()
for frame in range(40):
    pygame.event.get()
    pygame.display.flip()
    if frame == 20:
        {waits}(300)
    {after}
    clock.tick(50)
{waits}(300)
"""
WORKS = "if frame == 20: sum(range(40_000_000))"


@pytest.mark.parametrize("waits", ["pygame.time.wait", "pygame.time.delay"])
@pytest.mark.parametrize(("after", "found"), [("pass", []), (WORKS, ["waiting"])])
def test_a_game_that_waits_on_purpose_does_not_freeze(tmp_path, waits, after, found):
    """Within its loop or after it; what it works after it waited counts as ever."""
    script = tmp_path / "supper.py"
    script.write_text(WAITS.format(waits=waits, after=after))
    take = played(tmp_path, script)

    assert take.recording.closed(0)
    assert [finding.cause for finding in found_in_the_game(take)] == found
    waited = [row for row, code in enumerate(take.tables["phase"]["name"]) if take.text(int(code)) == "wait"]
    assert len(waited) == 2 and "wait" in take.recording.head_list(0, "waits")


SOUNDS = """
import sys, wave, pygame
with wave.open("bell.wav", "wb") as file:
    file.setparams((1, 2, 22050, 0, "NONE", ""))
    file.writeframes(bytes(2 * 22050 // 5))
pygame.init()
pygame.display.set_mode((16, 16))
clock = pygame.time.Clock()
bell = pygame.mixer.Sound("bell.wav")
pygame.mixer.music.load("bell.wav")
for frame in range(60):
    if frame in (2, 30):
        bell.play()
    if frame == 5:
        pygame.mixer.music.play()
    if frame == 33:
        bell.stop()
    pygame.event.get()
    clock.tick(60)
"""


def test_sounds_are_clips_of_the_mixer(tmp_path, monkeypatch):
    """With their length, and how they ended."""
    script = tmp_path / "bells.py"
    script.write_text(SOUNDS)
    monkeypatch.chdir(tmp_path)
    take = played(tmp_path, script)
    plays, stops = take.tables["play"], take.tables["stop"]

    who = [(take.text(int(o)), take.text(int(clip))) for o, clip in zip(plays["o"], plays["clip"], strict=True)]
    assert who == [("mixer", "bell"), ("music", "bell"), ("mixer", "bell")]
    assert plays["len"][0] == pytest.approx(0.2, abs=0.01)
    ends = dict(zip(stops["y"].tolist(), [take.text(int(how)) for how in stops["how"]], strict=True))
    assert (ends[1], ends[3]) == ("end", "cut")


def test_a_pygame_without_a_mixer_plays_all_the_same(tmp_path):
    """Its module is there, and nothing in it."""
    script = tmp_path / "quiet.py"
    script.write_text(
        "import sys\nsys.modules['pygame.mixer'] = None\nimport pygame\npygame.display.init()\n"
        "pygame.display.set_mode((16, 16))\nclock = pygame.time.Clock()\n"
        "for frame in range(20):\n    pygame.event.get()\n    clock.tick(60)\n"
    )
    take = played(tmp_path, script)
    assert take.game_frames == 21 and take.recording.closed(0)


QUITS = """
import pygame, time
pygame.init()
pygame.display.set_mode((16, 16))
clock = pygame.time.Clock()
def closing():
    end = time.perf_counter() + 0.4
    while time.perf_counter() < end:
        pass
pygame.register_quit(closing)
for frame in range(60):
    pygame.event.get()
    clock.tick(60)
pygame.quit()
"""


def test_closing_the_engine_is_no_freeze(tmp_path):
    """The last frame ends where the game lets the engine go."""
    script = tmp_path / "supper.py"
    script.write_text(QUITS)
    take = played(tmp_path, script)
    assert take.game_frames == 61 and take.recording.closed(0)
    assert [finding.cause for finding in found_in_the_game(take) if finding.kind == "freeze"] == []
    assert int(take.frames.work_ns[-1]) < 300_000_000 < take.duration_ns


CHANNELS = """
import pygame
pygame.init()
pygame.display.set_mode((16, 16))
clock = pygame.time.Clock()
bell, gong = pygame.mixer.Sound("bell.wav"), pygame.mixer.Sound("gong.wav")
for frame in range(60):
    if frame == 2:
        pygame.mixer.Channel(3).play(bell)
        gong.play()
    if frame == 20:
        pygame.mixer.find_channel().play(bell)
    if frame == 24:
        pygame.mixer.Channel(0).play(gong)
        pygame.mixer.Channel(1).play(gong)
    if frame == 28:
        pygame.mixer.stop()
    pygame.event.get()
    clock.tick(60)
"""


def test_sounds_that_a_channel_plays_are_clips_too(tmp_path, monkeypatch):
    """Each once, however it was begun, and however many channels play one sound; seen where the frame ends."""
    script = tmp_path / "bells.py"
    making = SOUNDS[: SOUNDS.index("pygame.init()")]
    script.write_text(making + making.replace("bell.wav", "gong.wav") + CHANNELS)
    monkeypatch.chdir(tmp_path)
    take = played(tmp_path, script)
    plays, stops = take.tables["play"], take.tables["stop"]

    frames = take.frames.number[take.frames.rows_of_lines(plays["p"], plays["line"])].tolist()
    clips = [take.text(int(clip)) for clip in plays["clip"]]
    assert sorted(zip(frames, clips, strict=True)) == [
        (2, "bell"), (2, "gong"), (20, "bell"), (24, "gong"), (24, "gong"),
    ]  # fmt: skip
    ends = dict(zip(stops["y"].tolist(), [take.text(int(how)) for how in stops["how"]], strict=True))
    assert sorted(ends.values()) == ["cut", "cut", "cut", "end", "end"]


TURNS = """
import pygame, time
pygame.init()
pygame.display.set_mode((16, 16))
pygame.display.flip()
bell = pygame.USEREVENT + 1
pygame.time.set_timer(bell, 20)
rung = 0
while rung < 6:
    {takes}
    time.sleep(0.01)
"""
POLLED = "event = pygame.event.poll()\n    if event.type == bell:\n        rung += 1"
ANY = "rung += any(event.type == bell for event in pygame.event.get())"


@pytest.mark.parametrize(("takes", "by"), [(POLLED, "turns:10"), (ANY, "turns:10")])
def test_a_menu_that_shows_no_new_picture_turns_where_it_waits(tmp_path, takes, by):
    """A sleep of the loop's is waiting; who took an event heard it."""
    script = tmp_path / "turns.py"
    script.write_text(TURNS.format(takes=takes))
    take = played(tmp_path, script)
    rung = [call for call in range(len(take.calls)) if take.event_of_call(call) == "UserEvent 1"]

    assert {take.function_of_call(call) for call in rung} == {by}
    assert len(rung) == 6 and take.game_frames >= 6
    assert causes(take) == []


FADES = """
import pygame
pygame.init()
screen = pygame.display.set_mode((16, 16))
for turn in range(4):
    pygame.event.get()
    for step in range(10 if turn == 2 else 1):
        pygame.time.wait(12)
        pygame.display.update((0, 0, 8, 8))
        pygame.display.update((8, 0, 8, 8))
pygame.event.get()
"""


def test_pictures_that_follow_each_other_are_frames_though_nobody_asks_for_events(tmp_path):
    """Parts of one picture are not."""
    script = tmp_path / "fades.py"
    script.write_text(FADES)
    take = played(tmp_path, script)
    assert 4 + 9 <= take.game_frames <= 4 + 9 + 2
    assert causes(take) == []


SHOWS = """
import pygame
pygame.init()
screen = pygame.display.set_mode((16, 16))
clock = pygame.time.Clock()
bell = pygame.USEREVENT + 1

def show():
    pygame.display.flip()

def post():
    pygame.event.post(pygame.event.Event(bell))

def peep():
    return screen.get_width() > 100

def run():
    for frame in range(60):
        for event in pygame.event.get():
            if event.type == bell:
                pass
        show()
        post()
        peep()
        clock.tick(200)

run()
"""


def test_what_the_engine_does_for_a_function_is_not_nothing(tmp_path):
    """Though it is the recorder that lets it; what only looks is."""
    script = tmp_path / "shows.py"
    script.write_text(SHOWS)
    take = played(tmp_path, script)
    effects: dict[str, list[int]] = {}
    for call in range(len(take.calls)):
        effects.setdefault(take.function_of_call(call), []).append(int(take.calls.effect[call]))

    # where looking is dear, as under Python 3.12, not each call is judged
    assert set(effects["show"]) == {-1} and set(effects["peep"]) <= {0, -1} and effects["peep"].count(0) > 20
    assert 0 not in effects["post"] and max(effects["post"]) >= 1
