"""Which names are so near to each other that one is likely the other, mistyped."""

from __future__ import annotations

from collections.abc import Iterable

FEWEST_CHARACTERS = 4
"""Shorter names are near to others by chance."""

LONGEST_COMPARED = 100
"""Longer names are compared folded only: each of their letters left out would be a name of its own."""

_IGNORED = str.maketrans("", "", " _-.:")


def folded(name: str) -> str:
    """Return a name without case, spaces, `_`, `-`, `.` and `:`."""
    return name.casefold().translate(_IGNORED)


class NearNames:
    """Names gathered so that those near to a name are found without comparing it with all of them.

    Two names one edit apart share a name once one letter (or none) is left out of each.  Building costs the letters of
    all names, asking those of one.
    """

    def __init__(self, names: Iterable[str]) -> None:
        self._by_folded: dict[str, list[str]] = {}
        self._by_shortened: dict[str, set[str]] = {}
        for name in dict.fromkeys(names):
            self._by_folded.setdefault(folded(name), []).append(name)
            for short in _shortened(name):
                self._by_shortened.setdefault(short, set()).add(name)

    def near(self, name: str) -> list[str]:
        """Return the names near to a name, other than itself, in order of the alphabet."""
        found = {other for other in self._by_folded.get(folded(name), ()) if folded(name)}
        for short in _shortened(name):
            found |= {other for other in self._by_shortened.get(short, ()) if one_edit_apart(name, other)}
        return sorted(found - {name})


def one_edit_apart(one: str, other: str) -> bool:
    """Say whether names of at least four characters differ by one letter inserted, deleted, replaced or swapped.

    A digit for another digit is no slip: such names are numbered on purpose (`shelf_1`, `shelf_2`).
    """
    if min(len(one), len(other)) < FEWEST_CHARACTERS or abs(len(one) - len(other)) > 1 or one == other:
        return False
    if len(one) > len(other):
        one, other = other, one
    at = next((place for place, letter in enumerate(one) if letter != other[place]), len(one))
    if len(one) < len(other):
        return one[at:] == other[at + 1 :]
    if one[at + 1 :] == other[at + 1 :]:
        return not (one[at].isdigit() and other[at].isdigit())
    return one[at : at + 2] == other[at : at + 2][::-1] and one[at + 2 :] == other[at + 2 :]


def _shortened(name: str) -> Iterable[str]:
    if FEWEST_CHARACTERS <= len(name) <= LONGEST_COMPARED:
        yield name
        for place in range(len(name)):
            yield name[:place] + name[place + 1 :]
