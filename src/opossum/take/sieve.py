"""The sieve: one line of words that says which calls are meant.

    oven -via:tick wasted frame:100-240

Plain words match event, owner, class or function; `ev:`, `o:`, `cls:`, `fn:`, `via:`, `phase:`, `peer:` and
`frame:` narrow; `wasted`, `doubled`, `gone` and `slow` name what went wrong; a leading `-` excludes.
"""

from __future__ import annotations

import weakref
from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.take.take import Take
from opossum.words import tr

FIELDS = ("ev", "o", "cls", "fn", "via", "phase", "peer", "frame")
FLAGS = ("wasted", "doubled", "gone", "slow")

LONGEST_FIELD = 6
"""Letters before a colon that are meant for a field; longer ones belong to a name that has a colon in it."""

NAMED = ("any", "ev", "o", "cls", "fn")
"""What a term may look at that belongs to a listener, whatever its calls were like."""

SLOW_SHARE = 0.25
"""`slow`: a call that takes more than this share of the frame budget."""


class SieveError(ValueError):
    """A word of the sieve cannot be understood; the message says which and gives a valid example."""


class Term(NamedTuple):
    """One word of a sieve: what it looks at (a field, a flag, or ``any``), for what, and whether it excludes."""

    subject: str
    text: str = ""
    exclude: bool = False


def parse_sieve(text: str) -> list[Term]:
    """Return the terms of a sieve.

    Raises:
        SieveError: a word has an unknown prefix or a `frame:` that is no number or range.
    """
    terms = []
    for word in text.split():
        exclude = word.startswith("-") and len(word) > 1
        bare = word[1:] if exclude else word
        subject, colon, value = bare.partition(":")
        if colon and subject.lower() in FIELDS:
            subject = subject.lower()
            if subject == "frame":
                _frame_range(value)
            if value:
                terms.append(Term(subject, value.lower(), exclude))
        elif colon and subject.isidentifier() and len(subject) <= LONGEST_FIELD and subject.islower():
            raise SieveError(
                tr(
                    "`{subject}:` is not known; use one of {name}",
                    subject=subject,
                    name=", ".join(name + ":" for name in FIELDS),
                )
            )
        elif bare.lower() in FLAGS:
            terms.append(Term(bare.lower(), "", exclude))
        else:
            terms.append(Term("any", bare.lower(), exclude))
    return terms


def _frame_range(value: str) -> tuple[int, int]:
    low, dash, high = value.partition("-")
    try:
        return (int(low), int(high)) if dash and high else (int(low), 2**62 if dash else int(low))
    except ValueError:
        raise SieveError(tr("`frame:{value}` is no frame; write frame:120 or frame:120-180", value=value)) from None


def sieve_calls(take: Take, terms: list[Term], doubled: Array) -> Array:
    """Return a boolean array (calls,): which calls pass. `doubled` (calls,): they are part of a double firing.

    Cost: linear in the calls, once a term.
    """
    passed = np.ones(len(take.calls), bool)
    for term in terms:
        hit = _matches(take, term, doubled)
        passed &= ~hit if term.exclude else hit
    return passed


def _matches(take: Take, term: Term, doubled: Array) -> Array:
    calls = take.calls
    if term.subject == "wasted":
        return calls.effect == 0
    if term.subject == "doubled":
        return doubled
    if term.subject == "gone":
        return take.owner_gone
    if term.subject == "slow":
        return slow_calls(take)
    if term.subject == "frame":
        low, high = _frame_range(term.text)
        numbers = take.frames.number
        return np.append((numbers >= low) & (numbers <= high), False)[calls.frame]
    if term.subject == "via":
        # by what is sent, of which there is less than calls; the last place stands for what no text is, code -1
        wanted = [text.lower().startswith(term.text) for text in take.strings] + ["direct".startswith(term.text)]
        return np.append(np.array(wanted, bool)[take.tables["send"]["via"]], False)[calls.send]
    if term.subject == "phase":
        return _in_phase(take, term.text)
    if term.subject == "peer":
        peers = [index for index, span in enumerate(take.peers) if term.text in span.name.lower()]
        return np.isin(np.asarray(take.tables["call"]["p"]), peers)
    return _named_listeners(take, term)[calls.listener]


