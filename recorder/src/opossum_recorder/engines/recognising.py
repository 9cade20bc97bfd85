"""Which engine a Python game is written for, by what its source imports, and that engine's version: nothing of it is run.

`python -m opossum_recorder.engines.recognising GAME|-m MODULE` prints it, empty if none is recognised.
"""

from __future__ import annotations

import importlib.util
import os
import re
import sys
from collections.abc import Iterable
from itertools import islice
from pathlib import Path

ENGINES = (
    ("ursina", "ursina", ("ursina",)),
    ("pgzrun", "Pygame Zero", ("pgzero",)),
    ("pgzero", "Pygame Zero", ("pgzero",)),
    ("arcade", "arcade", ("arcade",)),
    ("cocos", "cocos2d", ("cocos2d",)),
    ("direct", "Panda3D", ("panda3d",)),
    ("panda3d", "Panda3D", ("panda3d",)),
    ("pyglet", "pyglet", ("pyglet",)),
    ("pygame", "pygame", ("pygame-ce", "pygame")),
)
"""What is imported, what the engine is called, the distributions it may come from: what builds upon another, before it."""
FILES_MAX = 400
FILE_BYTES_MAX = 1 << 20
_IMPORTS = re.compile(r"^\s*(?:import|from)\s+([A-Za-z_][\w, .]*)", re.MULTILINE)


def engine_of(game: str, as_module: bool = False) -> str:
    """Return the name and version of the engine of a game (a script, or a module's name), empty if none is recognised."""
    sources = _sources(game, as_module)
    for files in (sources[:1], sources[1:]):  # what lies in a launcher's package may belong to another game
        imported = set().union(*(_imported(file) for file in files))
        for module, title, distributions in ENGINES:
            if module in imported:
                return _with_version(title, distributions)
    return ""


def _imported(file: Path) -> set[str]:
    """Return the modules that a source file imports, by the first part of their names."""
    try:
        with open(file, encoding="utf-8", errors="replace") as source:
            text = source.read(FILE_BYTES_MAX)
    except OSError:
        return set()
    named = [name.strip() for names in _IMPORTS.findall(text) for name in names.split(",")]
    return {name.partition(".")[0].partition(" ")[0] for name in named}


def _sources(game: str, as_module: bool) -> list[Path]:
    """Return a game's source files: its main, and what that reaches of what lies beside it."""
    main: Path | None = Path(game)
    if as_module:
        try:
            spec = importlib.util.find_spec(game)
        except (ImportError, AttributeError, ValueError):
            return []
        if spec is None:
            return []
        if spec.submodule_search_locations:  # a package runs by its `__main__`, and what it begins lies about it
            return _of_package(spec.submodule_search_locations)
        main = Path(spec.origin) if spec.origin else None
        if main is not None:
            # a launcher's engine is that of its package; what lies beside a module of none may be anything
            return [main, *islice(sorted(main.parent.glob("*.py")), FILES_MAX)] if spec.parent else [main]
    if main is None or not main.is_file():
        return []
    # pip writes the starters of installed games beside the interpreter
    installed = not as_module and main.resolve().parent == Path(sys.executable).parent.resolve()
    return [main, *_started_by(main.name)] if installed else _reached_from(main)


def _reached_from(main: Path) -> list[Path]:
    """Return a script and the modules and packages beside it that it imports, or that these do: other games may lie there."""
    folder, found = main.resolve().parent, [main]
    asked: set[str] = set()
    for file in found:  # grows meanwhile
        for name in sorted(_imported(file) - asked):
            asked.add(name)
            of_package = sorted(islice((folder / name).rglob("*.py"), FILES_MAX)) if (folder / name).is_dir() else []
            reached = [path for path in (folder / f"{name}.py", *of_package) if path.is_file()]
            found += reached[: FILES_MAX - len(found)]
    return found


def _started_by(starter: str) -> list[Path]:
    """Return the source files of the package, or module, that an installed command of this name runs."""
    import importlib.metadata  # it loads much, and few games are started so

    for group in ("console_scripts", "gui_scripts"):
        for entry in importlib.metadata.entry_points(group=group, name=starter):
            try:
                spec = importlib.util.find_spec(entry.value.partition(":")[0].partition(".")[0].strip())
            except (ImportError, ValueError):
                continue
            if spec is not None and spec.submodule_search_locations:
                return _of_package(spec.submodule_search_locations)
            if spec is not None and spec.origin:
                return [Path(spec.origin)]
    return []


def _of_package(folders: Iterable[str]) -> list[Path]:
    """Return the source files of a package, its own `__main__` before the rest."""
    mains = [main for folder in folders if (main := Path(folder, "__main__.py")).is_file()]
    files = sorted(islice((file for folder in folders for file in Path(folder).rglob("*.py")), FILES_MAX))
    return list(dict.fromkeys([*mains, *files]))


def _with_version(title: str, distributions: tuple[str, ...]) -> str:
    import importlib.metadata  # it loads much, and is asked for where there is an engine

    for distribution in distributions:
        try:
            version = importlib.metadata.version(distribution)
        except importlib.metadata.PackageNotFoundError:
            continue
        return f"{distribution if len(distributions) > 1 else title} {version}"
    return title


if __name__ == "__main__":
    os.environ["PYGAME_HIDE_SUPPORT_PROMPT"] = "1"
    if sys.argv[1] == "-m":
        sys.path[0] = os.getcwd()
    print(engine_of(sys.argv[-1], sys.argv[1] == "-m"))
