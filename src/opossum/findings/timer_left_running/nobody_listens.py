"""Nobody listens: a looping timer fires again and again, and nobody hears it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.arms import owners_of_arms, subject_of_arms
from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.timer_left_running.owner_gone import left_armed
from opossum.findings.unheard.hearing import unheard_sends
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.grouping import parted
from opossum.words import counted, tr

FIRINGS_FOR_NOBODY = Threshold(
    "firings_for_nobody", 20, "firings in a row", "a timer may wait a while for its listener, but not so long"
)


def find(scene: Scene) -> Iterator[Found]:
    """Yield timers that nobody listens to. Linear in the firings of looping timers."""
    take = scene.take
    if not len(take.calls):
        return  # whether anybody was called is not recorded
    table = take.tables["arm"]
    unheard = np.zeros(len(take.tables["send"]), bool)
    unheard[scene.once(unheard_sends).sent] = True
    left = np.zeros(len(table), bool)
    left[scene.once(left_armed)[0]] = True
    enough = take.arms.firings.sizes() >= scene[FIRINGS_FOR_NOBODY]
    arms, rows = [], []
    for arm in np.flatnonzero((np.asarray(table["loop"]) == 1) & enough & ~left).tolist():
        fired = take.arms.firings.rows(arm)
        idle = fired[_long_runs(unheard[fired], int(scene[FIRINGS_FOR_NOBODY]))]
        if len(idle):
            arms.append(arm)
            rows.append(idle)
    if not arms:
        return
    found = np.array(arms)
    classes = scene.class_of_object[np.asarray(table["o"])[found]]
    for part in parted(np.asarray(table["p"])[found], classes, take.arms.event[found]):
        yield _tell(scene, found[part], np.concatenate([rows[place] for place in part.tolist()]))


def _long_runs(flags: Array, least: int) -> Array:
    """Return a boolean array (n,): the place lies in a run of at least so many that are true."""
    edges = np.diff(np.concatenate(([0], flags.astype(np.int8), [0])))
    begins, ends = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1)
    long = ends - begins >= least
    marks = np.zeros(len(flags) + 1, np.int64)
    marks[begins[long]] += 1
    marks[ends[long]] -= 1
    return np.cumsum(marks)[:-1] > 0


def _tell(scene: Scene, arms: Array, fired: Array) -> Found:
    take = scene.take
    table = take.tables["arm"]
    owners = owners_of_arms(scene, arms)
    event, at = take.text(int(take.arms.event[arms[0]])), take.text(int(table["at"][arms[0]]))
    evidence = scene.evidence("arm", arms[:3].tolist(), tr("set here"))
    evidence += scene.evidence("send", fired[:6].tolist(), tr("fired for nobody"))
    return Found(
        subject=subject_of_arms(scene, arms),
        frame_rows=take.sends.frame[fired],
        count=len(fired),
        summary=tr(
            "The timer for `{event}` of {owners} fired {times} and nobody was called.",
            event=event,
            owners=listed(owners) or tr("the game"),
            times=counted(len(fired), "time"),
        ),
        advice=tr(
            "Clear the timer for `{event}` when its last listener goes, or do not set it before one is bound{place}.",
            event=event,
            place=at_place(at),
        ),
        evidence=tuple(evidence),
    )


NOBODY_LISTENS = Cause(
    "nobody-listens",
    "fires for nobody",
    Severity.WASTE,
    find,
    (FIRINGS_FOR_NOBODY,),
    weave="roster",
    about="A looping timer fires twenty times in a row, and nobody is called.",
    quiet="a take without any call.",
)
