"""Stacks hold the game's own lines."""

from __future__ import annotations

import threading

from opossum_recorder.stacks import is_launcher, stack_of


def test_the_innermost_line_is_the_games():
    """Whatever library it stands in, and whoever started it."""
    ready, go = threading.Event(), threading.Event()

    def bake() -> None:
        ready.set()
        go.wait(10)

    thread = threading.Thread(target=bake)
    thread.start()
    ready.wait(10)
    stack = stack_of(thread.ident or 0)
    go.set()
    thread.join()
    assert len(stack) == 1 and ".bake test_stacks.py:" in stack[0]


def test_who_launches_is_no_part_of_the_game():
    """A folder of the game may still be named like a library."""
    assert is_launcher("<frozen runpy>") and is_launcher("/opt/x/opossum_commands/main.py")
    assert is_launcher(threading.__file__.replace("threading.py", "site-packages/click/core.py"))
    assert not is_launcher("/home/me/click/game.py")
