"""Every word that people see goes through here: into their language, with their signs in numbers.

Texts stand in the code in English, as templates: ``tr("{name} has {count:,} calls", name=…, count=…)``. Catalogues are GNU gettext's
(`opossum/locale/LANGUAGE/LC_MESSAGES/opossum.mo`); what a catalogue lacks stays English. `tools/collect_messages.py` keeps them.

What is written into files, or said to games over the link, stays English: it is read by others, and by programs.
"""

from __future__ import annotations

import gettext
import locale
import os
import string
from pathlib import Path
from typing import Any, NamedTuple

FOLDER = Path(__file__).parent / "locale"
DOMAIN = "opossum"
LANGUAGE_VARIABLES = ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG")
"""What tells a program's language, the first that is set counts (GNU gettext, "Locale Environment Variables")."""


class Signs(NamedTuple):
    """What stands between thousands, and before what is less than one."""

    thousands: str = ","
    point: str = "."


_ENGLISH = Signs()
_catalogue: gettext.NullTranslations = gettext.NullTranslations()
_signs = _ENGLISH


def use(spoken: str = "", signs: Signs = Signs()) -> None:  # noqa: B008  # it never changes
    """Speak a language (``de``; English for one that there is no catalogue of), and write numbers with these signs."""
    global _catalogue, _signs
    languages = [spoken, spoken.partition("_")[0]] if spoken else []
    _catalogue = gettext.translation(DOMAIN, FOLDER, languages, fallback=True)
    _signs = signs


def language() -> str:
    """Return the language that is spoken, as an HTML page says it."""
    return _catalogue.info().get("language", "en") or "en"


def use_the_users() -> None:
    """Speak the language, and write numbers with the signs, that the environment tells."""
    told = next((value for name in LANGUAGE_VARIABLES if (value := os.environ.get(name))), "")
    use(told.split(":")[0].partition(".")[0], _signs_of_the_user())


def _signs_of_the_user() -> Signs:
    before = locale.setlocale(locale.LC_NUMERIC)
    try:
        locale.setlocale(locale.LC_NUMERIC, "")
        said = locale.localeconv()
    except locale.Error:
        return Signs()
    finally:
        locale.setlocale(locale.LC_NUMERIC, before)  # how the program itself reads and writes numbers stays
    thousands, point = str(said["thousands_sep"]), str(said["decimal_point"])
    return Signs(thousands, point) if thousands else Signs()


class _Formatter(string.Formatter):
    """Writes numbers as the user does."""

    def format_field(self, value: Any, format_spec: str) -> str:
        text = super().format_field(value, format_spec)
        is_number = isinstance(value, int | float) and not isinstance(value, bool)
        return _in_signs(text) if is_number and format_spec else text


_formatter = _Formatter()


def _in_signs(text: str) -> str:
    if _signs == _ENGLISH:
        return text
    return "".join(_signs.thousands if sign == "," else _signs.point if sign == "." else sign for sign in text)


def tr(text: str, /, **values: object) -> str:
    """Return a text in the user's language, with values in its places."""
    found = _catalogue.gettext(text) if text else text
    if not values:
        return found
    # the same either way; where numbers are written with other signs, each is looked at
    return found.format_map(values) if _signs == _ENGLISH else _formatter.vformat(found, (), values)


def translatable(text: str) -> str:
    """Return a text of a table as it stands: `tr` is handed it where it is shown, once the language is known."""
    return text


def counted(count: int, one: str, many: str = "") -> str:
    """Return ``1 loaf`` or ``3 loaves`` in the user's language, thousands apart."""
    word = _catalogue.ngettext(one, many or one + "s", count)
    return f"{number(count)} {word}"


def number(value: float, spec: str = ",") -> str:
    """Return a number as the user writes it."""
    return _formatter.format_field(value, spec)
