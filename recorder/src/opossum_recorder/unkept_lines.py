"""Lines on their way to an Opossum that listens: kept until it says that it has them, so that a link that breaks loses none.

One thread adds (the game's, under the recorder's lock), one sends; no lock is needed between them, and none is taken: code
of the game's may run at any allocation, also in here.
"""

from __future__ import annotations

from collections import deque

MOST_BYTES = 16 << 20
"""Lines that are not known to have arrived take at most this much; what comes then is dropped and counted."""
MOST_SENT_AT_ONCE = 1 << 16


class _Block:
    __slots__ = ("data", "lines")

    def __init__(self, data: bytes) -> None:
        self.data, self.lines = data, data.count(b"\n")


class UnkeptLines:
    """Numbered lines, from the oldest that may still be needed.

    `counts`: whether the other side says how many lines it has kept; until it is known (None) sent lines are let go of only
    where there is no room for new ones, and at once where it does not.
    """

    def __init__(self) -> None:
        self._blocks: deque[_Block] = deque()
        self._added_bytes = self._gone_bytes = 0
        self.first = 0
        """How many lines came before the oldest that is still here."""
        self._sent_blocks = 0
        """How many of the blocks that are here have been sent whole."""
        self._sent_of_next = 0
        """How many bytes of the block after them."""
        self._kept = 0
        self.counts: bool | None = None

    def add(self, data: bytes) -> bool:
        """Take whole lines; False where there is no room for them."""
        if self._added_bytes - self._gone_bytes + len(data) > MOST_BYTES:
            return False
        self._blocks.append(_Block(data))
        self._added_bytes += len(data)
        return True

    def next_bytes(self) -> memoryview:
        """Return what is to be sent next, nothing where all has been."""
        if self._sent_blocks >= len(self._blocks):
            return memoryview(b"")
        return memoryview(self._blocks[self._sent_blocks].data)[self._sent_of_next :][:MOST_SENT_AT_ONCE]

    def sent(self, count: int) -> None:
        """Say that so many of the bytes returned last are on their way."""
        self._sent_of_next += count
        if self._sent_of_next >= len(self._blocks[self._sent_blocks].data):
            self._sent_blocks, self._sent_of_next = self._sent_blocks + 1, 0
        self._let_go_of_kept()
        half_full = self._added_bytes - self._gone_bytes > MOST_BYTES // 2
        if self.counts is False or (self.counts is None and half_full):
            while self._sent_blocks:
                self._let_go()

    def kept(self, total: int) -> None:
        """Say that the other side has the first `total` lines of all; what it cannot have is not believed."""
        self.counts = True
        self._kept = total
        self._let_go_of_kept()

    def _let_go_of_kept(self) -> None:
        """What came over an earlier connection is sent again all the same, for the other side counts from where this one began."""
        while self._sent_blocks and self.first + self._blocks[0].lines <= self._kept:
            self._let_go()

    def _let_go(self) -> None:
        block = self._blocks.popleft()
        self._sent_blocks -= 1
        self.first += block.lines
        self._gone_bytes += len(block.data)

    def begin_again(self) -> int:
        """Send again all that is here, on another connection; return how many lines came before it."""
        self._sent_blocks = self._sent_of_next = 0
        return self.first

    @property
    def waiting(self) -> bool:
        """Say whether something has not been sent."""
        return self._sent_blocks < len(self._blocks)

    @property
    def between_blocks(self) -> bool:
        """Say whether something else may be sent now, without cutting a line in two."""
        return not self._sent_of_next

    def lines(self) -> int:
        """Return how many lines are not sent, or, where the other side counts, not known to have arrived."""
        blocks = tuple(self._blocks)
        return sum(block.lines for block in (blocks if self.counts else blocks[self._sent_blocks :]))

    def forget(self) -> None:
        """Let go of everything: this process was forked off."""
        self._blocks.clear()
        self._sent_blocks = self._sent_of_next = 0
