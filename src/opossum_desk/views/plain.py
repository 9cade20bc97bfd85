"""Foreign text shown as it is: nothing that comes from a take is read as markup."""

from __future__ import annotations

from html import escape


def plain_tooltip(text: str) -> str:
    """Return a text for a tooltip, which Qt would read as markup where it looks like it."""
    return f"<qt>{escape(text).replace(chr(10), '<br>')}</qt>" if "<" in text or "&" in text else text
