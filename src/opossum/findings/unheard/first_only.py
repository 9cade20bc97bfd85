"""First only: the event goes to the first listener found, and a second one is never called."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.listening import listening
from opossum.findings.scene import Scene
from opossum.findings.unheard.hearing import by_event, told
from opossum.findings.wording import at_place, listed
from opossum.stream.strings import UNNAMED
from opossum.take.grouping import distinct
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield events whose second listener gets nothing. Linear in sends that go to the first, and their binds."""
    take = scene.take
    known = scene.once(listening)
    table = take.tables["send"]
    heard = np.zeros(len(table) + 1, bool)
    heard[take.calls.send] = True
    rows = np.flatnonzero((np.asarray(table["route"]) == take.code("first")) & heard[:-1])
    for part in by_event(scene, rows):
        sends = rows[part]
        binds = known.bound.rows(int(known.of_sends(sends[:1])[0]))
        starved = binds[~known.called[binds]]
        lines = np.asarray(table["line"], np.int64)[sends]
        # of each bind without a call: the sends that came while it was bound
        missed = np.zeros(len(sends), bool)
        meant = []
        for bind in starved.tolist():
            first = int(np.searchsorted(lines, known.begin[bind], "right"))
            last = int(np.searchsorted(lines, known.unbound[bind], "left"))
            if last > first and known.fits(np.full(last - first, bind), sends[first:last]).any():
                missed[first:last] = True
                meant.append(bind)
        if not meant:
            continue
        missed_sends = sends[missed]
        event = take.text(int(table["ev"][sends[0]]))
        names = [
            tr(
                "{tables} of {owner}",
                tables=take.function_of_bind(b),
                owner=take.owner_of_bind(b),
            )
            for b in meant
        ]
        firsts = distinct(scene.owner[scene.calls_of_sends(missed_sends)])
        winner = listed([take.text(int(code)) or UNNAMED for code in firsts])
        yield told(
            scene,
            missed_sends,
            tr(
                "`{event}` went to {winner} only, {times}: {names} was bound too and never called, as the first "
                "listener found takes it.",
                event=event,
                winner=winner,
                times=counted(len(missed_sends), "time"),
                names=listed(names),
            ),
            tr(
                "Send `{event}` to all{place}, or unbind {names}.",
                event=event,
                place=at_place(scene.place_of_sends(missed_sends)),
                names=listed(names),
            ),
            binds=np.array(meant, np.int64),
            note=tr("bound and never called"),
        )


FIRST_ONLY = Cause(
    "first-only",
    "taken by the first listener",
    Severity.RISK,
    find,
    about="The event goes to the first listener found, and a second one that was bound is never called in the take.",
    quiet="listeners that take turns.",
)
