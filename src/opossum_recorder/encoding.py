"""Turning values into JSON text that is valid whatever the game hands over."""

from __future__ import annotations

import json
import threading
from typing import Any

LONGEST_DATA = 4096
"""Longer data is cut: a reader may cut it anyway, and one value must not fill the disk."""

MOST_TEXTS = 50_000
"""Escaped texts are remembered up to this many; a game that makes up names must not fill the memory."""


class QuotedTexts(dict[str, str]):
    """Maps a text to its JSON form; a text seen before costs one dictionary access."""

    def __missing__(self, text: str) -> str:
        if len(self) >= MOST_TEXTS:
            self.clear()
        self[text] = made = quoted(text)
        return made


def quoted(text: Any) -> str:
    """Return a text, or whatever a game gives for one, as JSON in ASCII: surrogates cannot be written as UTF-8."""
    return json.dumps(text if type(text) is str else str(text))


def error_text(error: BaseException) -> str:
    """Return the field of a return that says what was raised."""
    try:
        shown = str(error)[:500]
    except Exception:
        shown = "(its text cannot be shown)"
    return f',"err":{data_text(f"{type(error).__name__}: {shown}")}'


def thread_suffix() -> str:
    """Return how a line of this thread ends: the main thread's name goes without saying."""
    main = threading.current_thread() is threading.main_thread()
    return "}\n" if main else f',"th":{data_text(threading.current_thread().name)}}}\n'


def data_text(value: Any) -> str:
    """Return any value as JSON of bounded length; what JSON cannot hold is shown by its `repr`.

    Raises:
        Exception: the value's own `repr` raised; the caller counts the record as lost.
    """
    kind = type(value)
    if kind is bool or kind is int or value is None:
        return json.dumps(value)
    try:
        text = json.dumps(value, default=repr, allow_nan=False)
    except (ValueError, TypeError, RecursionError):
        text = json.dumps(repr(value)[:LONGEST_DATA])
    if len(text) > LONGEST_DATA:
        text = json.dumps(text[: LONGEST_DATA // 2] + "…")
    return text
