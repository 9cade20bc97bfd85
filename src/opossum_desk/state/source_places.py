"""Places in the game's source as recordings tell them (``shop.py:24``): found on this machine, and shown.

A place comes from a take, so it is foreign: only regular files of bounded size are read, and nothing of them is run.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import NamedTuple

PLACE = re.compile(r"(?<![\w/])((?:[A-Za-z]:)?[\w.\-+\\/@]*[\w\-+@]\.[A-Za-z_]\w{0,7}):(\d{1,7})(?!\d)")
MOST_BYTES = 4 << 20
PARENTS = 4
"""Folders above a root in which a place is looked for too."""
AROUND = 2
LONGEST_LINE = 200


class SourcePlace(NamedTuple):
    """A file as the take names it, and a line."""

    file: str
    line: int

    def __str__(self) -> str:
        return f"{self.file}:{self.line}"


def place_of(text: str) -> SourcePlace | None:
    """Return the place that a text is, None where it is none; here a file's name may hold spaces."""
    file, _, line = text.strip().rpartition(":")
    return SourcePlace(file, int(line)) if file and line.isascii() and line.isdigit() and len(line) < 8 else None


def places_in(text: str) -> Iterator[tuple[int, int, SourcePlace]]:
    """Yield (from, to, place) of every place that stands in a text."""
    for found in PLACE.finditer(text):
        yield found.start(), found.end(), SourcePlace(found[1], int(found[2]))


def source_roots(take_paths: Iterable[str], extra: Iterable[str] = ()) -> list[Path]:
    """Return the folders in which places are looked for: where takes lie, some levels above, and where the desk was started."""
    roots: list[Path] = []
    for path in (*extra, *take_paths):
        folder = Path(os.path.abspath(path))
        folder = folder if folder.is_dir() else folder.parent
        roots += [folder, *list(folder.parents)[:PARENTS]]
    roots.append(Path.cwd())
    return list(dict.fromkeys(roots))


def find_source(place: SourcePlace, roots: Iterable[Path]) -> Path | None:
    """Return the file that a place names, None where it is not on this machine."""
    named = Path(place.file.replace("\\", "/"))
    candidates = [named] if named.is_absolute() else [root / named for root in roots]
    for candidate in candidates:
        try:
            if candidate.is_file() and candidate.stat().st_size <= MOST_BYTES:
                return Path(os.path.abspath(candidate))
        except (OSError, ValueError):
            continue
    return None


def lines_around(path: Path, line: int, around: int = AROUND) -> list[tuple[int, str]]:
    """Return (number, text) of a line of a file and some around it; nothing where it cannot be read or has no such line."""
    try:
        with path.open("rb") as file:
            lines = file.read(MOST_BYTES).decode("utf-8", "replace").splitlines()
    except OSError:
        return []
    if not 1 <= line <= len(lines):
        return []
    first, last = max(1, line - around), min(len(lines), line + around)
    return [(number, lines[number - 1].expandtabs(4)[:LONGEST_LINE]) for number in range(first, last + 1)]
