"""Texts that hold names, where Qt would read them as markup or as signs for keys."""

from __future__ import annotations

from opossum.foreign_text import shown, shown_html


def plain_tooltip(text: str) -> str:
    """Return a text of several lines for a tooltip, which Qt would read as markup where it looks like it."""
    lines = text.split("\n")
    if "<" in text or "&" in text:
        return f"<qt>{'<br>'.join(map(shown_html, lines))}</qt>"
    return "\n".join(map(shown, lines))
