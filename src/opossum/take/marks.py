"""The marks a clip was started with."""

from __future__ import annotations

import json

from opossum.take.take import Take


def marks_of(take: Take, play: int) -> list[tuple[str, float]]:
    """Return the marks a clip was started with, as (name, seconds into the clip); ill-formed ones are left out."""
    text = take.tables["play"].json("marks")[play]
    try:
        value = json.loads(text) if text else []
    except (ValueError, RecursionError):
        return []
    marks = []
    for item in value if isinstance(value, list) else []:
        if isinstance(item, list) and len(item) == 2 and isinstance(item[0], str) and isinstance(item[1], int | float):
            marks.append((item[0], float(item[1])))
    return marks
