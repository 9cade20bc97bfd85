"""What may come next in a sentence: words of the language, and names of the take."""

from __future__ import annotations

import re
from typing import NamedTuple

from lark.exceptions import UnexpectedInput

from opossum.rules.parsing import parser, words_of
from opossum.rules.writing import written
from opossum.take.grouping import distinct
from opossum.take.take import Take

MOST_OFFERED = 400


class TakeNames(NamedTuple):
    """Names of a take by what they name, each as it stands in a sentence, in order of the alphabet."""

    events: list[str]
    functions: list[str]
    classes: list[str]
    clips: list[str]
    queues: list[str]
    values: list[str]


def names_of(take: Take) -> TakeNames:
    """Return the names of a take. Linear in its listeners and strings."""

    def of(*columns: object) -> list[str]:
        found = {take.text(int(code)) for column in columns for code in distinct(column).tolist()}  # type: ignore[arg-type]
        return sorted(written(name) for name in found if name)

    tables, listeners = take.tables, take.listeners
    classes = {take.class_of(int(code)) for code in distinct(listeners.owner).tolist()} - {""}
    return TakeNames(
        of(tables["send"]["ev"], tables["bind"]["ev"]),
        of(listeners.function, tables["bind"]["fn"]),
        sorted(written(name) for name in classes),
        of(tables["play"]["clip"]),
        of(tables["put"]["q"]),
        of(tables["watch"]["name"]),
    )


def completions(text: str, names: TakeNames) -> list[str]:
    """Return what may stand in place of the last word that is being written, so far as it fits what is written of it."""
    begun = re.search(r"`[^`]*$|[\w.#*/%-]*$", text)
    word = begun.group(0) if begun else ""
    before = text[: len(text) - len(word)]
    state = parser().parse_interactive(before)
    try:
        for token in state.lexer_thread.lex(state.parser_state):
            state.feed_token(token)
    except UnexpectedInput:
        return []
    offered: list[str] = []
    for terminal in sorted(state.accepts()):
        if terminal == "NAME":
            offered += _names_for(before, names)
        elif terminal not in ("QUOTED", "STRING", "NUM", "$END", "COMMENT"):
            offered += [item for item in words_of(terminal) if " " not in item]
    folded = word.strip("`").casefold()
    fitting = [item for item in dict.fromkeys(offered) if item.strip("`").casefold().startswith(folded)]
    within = (
        [item for item in dict.fromkeys(offered) if folded in item.casefold() and item not in fitting] if folded else []
    )
    return [*fitting, *within][:MOST_OFFERED]


_NAMED_BY = {
    "call": "functions",
    "send": "events",
    "firing": "events",
    "arming": "events",
    "bind": "events",
    "listener": "events",
    "timer": "events",
    "wait": "events",
    "press": "events",
    "play": "clips",
    "clip": "clips",
    "cut": "clips",
    "queue": "queues",
    "put": "queues",
    "pull": "queues",
    "value": "values",
    "change": "values",
    "spawn": "classes",
    "end": "classes",
    "by": "classes",
    "from": "classes",
    "in": "functions",
    "error": "functions",
}


def _names_for(before: str, names: TakeNames) -> list[str]:
    """Return the names that the last word which says what it names calls for; all of them where none does."""
    said = re.findall(r"[a-z]+", before)
    for word in reversed(said[-4:]):
        if word in _NAMED_BY:
            return list(getattr(names, _NAMED_BY[word]))
    return [name for each in names for name in each]
