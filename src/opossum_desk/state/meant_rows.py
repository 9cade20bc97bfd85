"""Which rows of the Loom a finding is about."""

from __future__ import annotations

import numpy as np

from opossum.findings.finding import Finding
from opossum.stream.tables import Array
from opossum.take.take import Take
from opossum_desk.state.row_index import Row, RowIndex

MOST_MEANT_ROWS = 12
MOST_ASKED_CALLS, MOST_ASKED_SENDS = 200, 50
"""Of so many calls and sends of a finding, spread evenly, the rows are asked for."""


def rows_meant(take: Take, rows: RowIndex, unfolded: set[int], finding: Finding) -> set[Row]:
    """Return the rows that a finding is about: those of its calls and senders, else those of whom it names."""
    calls = finding.calls[:: max(1, len(finding.calls) // MOST_ASKED_CALLS)]
    causes = take.sends.cause[finding.sends[:MOST_ASKED_SENDS]]
    calls = np.concatenate((calls, causes[causes >= 0]))
    if not len(calls):
        calls = _named_calls(take, finding)
    return {rows.row_of_call(call, unfolded) for call in calls.tolist()}


def _named_calls(take: Take, finding: Finding) -> Array:
    """Return a call of each of the first listeners whose class or name, function and event are those that a finding names."""
    subject = finding.subject
    if not subject.fn and not subject.ev:
        return np.zeros(0, np.int64)
    listeners, groups = take.listeners, take.calls_by_listener
    named = groups.sizes() > 0
    for text, codes in ((subject.fn, listeners.function), (subject.ev, listeners.event)):
        if text:
            named &= codes == take.code(text)
    found: list[int] = []
    for listener in np.flatnonzero(named).tolist():
        owner = int(listeners.owner[listener])
        # who hears an event is whoever it is; a function is that of its class
        if not subject.fn or take.text(owner) == subject.o or take.class_of(owner) == subject.cls:
            found.append(int(groups.order[groups.starts[listener]]))
            if len(found) == MOST_MEANT_ROWS:
                break
    return np.array(found, np.int64)
