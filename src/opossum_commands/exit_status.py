"""The statuses that commands end with, for scripts."""

from __future__ import annotations

from enum import IntEnum

from opossum.words import translatable


class ExitStatus(IntEnum):
    """How a command ended."""

    WELL = 0
    FOUND = 1
    ERROR = 2
    STOPPED = 130


MEANING = {
    ExitStatus.WELL: translatable("all is well, also where whoever read the output closed it early"),
    ExitStatus.FOUND: translatable(
        "what was asked about is so: `--fail-on` found it, a rule broke, a stream is damaged"
    ),
    ExitStatus.ERROR: translatable(
        "it could not be done, or not all of it could be read or written; one sentence says why"
    ),
    ExitStatus.STOPPED: translatable("stopped by Ctrl+C"),
}
"""What each says."""
PASSED_ON = translatable(
    "`opossum record` ends with the game's own status where that is not 0 (128 and more: by a signal)."
)
