"""One script of calls, run by every recorder in its own language, comes out as the same lines: the contract cannot drift."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from playing import write_godot_game

HERE = Path(__file__).parent / "golden"
SCRIPT: list[list[Any]] = json.loads((HERE / "script.json").read_text())
EXPECTED = [json.loads(line) for line in (HERE / "lines.jsonl").read_text().splitlines()]

PYTHON = """
import json, sys
from opossum_recorder import Recorder, halves
assert halves.Inner.__module__ == "opossum_recorder." + sys.argv[2], halves.Inner.__module__
calls = []
with Recorder(sys.argv[1], "golden", watch_after=0) as recorder:
    for step, *given in json.loads(sys.argv[3]):
        if step == "call":
            calls.append(recorder.call(given[0], given[1] or None, *given[2:]).__enter__())
        elif step == "ret":
            call, told = calls.pop(), given[0]
            for name in ("changed", "seemed"):
                if name in told:
                    getattr(call, name)(told[name])
            call.__exit__(None, None, None)
        elif step == "send":
            ev, o, d, *more = given
            recorder.send(ev, o, d=d, **(dict(via=more[0], a=more[1]) if more else {}))
        elif step == "arm":
            recorder.arm(*given[:3], sec=given[3], loop=given[0] == "timer")
        else:
            getattr(recorder, step)(*given)
"""


def recorded(stream: Path) -> list[dict[str, Any]]:
    """Return what a recorder wrote from the script's first line to its last, without times and source places."""
    lines = [json.loads(line) for line in stream.read_text(encoding="utf-8").splitlines() if line]
    texts = [line.get("text") for line in lines]
    golden = lines[texts.index("golden begins") : texts.index("golden ends") + 1]
    return [{name: value for name, value in line.items() if name not in ("t", "th", "at")} for line in golden]


@pytest.mark.parametrize("half", ["_inner", "inner"])
def test_python(tmp_path, half):
    """Both halves."""
    pure = {"OPOSSUM_PURE": "1"} if half == "inner" else {}
    result = subprocess.run(
        [sys.executable, "-c", PYTHON, str(tmp_path / "a.flow.jsonl"), half, json.dumps(SCRIPT)],
        env=os.environ | pure,
        capture_output=True,
        text=True,
        timeout=60,
    )
    if half == "_inner" and "AssertionError: opossum_recorder.inner" in result.stderr:
        pytest.skip("the half in C is not built here")
    assert result.returncode == 0, result.stderr
    assert recorded(tmp_path / "a.flow.jsonl") == EXPECTED


def quoted(text: Any) -> str:
    """Return a text as C, Lua and GDScript write it; UTF-8 stays as it is."""
    return json.dumps(text, ensure_ascii=False)


def c_line(step: str, given: list[Any]) -> str:
    """Return a step as a line of C."""
    if step == "send":
        ev, o, d, *more = given
        if more:
            return f"opossum_send_of_arm({quoted(ev)}, {quoted(o)}, {quoted(more[0])}, {more[1]});"
        data = quoted(json.dumps(d)) if d is not None else "0"
        return f"opossum_send({quoted(ev)}, {quoted(o)}, OPOSSUM_DIRECT, {data});"
    if step == "call":
        return f'c[depth++] = opossum_call({given[0]}, {given[1]}, {quoted(given[2])}, {quoted(given[3])}, "");'
    if step == "ret":
        if "seemed" in given[0]:
            return f"opossum_ret_own(c[--depth], {given[0]['seemed'] + given[0]['sent']});"
        effect = given[0]["changed"] + given[0]["sent"] if "changed" in given[0] else -1
        return f"opossum_ret(c[--depth], {effect});"
    if step == "arm":
        return f"opossum_arm({quoted(given[1])}, {quoted(given[2])}, {given[3]}, {int(given[0] == 'timer')});"
    words = [quoted(word) if isinstance(word, str) else str(word) for word in given]
    if step == "bind":
        words.append('""')
    return f"opossum_{step}({', '.join(words)});"


@pytest.mark.skipif(shutil.which("cc") is None, reason="there is no C compiler: apt-get install gcc")
def test_the_c_header(tmp_path):
    """Compiled as C."""
    import opossum_recorder

    shutil.copy(Path(opossum_recorder.__file__).parent / "c" / "opossum.h", tmp_path)
    body = "\n\t".join(c_line(step, given) for step, *given in SCRIPT)
    (tmp_path / "golden.c").write_text(
        '#define OPOSSUM_IMPLEMENTATION\n#include "opossum.h"\nint main(int argc, char **argv) {\n'
        f"\tunsigned long c[8];\n\tint depth = 0;\n\topossum_open(argv[argc - 1], 0, 0);\n\t{body}\n"
        "\topossum_close();\n\treturn 0;\n}\n",
        encoding="utf-8",
    )
    subprocess.run(
        ["cc", "-Wall", "-Wextra", "-Werror", "golden.c", "-o", "golden", "-pthread", "-lm"], cwd=tmp_path, check=True
    )
    subprocess.run(["./golden", "a.flow.jsonl"], cwd=tmp_path, check=True, timeout=60)
    assert recorded(tmp_path / "a.flow.jsonl") == EXPECTED


