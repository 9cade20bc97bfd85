"""The sounds and cues that a user gives to tracks: asked for, read off the window's thread, remembered for the take."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QObject

from opossum.sound.cues import MOST_CUES, read_cues
from opossum.sound.waveform import SOUND_ENDING, SoundError, read_waveform
from opossum.words import counted, tr
from opossum_desk.state.sounds import Sound
from opossum_desk.work import Work

if TYPE_CHECKING:
    from opossum_desk.area import Desk
    from opossum_desk.state.session import Session
    from opossum_desk.state.tasks import Tell

KINDS = "Sounds, scores and lists of cues (*.wav *.mid *.midi *.txt *.csv)"


class SoundFile(NamedTuple):
    """A file that was given of a clip; `again`: it was given in an earlier run."""

    clip: str
    path: str
    again: bool = False


class Heard(NamedTuple):
    """What was read of files, and why others of them could not be read."""

    session: Session
    sounds: list[tuple[SoundFile, Sound]]
    troubles: list[str]


def read_sound(path: str) -> Sound:
    """Return what a file tells of a track.

    Raises:
        SoundError: it is no such file, or cannot be read.
    """
    if path.lower().endswith(SOUND_ENDING):
        return Sound(waveform=read_waveform(path))
    return Sound(cues=tuple(read_cues(path)))


def _told(sound: Sound) -> str:
    if sound.waveform is not None:
        return tr("{seconds:.1f} s of sound", seconds=sound.waveform.seconds)
    return counted(len(sound.cues), "cue") + (
        tr(", which is all there is room for") if len(sound.cues) >= MOST_CUES else ""
    )


class SoundsOnDesk(QObject):
    """Gives tracks of the open take their sounds."""

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self._own = ""
        self._awaited: list[SoundFile] = []
        self._work = Work(self)
        self._work.finished.connect(self._show)
        self._work.failed.connect(self._fail)

    def take_opened(self, session: Session, own: str) -> None:
        """Give the tracks of the take in a file what they were given when it was looked at before."""
        self._own, self._awaited = own, []
        self._work.cancel()
        self._read(session, [SoundFile(clip, path, again=True) for clip, path in self._desk.memory.sound_files(own)])

    def ask(self, clip: str) -> None:
        """Let the user give a track of the open take its sound, or the list of its cues."""
        from PySide6.QtWidgets import QFileDialog

        desk = self._desk
        kept = desk.memory.kept
        window = desk.view("take").window()
        path, _ = QFileDialog.getOpenFileName(
            window, tr("The sound or the cues of {clip}", clip=clip), kept.folder, tr(KINDS)
        )
        if path and desk.session is not None:
            kept.folder = os.path.dirname(path)
            desk.say(tr("Reading {basename} …", basename=os.path.basename(path)))
            self._read(desk.session, [SoundFile(clip, path)])

    def _read(self, session: Session, files: list[SoundFile]) -> None:
        # a new task makes the old one's answer void: what it was to read is read with the new
        self._awaited += files
        wanted = list(self._awaited)

        def task(tell: Tell) -> Heard:
            heard = Heard(session, [], [])
            for done, file in enumerate(wanted):
                tell(tr("Reading {basename} …", basename=os.path.basename(file.path)), done / len(wanted))
                try:
                    heard.sounds.append((file, read_sound(file.path)))
                except SoundError as error:
                    heard.troubles.append(f"{error}.")
            return heard

        if wanted:
            self._work.start(task)

    def _fail(self, why: str) -> None:
        self._awaited = []
        self._desk.say(why)

    def _show(self, heard: Heard) -> None:
        desk, current = self._desk, self._desk.session
        self._awaited = []
        # a session that has grown meanwhile goes on with the history of the one before
        if current is None or current.history is not heard.session.history:
            return
        for file, sound in heard.sounds:
            current.sounds.give(file.clip, sound)
            if not file.again:
                desk.say(f"{file.clip}: {_told(sound)}.")
                desk.memory.keep_sound_file(self._own, file.clip, file.path)
        if heard.troubles:
            desk.say(heard.troubles[0])
