"""The worked example of the documentation: every command is run, and prints what is written there."""

from __future__ import annotations

import re
import shlex
from pathlib import Path

import pytest

EXAMPLE = Path(__file__).parents[2] / "docs" / "bread-counted-twice.md"


def blocks() -> list[tuple[str, list[str]]]:
    """Return (command, lines shown) of every command of the example, in order."""
    found: list[tuple[str, list[str]]] = []
    for block in re.findall(r"```console\n(.*?)```", EXAMPLE.read_text(encoding="utf-8"), re.DOTALL):
        for line in block.splitlines():
            if line.startswith("$ "):
                found.append((line[2:], []))
            elif line.strip() and line != "…":
                found[-1][1].append(line)
    return found


def test_the_example_is_what_the_commands_print(run, tmp_path, monkeypatch):
    """Line for line, in order, but for what it leaves out."""
    monkeypatch.chdir(tmp_path)
    (rules,) = re.findall(r"```rules\n(.*?)```", EXAMPLE.read_text(encoding="utf-8"), re.DOTALL)
    (tmp_path / "bakery.rules").write_text(rules, encoding="utf-8")
    commands = blocks()
    assert len(commands) >= 10
    for command, shown in commands:
        told = run(*shlex.split(command)[1:])
        lines = iter(told.out.splitlines())
        for expected in shown:
            assert any(line == expected for line in lines), f"{command}: {expected!r} is not printed (any more)"
        assert told.err == ""


def test_the_statuses_are_as_said(run, tmp_path, monkeypatch, night):
    """Nothing new: 0; a rule that broke: 1."""
    from opossum.take.archive import save_take

    monkeypatch.chdir(tmp_path)
    save_take(night("bound-twice"), "before.take")
    save_take(night(), "after.take")
    assert run("compare", "before.take", "after.take", "--fail-on", "new-fault").status == 0
    (tmp_path / "a.rules").write_text("every send of bread_ready causes exactly 1 call of Counter.on_bread_ready")
    assert [run("check", f"{name}.take").status for name in ("before", "after")] == [1, 0]


@pytest.mark.parametrize("name", re.findall(r"\]\((screenshots/[^)]+)\)", EXAMPLE.read_text(encoding="utf-8")))
def test_its_pictures_are_there(name):
    """As linked."""
    assert (EXAMPLE.parent / name).is_file()
