"""The black box: where the interpreter itself wrote that a game stands still, even where no Python thread can run."""

from __future__ import annotations

import json
import os
import re
from pathlib import Path
from typing import BinaryIO

from opossum.words import tr
from opossum_commands.terminal import say
from opossum_recorder.black_box import BLACK_BOX_AFTER_S, BLACK_BOX_SUFFIX, BLACK_BOX_VARIABLE

__all__ = ["BLACK_BOX_SUFFIX", "BLACK_BOX_VARIABLE", "BlackBoxWatch", "add_black_box"]

_FAULT_LINE = re.compile(r'File "(.+?)", line (\d+) in (.+)')
OURS = ("opossum_recorder", "runpy")
"""Frames of a stack whose files are named so say nothing of the game."""
MOST_LINES = 40
BLOCK = 1 << 16


class BlackBoxWatch:
    """Looks into the box of a game that plays, and says where it stands each time something was written there."""

    def __init__(self, box: Path) -> None:
        self._box = box
        self._told_bytes = 0

    def look(self) -> None:
        """Say where the game stands if the interpreter has written since the last look."""
        size = self._box.stat().st_size if self._box.exists() else 0
        told, self._told_bytes = min(self._told_bytes, size), size  # it is emptied when the game goes on
        if size > told:
            stack = stack_in(self._box)
            if stack:
                say(tr("The game stands still in {stack}.", stack=", called by ".join(stack[:3])), error=True)


def stack_in(box: Path) -> list[str]:
    """Return where the game's own thread was when the interpreter last wrote to the box, innermost first."""
    text = box.read_text(encoding="utf-8", errors="replace")
    # one section a thread, the game's own last; the launcher's lines say nothing of the game
    section = re.split(r"^(?:Current t|T)hread 0x", text, flags=re.MULTILINE)[-1]
    return [
        f"{name} {os.path.basename(file)}:{line}"
        for file, line, name in _FAULT_LINE.findall(section)
        if not any(own in file for own in OURS)
    ][:MOST_LINES]


def add_black_box(stream: Path, box: Path) -> None:
    """Add to the stream where the interpreter was when it wrote to the box, if the stream was cut off.

    Only what lies behind the last line is written over, so that a full disk takes nothing that was recorded.
    """
    try:
        stack = stack_in(box)
        with stream.open("r+b") as file:
            end, last = _last_line(file)
            if b'"k":"bye"' in last or not stack:
                return
            t = re.search(rb'"t":(\d+)', last)
            moment = (int(t.group(1)) if t else 0) + int(BLACK_BOX_AFTER_S * 1e9)
            entry = {"k": "stuck", "t": moment, "sec": BLACK_BOX_AFTER_S, "stack": stack}
            file.seek(end)
            file.write(b"\n" + json.dumps(entry).encode() + b"\n")
            file.truncate()
    except OSError:
        return


def _last_line(file: BinaryIO) -> tuple[int, bytes]:
    """Return where a stream's last line ends, and the line; what was set aside behind it does not count."""
    begin, lines = file.seek(0, os.SEEK_END), b""
    while begin > 0 and b"\n" not in lines:
        size = min(BLOCK, begin)
        begin -= size
        file.seek(begin)
        lines = (file.read(size) + lines).rstrip(b"\n\0")
    return begin + len(lines), lines.rpartition(b"\n")[2]
