"""What a host takes of the machine while a frame runs is told as such by every recorder: Python's, C's, LÖVE's and Godot's.

The machine's file is one of the test's own, and the game itself writes into it that the host took a second.
"""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from playing import begin, needs, write_godot_game

from opossum.take.archive import open_take
from opossum.take.opening import open_any
from opossum.take.take import Take

BEFORE = "cpu  1000 0 0 9999 0 0 0 0 0 0\nintr 1\n"
AFTER = {
    "taken": "cpu  1001 0 0 9999 0 0 0 100 0 0\nintr 1\n",
    "left alone": "cpu  1001 0 0 9999 0 0 0 0 0 0\nintr 1\n",
}
LONG_FRAME, BUSY_MS, SHORT_MS, SLEEP_MS = 10, 200, 25, 150
LOOKED_INTO_MS = 50
CLOCKS_APART_MS = 12
"""Godot knows only what the system reckoned at its last tick."""

LUA = """
local frame = 0
function love.update()
  frame = frame + 1
  if frame == {frame} then
    local file = io.open("{stat}", "w")
    file:write({after})
    file:close()
    local began = love.timer.getTime()
    while love.timer.getTime() - began < {seconds} do end
    if {sleep} > 0 then os.execute("sleep {sleep}") end
  elseif frame == 15 then love.event.quit() end
end
"""
GDSCRIPT = """extends Node

var frame = 0

func _process(_delta):
	frame += 1
	if frame == {frame}:
		var file = File.new()
		file.open("{stat}", File.WRITE)
		file.store_string({after})
		file.close()
		var began = OS.get_ticks_usec()
		while OS.get_ticks_usec() - began < {seconds} * 1000000:
			pass
		OS.delay_usec(int({sleep} * 1000000))
	elif frame == 15:
		get_tree().quit()
"""
C = """
#define OPOSSUM_IMPLEMENTATION
#include "opossum.h"
int main(int count, char **words) {{
	int n;
	if (count != 2 || opossum_open(words[1], "busy", 60) != 0) return 1;
	for (n = 1; n <= 15; n++) {{
		opossum_frame(n, 0);
		if (n == {frame}) {{
			struct timespec began, now;
			FILE *file = fopen("{stat}", "w");
			if (!file || fputs({after}, file) < 0 || fclose(file) != 0) return 2;
			clock_gettime(CLOCK_MONOTONIC, &began);
			do clock_gettime(CLOCK_MONOTONIC, &now);
			while ((double)(now.tv_sec - began.tv_sec) + (double)(now.tv_nsec - began.tv_nsec) / 1e9 < {seconds});
			usleep({sleep} * 1000000);
		}}
		opossum_idle();
	}}
	opossum_close();
	return 0;
}}
"""


def played_once(folder: Path, *arguments: str) -> Take:
    """Record a game that is not played again: it has changed the file."""
    _, said = begin(folder / "game.take", *arguments).communicate(timeout=60)
    assert (folder / "game.take").exists(), said
    return open_take(str(folder / "game.take"))


def play_love(folder: Path, told: dict[str, str]) -> Take:
    (folder / "game").mkdir()
    (folder / "game" / "main.lua").write_text(LUA.format(**told))
    return played_once(folder, "--love", str(folder / "game"))


def play_godot(folder: Path, told: dict[str, str]) -> Take:
    game = folder / "game"
    write_godot_game(game, GDSCRIPT.format(**told))
    return played_once(folder, "--godot", str(game))


def play_c(folder: Path, told: dict[str, str]) -> Take:
    header = subprocess.run([sys.executable, "-m", "opossum_commands", "header"], capture_output=True, check=True)
    (folder / "opossum.h").write_bytes(header.stdout)
    (folder / "game.c").write_text(C.format(**told))
    program, stream = folder / "game", folder / "game.flow.jsonl"
    flags = ["-std=gnu99", "-Wall", "-Wextra", "-Werror", "-lpthread", "-lm"]
    subprocess.run(["cc", str(folder / "game.c"), "-o", str(program), *flags], check=True)
    subprocess.run([str(program), str(stream)], check=True, timeout=30)
    return open_any(str(stream))


