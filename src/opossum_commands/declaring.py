"""What a user declares of a Python game for `opossum record`: in `opossum.toml` beside it, or by options.

watch = ["game.shop:Counter.restock"]
frame = "game.main:Game.turn"

[[dispatcher]]
class = "game.events:EventBus"
bind = "subscribe"
send = ["publish", "publish_later"]
"""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any

from opossum.findings.wishes import FILE_NAME, LARGEST_FILE
from opossum_commands.reading import CommandError
from opossum_recorder.engines.declared.declarations import USUAL_NAMES, Declared, Dispatcher, Watched

_WAYS = tuple(USUAL_NAMES)


def declared_for(folder: Path, dispatchers: tuple[str, ...], watched: tuple[str, ...], frame: str | None) -> Declared:
    """Return what stands in the file beside the game (else where the command is run), and what the options add to it.

    Raises:
        CommandError: something in it cannot be understood; the message says where and what to write.
    """
    file = next((place / FILE_NAME for place in (folder, Path()) if (place / FILE_NAME).is_file()), None)
    table = _table(file) if file is not None else {}
    of_file = table.get("dispatcher", [])
    if not isinstance(of_file, list) or not all(isinstance(item, dict) for item in of_file):
        raise CommandError(f"{file}: `dispatcher` must be a list: write [[dispatcher]] above each entry.")
    watch = table.get("watch", [])
    if not isinstance(watch, list) or not all(isinstance(item, str) for item in watch):
        raise CommandError(f'{file}: `watch` must be a list of texts such as "game.shop:Counter.restock".')
    turn = table.get("frame")
    if turn is not None and not isinstance(turn, str):
        raise CommandError(f'{file}: `frame` must be a text such as "game.main:Game.turn".')
    frames = [("--frame", frame)] if frame else [(f"{file}: `frame`", turn)] if turn else []
    return Declared(
        tuple(_dispatcher(f"{file}: entry {number} of `dispatcher`", item) for number, item in enumerate(of_file, 1))
        + tuple(_dispatcher_of_option(text) for text in dispatchers),
        tuple(Watched(*_place(f"{file}: `watch`", text)) for text in watch)
        + tuple(Watched(*_place("--watch", text)) for text in watched),
        Watched(*_place(*frames[0])) if frames else None,
    )


def _table(file: Path) -> dict[str, Any]:
    try:
        if file.stat().st_size > LARGEST_FILE:
            raise CommandError(f"{file}: too large; it may have {LARGEST_FILE:,} bytes.")
        return tomllib.loads(file.read_text(encoding="utf-8"))
    except OSError as error:
        raise CommandError(f"{file}: cannot be read ({error.strerror or error}).") from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise CommandError(f"{file}: is no TOML ({error}).") from None


def _dispatcher(where: str, item: dict[str, Any]) -> Dispatcher:
    for key in item:
        if key not in ("class", *_WAYS):
            raise CommandError(f"{where}: `{key}` is not known; there are: class, {', '.join(_WAYS)}.")
    if not isinstance(item.get("class"), str):
        raise CommandError(f'{where}: needs `class`, such as class = "game.events:EventBus".')
    return Dispatcher(*_place(f"{where}: `class`", item["class"]), _methods(where, item))


def _methods(where: str, item: dict[str, Any]) -> dict[str, tuple[str, ...]]:
    methods: dict[str, tuple[str, ...]] = {}
    for does in _WAYS:
        if does not in item:
            continue
        names = [item[does]] if isinstance(item[does], str) else item[does]
        if not isinstance(names, list) or not names or not all(isinstance(n, str) and n.isidentifier() for n in names):
            raise CommandError(f"{where}: `{does}` must be the name of a method, or a list of names.")
        methods[does] = tuple(names)
    return methods


def _dispatcher_of_option(text: str) -> Dispatcher:
    place, *words = text.split()
    item: dict[str, Any] = {}
    for word in words:
        does, given, names = word.partition("=")
        if does not in _WAYS or not given:
            raise CommandError(
                f"--dispatcher {text}: `{word}` is not understood; write such as "
                '--dispatcher "game.events:EventBus bind=subscribe send=publish".'
            )
        item[does] = names.split(",")
    return Dispatcher(*_place("--dispatcher", place), _methods(f"--dispatcher {text}", item))


def _place(where: str, text: str) -> tuple[str, str]:
    """Return (module, name) of `module:Class` or `module:Class.method`."""
    module, colon, name = text.partition(":")
    parts = [*module.split("."), *name.split(".")]
    if not colon or not all(part.isidentifier() for part in parts):
        raise CommandError(
            f"{where}: {text!r} is no place in a game; write module:Class, such as game.events:EventBus."
        )
    return module, name
