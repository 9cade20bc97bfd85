"""What a finding is: the answer every kind gives, in one shape."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import Enum
from typing import Any, NamedTuple

import numpy as np

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

    def as_dict(self) -> dict[str, str]:
        """Return the fields that apply."""
        return {name: value for name, value in self._asdict().items() if value}


class Evidence(NamedTuple):
    """One record that proves a finding: its kind, stream line, row in its table, and what it shows."""

    k: str
    line: int
    row: int
    note: str


@dataclass(eq=False, repr=False)
class Finding:
    """One fault with its proof.

    `frames`: the game's numbers of the frames where it shows; `frame_rows`: the same as rows of the take.
    `calls`: rows of the calls concerned, for views to mark.  `details`: further lines of plain text for a
    reader who wants to know more.  `root` names the finding whose consequence this is.
    """

    kind: str
    cause: str
    severity: Severity
    subject: Subject
    frame_rows: Array
    frames: list[int]
    count: int
    cost_ns: int
    summary: str
    advice: str
    evidence: tuple[Evidence, ...]
    calls: Array = field(default_factory=lambda: np.zeros(0, np.int64))
    details: tuple[str, ...] = ()
    root: str = ""
    consequences: tuple[str, ...] = ()

    @property
    def id(self) -> str:
        """Return a name that is the same for the same fault in another take of the game."""
        subject = self.subject
        parts = (self.kind, self.cause, subject.peer, subject.cls or subject.o, subject.fn, subject.ev, subject.q)
        return "/".join(part for part in parts if part)

    def linked(self, root: str = "", consequences: tuple[str, ...] = ()) -> Finding:
        """Return the same finding as a part of a story."""
        return replace(self, root=root or self.root, consequences=consequences or self.consequences)

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
