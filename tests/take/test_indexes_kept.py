"""What the indexes of a take hold of games in which anything happens may not change unseen.

Whether it is right is asked where single streams are read by a person, and by the plain reading beside this test; here every
column of every index has a word. After a change that is meant, see what else became different:
`PYTHONPATH=tests python tests/take/test_indexes_kept.py`, then `git diff`.
"""

from __future__ import annotations

import dataclasses
import hashlib
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from findings.any_game import AnyGame, beside_each_other, written
from opossum.take.take import Take
from tape import read

KEPT = Path(__file__).parent / "indexes_kept.json"
GAMES = [f"game {number}" for number in range(8)]


def streams(name: str) -> Iterator[tuple[str, bytes]]:
    """Yield a game alone, cut off where it was, and two that play at once, each read as one take."""
    game = AnyGame(name).run(160)
    yield "alone", game.bytes()
    yield "cut off", game.bytes(bye=False)[:-7]
    records = beside_each_other({"peer 0": game, "peer 1": AnyGame(f"{name} elsewhere").run(120)})
    yield "two", written(records)


def plain(value: Any) -> Any:
    """Return what others may read of a value, as JSON has it: numbers as they are, however wide their columns."""
    if isinstance(value, np.ndarray):
        return value.tolist()
    if isinstance(value, np.generic):
        return value.item()
    if isinstance(value, list | tuple) and not hasattr(value, "_fields"):
        return [plain(item) for item in value]
    if isinstance(value, dict):
        return {str(key): plain(item) for key, item in value.items()}
    if isinstance(value, str | int | float | type(None)):
        return value
    names = (
        value._fields
        if hasattr(value, "_fields")
        else [field.name for field in dataclasses.fields(value)]
        if dataclasses.is_dataclass(value)
        else vars(value)
    )
    return {name: plain(getattr(value, name)) for name in names if not name.startswith("_")}


def words(take: Take) -> dict[str, str]:
    """Return a word for what each index holds; those that are only asked by their methods hold nothing to see."""
    held = {index.name: json.dumps(plain(getattr(take, index.name)), sort_keys=True) for index in Take.indexes()}
    return {name: hashlib.sha256(text.encode()).hexdigest()[:12] for name, text in held.items() if text != "{}"}


def kept(name: str) -> dict[str, dict[str, str]]:
    """Return the words of a game's takes."""
    return {way: words(read(data)) for way, data in streams(name)}


@pytest.mark.parametrize("name", GAMES)
def test_no_column_changes_unseen(name):
    """Of one game, of one that was cut off, of two at once."""
    assert kept(name) == json.loads(KEPT.read_text())[name]


if __name__ == "__main__":
    KEPT.write_text(json.dumps({name: kept(name) for name in GAMES}, indent=1) + "\n")
