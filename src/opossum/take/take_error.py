"""What refuses a saved take."""

from __future__ import annotations


class TakeError(ValueError):
    """A `.take` file is refused. `path` is the file, `reason` what to know and do."""

    def __init__(self, path: str, reason: str) -> None:
        super().__init__(f"{path}: {reason}")
        self.path = path
        self.reason = reason
