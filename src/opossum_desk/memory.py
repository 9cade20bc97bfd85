"""Where the desk keeps what it remembers between runs: two small JSON files, shared by all desks of a user.

Settings stand in the user's folder for settings, all else in the one for the state of programs (the XDG base
directories). A desk writes only what it has changed itself, on top of what other desks wrote meanwhile.
"""

from __future__ import annotations

import contextlib
import copy
import fcntl
import json
import os
import time
from collections.abc import Iterator
from dataclasses import asdict
from pathlib import Path
from typing import Any

from opossum.sound.waveform import SOUND_ENDING
from opossum.whole_file import whole_file
from opossum_desk.remembered import MOST_RECENT, SETTINGS, Remembered, merged, remembered
from opossum_desk.user_folders import settings_folder, state_folder

SETTINGS_FILE, STATE_FILE = "settings.json", "desk.json"
MOST_TAKES = 200
PATIENCE_S = 0.5


def _is_sound(path: str) -> bool:
    return path.lower().endswith(SOUND_ENDING)


def _keep_latest(by_take: dict[str, Any]) -> None:
    """Forget the oldest takes where more than `MOST_TAKES` are remembered."""
    while len(by_take) > MOST_TAKES:
        by_take.pop(next(iter(by_take)))


class Memory:
    """Reads the files at start, writes them whole when asked; a broken file is forgotten, not fatal.

    Both lie in `folder` where one is given.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self._settings = (folder or settings_folder()) / SETTINGS_FILE
        self._state = (folder or state_folder()) / STATE_FILE
        self.kept = self._read()
        self._base = copy.deepcopy(self.kept)

    def _read(self) -> Remembered:
        """Return what the files keep now."""
        kept = Remembered()
        for path, of_settings in ((self._state, False), (self._settings, True)):
            with contextlib.suppress(OSError):
                said = remembered(path.read_bytes())
                for name in asdict(said):
                    if (name in SETTINGS) is of_settings:
                        setattr(kept, name, getattr(said, name))
        return kept

    def renew(self) -> None:
        """Take up what other desks have remembered since."""
        theirs = self._read()
        self.kept, self._base = merged(self._base, self.kept, theirs), copy.deepcopy(theirs)

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

    def sound_files(self, path: str) -> list[tuple[str, str]]:
        """Return (clip, file) of all that was given of a take's tracks."""
        clips = self.kept.sounds.get(os.path.abspath(path), {})
        return [(clip, file) for clip, files in clips.items() for file in files]

    def save(self) -> None:
        """Write what has changed; a desk that cannot remember works all the same."""
        with contextlib.suppress(OSError):
            for path in (self._state, self._settings):
                path.parent.mkdir(parents=True, exist_ok=True)
            with self._alone():
                self.renew()
                _keep_latest(self.kept.bookmarks)
                _keep_latest(self.kept.sounds)
                for path, of_settings in ((self._state, False), (self._settings, True)):
                    told = {
                        name: value for name, value in asdict(self.kept).items() if (name in SETTINGS) is of_settings
                    }
                    with whole_file(path) as file:
                        file.write(json.dumps(told, indent=1).encode())
            self._base = copy.deepcopy(self.kept)

    @contextlib.contextmanager
    def _alone(self) -> Iterator[None]:
        """Keep other desks from writing between what is read and what is written of it; none of them is waited for long."""
        lock = os.open(self._state.with_suffix(".lock"), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            until = time.monotonic() + PATIENCE_S
            while time.monotonic() < until:
                with contextlib.suppress(OSError):
                    fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    break
                time.sleep(0.01)
            yield
        finally:
            os.close(lock)
