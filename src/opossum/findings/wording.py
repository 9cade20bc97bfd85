"""Numbers and names as a sentence says them."""

from __future__ import annotations

from collections.abc import Sequence


def plural(count: int, one: str, many: str = "") -> str:
    """Return ``1 loaf`` or ``3 loaves``, thousands apart."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def milliseconds(ns: float) -> str:
    """Return a time for a person: seconds from one up, else ms with a fitting number of places."""
    if ns >= 1e9:
        return f"{ns / 1e9:.2f} s"
    if ns >= 1e7:
        return f"{ns / 1e6:.0f} ms"
    if ns >= 1e6:
        return f"{ns / 1e6:.1f} ms"
    return f"{ns / 1e3:.0f} µs" if ns >= 1e3 else f"{ns:.0f} ns"


def listed(names: Sequence[str], most: int = 4) -> str:
    """Return names as ``a, b and c``; what goes beyond `most` is counted."""
    names = list(dict.fromkeys(names))
    if len(names) > most:
        return ", ".join(names[:most]) + f" and {len(names) - most} more"
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)


def at_place(place: str) -> str:
    """Return `` (file:line)`` or nothing."""
    return f" ({place})" if place else ""
