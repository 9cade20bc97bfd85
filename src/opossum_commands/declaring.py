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

from opossum.user_file import FILE_NAME, LARGEST_FILE
from opossum.words import tr
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
        raise CommandError(tr("{file}: `dispatcher` must be a list: write [[dispatcher]] above each entry.", file=file))
    watch = table.get("watch", [])
    if not isinstance(watch, list) or not all(isinstance(item, str) for item in watch):
        raise CommandError(
            tr('{file}: `watch` must be a list of texts such as "game.shop:Counter.restock".', file=file)
        )
    turn = table.get("frame")
    if turn is not None and not isinstance(turn, str):
        raise CommandError(tr('{file}: `frame` must be a text such as "game.main:Game.turn".', file=file))
    frames = [("--frame", frame)] if frame else [(tr("{file}: `frame`", file=file), turn)] if turn else []
    return Declared(
        tuple(
            _dispatcher(tr("{file}: entry {number} of `dispatcher`", file=file, number=number), item)
            for number, item in enumerate(of_file, 1)
        )
        + tuple(_dispatcher_of_option(text) for text in dispatchers),
        tuple(Watched(*_place(tr("{file}: `watch`", file=file), text)) for text in watch)
        + tuple(Watched(*_place("--watch", text)) for text in watched),
        Watched(*_place(*frames[0])) if frames else None,
    )


def _table(file: Path) -> dict[str, Any]:
    try:
        if file.stat().st_size > LARGEST_FILE:
            raise CommandError(
                tr("{file}: too large; it may have {largest_file:,} bytes.", file=file, largest_file=LARGEST_FILE)
            )
        return tomllib.loads(file.read_text(encoding="utf-8"))
    except OSError as error:
        raise CommandError(tr("{file}: cannot be read ({why}).", file=file, why=error.strerror or error)) from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise CommandError(tr("{file}: is no TOML ({error}).", file=file, error=error)) from None


def _dispatcher(where: str, item: dict[str, Any]) -> Dispatcher:
    for key in item:
        if key not in ("class", *_WAYS):
            raise CommandError(
                tr(
                    "{where}: `{key}` is not known; there are: class, {ways}.",
                    where=where,
                    key=key,
                    ways=", ".join(_WAYS),
                )
            )
    if not isinstance(item.get("class"), str):
        raise CommandError(tr('{where}: needs `class`, such as class = "game.events:EventBus".', where=where))
    return Dispatcher(*_place(tr("{where}: `class`", where=where), item["class"]), _methods(where, item))


def _methods(where: str, item: dict[str, Any]) -> dict[str, tuple[str, ...]]:
    methods: dict[str, tuple[str, ...]] = {}
    for does in _WAYS:
        if does not in item:
            continue
        names = [item[does]] if isinstance(item[does], str) else item[does]
        if not isinstance(names, list) or not names or not all(isinstance(n, str) and n.isidentifier() for n in names):
            raise CommandError(
                tr("{where}: `{does}` must be the name of a method, or a list of names.", where=where, does=does)
            )
        methods[does] = tuple(names)
    return methods


def _dispatcher_of_option(text: str) -> Dispatcher:
    place, *words = text.split()
    item: dict[str, Any] = {}
    for word in words:
        does, given, names = word.partition("=")
        if does not in _WAYS or not given:
            raise CommandError(
                tr(
                    "--dispatcher {text_}: `{word}` is not understood; write such as --dispatcher "
                    '"game.events:EventBus bind=subscribe send=publish".',
                    text_=text,
                    word=word,
                )
            )
        item[does] = names.split(",")
    return Dispatcher(*_place("--dispatcher", place), _methods(tr("--dispatcher {text_}", text_=text), item))


def _place(where: str, text: str) -> tuple[str, str]:
    """Return (module, name) of `module:Class` or `module:Class.method`."""
    module, colon, name = text.partition(":")
    parts = [*module.split("."), *name.split(".")]
    if not colon or not all(part.isidentifier() for part in parts):
        raise CommandError(
            tr(
                "{where}: {text_!r} is no place in a game; write module:Class, such as game.events:EventBus.",
                where=where,
                text_=text,
            )
        )
    return module, name
