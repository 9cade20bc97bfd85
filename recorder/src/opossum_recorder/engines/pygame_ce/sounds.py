"""pygame's mixer: each sound that plays is a clip of the mixer's, each piece of music one of the music's."""

from __future__ import annotations

import os
import time
from collections import Counter
from typing import Any, NamedTuple

from opossum_recorder.recorder import Recorder

MIXER, MUSIC = "mixer", "music"


class _Playing(NamedTuple):
    """A sound on its channel: its play, when it began, and how long it is, in s."""

    channel: Any
    sound: Any
    play: int
    began: float
    length: float


class PygameSounds:
    """Records what the mixer plays; ends are seen by looking once a frame."""

    def __init__(self, recorder: Recorder) -> None:
        self._recorder = recorder
        self._mixer: Any = None
        """None where pygame was built without."""
        self._playing: list[_Playing] = []
        self._music: tuple[int, float] | None = None
        self._piece = ""

    def put_on(self) -> None:
        """Patch sounds and music."""
        import pygame.mixer as mixer

        self._watch_sounds(mixer)
        self._watch_music(mixer)
        self._mixer = mixer

    def _watch_sounds(self, mixer: Any) -> None:
        sounds, original = self, mixer.Sound

        class Sound(original):  # type: ignore[misc,valid-type]
            """A sound that tells when it plays."""

            def __init__(self, *args: Any, **kwargs: Any) -> None:
                original.__init__(self, *args, **kwargs)
                given = args[0] if args else kwargs.get("file", "")
                path = given if isinstance(given, str | os.PathLike) else getattr(given, "name", "")
                self._opossum_clip = os.path.splitext(os.path.basename(str(path)))[0] or "sound"

            def play(self, *args: Any, **kwargs: Any) -> Any:
                channel = original.play(self, *args, **kwargs)
                if channel is not None:
                    sounds._began(channel, self)
                return channel

        Sound.__name__, Sound.__qualname__, Sound.__module__ = "Sound", "Sound", original.__module__
        mixer.Sound = Sound

    def _began(self, channel: Any, sound: Any) -> None:
        length = float(sound.get_length())
        # what was made from an array, or cut from another one, is none of our own class
        number = self._recorder.play(MIXER, getattr(sound, "_opossum_clip", "sound"), length)
        self._playing.append(_Playing(channel, sound, number, time.monotonic(), length))

    def look(self) -> None:
        """See which sounds have ended, and which a channel began: pygame's channels cannot be patched."""
        for playing in self._playing[:]:
            if not playing.channel.get_busy() or playing.channel.get_sound() is not playing.sound:
                self._playing.remove(playing)
                self._end(playing.play, playing.began, playing.length)
        mixer = self._mixer
        try:
            busy = mixer is not None and mixer.get_busy()
        except RuntimeError:  # pygame's own: the mixer is not set up, or no longer
            busy = False
        if busy:
            self._find_begun(mixer)
        if self._music is not None:
            import pygame.mixer

            if not pygame.mixer.get_init() or not pygame.mixer.music.get_busy():
                self._music_ended("end")

    def _find_begun(self, mixer: Any) -> None:
        """Tell of what plays and no `Sound.play` told of."""
        told = Counter(id(playing.sound) for playing in self._playing)
        for channel in map(mixer.Channel, range(mixer.get_num_channels())):
            sound = channel.get_sound() if channel.get_busy() else None
            if sound is not None:
                told[id(sound)] -= 1
                if told[id(sound)] < 0:
                    self._began(channel, sound)

    def _end(self, play: int, began: float, length: float) -> None:
        position = time.monotonic() - began
        # the end is seen up to a frame late, and the mixer runs ahead by its buffer
        self._recorder.stop(play, "end" if position >= 0.9 * length else "cut", round(min(position, length), 3))

    def _watch_music(self, mixer: Any) -> None:
        music = mixer.music
        load, play, stop = music.load, music.play, music.stop

        def recorded_load(given: Any, *args: Any, **kwargs: Any) -> Any:
            path = given if isinstance(given, str | os.PathLike) else getattr(given, "name", "")
            self._piece = os.path.splitext(os.path.basename(str(path)))[0] or MUSIC
            return load(given, *args, **kwargs)

        def recorded_play(*args: Any, **kwargs: Any) -> Any:
            self._music_ended("cut")
            result = play(*args, **kwargs)
            # how long a piece is the engine does not tell
            self._music = (self._recorder.play(MUSIC, self._piece or MUSIC, 0.0, what="track"), time.monotonic())
            return result

        def recorded_stop(*args: Any, **kwargs: Any) -> Any:
            self._music_ended("cut")
            return stop(*args, **kwargs)

        music.load, music.play, music.stop = recorded_load, recorded_play, recorded_stop

    def _music_ended(self, how: str) -> None:
        if self._music is not None:
            play, began = self._music
            self._music = None
            self._recorder.stop(play, how, round(time.monotonic() - began, 3))
