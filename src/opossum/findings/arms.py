"""Timers and delays as findings tell them: whose they are, for which event, and where they were set."""

from __future__ import annotations

import numpy as np

from opossum.findings.finding import Subject
from opossum.findings.scene import Scene
from opossum.stream.tables import Array
from opossum.take.grouping import distinct


def owners_of_arms(scene: Scene, arms: Array) -> list[str]:
    """Return the names of the owners of timers or delays (rows), each once."""
    owners = distinct(np.asarray(scene.take.tables["arm"]["o"])[arms])
    return [scene.take.text(int(code)) for code in owners]


def subject_of_arms(scene: Scene, arms: Array) -> Subject:
    """Return the subject shared by timers or delays (rows) of one class and event: the owner too, if it is but one."""
    take, table, first = scene.take, scene.take.tables["arm"], int(arms[0])
    owners = owners_of_arms(scene, arms)
    return Subject(
        ev=take.text(int(take.arms.event[first])),
        o=owners[0] if len(owners) == 1 else "",
        cls=take.class_of(int(table["o"][first])),
        peer=scene.peer_name(int(table["p"][first])),
        at=take.text(int(table["at"][first])),
    )
