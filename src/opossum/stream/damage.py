"""What was wrong with a stream: counted by sort, with the first lines of each and one sentence."""

from __future__ import annotations

from dataclasses import dataclass, field

LINES_KEPT = 20
"""How many line numbers are kept a sort of damage: enough to look, never a flood."""

NO_RECORDS = ("no-bye", "no-frames")
"""What a stream may lack without any record being damaged."""


@dataclass(slots=True)
class Damage:
    """One sort of damage in a take.

    `code` is a stable word for programs; `sentence` says what is wrong and what Opossum did about it;
    `count` is how often; `lines` holds the first `LINES_KEPT` stream lines (1-based) it was seen in.
    """

    code: str
    sentence: str
    count: int = 0
    lines: list[int] = field(default_factory=list)

    def told(self) -> str:
        """Return the damage as one line for a person: count, sentence and where."""
        if not self.lines:
            return f"{self.count:,} × {self.sentence}"
        shown = ", ".join(f"{line:,}" for line in self.lines[:5])
        more = ", …" if self.count > min(5, len(self.lines)) else ""
        return f"{self.count:,} × {self.sentence} (line {shown}{more})"


def damaged_records(damage: list[Damage]) -> int:
    """Return how many records are damaged or missing."""
    return sum(item.count for item in damage if item.code not in NO_RECORDS)


class DamageLog:
    """Collects damage by (code, sentence); the number of distinct sentences is bounded."""

    MOST_SORTS = 200

    def __init__(self) -> None:
        self._sorts: dict[tuple[str, str], Damage] = {}

    def add(self, code: str, sentence: str, line: int | None = None, count: int = 1) -> None:
        """Count one more (or `count` more) of this damage, seen at `line` of the stream."""
        key = (code, sentence)
        if key not in self._sorts and len(self._sorts) >= self.MOST_SORTS:
            key = ("more", "further damage of other sorts, not told apart")
        damage = self._sorts.setdefault(key, Damage(*key))
        damage.count += count
        if line is not None and len(damage.lines) < LINES_KEPT:
            damage.lines.append(line)

    def add_lines(self, code: str, sentence: str, lines: list[int]) -> None:
        """Count one damage for each of `lines`."""
        for line in lines[:LINES_KEPT]:
            self.add(code, sentence, line)
        if len(lines) > LINES_KEPT:
            self.add(code, sentence, count=len(lines) - LINES_KEPT)

    def sorts(self) -> list[Damage]:
        """Return the damage so far, in the order it was first met."""
        return list(self._sorts.values())
