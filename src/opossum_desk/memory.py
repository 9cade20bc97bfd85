"""What the desk remembers between runs: look, panels, recent takes, bookmarks. One small JSON file."""

from __future__ import annotations

import contextlib
import json
import os
from dataclasses import asdict, dataclass, field, fields
from pathlib import Path
from typing import Any

from PySide6.QtCore import QStandardPaths

from opossum.sound.waveform import SOUND_ENDING
from opossum.whole_file import whole_file

MOST_RECENT = 12
MOST_TAKES = 200


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


def _is_sound(path: str) -> bool:
    return path.lower().endswith(SOUND_ENDING)


def _keep_latest(by_take: dict[str, Any]) -> None:
    """Forget the oldest takes where more than `MOST_TAKES` are remembered."""
    while len(by_take) > MOST_TAKES:
        by_take.pop(next(iter(by_take)))


class Memory:
    """Reads the file at start, writes it whole when asked; a broken file is forgotten, not fatal."""

    def __init__(self, path: Path | None = None) -> None:
        if path is None:
            settings = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.GenericConfigLocation)
            path = Path(settings) / "opossum" / "desk.json"
        self._path = path
        self.kept = Remembered()
        with contextlib.suppress(OSError):
            self.kept = remembered(path.read_bytes())

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
        _keep_latest(self.kept.bookmarks)

    def bookmarks(self, path: str) -> list[int]:
        """Return the marked frames of a take."""
        return self.kept.bookmarks.get(os.path.abspath(path), [])

    def keep_sound_file(self, path: str, clip: str, file: str) -> None:
        """Remember that a file was given of a clip of a take: its latest sound, and its latest cues."""
        full, file = os.path.abspath(path), os.path.abspath(file)
        clips = self.kept.sounds.pop(full, {})
        self.kept.sounds[full] = clips
        others = [before for before in clips.get(clip, ()) if _is_sound(before) is not _is_sound(file)]
        clips[clip] = [*others, file]
        _keep_latest(self.kept.sounds)

    def sound_files(self, path: str) -> list[tuple[str, str]]:
        """Return (clip, file) of all that was given of a take's tracks."""
        clips = self.kept.sounds.get(os.path.abspath(path), {})
        return [(clip, file) for clip, files in clips.items() for file in files]

    def save(self) -> None:
        """Write the file; a desk that cannot remember works all the same."""
        with contextlib.suppress(OSError):
            self._path.parent.mkdir(parents=True, exist_ok=True)
            with whole_file(self._path) as file:
                file.write(json.dumps(asdict(self.kept), indent=1).encode())
