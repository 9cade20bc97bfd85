"""Planned cues: from lists of seconds and names, and from MIDI files."""

from __future__ import annotations

import mido
import pytest
from hypothesis import given
from hypothesis import strategies as st

from opossum.sound.cues import Cue, read_cues
from opossum.sound.waveform import SoundError


def test_a_list_has_a_cue_a_line(tmp_path):
    """Parted by blanks, commas or tabs; remarks and empty lines are none; in order of time."""
    path = tmp_path / "waltz.txt"
    path.write_text("# the waltz\n12.5 chorus two\n\n1,verse\n3.25\tbridge # here\n7\n")
    assert read_cues(path) == [Cue(1, "verse"), Cue(3.25, "bridge"), Cue(7, ""), Cue(12.5, "chorus two")]


@pytest.mark.parametrize("line", ["soon chorus", "-1 verse", "nan x", "inf x", "1e9 x"])
def test_a_line_without_seconds_is_told_with_its_number(tmp_path, line):
    """And with a valid example."""
    path = tmp_path / "waltz.txt"
    path.write_text(f"1 verse\n{line}\n")
    with pytest.raises(SoundError, match=r"waltz\.txt, line 2: .* write such as: 12\.5 chorus"):
        read_cues(path)


def score(path, *messages):
    """Write a MIDI file of one track at 120 beats a minute, 480 ticks a beat."""
    made = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack(messages)
    made.tracks.append(track)
    made.save(str(path))
    return path


def test_a_scores_markers_are_its_cues(tmp_path):
    """With their names, at their seconds; without any, its notes are."""
    marks = [mido.MetaMessage("marker", text="verse", time=960), mido.MetaMessage("cue_marker", text="drum", time=480)]
    notes = [mido.Message("note_on", note=60, velocity=90, time=480), mido.Message("note_off", note=60, time=480)]
    assert read_cues(score(tmp_path / "a.mid", *marks, *notes)) == [Cue(1.0, "verse"), Cue(1.5, "drum")]
    assert read_cues(score(tmp_path / "b.midi", *notes)) == [Cue(0.5, "note 60")]


@given(data=st.binary(max_size=300))
def test_no_bytes_raise_anything_else(tmp_path_factory, data):
    """Whatever a file holds, it is cues or a sentence."""
    for ending in (".mid", ".txt"):
        path = tmp_path_factory.mktemp("cues") / f"a{ending}"
        path.write_bytes(b"MThd\x00\x00\x00\x06\x00\x00\x00\x01\x00\x60MTrk" + data if ending == ".mid" else data)
        try:
            assert all(cue.seconds >= 0 for cue in read_cues(path))
        except SoundError as error:
            assert path.name in str(error)


@pytest.mark.parametrize("line", [",", " , ", ",,,", "\t,"])
def test_a_line_of_separators_is_told(tmp_path, line):
    """With its number, as any other that begins with no number."""
    path = tmp_path / "a.txt"
    path.write_text(f"1.0 verse\n{line}\n")
    with pytest.raises(SoundError, match=r"a.txt, line 2: `,.*` is no number of seconds"):
        read_cues(path)
