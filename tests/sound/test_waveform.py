"""Outlines of sounds: read from WAV files of each width, and asked for at any zoom."""

from __future__ import annotations

import wave
from pathlib import Path

import numpy as np
import pytest

from opossum.sound.waveform import BLOCKS_A_SECOND, SoundError, read_waveform

RATE = 8000


def written(path: Path, samples: np.ndarray, width: int = 2, channels: int = 1) -> Path:
    """Write samples (-1 … 1) as a WAV file."""
    with wave.open(str(path), "wb") as file:
        file.setnchannels(channels)
        file.setsampwidth(width)
        file.setframerate(RATE)
        if width == 1:
            data = (samples * 127 + 128).astype(np.uint8).tobytes()
        else:
            whole = np.round(samples * (2 ** (8 * width - 1) - 1)).astype("<i4")
            data = whole.view(np.uint8).reshape(-1, 4)[:, :width].tobytes()
        file.writeframes(data)
    return path


@pytest.mark.parametrize("width", [1, 2, 3, 4])
def test_each_width_gives_the_same_outline(tmp_path, width):
    """A second of silence, then half a second from −0.5 to 0.5."""
    samples = np.concatenate((np.zeros(RATE), np.tile([0.5, -0.5], RATE // 4)))
    sound = read_waveform(written(tmp_path / "a.wav", samples, width))
    assert sound.seconds == 1.5 and len(sound.low) == 1.5 * BLOCKS_A_SECOND
    low, high = sound.between(np.array([0.0, 0.9, 1.1, 1.4]))
    assert low == pytest.approx([0, -0.5, -0.5], abs=0.02) and high == pytest.approx([0, 0.5, 0.5], abs=0.02)


def test_a_lone_click_is_seen_at_any_zoom(tmp_path):
    """In the stretch it lies in, however many there are; all channels count."""
    samples = np.zeros((RATE * 20, 2))
    samples[RATE * 7 + 3, 1] = 1.0
    sound = read_waveform(written(tmp_path / "a.wav", samples.reshape(-1), channels=2))
    for count in (1, 10, 1000, 30_000):
        _, high = sound.between(np.linspace(0, 20, count + 1))
        assert high.max() == pytest.approx(1.0, abs=0.01)
        assert abs(int(np.argmax(high)) / count * 20 - 7) <= max(20 / count, 2 / BLOCKS_A_SECOND)


def test_beyond_the_sound_there_is_silence(tmp_path):
    """Before it and after it."""
    sound = read_waveform(written(tmp_path / "a.wav", np.full(RATE, 0.9)))
    low, high = sound.between(np.array([-2.0, -1.0, 0.5, 2.0, 3.0]))
    assert high == pytest.approx([0, 0.9, 0.9, 0], abs=0.01) and low[0] == low[3] == 0
    assert len(sound.between(np.array([1.0]))[0]) == 0


@pytest.mark.parametrize("data", [b"", b"RIFF", b"RIFF\x00\x00\x00\x00WAVEfmt ", b"no sound at all" * 100])
def test_what_is_no_sound_is_said_in_a_sentence(tmp_path, data):
    """With its name."""
    path = tmp_path / "a.wav"
    path.write_bytes(data)
    with pytest.raises(SoundError, match=r"a\.wav: "):
        read_waveform(path)


def test_a_file_cut_off_or_empty_is_read_as_far_as_it_goes(tmp_path):
    """Nothing raises; what is not there is silent."""
    path = written(tmp_path / "a.wav", np.full(RATE, 0.5))
    path.write_bytes(path.read_bytes()[: 44 + RATE])
    assert read_waveform(path).seconds == pytest.approx(0.5)
    assert read_waveform(written(tmp_path / "b.wav", np.zeros(0))).seconds == 0
    with pytest.raises(SoundError, match="cannot be read"):
        read_waveform(tmp_path / "gone.wav")
