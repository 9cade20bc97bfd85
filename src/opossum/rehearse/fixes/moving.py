"""What comes at the wrong moment comes at the right one."""

from __future__ import annotations

import numpy as np

from opossum.findings.finding import Finding
from opossum.rehearse.plan import Plan, RehearsalError
from opossum.take.take import Take


def on_the_mark(take: Take, finding: Finding) -> Plan:
    """Let what a delay did come with the mark it stands in for."""
    if not len(finding.due_ns):
        raise RehearsalError("the take does not tell when the mark was due")
    return Plan(
        done=f"`{finding.subject.ev}` comes with the mark `{finding.subject.mark}` instead of after a delay",
        moved=(finding.sends, _recorded(take, finding.sends, finding.due_ns)),
        unknown=("what is set in motion by it later comes at the time it was recorded at",),
    )


def _recorded(take: Take, sends: np.ndarray, game_ns: np.ndarray) -> np.ndarray:
    """Return moments of game time as recorded times: held time lies between, the same before and after for one send."""
    table = take.tables["send"]
    time = np.asarray(table["t"], np.int64)[sends]
    return game_ns + (time - take.holds.game_times(np.asarray(table["p"])[sends], time))


def after_the_bind(take: Take, finding: Finding) -> Plan:
    """Let what was sent too early come right after its listener is bound."""
    binds = [item.row for item in finding.evidence if item.k == "bind"]
    sends = (
        finding.sends
        if len(finding.sends)
        else np.array([item.row for item in finding.evidence if item.k == "send"], np.int64)
    )
    if not binds or not len(sends):
        raise RehearsalError("the take does not tell what was sent before which bind")
    when = int(np.max(np.asarray(take.tables["bind"]["t"], np.int64)[binds]))
    return Plan(
        done=f"`{finding.subject.ev}` is sent after its listener is bound",
        moved=(sends, np.full(len(sends), when, np.int64)),
        unknown=(
            f"what `{finding.subject.fn or 'the listener'}` does when it hears it: a call that never was cannot be told",
        ),
    )
