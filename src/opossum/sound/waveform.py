"""The outline of a sound: the least and the greatest of each stretch, so that any zoom is drawn at the cost of its pixels."""

from __future__ import annotations

import wave
from pathlib import Path
from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.words import tr

BLOCKS_A_SECOND = 400
"""Finer than any zoom of a whole song, coarse enough to keep an hour in a few megabytes."""
SOUND_ENDING = ".wav"
MOST_SECONDS = 4 * 3600.0
MOST_CHANNELS = 32
READ_FRAMES = 1 << 18
_TYPES = {1: "u1", 2: "<i2", 4: "<i4"}


class SoundError(ValueError):
    """A file cannot be used; the message says which and why."""


class Waveform(NamedTuple):
    """The outline of a sound: `low` and `high` (blocks,), -1 … 1, each of `BLOCKS_A_SECOND`; `seconds`: its length."""

    low: Array
    high: Array
    seconds: float

    def between(self, starts_s: Array) -> tuple[Array, Array]:
        """Return (least, greatest), each (n,), between each of n + 1 ascending moments and the next; 0 where there is no sound."""
        count = len(starts_s) - 1
        if not len(self.low) or count <= 0:
            return np.zeros(max(0, count)), np.zeros(max(0, count))
        borders = np.floor(np.asarray(starts_s) * BLOCKS_A_SECOND).astype(np.int64)
        first = np.clip(borders[:-1], 0, len(self.low) - 1)
        low, high = np.zeros(count), np.zeros(count)
        inside = (borders[1:] > 0) & (borders[:-1] < len(self.low))
        # a stretch shorter than a block shows the block it lies in
        low[inside] = np.minimum.reduceat(self.low, first)[inside]
        high[inside] = np.maximum.reduceat(self.high, first)[inside]
        return low, high


def read_waveform(path: str | Path) -> Waveform:
    """Return the outline of a WAV file (PCM of 8, 16, 24 or 32 bits), all channels together. Linear in the file.

    Raises:
        SoundError: it is no such file, or cannot be read.
    """
    name = Path(path).name
    try:
        with wave.open(str(path), "rb") as file:
            width, channels, rate = file.getsampwidth(), file.getnchannels(), file.getframerate()
            frames = file.getnframes()
            if width not in (1, 2, 3, 4) or not 1 <= channels <= MOST_CHANNELS or rate <= 0:
                raise SoundError(
                    tr(
                        "{name}: {value} bits in {channels} channels are not understood; save it as 16-bit PCM",
                        name=name,
                        value=8 * width,
                        channels=channels,
                    )
                )
            if frames / rate > MOST_SECONDS:
                raise SoundError(
                    tr(
                        "{name}: longer than {most_seconds:.0f} hours; cut it to the stretch that is played",
                        name=name,
                        most_seconds=MOST_SECONDS / 3600,
                    )
                )
            return _outline(file, width, channels, rate, frames)
    except (wave.Error, EOFError) as error:
        raise SoundError(
            tr("{name}: is no WAV file that can be read ({error})", name=name, error=error or tr("it ends too soon"))
        ) from None
    except OSError as error:
        raise SoundError(tr("{name}: cannot be read ({why})", name=name, why=error.strerror or error)) from None


def _outline(file: wave.Wave_read, width: int, channels: int, rate: int, frames: int) -> Waveform:
    blocks = int(np.ceil(frames / rate * BLOCKS_A_SECOND))
    low, high = np.full(blocks, np.inf), np.full(blocks, -np.inf)
    at = 0
    while data := file.readframes(READ_FRAMES):
        samples = _samples(data, width)
        samples = samples[: len(samples) // channels * channels].reshape(-1, channels)
        if not len(samples):
            break
        block = np.minimum((np.arange(at, at + len(samples)) * BLOCKS_A_SECOND) // rate, blocks - 1)
        heads = np.flatnonzero(np.concatenate(([True], np.diff(block) != 0)))
        here = block[heads]
        low[here] = np.minimum(low[here], np.minimum.reduceat(samples.min(axis=1), heads))
        high[here] = np.maximum(high[here], np.maximum.reduceat(samples.max(axis=1), heads))
        at += len(samples)
    silent = ~np.isfinite(low)
    low[silent] = high[silent] = 0.0
    return Waveform(low.astype(np.float32), high.astype(np.float32), at / rate)


def _samples(data: bytes, width: int) -> Array:
    """Return float32 (n,): samples from -1 to 1."""
    if width == 3:
        whole = np.frombuffer(data[: len(data) // 3 * 3], np.uint8).reshape(-1, 3)
        wide = np.zeros((len(whole), 4), np.uint8)
        wide[:, 1:] = whole
        return (wide.view("<i4").reshape(-1) / 2**31).astype(np.float32)
    values = np.frombuffer(data[: len(data) // width * width], np.dtype(_TYPES[width]))
    if width == 1:
        return ((values.astype(np.float32) - 128) / 128).astype(np.float32)
    return (values / float(2 ** (8 * width - 1))).astype(np.float32)
