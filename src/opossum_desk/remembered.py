"""What a desk remembers, as it stands in its files, and how two desks that remember at once lose nothing of each other's."""

from __future__ import annotations

import json
from collections.abc import Hashable
from dataclasses import dataclass, field, fields
from typing import Any, TypeVar

MOST_RECENT = 12
SETTINGS = ("look", "editor")
"""What its user chose; all else is only how the desk was left, and what was open."""

Value = TypeVar("Value")


@dataclass
class Remembered:
    """Everything that is kept; unknown fields of a newer Opossum are ignored."""

    look: str = "system"
    recent: list[str] = field(default_factory=list)
    geometry: str = ""
    splits: dict[str, list[int]] = field(default_factory=dict)
    hidden: list[str] = field(default_factory=list)
    bookmarks: dict[str, list[int]] = field(default_factory=dict)
    sounds: dict[str, dict[str, list[str]]] = field(default_factory=dict)
    """By take and by clip: the files that were given of it."""
    folder: str = ""
    editor: str = ""


def remembered(text: bytes) -> Remembered:
    """Return what a file keeps; whatever in it is not of its kind is as if it had never been kept."""
    kept = Remembered()
    try:
        said = json.loads(text)
    except (ValueError, RecursionError):
        return kept
    for item in fields(Remembered) if isinstance(said, dict) else ():
        value, usual = said.get(item.name), getattr(kept, item.name)
        if (isinstance(usual, str) and isinstance(value, str)) or (
            isinstance(usual, list) and _all_are(value, list, str)
        ):
            setattr(kept, item.name, value)
        elif isinstance(usual, dict) and isinstance(value, dict):
            makes_sense = _sound_files if item.name == "sounds" else _numbers
            setattr(kept, item.name, {name: row for name, row in value.items() if makes_sense(row)})
    return kept


def _numbers(value: Any) -> bool:
    return _all_are(value, list, int)


def _sound_files(value: Any) -> bool:
    return isinstance(value, dict) and all(_all_are(files, list, str) for files in value.values())


def _all_are(value: Any, whole: type, part: type) -> bool:
    return isinstance(value, whole) and all(isinstance(item, part) for item in value)  # type: ignore[attr-defined]


def merged(base: Remembered, ours: Remembered, theirs: Remembered) -> Remembered:
    """Return what two desks remember together: `ours` where it has changed since `base`, else `theirs`."""
    both = Remembered()
    for item in fields(Remembered):
        before, mine, other = (getattr(kept, item.name) for kept in (base, ours, theirs))
        if item.name == "recent":
            setattr(both, item.name, _recent(before, mine, other))
        elif isinstance(mine, dict):
            setattr(both, item.name, _changed_onto(before, mine, other))
        else:
            setattr(both, item.name, other if mine == before else mine)
    return both


def _recent(before: list[str], ours: list[str], theirs: list[str]) -> list[str]:
    """Return what we put on top since `before`, then theirs."""
    for added in range(len(ours) + 1):
        rest = iter(before)
        if all(path in rest for path in ours[added:]):  # what is left stands in the order it had
            break
    top = ours[:added]
    return [*top, *(path for path in theirs if path not in top)][:MOST_RECENT]


def _changed_onto(
    before: dict[Hashable, Value], ours: dict[Hashable, Value], theirs: dict[Hashable, Value]
) -> dict[Hashable, Value]:
    """Return theirs with every entry that we added, changed or took away; what we changed is the latest."""
    gone = before.keys() - ours.keys()
    changed = {name: value for name, value in ours.items() if name not in before or before[name] != value}
    return {name: value for name, value in theirs.items() if name not in gone and name not in changed} | changed
