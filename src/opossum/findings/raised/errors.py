"""What the causes share: which calls ended in an error, and who was left out after them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.findings.finding import Found
from opossum.findings.listening import listening
from opossum.findings.scene import Scene
from opossum.findings.wording import at_place, event_named
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, factorised
from opossum.words import counted, tr

WAYS_TO_END = ("SystemExit", "KeyboardInterrupt", "GeneratorExit")
"""What is raised to end the game, or a loop, is no error."""


class Errors(NamedTuple):
    """Calls (rows, ascending) of one class, function and event that raised, and the binds (rows) left out after each."""

    calls: Array
    left_out: list[Array]


def errors(scene: Scene) -> list[Errors]:
    """Return what raised, by class. Linear in the calls; for each error a look at the binds of its event."""
    take = scene.take
    told = np.append(np.asarray(take.tables["ret"]["err"], np.int64), -1)[take.calls.ret]
    ending = [code for code, text in enumerate(take.strings) if text.startswith(WAYS_TO_END)]
    rows = np.flatnonzero((told >= 0) & ~np.isin(told, ending))
    # an error that passes through who called is told where it was raised
    passed = np.zeros(len(take.calls) + 1, bool)
    parents = take.calls.parent[rows]
    passed[parents[told[np.maximum(parents, 0)] == told[rows]]] = True
    rows = rows[~passed[rows]]
    return [Errors(calls, [_left_out(scene, int(call)) for call in calls]) for calls in scene.by_class(rows)]


def _called_alike(scene: Scene) -> Array:
    """Return a boolean array (binds,): this listener, or the same function of another of its class, is called for the event."""
    take, known = scene.take, scene.once(listening)
    table = take.tables["bind"]
    group, _ = factorised(known.key, table["fn"], scene.class_of_object[known.owner])
    return np.bincount(group, weights=known.called)[group] > 0


def _left_out(scene: Scene, call: int) -> Array:
    """Return the binds that would have heard the send, hear other sends of it, and were not called after the error."""
    take = scene.take
    known = scene.once(listening)
    send = int(take.calls.send[call])
    nobody = np.zeros(0, np.int64)
    if send < 0:
        return nobody
    table = take.tables["send"]
    if int(table["route"][send]) in (take.code("first"), take.code("one")):
        return nobody
    binds = known.bound.open_rows(int(known.of_sends(np.array([send]))[0]), int(table["line"][send]))
    binds = binds[scene.once(_called_alike)[binds] & known.fits(binds, np.full(len(binds), send))]
    called = scene.calls_by_send.rows(send)
    bind_table = take.tables["bind"]
    same = np.isin(binds, take.calls.bind[called])
    named = set(zip(scene.owner[called].tolist(), scene.function[called].tolist(), strict=True))
    owners, functions = (np.asarray(bind_table[name])[binds].tolist() for name in ("o", "fn"))
    same |= np.array([one in named for one in zip(owners, functions, strict=True)], bool)
    gone = take.binds.owner_gone_line[binds] < int(table["line"][send])
    return binds[~same & ~gone]


def tell(scene: Scene, calls: Array, shown: Array, rest: str, advice: str, binds: Array) -> Found:
    """Return a finding about calls (rows) that raised, `shown` those in whose frames it shows."""
    take = scene.take
    subject = scene.subject_of_calls(calls)
    codes = np.asarray(take.tables["ret"]["err"])[take.calls.ret[calls]]
    texts = [(take.text(int(code)), int((codes == code).sum())) for code in distinct(codes)]
    texts.sort(key=lambda item: -item[1])
    evidence = scene.evidence("call", shown[:3].tolist(), tr("this call"))
    evidence += scene.evidence("ret", take.calls.ret[shown[:3]].tolist(), tr("ended in an error"))
    evidence += scene.evidence("bind", binds[:3].tolist(), tr("not called after it"))
    return Found(
        subject=subject,
        frame_rows=take.calls.frame[shown],
        count=len(calls),
        cost_ns=scene.cost_of(calls),
        summary=tr(
            "{fn} ended in an error {times} when called for {ev}: {texts}{rest}.",
            fn=subject.function,
            times=counted(len(calls), "time"),
            ev=event_named(subject.ev),
            texts=texts[0][0] or tr("no text"),
            rest=rest,
        ),
        advice=f"{advice}{at_place(subject.at)}.",
        evidence=tuple(evidence),
        calls=shown,
        details=tuple(f"{counted(count, 'time')}: {text}" for text, count in texts[:8]),
    )
