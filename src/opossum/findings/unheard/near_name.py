"""Near name: nobody listens to the name as it was sent, but somebody to one that is a slip away."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.listening import listening
from opossum.findings.scene import Scene
from opossum.findings.unheard.hearing import bearing, by_event, senders, told
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.take.nearness import NearNames
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield names a slip away from one that is listened to. Cost: linear in unheard sends and in the names' letters."""
    take = scene.take
    known, unheard = scene.once(listening), scene.once(bearing)
    sends = take.tables["send"]
    # a name that anybody ever listens to is no slip
    never = np.flatnonzero(known.bound.begun_before(unheard.key, np.full(len(unheard.key), 2**62)) == 0)
    names: dict[int, NearNames] = {}
    for part in by_event(scene, unheard.rows[never]):
        rows = unheard.rows[never[part]]
        peer, event = int(sends["p"][rows[0]]), take.text(int(sends["ev"][rows[0]]))
        if peer not in names:
            binds = take.recording.rows_of_peer("bind", peer)
            names[peer] = NearNames(take.text(code) for code in distinct(take.tables["bind"]["ev"][binds]).tolist())
        for near in names[peer].near(event):
            key = known.keys(np.array([peer]), np.array([take.code(near)]))[0]
            lines = np.asarray(sends["line"], np.int64)[rows]
            missed = rows[known.bound.open_at(np.full(len(rows), key), lines) > 0]
            if len(missed):
                binds = known.bound.open_rows(int(key), int(sends["line"][missed[0]]))
                yield _tell(scene, missed, near, binds)
                break


def _tell(scene: Scene, sends: Array, near: str, binds: Array) -> Found:
    take = scene.take
    table = take.tables["bind"]
    event = take.text(int(take.tables["send"]["ev"][sends[0]]))
    who = listed(
        [
            tr("{table} of {table2}", table=take.function_of_bind(bind), table2=take.owner_of_bind(bind))
            for bind in binds
        ]
    )
    place = at_place(scene.place_of_sends(sends))
    bound_at = at_place(take.text(int(table["at"][binds[0]])))
    return told(
        scene,
        sends,
        tr(
            "`{event}` was sent {times} by {senders} and nobody listens to it; `{near}` is listened to by {who}.",
            event=event,
            times=counted(len(sends), "time"),
            senders=senders(scene, sends),
            near=near,
            who=who,
        ),
        tr(
            "Send `{near}`{place}, or bind `{event}`{bound_at}: the two names differ by a slip.",
            near=near,
            place=place,
            event=event,
            bound_at=bound_at,
        ),
        binds=binds,
        note=tr("listens to `{near}`", near=near),
        details=(tr("The near name is `{near}`, listened to by {who}.", near=near, who=who),),
    )


NEAR_NAME = Cause(
    "near-name",
    "sent under a name a slip away",
    Severity.FAULT,
    find,
    about="Nobody ever listens to the name as it is sent, and somebody listens to one that differs in case, spaces, `_`, `-`, `.`, `:`, or by one edit (both of at least four characters).",
    quiet="a digit for another digit (`shelf_1`, `shelf_2`); names with a listener of their own at any time.",
)
