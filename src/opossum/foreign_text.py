"""Foreign text: names and messages that come from a game are shown as they are, and do nothing."""

from __future__ import annotations

import json
import unicodedata

_UNSEEN = {"Cc", "Cf", "Zl", "Zp", "Cs", "Co", "Cn"}
"""Categories of characters that move the cursor, turn the writing round, or cannot be seen at all."""


def shown(text: str) -> str:
    """Return a text on one line with every character that cannot be seen, or does something, made visible.

    Control characters become their pictures (``␛`` for escape), others their number (``‹U+202E›``).
    """
    if text.isprintable():
        return text
    return "".join(character if _is_plain(character) else _picture(character) for character in text)


def _is_plain(character: str) -> bool:
    return unicodedata.category(character) not in _UNSEEN


def _picture(character: str) -> str:
    number = ord(character)
    if number < 0x20:
        return chr(0x2400 + number)
    return "\u2421" if number == 0x7F else f"‹U+{number:04X}›"


def shown_json(text: str) -> str:
    """Return JSON that says the same in characters that can be seen: what cannot is escaped. Line ends between values stay."""
    if text.isascii() and "\x7f" not in text:
        return text
    return "".join(
        character if character == "\n" or _is_plain(character) else _escaped(character) for character in text
    )


def _escaped(character: str) -> str:
    return "\\u007f" if character == "\x7f" else json.dumps(character)[1:-1]


def shown_html(text: str) -> str:
    """Return a text as HTML that shows it: nothing in it is an element, or does anything."""
    import html  # loads a table of all named characters: not before something is shown so

    return html.escape(shown(text))


def shown_in_menu(text: str) -> str:
    """Return a text as a menu shows it: an ampersand is no sign for a key."""
    return shown(text).replace("&", "&&")
