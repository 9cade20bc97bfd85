"""What a rule says, once it is parsed: names, counts, times, moments, and the rest as trees of the grammar."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from lark import Transformer, v_args

Names = tuple[str, ...]

NS = {"ms": 1e6, "s": 1e9, "min": 60e9}


class Count(NamedTuple):
    """How often: at least `least` and at most `most` times (-1: no bound)."""

    least: int
    most: int

    def holds(self, number: int) -> bool:
        """Say whether a number is within."""
        return number >= self.least and (self.most < 0 or number <= self.most)

    def __str__(self) -> str:
        if self.least == self.most:
            return f"exactly {self.least}"
        return f"at most {self.most}" if self.least == 0 else f"at least {self.least}"


class Span(NamedTuple):
    """A stretch of time in ns, or of frames."""

    value: float
    frames: bool

    def __str__(self) -> str:
        if self.frames:
            return f"{self.value:g} frame{'' if self.value == 1 else 's'}"
        return f"{self.value / 1e9:g} s" if self.value >= 1e9 else f"{self.value / 1e6:g} ms"


class Same(NamedTuple):
    """What two moments must share: their owner, and parts of their data by name."""

    owner: bool
    data: Names


class Moment(NamedTuple):
    """What can occur: its sort (`send`, `call`, …), the names it is narrowed to, and how it was written."""

    sort: str
    of: Names = ()
    by: Names = ()
    more: tuple[tuple[str, Names], ...] = ()
    text: str = ""

    def narrowed(self, name: str) -> Names:
        """Return the names of a further narrowing (`via`, `peer`, `for`, `started`, `clip`), or none."""
        return dict(self.more).get(name, ())


class Form(NamedTuple):
    """A part of a sentence as the grammar names it (`data`), with its own parts: values, or forms again; None where one
    that may be left out is."""

    data: str
    children: list[Any]

    def walk(self) -> Iterator[Form]:
        """Yield this form and all within it."""
        yield self
        for part in self.children:
            if isinstance(part, Form):
                yield from part.walk()


@dataclass(eq=False)
class Rule:
    """One rule: what it says as a tree of the grammar, and where it stands.

    `severity` and `title` are empty where none is given; `scopes` narrow where it is looked at; `text`: the sentence as
    written, in one line.
    """

    form: Form
    text: str
    line: int
    severity: str = "fault"
    title: str = ""
    section: str = ""
    scopes: list[Form] = field(default_factory=list)

    @property
    def name(self) -> str:
        """Return its title, or what it says."""
        return self.title or self.text


_MORE = {"send": ("via", "peer"), "call": ("for",), "play": ("started",), "mark": ("clip",)}
_WITHOUT_OWNER = ("mark", "spawn", "gone", "press", "hold", "release", "put", "pull", "error", "frame")


@v_args(meta=True)
class Reading(Transformer[Any, Any]):
    """Turns the small parts of a parsed sentence into values; what is left are the forms of sentences."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self._text = text

    def name(self, meta: Any, parts: list[Any]) -> str:
        """Return a name without its back-ticks."""
        return str(parts[0]).strip("`")

    def names(self, meta: Any, parts: list[Any]) -> Names:
        """Return names, any of which may be meant."""
        return tuple(parts)

    owner = who = v_args(inline=True)(lambda self, names: names)

    def number(self, meta: Any, parts: list[Any]) -> float:
        """Return a number."""
        return float(parts[0])

    def span(self, meta: Any, parts: list[Any]) -> Span:
        """Return a stretch of time or frames."""
        value, unit = parts
        frames = str(unit).startswith("frame")
        return Span(value if frames else value * NS[str(unit)], frames)

    def time(self, meta: Any, parts: list[Any]) -> Span:
        """Return a time a call may take; frames are no time."""
        return self.span(meta, parts)

    def count(self, meta: Any, parts: list[Any]) -> Count:
        """Return how often: a bound and a number."""
        bound, number = parts[0].data, int(float(parts[1]))
        return {"least": Count(number, -1), "most": Count(0, number)}.get(bound, Count(number, number))

    def exactly(self, meta: Any, parts: list[Any]) -> Count:
        """Return a bare number as exactly so often."""
        number = int(float(parts[0]))
        return Count(number, number)

    def once(self, meta: Any, parts: list[Any]) -> Count:
        """Return `once`, `twice` or `nothing` as a count."""
        number = {"once": 1, "twice": 2}.get(str(parts[0]), 0)
        return Count(number, number)

    def same(self, meta: Any, parts: list[Any]) -> Same:
        """Return what two moments must share."""
        data = tuple(str(part.children[0]) for part in parts if part.data == "samedata")
        return Same(any(part.data == "sameowner" for part in parts), data)

    def __default__(self, data: Any, children: list[Any], meta: Any) -> Any:
        """Turn moments into values, whatever their sort; leave all else a tree."""
        name = str(data)
        if not name.startswith("m_"):
            return Form(name, children)
        sort = name.removeprefix("m_")
        parts = [(child,) if isinstance(child, str) else child or () for child in children]
        of = tuple(parts[0]) if parts else ()
        by = tuple(parts[1]) if len(parts) > 1 and sort not in _WITHOUT_OWNER else ()
        rest = parts[2:] if sort not in _WITHOUT_OWNER else parts[1:]
        more = tuple((key, tuple(value)) for key, value in zip(_MORE.get(sort, ()), rest, strict=False) if value)
        return Moment(sort, of, by, more, self._text[meta.start_pos : meta.end_pos])
