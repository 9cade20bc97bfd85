"""The sieve as it is set: its text, and whether what does not match is hidden or only fades."""

from __future__ import annotations

from opossum.stream.tables import Array
from opossum.take.sieve import Term, parse_sieve, sieve_calls, sieve_listeners
from opossum.take.take import Take


class Sieve:
    """The words of the sieve."""

    def __init__(self, text: str = "") -> None:
        self.text = text
        self.terms: list[Term] = parse_sieve(text) if text else []
        """The words as they were understood."""
        self.hides = False

    @property
    def active(self) -> bool:
        """Say whether anything is sieved at all."""
        return bool(self.terms)

    def set(self, text: str) -> None:
        """Set the words.

        Raises:
            SieveError: a word cannot be understood; what was sieved before stays.
        """
        self.terms = parse_sieve(text)
        self.text = text

    def passed(self, take: Take, doubled: Array) -> Array:
        """Return a boolean array (calls,): which calls pass; `doubled` (calls,) as findings say."""
        return sieve_calls(take, self.terms, doubled)

    def passed_listeners(self, take: Take) -> Array | None:
        """Return a boolean array (listeners,): which listeners pass, where all words are about names; else None."""
        return sieve_listeners(take, self.terms)
