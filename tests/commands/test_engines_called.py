"""Games called by their engine's program, or by a shell script that ends in one."""

from __future__ import annotations

from pathlib import Path

import pytest

from opossum_commands.engines import GODOT, LOVE
from opossum_commands.engines.called import engine_called
from opossum_commands.engines.engine import Launch
from opossum_commands.reading import CommandError


@pytest.mark.parametrize(
    ("call", "engine", "game"),
    [
        (("love", "supper.love", "double"), "love", ("supper.love", "double")),
        (("/usr/bin/love", "--fused", "supper"), "love", ("supper",)),
        (("love",), "love", (".",)),
        (("godot3", "--path", "supper", "--verbose"), "godot", ("supper", "--verbose")),
        (("godot3-runner", "-w", "--path", "supper"), "godot", ("supper", "-w")),
        (("godot3", "--verbose"), "godot", (".", "--verbose")),
    ],
)
def test_an_engines_own_program_names_the_engine(call, engine, game):
    """What follows it is the game and its arguments."""
    found = engine_called(call)
    assert found is not None and (found[0].name, found[1]) == (engine, game)


@pytest.mark.parametrize("call", [("python3", "game.py"), ("nowhere-at-all",), ("ls",)])
def test_anything_else_is_no_engines(call):
    """Nor is what is not there."""
    assert engine_called(call) is None


def test_a_shell_script_that_ends_in_an_engine(tmp_path, monkeypatch):
    """Where it goes and what it exports is the game's."""
    script = tmp_path / "supper"
    script.write_text('#!/bin/sh\nexport LANG=C\ncd /usr/share/games/supper\nexec love supper.love "$@"\n')
    seen = []

    def launch(destination: str, call: tuple[str, ...], folder: Path) -> Launch:
        seen.append(call)
        return Launch("supper", ["love"], {"OPOSSUM_STREAM": destination}, "LÖVE", folder)

    monkeypatch.setattr("opossum_commands.engines.called.ENGINES", [LOVE._replace(launch=launch), GODOT])
    engine, call = engine_called((str(script), "double"))
    assert call == ("/usr/share/games/supper/supper.love", "double")
    assert engine.launch("a.flow.jsonl", call, tmp_path).environment == {"LANG": "C", "OPOSSUM_STREAM": "a.flow.jsonl"}
    assert seen == [call]


def test_a_shell_script_that_runs_no_game_is_refused(tmp_path):
    """In one sentence."""
    script = tmp_path / "supper"
    script.write_text("#!/bin/sh\nexec cat supper.txt\n")
    with pytest.raises(CommandError, match="no game was found that can be recorded"):
        engine_called((str(script),))
