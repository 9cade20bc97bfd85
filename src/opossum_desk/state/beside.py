"""What the take on the desk is compared with: another take, or itself with a fix rehearsed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from opossum_desk.state.topics import Topics

if TYPE_CHECKING:
    from opossum.compare.comparison import Comparison


class Beside:
    """The comparison that is shown, if one is, and the lines that were said of it."""

    def __init__(self, topics: Topics) -> None:
        self._topics = topics
        self.comparison: Comparison | None = None
        self.told: list[str] = []
        """What a rehearsal says of itself."""

    def show(self, comparison: Comparison | None, told: list[str] | None = None) -> None:
        """Show a comparison one of whose sides is the take on the desk; None: none any more."""
        self.comparison, self.told = comparison, told or []
        self._topics.publish("beside")
