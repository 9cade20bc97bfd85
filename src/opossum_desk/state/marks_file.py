"""Marked frames and what somebody wrote to them, kept beside the take in a file that anybody can read.

    night.take.marks.json: {"format": "opossum-marks", "version": 1,
                            "marks": [{"peer": "main", "frame": 792, "note": "bread comes twice"}]}

Frames are the game's own numbers, so that the marks still stand when the take is converted or the stream has grown.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from opossum.whole_file import whole_file
from opossum.words import tr
from opossum_desk.state.session import Session

SUFFIX = ".marks.json"
FORMAT, VERSION = "opossum-marks", 1
MOST_MARKS, LONGEST_NOTE = 10_000, 2_000
MOST_BYTES = 16 << 20


class Mark(NamedTuple):
    """A marked frame of a peer, by the game's number; the note may be empty."""

    peer: str
    frame: int
    note: str = ""


class MarksError(ValueError):
    """A file of marks cannot be understood; the message says which and why."""


def marks_path(take_path: str) -> Path:
    """Return where the marks of a take are kept."""
    return Path(f"{take_path}{SUFFIX}")


def read_marks(path: Path) -> list[Mark]:
    """Return the marks of a file, none where there is no such file; what is no mark in it is left out.

    Raises:
        MarksError: it is no such file, or cannot be read.
    """
    try:
        if not path.exists():
            return []
        if path.stat().st_size > MOST_BYTES:
            raise MarksError(
                tr(
                    "{name}: larger than {most_bytes} MiB, so it is no file of marks",
                    name=path.name,
                    most_bytes=MOST_BYTES >> 20,
                )
            )
        said = json.loads(path.read_bytes())
    except OSError as error:
        raise MarksError(
            tr("{name}: cannot be read ({strerror})", name=path.name, strerror=error.strerror or error)
        ) from None
    except (ValueError, RecursionError):
        raise MarksError(
            tr("{name}: is no JSON; its marks are not shown, and the file is left as it is", name=path.name)
        ) from None
    if not isinstance(said, dict) or said.get("format") != FORMAT or said.get("version") != VERSION:
        raise MarksError(tr("{name}: is no file of marks that this Opossum knows; it is left as it is", name=path.name))
    entries = said.get("marks")
    marks = [mark for entry in (entries if isinstance(entries, list) else [])[:MOST_MARKS] if (mark := _mark(entry))]
    return list({(mark.peer, mark.frame): mark for mark in marks}.values())


def _mark(entry: Any) -> Mark | None:
    if not isinstance(entry, dict):
        return None
    peer, frame, note = entry.get("peer"), entry.get("frame"), entry.get("note", "")
    sound = isinstance(peer, str) and isinstance(frame, int) and not isinstance(frame, bool) and isinstance(note, str)
    return Mark(peer, frame, note[:LONGEST_NOTE]) if sound and abs(frame) < 2**53 else None  # type: ignore[arg-type]


def write_marks(path: Path, marks: list[Mark]) -> None:
    """Write marks, whole or not at all; with none left the file goes.

    Raises:
        OSError: nothing can be written there.
    """
    if not marks:
        path.unlink(missing_ok=True)
        return
    told = {"format": FORMAT, "version": VERSION, "marks": [mark._asdict() for mark in sorted(marks)]}
    with whole_file(path) as file:
        file.write(json.dumps(told, indent=1).encode())


def marks_of(session: Session) -> list[Mark]:
    """Return the marks of a session, of the peer whose axis is shown."""
    peer = session.take.peers[session.peer].name if session.take.peers else ""
    numbers = session.axis.numbers
    return [
        Mark(peer, int(numbers[column]), session.marks.notes.get(column, ""))
        for column in session.marks.columns
        if column < session.axis.columns
    ]


def show_marks(session: Session, marks: list[Mark]) -> None:
    """Mark in a session what is marked of its axis's peer; frames that it does not have are left out."""
    peer = session.take.peers[session.peer].name if session.take.peers else ""
    numbers = session.axis.numbers
    found: dict[int, str] = {}
    for mark in marks:
        if mark.peer == peer:
            columns = np.flatnonzero(numbers == mark.frame)
            if len(columns):
                found[int(columns[0])] = mark.note
    session.marks.show(found, found)
