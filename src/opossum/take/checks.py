"""What does not add up in a take, beyond the lines that could not be read.

Nothing here is fatal: each check counts, keeps the first lines, and says what Opossum made of it.
"""

from __future__ import annotations

import numpy as np

from opossum.stream.damage import Damage, DamageLog
from opossum.stream.tables import Array
from opossum.take.take import Take
from opossum.take.whose import listeners_of_one
from opossum.words import tr

_INTRODUCED = (("bind", "b"), ("send", "s"), ("call", "c"), ("arm", "a"), ("play", "y"), ("wait", "w"))
_REFERENCES = (
    ("call", "s", "send"),
    ("call", "b", "bind"),
    ("ret", "c", "call"),
    ("send", "c", "call"),
    ("send", "a", "arm"),
    ("send", "y", "play"),
    ("unbind", "b", "bind"),
    ("put", "s", "send"),
    ("pull", "s", "send"),
    ("pause", "a", "arm"),
    ("resume", "a", "arm"),
    ("disarm", "a", "arm"),
    ("stop", "y", "play"),
    ("met", "w", "wait"),
    ("met", "s", "send"),
    ("quit", "w", "wait"),
)


def check_take(take: Take) -> list[Damage]:
    """Return all damage of a take: what reading met, then what does not add up. Linear in the records."""
    log = DamageLog()
    if not len(take.tables["head"]):
        log.add("no-head", tr("stream without a `head`: game, phases and nominal speed are unknown"))
    for kind, field in _INTRODUCED:
        index = getattr(take, f"{kind}_ids")
        _tell(
            take,
            log,
            "duplicate-id",
            tr("`{kind}` whose id `{field}` was used before; references go to the first", kind=kind, field=field),
            kind,
            index.duplicates,
        )
    for kind, field, target in _REFERENCES:
        table = take.tables[kind]
        ids = np.asarray(table[field])
        lost = np.flatnonzero((ids > 0) & (getattr(take, f"{target}_ids").rows(table["p"], ids) < 0))
        _tell(
            take,
            log,
            "dangling-id",
            tr(
                "`{kind}` whose `{field}` names no `{target}` of the stream; it stands alone",
                kind=kind,
                field=field,
                target=target,
            ),
            kind,
            lost,
        )
    _check_frames(take, log)
    _check_listeners(take, log)
    for peer, span in enumerate(take.peers):
        if not take.recording.closed(peer):
            log.add(
                "no-bye",
                tr("peer `{name}` ends without `bye`: it was cut off, crashed or froze", name=span.name),
                take.line_in_source(span.last_line)[1],
            )
    if len(take.tables["lost"]):
        log.add("lost", tr("record that the recorder had to drop"), count=take.recording.lost)
    return take.damage + log.sorts()


def _check_frames(take: Take, log: DamageLog) -> None:
    table = take.tables["frame"]
    if not len(table):
        if take.records:
            log.add("no-frames", tr("stream without frames: all of it is shown as one stretch"))
        return
    repeats = []
    for peer in range(len(take.peers)):
        rows = np.flatnonzero(np.asarray(table["p"]) == peer)
        numbers = np.asarray(table["n"])[rows]
        _, first = np.unique(numbers, return_index=True)
        repeats.append(np.setdiff1d(np.arange(len(rows)), first, assume_unique=True))
        repeats[-1] = rows[repeats[-1]]
    _tell(
        take,
        log,
        "frame-repeats",
        tr("frame whose number came before; each is kept as a frame of its own"),
        "frame",
        np.concatenate(repeats),
    )


def _check_listeners(take: Take, log: DamageLog) -> None:
    listeners, untold = take.listeners, ~listeners_of_one(take)  # a function of nobody's leaves nothing out
    for field, names in (("o", listeners.owner), ("fn", listeners.function)):
        sentence = tr("`call` that leaves out `{field}`, as its `bind` does; it is shown without it", field=field)
        rows = np.sort(take.calls_by_listener.rows_of_all(np.flatnonzero(untold & (names < 0))))
        _tell(take, log, "unnamed", sentence, "call", rows)


def _tell(take: Take, log: DamageLog, code: str, sentence: str, kind: str, rows: Array) -> None:
    if len(rows):
        lines = take.tables[kind]["line"]
        log.add_lines(
            code,
            sentence,
            [take.line_in_source(int(lines[row]))[1] for row in rows[:20]] + [0] * max(0, len(rows) - 20),
        )
