"""Games of other languages that hand rubbish to their recorder: every line is read, and the game goes on."""

from __future__ import annotations

import shutil

import pytest
from playing import write_godot_game
from test_golden import run_engine

from opossum.take.opening import open_any

LUA = r"""
local R = require("opossum")
local rude = setmetatable({}, { __tostring = function() error("no") end, __index = function() error("no") end })
local odd = setmetatable({}, { __tostring = function() return 5 end })
local deep = {}
deep.deep = deep
local values = { 0/0, 1/0, -1/0, 1e300, "\255\254\0\27[2J", ("é"):rep(3000), rude, odd, deep, { rude, odd, 0/0 }, print, true,
	{ [rude] = 1, [1.5] = 2 }, ("x"):rep(100000), "\237\160\128" }
for i, v in ipairs(values) do
	local b = R.bind("ev " .. i, "oven#1", i % 2 == 0 and "on_ev" or v)
	R.watch("oven#1", "heat", v)
	R.say(v, v)
	R.spawn(tostring(i), v)
	R.call(R.send(v, v, v), b, function() end)
	R.arm("timer", "oven#1", v, v)
	R.disarm(v, v) R.put(v, v) R.pull(nil, nil) R.unbind(v) R.unbind(nil) R.gone(v)
	R.changed(v) R.seemed(v)
end
function love.update() R.say("last") love.event.quit() end
"""

GDSCRIPT = """
extends Node

func _ready():
\tvar r = get_node("/root/OpossumRecorder")
\tvar deep = []
\tdeep.append(deep)
\tvar values = [NAN, INF, -INF, 1e300, "a\\"\\\\\\n\\t" + PoolByteArray([27, 91, 50]).get_string_from_ascii(), {"n": NAN, 1: [INF]},
\t\tdeep, range(2000), self, null, true, Vector2(NAN, 1)]
\tfor v in values:
\t\tr.watch("oven#1", "heat", v)
\t\tvar s = r.send("pay", "oven#1", v, {"key": str(v), "pos": 0.5})
\t\tr.call_begins(s, 0, "oven#1", "on_pay")
\t\tr.changed(1)
\t\tr.call_ends()

func _process(_delta):
\tget_tree().quit()
"""


def read(folder):
    """Return what was recorded, and see that no line of it was damaged."""
    take = open_any(str(folder / "a.take"))
    assert not take.damage, [item.told() for item in take.damage]
    return take


@pytest.mark.skipif(shutil.which("love") is None, reason="LÖVE is not installed: apt-get install love")
def test_lua(tmp_path):
    """By LÖVE, before its first frame."""
    game = tmp_path / "game"
    game.mkdir()
    (game / "main.lua").write_text(LUA, encoding="utf-8")
    run_engine(tmp_path, "--love", {"SDL_VIDEODRIVER": "offscreen", "ALSOFT_DRIVERS": "null"})
    take = read(tmp_path)
    assert len(take.tables["watch"]) == 15 and len(take.tables["call"]) >= 15
    assert "last" in take.strings


@pytest.mark.skipif(
    shutil.which("godot3-server") is None, reason="Godot is not installed: apt-get install godot3-server"
)
def test_gdscript(tmp_path):
    """By Godot, as the scene comes up."""
    write_godot_game(tmp_path / "game", GDSCRIPT, "golden")
    run_engine(tmp_path, "--godot", {"OPOSSUM_REWRITE": "0"})
    take = read(tmp_path)
    assert len(take.tables["watch"]) == 12
    assert len(take.tables["call"]) >= 12
