"""A sentence that may be a rule, before it is known whether it always held."""

from __future__ import annotations

from typing import NamedTuple

from opossum.rules.writing import written


class Candidate(NamedTuple):
    """A sentence, the section it belongs to, how many occasions it needs to be believed, and its severity.

    `implied_by`: sentences any of which makes this one needless.  `one_of`: (before, name, after) where sentences that differ
    in a name alone are told as one.  `limit_of`, `limit`: of several limits of one thing the widest is kept.
    """

    sentence: str
    section: str
    fewest: int = 10
    severity: str = "risk"
    implied_by: tuple[str, ...] = ()
    one_of: tuple[str, str, str] | None = None
    limit_of: str = ""
    limit: float = 0.0

    @classmethod
    def named(
        cls,
        before: str,
        name: str,
        after: str,
        section: str,
        fewest: int = 10,
        severity: str = "risk",
        implied_by: tuple[str, ...] = (),
    ) -> Candidate:
        """Return a candidate that may be told together with others that differ in the name alone."""
        sentence = f"{before}{written(name)}{after}"
        return cls(sentence, section, fewest, severity, implied_by, (before, name, after))


def either(names: list[str]) -> str:
    """Return names of which any is meant."""
    return " or ".join(written(name) for name in sorted(dict.fromkeys(names)))


def seconds(ns: float) -> str:
    """Return a stretch of time in a sentence's own units, rounded up to what a person would write."""
    ms = ns / 1e6
    for step in (1, 5, 10, 50, 100, 500, 1000, 5000):
        if ms <= step * 100:
            ms = -(-ms // step) * step
            break
    return f"{ms / 1000:g} s" if ms >= 1000 else f"{max(ms, 1):g} ms"
