"""What a finding is: the answer every kind gives, in one shape."""

from __future__ import annotations

from dataclasses import dataclass, field, fields, replace
from enum import Enum
from typing import TYPE_CHECKING, Any, NamedTuple

from opossum.stream.strings import UNNAMED

if TYPE_CHECKING:
    from opossum.stream.tables import Array


class Severity(Enum):
    """How much it matters, worst first."""

    FAULT = "fault"
    WASTE = "waste"
    RISK = "risk"
    NOTE = "note"

    @property
    def rank(self) -> int:
        """Return 0 for the worst."""
        return list(Severity).index(self)


class Subject(NamedTuple):
    """What a finding is about; whatever does not apply is empty."""

    ev: str = ""
    o: str = ""
    cls: str = ""
    fn: str = ""
    clip: str = ""
    mark: str = ""
    q: str = ""
    peer: str = ""
    at: str = ""

    @property
    def function(self) -> str:
        """Return the function as a sentence names it, also one that no record tells."""
        return self.fn or UNNAMED

    def as_dict(self) -> dict[str, str]:
        """Return the fields that apply."""
        return {name: value for name, value in self._asdict().items() if value}


class Evidence(NamedTuple):
    """One record that proves a finding: its kind, stream line, row in its table, and what it shows."""

    k: str
    line: int
    row: int
    note: str


def _no_calls() -> Array:
    import numpy as np  # a command that asks for no more than what is severe loads no numerics

    return np.zeros(0, np.int64)


@dataclass(eq=False, repr=False, kw_only=True)
class Found:
    """What one cause's finder says; kind, cause and usual severity are known from who said it.

    `frame_rows`: rows of the frames where it shows, in any order, repeated or not.  `calls`: rows of the calls concerned,
    for views to mark; `sends`: rows of the sends concerned, and `due_ns` (as long, or empty) when each was due, in game time.  `details`: further lines of plain text for a reader who wants to know more.  `told_apart`: what
    tells it from another finding of the same subject (a key, a place).  `rated`: the severity where it is not the cause's own.  `instead`: an event of the take that could do
    what is wasted here, empty where there is none.
    """

    subject: Subject
    frame_rows: Array
    count: int
    cost_ns: int = 0
    summary: str
    advice: str
    evidence: tuple[Evidence, ...]
    calls: Array = field(default_factory=_no_calls)
    sends: Array = field(default_factory=_no_calls)
    due_ns: Array = field(default_factory=_no_calls)
    details: tuple[str, ...] = ()
    told_apart: tuple[str, ...] = ()
    rated: Severity | None = None
    instead: str = ""


@dataclass(eq=False, repr=False, kw_only=True)
class Finding(Found):
    """One fault with its proof.

    `frames`: the game's numbers of the frames where it shows, ascending; `frame_rows`: the same as rows of the take.
    `id`: unique in a take, and the same for the same fault in another take of the game.  `root` is the id of the finding
    whose consequence this is, `consequences` are the ids of what follows from it.
    """

    kind: str
    cause: str
    id: str
    severity: Severity
    frames: list[int]
    root: str = ""
    consequences: tuple[str, ...] = ()

    @classmethod
    def of(cls, found: Found, **more: Any) -> Finding:
        """Return what was found, with what only who examines knows."""
        return cls(**({item.name: getattr(found, item.name) for item in fields(found)} | more))

    def changed(self, **more: Any) -> Finding:
        """Return the same finding with some fields changed."""
        return replace(self, **more)

    @property
    def name(self) -> str:
        """Return what it is about in one word: function, event, queue, clip, place or object; empty where nothing is named."""
        subject = self.subject
        place = subject.at.rpartition("/")[2]
        named = (subject.fn, subject.ev, subject.q, subject.clip, place, subject.o, subject.cls)
        return next((name for name in named if name.strip()), "")

    def as_dict(self) -> dict[str, Any]:
        """Return the finding as plain values for JSON."""
        return {
            "id": self.id,
            "kind": self.kind,
            "cause": self.cause,
            "severity": self.severity.value,
            "subject": self.subject.as_dict(),
            "frames": self.frames,
            "count": self.count,
            "cost_ns": self.cost_ns,
            "summary": self.summary,
            "advice": self.advice,
            "details": list(self.details),
            "evidence": [{"k": item.k, "line": item.line, "note": item.note} for item in self.evidence],
            "root": self.root or None,
            "consequences": list(self.consequences),
        }