def lua_value(value: Any) -> str:
    """Return plain data as Lua writes it."""
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{name} = {lua_value(item)}" for name, item in value.items()) + " }"
    return "nil" if value is None else quoted(value) if isinstance(value, str) else str(value)


def lua_line(step: str, given: list[Any]) -> str:
    """Return a step as a line of Lua; a call runs what stands between it and its end."""
    if step == "bind":
        return f"binds[#binds + 1] = R.bind({', '.join(map(quoted, given))})"
    if step == "unbind":
        return f"R.unbind(binds[{given[0]}])"
    if step == "call":
        bound = f"binds[{given[1]}]" if given[1] else f"{{ o = {quoted(given[2])}, fn = {quoted(given[3])} }}"
        return f"R.call({given[0]}, {bound}, function()"
    if step == "ret":
        told = [f"R.{name}({given[0][name]}) " for name in ("changed", "seemed") if name in given[0]]
        return "".join(told) + "end)"
    if step == "send":
        ev, o, d, *more = given
        told = f"{{ via = {quoted(more[0])}, a = {more[1]} }}" if more else "nil"
        return f"R.send({quoted(ev)}, {quoted(o)}, {lua_value(d)}, {told})"
    return f"R.{step}({', '.join(lua_value(word) for word in given)})"


@pytest.mark.skipif(shutil.which("love") is None, reason="LÖVE is not installed: apt-get install love")
def test_lua(tmp_path):
    """By LÖVE, before its first frame."""
    game = tmp_path / "game"
    game.mkdir()
    body = "\n".join(lua_line(step, given) for step, *given in SCRIPT)
    (game / "main.lua").write_text(
        f'local R = require("opossum")\nlocal binds = {{}}\n{body}\nfunction love.update() love.event.quit() end\n',
        encoding="utf-8",
    )
    run_engine(tmp_path, "--love", {"SDL_VIDEODRIVER": "offscreen", "ALSOFT_DRIVERS": "null"})
    assert recorded(tmp_path / "a.flow.jsonl") == EXPECTED


def gd_line(step: str, given: list[Any]) -> str:
    """Return a step as a line of GDScript."""
    if step == "ret":
        told = [f"r.{name}({given[0][name]}); " for name in ("changed", "seemed") if name in given[0]]
        return "".join(told) + "r.call_ends()"
    if step == "send":
        ev, o, d, *more = given
        told = f", {json.dumps({'via': more[0], 'a': more[1]})}" if more else ""
        return f"r.send({quoted(ev)}, {quoted(o)}, {json.dumps(d)}{told})"
    name = {"call": "call_begins"}.get(step, step)
    return f"r.{name}({', '.join(quoted(word) for word in given)})"


@pytest.mark.skipif(
    shutil.which("godot3-server") is None, reason="Godot is not installed: apt-get install godot3-server"
)
def test_gdscript(tmp_path):
    """By Godot, as the scene comes up."""
    body = "\n\t".join(gd_line(step, given) for step, *given in SCRIPT)
    write_godot_game(
        tmp_path / "game",
        'extends Node\n\nfunc _ready():\n\tvar r = get_node("/root/OpossumRecorder")\n'
        f"\t{body}\n\nfunc _process(_delta):\n\tget_tree().quit()\n",
        "golden",
    )
    run_engine(tmp_path, "--godot", {"OPOSSUM_REWRITE": "0"})  # else `_ready` itself would be a call
    assert recorded(tmp_path / "a.flow.jsonl") == EXPECTED


def run_engine(folder: Path, option: str, environment: dict[str, str]) -> None:
    """Record the game that lies in the folder, and write the take out as a stream."""
    command = [sys.executable, "-m", "opossum_commands"]
    for arguments in (
        ["record", "--out", "a.take", option, "game"],
        ["convert", "a.take", "a.flow.jsonl"],
    ):
        result = subprocess.run(
            [*command, *arguments],
            cwd=folder,
            env=os.environ | environment,
            capture_output=True,
            text=True,
            timeout=120,
        )
        assert result.returncode == 0, result.stderr
