"""The marks a clip was started with."""

from __future__ import annotations

import json
from functools import lru_cache

from opossum.take.take import Take

LONGEST_KEPT = 4096
"""Longer texts are parsed each time: a stranger's take is not to fill the memory."""


def marks_of(take: Take, play: int) -> list[tuple[str, float]]:
    """Return the marks a clip was started with, as (name, seconds into the clip); ill-formed ones are left out."""
    text = take.tables["play"].json("marks")[play]
    return list(_marks_known(text) if len(text) <= LONGEST_KEPT else _marks_in(text))


def _marks_in(text: str) -> tuple[tuple[str, float], ...]:
    try:
        value = json.loads(text) if text else []
    except (ValueError, RecursionError):
        return ()
    return tuple(
        (item[0], float(item[1]))
        for item in (value if isinstance(value, list) else [])
        if isinstance(item, list) and len(item) == 2 and isinstance(item[0], str) and isinstance(item[1], int | float)
    )


# of a clip that is played again and again it is the same text
_marks_known = lru_cache(maxsize=256)(_marks_in)