PLAYS = 3


def longest_frame(take: Take) -> tuple[float, float, float]:
    """Return how long a take's longest frame took, how long its thread ran and waited in it, in ms."""
    idle, frames = take.tables["idle"], take.tables["frame"]
    passed = (np.asarray(idle["t"], np.float64) - np.asarray(frames["t"])[: len(idle)]) / 1e6
    ran, waited = (np.asarray(idle[field], np.float64) / 1e6 for field in ("cpu", "ready"))
    longest = int(np.argmax(passed))
    return float(passed[longest]), float(ran[longest]), float(waited[longest])


def on_a_machine(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, host: str, busy_ms: int, sleep_ms: int = 0
) -> dict[str, str]:
    """Let the machine's file be one of the test's own; return what a game is told of how long it works and sleeps."""
    stat = tmp_path / "stat"
    stat.write_text(BEFORE)
    monkeypatch.setenv("OPOSSUM_STAT", str(stat))
    monkeypatch.setattr("playing.WITHOUT_A_SCREEN", {"SDL_VIDEODRIVER": "offscreen", "ALSOFT_DRIVERS": "null"})
    after = '"' + AFTER[host].replace("\n", "\\n") + '"'
    seconds, sleep = (str(ms / 1000) for ms in (busy_ms, sleep_ms))
    return {"frame": str(LONG_FRAME), "stat": str(stat), "after": after, "seconds": seconds, "sleep": sleep}


TOLD_BY_THE_SYSTEM = pytest.mark.skipif(
    not Path("/proc/thread-self/schedstat").exists(), reason="the system does not tell it"
)
ENGINES = pytest.mark.parametrize(
    "play",
    [
        pytest.param(play_love, marks=needs("love", "love")),
        pytest.param(play_godot, marks=needs("godot3-server", "godot3-server")),
        pytest.param(play_c, marks=pytest.mark.skipif(shutil.which("cc") is None, reason="there is no C compiler")),
    ],
)


@TOLD_BY_THE_SYSTEM
@pytest.mark.parametrize(("host", "busy_ms"), [("taken", BUSY_MS), ("left alone", BUSY_MS), ("taken", SHORT_MS)])
@ENGINES
def test_of_a_long_frame_the_hosts_part_is_the_machines(tmp_path, monkeypatch, play, host, busy_ms):
    """It is told as time in which the thread could have run, and not as what it ran; of a short frame nobody asks."""
    told = on_a_machine(tmp_path, monkeypatch, host, busy_ms)

    for turn in range(PLAYS):
        folder = tmp_path / f"play {turn}"
        folder.mkdir()
        passed, ran, waited = longest_frame(play(folder, told))
        if busy_ms >= LOOKED_INTO_MS or (passed < LOOKED_INTO_MS and waited <= 0.6 * passed):
            break  # else this machine itself let the game wait, as other tests have it do
    if busy_ms < LOOKED_INTO_MS <= passed:
        pytest.skip("this machine is too busy to play a short frame")
    assert passed >= busy_ms
    # this machine may have a host of its own, that takes of it: then neither is told of that part
    assert ran + waited <= passed + CLOCKS_APART_MS
    if passed < LOOKED_INTO_MS:
        assert waited <= 0.6 * passed
    elif host == "taken":
        assert ran + waited == pytest.approx(passed, abs=CLOCKS_APART_MS)
        assert waited >= 0.4 * passed


@TOLD_BY_THE_SYSTEM
@ENGINES
def test_what_the_thread_did_not_run_explains_no_more_than_its_part_of_what_was_taken(tmp_path, monkeypatch, play):
    """More was taken than the thread stood still for: the rest was counted into what it is told to have run."""
    told = on_a_machine(tmp_path, monkeypatch, "taken", BUSY_MS, SLEEP_MS)
    passed, ran, waited = longest_frame(play(tmp_path, told))
    assert passed >= BUSY_MS + SLEEP_MS
    assert ran <= 0.4 * BUSY_MS and waited >= passed - 0.4 * BUSY_MS - CLOCKS_APART_MS
