"""What the desk remembers between runs: look, panels, recent takes, bookmarks. One small JSON file."""

from __future__ import annotations

import contextlib
import os
import tempfile
from pathlib import Path

import msgspec

MOST_RECENT = 12
MOST_BOOKMARKED_TAKES = 200


class Remembered(msgspec.Struct):
    """Everything that is kept; unknown fields of a newer Opossum are ignored."""

    look: str = "system"
    recent: list[str] = []
    geometry: str = ""
    splits: dict[str, list[int]] = {}
    hidden: list[str] = []
    bookmarks: dict[str, list[int]] = {}
    folder: str = ""


class Memory:
    """Reads the file at start, writes it whole when asked; a broken file is forgotten, not fatal."""

    def __init__(self, path: Path | None = None) -> None:
        if path is None:
            from platformdirs import user_config_path

            path = user_config_path("opossum") / "desk.json"
        self._path = path
        self.kept = Remembered()
        with contextlib.suppress(OSError, msgspec.MsgspecError, UnicodeDecodeError):
            self.kept = msgspec.json.decode(path.read_bytes(), type=Remembered)

    def add_recent(self, path: str) -> None:
        """Put a take at the top of the recent ones."""
        full = os.path.abspath(path)
        self.kept.recent = [full, *(other for other in self.kept.recent if other != full)][:MOST_RECENT]
        self.save()

    def set_bookmarks(self, path: str, columns: list[int]) -> None:
        """Remember the marked frames of a take."""
        full = os.path.abspath(path)
        self.kept.bookmarks.pop(full, None)
        if columns:
            self.kept.bookmarks[full] = columns
        while len(self.kept.bookmarks) > MOST_BOOKMARKED_TAKES:
            self.kept.bookmarks.pop(next(iter(self.kept.bookmarks)))

    def bookmarks(self, path: str) -> list[int]:
        """Return the marked frames of a take."""
        return self.kept.bookmarks.get(os.path.abspath(path), [])

    def save(self) -> None:
        """Write the file; a desk that cannot remember works all the same."""
        with contextlib.suppress(OSError):
            self._path.parent.mkdir(parents=True, exist_ok=True)
            handle, temporary = tempfile.mkstemp(dir=self._path.parent, prefix=".desk.")
            with os.fdopen(handle, "wb") as file:
                file.write(msgspec.json.format(msgspec.json.encode(self.kept), indent=1))
            os.replace(temporary, self._path)
