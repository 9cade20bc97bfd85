"""Mirrored: one networked event changes one owner on several peers. A note: it may be meant."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.wording import listed
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, factorised, parted
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield effects of networked events that land on one owner on several peers. Cost: one sort of such calls."""
    take, calls = scene.take, scene.take.calls
    if len(take.peers) < 2:
        return
    net = scene.of_send("net")
    asked = np.flatnonzero((net >= 0) & (calls.effect != 0) & scene.counted & scene.is_of_one)
    if not len(asked):
        return
    codes, _ = factorised(net[asked], scene.owner[asked], scene.function[asked])
    runs = Runs(codes)
    peers = scene.peer[asked][runs.order]
    several = runs.sums(peers != peers[runs.starts[runs.group]]) > 0
    rows = np.sort(asked[runs.order[several[runs.group]]])
    for part in parted(scene.owner[rows], scene.function[rows]):
        yield _tell(scene, rows[part], net)


def _tell(scene: Scene, rows: Array, net: Array) -> Found:
    take = scene.take
    subject = scene.subject_of_calls(rows, peer="")
    names = [take.peers[int(peer)].name for peer in distinct(scene.peer[rows])]
    sends = len(distinct(net[rows]))
    return Found(
        subject=subject,
        frame_rows=take.calls.frame[rows],
        count=sends,
        summary=tr(
            "{fn} of {owner_of_call} changed the same object on {names} for {sends}.",
            fn=subject.function,
            owner_of_call=take.owner_of_call(int(rows[0])),
            names=listed(names),
            sends=counted(sends, "`{ev}` send").format(ev=subject.ev),
        ),
        advice=tr(
            "If one peer decides, let the others only show it; if each keeps its own copy, nothing is to be done."
        ),
        evidence=tuple(scene.evidence("call", rows[:4].tolist(), tr("changed it here"))),
        calls=rows,
    )


MIRRORED = Cause(
    "mirrored",
    "acts on several peers",
    Severity.NOTE,
    find,
    about="One networked send changes the same owner on several peers.",
    quiet="effects on different owners.",
)
