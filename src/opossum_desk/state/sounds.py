"""What was given of tracks: the outline of their sound, and the cues that were planned."""

from __future__ import annotations

from typing import NamedTuple

from opossum.sound.cues import Cue
from opossum.sound.waveform import Waveform
from opossum_desk.state.topics import Topics


class Sound(NamedTuple):
    """What was given of a track: its outline, its planned cues, or both."""

    waveform: Waveform | None = None
    cues: tuple[Cue, ...] = ()


class Sounds:
    """What was given, by the clip's name."""

    def __init__(self, topics: Topics) -> None:
        self._topics = topics
        self._given: dict[str, Sound] = {}

    def of(self, clip: str) -> Sound | None:
        """Return what was given of a clip, None for nothing."""
        return self._given.get(clip)

    def give(self, clip: str, sound: Sound) -> None:
        """Take what a track sounds like, or where its cues were planned; what was given of the other stays."""
        before = self._given.get(clip, Sound())
        self._given[clip] = Sound(sound.waveform or before.waveform, sound.cues or before.cues)
        self._topics.publish("sounds")

    def carry_over(self, other: Sounds) -> None:
        """Take over what was given in another session of the same stream."""
        self._given = other._given
