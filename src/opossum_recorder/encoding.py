"""Turning values into JSON text that is valid whatever the game hands over."""

from __future__ import annotations

import json
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
        # surrogates cannot be written as UTF-8; ensure_ascii escapes them
        quoted = json.dumps(text if type(text) is str else str(text))
        self[text] = quoted
        return quoted


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
