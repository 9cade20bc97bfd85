"""Which source files are the game's own: neither the engine's, nor a library's, nor ours.

What the user named as the game is the game, wherever it lies; else what was installed is not.
"""

from __future__ import annotations

import functools
import importlib.util
import os
import sys
import sysconfig

LIBRARIES = tuple(
    {
        os.path.join(path, "")
        for name in ("stdlib", "platstdlib", "purelib", "platlib")
        if (path := sysconfig.get_path(name))
    }
)
"""Where the interpreter and what was installed for it lie."""
INTERPRETERS = (os.path.join(os.path.dirname(os.__file__), ""),)
"""Where the interpreter's own library lies."""
INSTALLED = ("site-packages", "dist-packages")
_OURS = os.path.join(os.path.dirname(os.path.abspath(__file__)), "")

ENGINES = ("pgzero", "pygame", "pyglet", "arcade", "ursina", "cocos", "direct", "panda3d")
"""Packages that are engines."""
STARTERS = ("pgzero", "pgzrun")
"""Packages whose commands start a game, and are none."""

_named: list[str] = []


def name_game(path: str) -> None:
    """Say that a file, or all files of a folder, are the game's own, wherever they lie."""
    _named.append(os.path.abspath(path))
    is_games_own.cache_clear()


def name_game_called(script: str, as_module: bool) -> None:
    """Say that what is called as the game is it: a script with what lies beside it, a module with its package, the
    package from which an installed command comes.
    """
    try:
        if as_module:
            name_module(script)
            return
        folder = os.path.dirname(os.path.abspath(script))
        if not _is_shared(folder):
            name_game(folder)
            return
        name_game(script)
        import importlib.metadata  # it loads much, and few games are started by an installed command

        for group in ("console_scripts", "gui_scripts"):
            for entry in importlib.metadata.entry_points(group=group, name=os.path.basename(script)):
                name_module(entry.module)
    except Exception:  # a broken installation is the game's to tell of
        return


def name_module(name: str) -> None:
    """Say that a module, or the package it is or lies in, is the game's own."""
    spec = importlib.util.find_spec(name)
    if spec is None or spec.origin is None or name.partition(".")[0] in STARTERS:
        return
    if spec.submodule_search_locations:
        name_game(next(iter(spec.submodule_search_locations)))
        return
    folder = os.path.dirname(os.path.abspath(spec.origin))
    name_game(spec.origin if _is_shared(folder) or "." not in name else folder)


def _is_shared(folder: str) -> bool:
    """Say whether programs of all kinds lie in a folder, or packages."""
    return os.path.basename(folder) in ("bin", *INSTALLED) or os.path.join(folder, "") in LIBRARIES


@functools.lru_cache(maxsize=4096)
def is_games_own(path: str) -> bool:
    """Say whether a source file (as code objects name it) is the game's own."""
    if path.startswith("<"):
        return not path.startswith("<frozen")
    whole = os.path.abspath(path)
    if whole.startswith(_OURS):
        return False
    if any(whole == named or whole.startswith(named + os.sep) for named in _named):
        return True
    if _is_engines(whole):
        return False
    if whole.startswith(LIBRARIES) or any(os.sep + part + os.sep in whole for part in INSTALLED):
        return bool(sys.path) and _is_beside(whole)
    return True


def _is_engines(whole: str) -> bool:
    """Say whether a file belongs to an engine that is loaded, wherever it lies."""
    for name in ENGINES:
        path = vars(sys.modules[name]).get("__file__") if name in sys.modules else None
        package = isinstance(path, str) and os.path.basename(path) == "__init__.py"
        if package and whole.startswith(os.path.join(os.path.dirname(os.path.abspath(str(path))), "")):
            return True
    return False


def _is_beside(whole: str) -> bool:
    """Say whether a file lies where the game's own modules are looked for first, and not in what was installed below."""
    first = os.path.abspath(sys.path[0]) if sys.path[0] else ""
    if not first or _is_shared(first) or not whole.startswith(first + os.sep):
        return False
    below = whole[len(first) :]
    if any(os.sep + part + os.sep in below for part in INSTALLED):
        return False
    return not whole.startswith(LIBRARIES) or (first + os.sep).startswith(LIBRARIES)