def sieve_listeners(take: Take, terms: list[Term]) -> Array | None:
    """Return a boolean array (listeners,): which listeners pass, where all terms are about names; else None."""
    if any(term.subject not in NAMED for term in terms):
        return None
    passed = np.ones(len(take.listeners), bool)
    for term in terms:
        hit = _named_listeners(take, term)
        passed &= ~hit if term.exclude else hit
    return passed


_known_names: weakref.WeakKeyDictionary[Take, list[tuple[str, str, str, str]]] = weakref.WeakKeyDictionary()
"""The names of takes' listeners in lower case: (event, owner, function, class) each."""


def _listener_names(take: Take) -> list[tuple[str, str, str, str]]:
    names = _known_names.get(take)
    if names is None:
        listeners, text = take.listeners, take.text
        classes = {code: take.class_of(code).lower() for code in distinct(listeners.owner).tolist()}
        names = _known_names[take] = [
            (text(event).lower(), text(owner).lower(), text(function).lower(), classes[owner])
            for event, owner, function in zip(
                listeners.event.tolist(), listeners.owner.tolist(), listeners.function.tolist(), strict=True
            )
        ]
    return names


def _named_listeners(take: Take, term: Term) -> Array:
    """Return a boolean array (listeners,): a name of theirs holds a term's text. As many comparisons as listeners."""
    wanted, names = term.text, _listener_names(take)
    if term.subject == "any":
        found = [wanted in ev or wanted in o or wanted in fn or wanted in cls for ev, o, fn, cls in names]
    else:
        place = ("ev", "o", "fn", "cls").index(term.subject)
        found = [wanted in parts[place] for parts in names]
    return np.array(found, bool)


def _names_match(term: Term, event: str, owner: str, function: str, cls: str) -> bool:
    parts = {"ev": event, "o": owner, "fn": function, "cls": cls}
    looked_at = parts.values() if term.subject == "any" else [parts[term.subject]]
    return any(term.text in part.lower() for part in looked_at)


def passes_by_name(terms: list[Term], *, event: str = "", owner: str = "", function: str = "", cls: str = "") -> bool:
    """Say whether something that was never called passes a sieve: by its names; what only a call can be, it is not."""
    for term in terms:
        hit = term.subject in NAMED and _names_match(term, event, owner, function, cls)
        if hit is term.exclude:
            return False
    return True


def slow_calls(take: Take) -> Array:
    """Return a boolean array (calls,): calls longer than `SLOW_SHARE` of their peer's frame budget."""
    budget = np.array([frame_budget_ns(take, peer) for peer in range(len(take.peers))] or [1], np.float64)
    return take.calls.duration_ns > SLOW_SHARE * budget[np.asarray(take.tables["call"]["p"], np.int64)]


def frame_budget_ns(take: Take, peer: int) -> float:
    """Return how long a frame of the peer may take: by the head's `hz`, else its median frame, else 1/60 s."""
    hz = take.recording.head_hz(peer)
    if hz:
        return 1e9 / hz
    span = take.frames.of_peer(peer)
    lengths = (take.frames.end_ns - take.frames.start_ns)[span][take.frames.settled[span]]
    return float(np.median(lengths)) if len(lengths) else 1e9 / 60


def _in_phase(take: Take, name: str) -> Array:
    table = take.tables["phase"]
    hit = np.zeros(len(take.calls), bool)
    if not len(table):
        return hit
    wanted = np.array([code for code, text in enumerate(take.strings) if name in text.lower()] or [-9])
    return np.isin(take.phase_of_call, wanted)
