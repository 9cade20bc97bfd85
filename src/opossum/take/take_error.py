"""What refuses a saved take."""

from __future__ import annotations


class TakeError(ValueError):
    """A `.take` file is refused. `path` is the file, `reason` what to know and do."""

    def __init__(self, path: str, reason: str) -> None:
        super().__init__(f"{path}: {reason}")
        self.path = path
        self.reason = reason


def short_reason(error: Exception) -> str:
    """Return what an error says, on one line and cut."""
    return " ".join(str(error).split())[:120] or type(error).__name__
