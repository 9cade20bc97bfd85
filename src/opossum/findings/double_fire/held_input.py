"""Held input: what should act once per press hangs on input that repeats while the key is held."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.scene import Scene
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, factorised, joined
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield functions that act on every frame of a held key. Cost: sorts of the calls that input made."""
    take, calls = scene.take, scene.take.calls
    from_input = scene.via == take.code("input")
    held = np.flatnonzero(from_input & (scene.edge == take.code("held")) & scene.counted & scene.is_of_one)
    if not len(held):
        return
    key = scene.of_send("key")
    held = held[_press_is_unused(scene, held, key)]
    if not len(held):
        return
    codes, _ = factorised(scene.peer[held], scene.owner[held], scene.function[held], key[held])
    runs = Runs(codes, calls.frame[held])
    rows = held[runs.order]
    follows = repeats_in_runs(calls.frame[rows], calls.effect[rows] > 0) & (runs.rank > 0)
    acting = runs.sums(follows) > 0
    rows, follows = rows[acting[runs.group]], follows[acting[runs.group]]
    is_extra = np.zeros(len(calls), bool)
    is_extra[rows[follows]] = True
    rows = np.sort(rows)
    for part in scene.by_class(rows, key[rows]):
        yield _tell(scene, part, part[is_extra[part]], key)


def repeats_in_runs(frames: Array, changed: Array) -> Array:
    """Return a boolean array (n,): the call follows one on the frame before, and both changed something."""
    follows = np.zeros(len(frames), bool)
    follows[1:] = (np.diff(frames) == 1) & changed[1:] & changed[:-1]
    return follows


def _press_is_unused(scene: Scene, held: Array, key: Array) -> Array:
    """Return a boolean array (n,): some press of the call's key reached no listener of the call's owner."""
    take = scene.take
    sends = take.tables["send"]
    is_down = (np.asarray(sends["edge"]) == take.code("down")) & (np.asarray(sends["via"]) == take.code("input"))
    downs = np.flatnonzero(is_down)
    of_call, of_down = joined((scene.peer[held], key[held]), (sends["p"][downs], sends["key"][downs]))
    presses = np.bincount(of_down, minlength=int(of_call.max()) + 1)[of_call]
    # presses that reached each owner, however many listeners of it they called
    reached = np.flatnonzero(np.append(is_down, False)[take.calls.send])
    _, first = factorised(take.calls.send[reached], scene.owner[reached])
    once = reached[first]
    of_held, of_reached = joined(
        (scene.peer[held], key[held], scene.owner[held]), (scene.peer[once], key[once], scene.owner[once])
    )
    used = np.bincount(of_reached, minlength=int(of_held.max()) + 1)[of_held]
    return presses > used


def _tell(scene: Scene, rows: Array, extra: Array, key: Array) -> Found:
    take, calls = scene.take, scene.take.calls
    sends = take.tables["send"]
    one = int(rows[0])
    name = take.text(int(key[one]))
    pressed = (np.asarray(sends["edge"]) == take.code("down")) & (np.asarray(sends["via"]) == take.code("input"))
    pressed &= (np.asarray(sends["key"]) == key[one]) & (np.asarray(sends["p"]) == scene.peer[one])
    subject = scene.subject_of_calls(rows)
    runs = 1 + int((np.diff(distinct(calls.frame[extra])) > 1).sum())
    evidence = scene.evidence("send", np.flatnonzero(pressed)[:2].tolist(), tr("the press that nobody uses for it"))
    evidence += scene.evidence("call", rows[:4].tolist(), tr("ran while held, and changed something"))
    return Found(
        subject=subject,
        frame_rows=calls.frame[extra],
        count=len(extra),
        cost_ns=scene.cost_of(extra),
        summary=tr(
            "{fn} of {owners_of_calls} ran on every frame while key `{name}` was held: {times} too many in {press}.",
            fn=subject.function,
            owners_of_calls=listed(scene.owners_of_calls(rows)),
            name=name,
            times=counted(len(extra), "time"),
            press=counted(runs, "press", "presses"),
        ),
        advice=tr(
            "Bind {fn} to the `down` of key `{name}` instead of `{ev}`, which repeats while held{place}.",
            fn=subject.function,
            name=name,
            ev=subject.ev,
            place=at_place(subject.at),
        ),
        evidence=tuple(evidence),
        calls=rows,
        told_apart=(f"key {name}",),
    )


HELD_INPUT = Cause(
    "held-input",
    "acts while held",
    Severity.FAULT,
    find,
    springs_from=FROM_STALE_CALLS,
    about="A function is called by `held` input on frames that follow each other and changes something each time, and nobody of its owner is called for the key's `down`.",
    quiet="a function that acts on `held` on purpose and on `down` too.",
)
