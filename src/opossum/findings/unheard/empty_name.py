"""Empty name: an event was sent without a name, so nobody can listen to it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.unheard.hearing import bearing, by_event, senders, told
from opossum.findings.wording import at_place
from opossum.stream.tables import Array
from opossum.words import counted, tr


def nameless(scene: Scene) -> Array:
    """Return the unheard sends (rows) whose event has no name, or one of white space only."""
    take = scene.take
    rows = scene.once(bearing).rows
    codes = np.array([code for code, text in enumerate(take.strings) if not text.strip()] + [-1], np.int64)
    return rows[np.isin(np.asarray(take.tables["send"]["ev"])[rows], codes)]


def find(scene: Scene) -> Iterator[Found]:
    """Yield sends without a name. Linear in what nobody heard and in the strings."""
    take = scene.take
    rows = scene.once(nameless)
    table = take.tables["send"]
    for part in by_event(scene, rows, np.asarray(table["o"])[rows]):
        sends = rows[part]
        name = take.text(int(table["ev"][sends[0]]))
        what = tr("with only white space for a name") if name else tr("without a name")
        place = at_place(scene.place_of_sends(sends))
        yield told(
            scene,
            sends,
            tr(
                "{senders} sent an event {what}, {times}: nobody can listen to it.",
                senders=senders(scene, sends),
                what=what,
                times=counted(len(sends), "time"),
            ),
            tr(
                "Give the event its name where it is sent{place}; the name is likely read from something left empty.",
                place=place,
            ),
            owner=take.text(int(table["o"][sends[0]])),
        )


EMPTY_NAME = Cause(
    "empty-name",
    "sent without a name",
    Severity.FAULT,
    find,
    about="An event is sent without a name, or with only white space for one.",
    quiet="a name with white space around it.",
)
