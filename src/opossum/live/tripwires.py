"""Tripwires as a person writes them, in the words of the sieve, and as the stream's link says them.

ev:bread_ready o:counter#1        hold when counter#1 hears bread_ready
fn:Customer.* gone                … when a listener of a customer runs whose owner is gone
o:oven#2 again                    … when a listener of oven#2 runs a second time in one frame
ev:pay count:3                    … at the third time
slow:20                           … when a call has taken longer than 20 ms
send ev:pay d.coins>10            … where pay is sent with more than 10 coins
peer:client ev:hit                … in that peer only
"""

from __future__ import annotations

import re
from typing import Any, NamedTuple

from opossum.words import tr

NAMES = ("ev", "o", "cls", "fn", "via")
FLAGS: dict[str, tuple[str, Any]] = {"gone": ("gone", True), "again": ("again", True), "send": ("at", "send")}
WORDS = "ev: o: cls: fn: via: peer: count: slow: gone again send d.NAME==VALUE"
LONGEST_TEXT = 400
_COMPARED = re.compile(r"d\.([A-Za-z0-9_.]+)(==|!=|<=|>=|<|>)(.+)")


class TripwireError(ValueError):
    """A tripwire's text cannot be understood; the message says which word and what is possible."""


class Tripwire(NamedTuple):
    """Where to hold: `when` as the link says it; `peer` is the only peer asked, or empty for all."""

    text: str
    when: dict[str, Any]
    peer: str = ""


def parse_tripwire(text: str) -> Tripwire:
    """Return the tripwire a line of words means.

    Raises:
        TripwireError: a word is not known, a number is none, or the line names nothing to hold at.
    """
    text = text.strip()
    if len(text) > LONGEST_TEXT:
        raise TripwireError(tr("a tripwire takes at most {longest_text} characters", longest_text=LONGEST_TEXT))
    when: dict[str, Any] = {}
    peer = ""
    for word in text.split():
        name, colon, value = word.partition(":")
        compared = _COMPARED.fullmatch(word)
        if compared:
            when["value"] = [compared[1], compared[2], _value(compared[3])]
        elif word in FLAGS:
            key, flag = FLAGS[word]
            when[key] = flag
        elif not colon or not value:
            raise TripwireError(tr("`{word}` is not understood; words are: {words}", word=word, words=WORDS))
        elif name == "peer":
            peer = value
        elif name in NAMES:
            when[name] = value
        elif name == "count":
            when["count"] = int(_number(word, value))
        elif name == "slow":
            when["longer_ms"] = _number(word, value)
        else:
            raise TripwireError(tr("`{word}` is not understood; words are: {words}", word=word, words=WORDS))
    if not set(when) - {"at", "count"}:
        raise TripwireError(
            tr("say where to hold, such as  ev:bread_ready o:counter#1;  words are: {words}", words=WORDS)
        )
    if when.get("at") == "send" and {"fn", "gone", "again", "longer_ms"} & set(when):
        raise TripwireError(tr("fn:, gone, again and slow: are about calls; leave `send` out"))
    return Tripwire(text, when, peer)


def _number(word: str, text: str) -> float:
    try:
        number = float(text)
    except ValueError:
        number = 0.0
    if not 0 < number < 1e9:
        raise TripwireError(tr("`{word}` needs a number above 0", word=word))
    return number


def _value(text: str) -> Any:
    """Return a number, true or false, or the text itself."""
    if text in ("true", "false"):
        return text == "true"
    try:
        return float(text)
    except ValueError:
        return text
