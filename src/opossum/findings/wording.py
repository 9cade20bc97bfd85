"""Numbers and names as a sentence says them."""

from __future__ import annotations

from collections.abc import Sequence

from opossum.words import number, tr


def milliseconds(ns: float) -> str:
    """Return a time for a person: seconds from one up, else ms with a fitting number of places."""
    if ns >= 1e9:
        return f"{number(ns / 1e9, '.2f')} s"
    if ns >= 1e7:
        return f"{ns / 1e6:.0f} ms"
    if ns >= 1e6:
        return f"{number(ns / 1e6, '.1f')} ms"
    return f"{ns / 1e3:.0f} µs" if ns >= 1e3 else f"{ns:.0f} ns"


def listed(names: Sequence[str], most: int = 4) -> str:
    """Return names as ``a, b and c``; what goes beyond `most` is counted."""
    names = list(dict.fromkeys(names))
    if len(names) > most:
        return tr("{names} and {more} more", names=", ".join(names[:most]), more=len(names) - most)
    return tr("{names} and {last}", names=", ".join(names[:-1]), last=names[-1]) if len(names) > 1 else "".join(names)


def event_named(name: str) -> str:
    """Return an event as a sentence names it, also one that no record names."""
    return f"`{name}`" if name.strip() else tr("an unnamed event")


def at_place(place: str) -> str:
    """Return `` (file:line)`` or nothing."""
    return f" ({place})" if place else ""


def with_place(advice: str, place: str) -> str:
    """Return an advice whose last sentence ends with a source place, where there is one."""
    return f"{advice.removesuffix('.')}{at_place(place)}." if place else advice
