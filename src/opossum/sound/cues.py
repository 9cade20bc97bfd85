"""Where cues were planned: from a MIDI file, or from a list of seconds and names."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from opossum.sound.waveform import SoundError
from opossum.words import tr

MOST_CUES = 20_000
MOST_BYTES = 16 << 20
LONGEST_NAME = 200
MIDI_ENDINGS = (".mid", ".midi")


class Cue(NamedTuple):
    """A planned moment of a track, in seconds from its beginning, and its name."""

    seconds: float
    name: str


def read_cues(path: str | Path) -> list[Cue]:
    """Return the cues of a file, in order.

    A MIDI file's markers and cue points (meta events 06 and 07 of the Standard MIDI File), else its notes; a list has a
    cue a line, its seconds first and then its name, parted by blanks, a comma or a tab; ``#`` begins a remark.

    Raises:
        SoundError: it is no such file, or cannot be read; for a list, with the line.
    """
    path = Path(path)
    try:
        if path.stat().st_size > MOST_BYTES:
            raise SoundError(
                tr(
                    "{name}: larger than {most_bytes} MiB, so it is no list of cues",
                    name=path.name,
                    most_bytes=MOST_BYTES >> 20,
                )
            )
        found = _midi(path) if path.suffix.lower() in MIDI_ENDINGS else _listed(path)
    except OSError as error:
        raise SoundError(tr("{name}: cannot be read ({why})", name=path.name, why=error.strerror or error)) from None
    return sorted(found)[:MOST_CUES]


def _midi(path: Path) -> list[Cue]:
    import mido  # only for those who have a score

    try:
        score = mido.MidiFile(str(path), clip=True)
        marks: list[Cue] = []
        notes: list[Cue] = []
        now = 0.0
        for message in score:
            now += message.time
            if len(marks) + len(notes) >= MOST_CUES:
                break
            if message.type in ("marker", "cue_marker"):
                marks.append(Cue(now, str(message.text)[:LONGEST_NAME]))
            elif message.type == "note_on" and message.velocity > 0:
                notes.append(Cue(now, tr("note {note}", note=message.note)))
    except OSError:
        raise
    except Exception as error:  # whatever a damaged score makes of the reader
        raise SoundError(
            tr("{name}: is no MIDI file that can be read ({name2})", name=path.name, name2=type(error).__name__)
        ) from None
    return marks or notes


def _listed(path: Path) -> list[Cue]:
    found = []
    for number, line in enumerate(path.read_text("utf-8", "replace").splitlines(), 1):
        bare = line.partition("#")[0].strip()
        if not bare:
            continue
        words = bare.replace(",", " ").replace("\t", " ").split(None, 1) or [bare]
        try:
            seconds = float(words[0])
        except ValueError:
            seconds = -1.0
        if not 0 <= seconds < 1e6:
            raise SoundError(
                tr(
                    "{name}, line {number}: `{words}` is no number of seconds; write such as: 12.5 chorus",
                    name=path.name,
                    number=number,
                    words=words[0][:40],
                )
            )
        found.append(Cue(seconds, words[1].strip()[:LONGEST_NAME] if len(words) > 1 else ""))
        if len(found) >= MOST_CUES:
            break
    return found
