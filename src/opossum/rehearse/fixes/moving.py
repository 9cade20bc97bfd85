"""What comes at the wrong moment comes at the right one."""

from __future__ import annotations

import numpy as np

from opossum.findings.finding import Finding
from opossum.rehearse.plan import Plan, RehearsalError
from opossum.take.take import Take
from opossum.words import tr


def on_the_mark(take: Take, finding: Finding) -> Plan:
    """Let what a delay did come with the mark it stands in for."""
    if not len(finding.due_ns):
        raise RehearsalError(tr("the take does not tell when the mark was due"))
    return Plan(
        done=tr(
            "`{ev}` comes with the mark `{mark}` instead of after a delay",
            ev=finding.subject.ev,
            mark=finding.subject.mark,
        ),
        moved=(finding.sends, _recorded(take, finding.sends, finding.due_ns)),
        unknown=(tr("what is set in motion by it later comes at the time it was recorded at"),),
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
        raise RehearsalError(tr("the take does not tell what was sent before which bind"))
    when = int(np.max(np.asarray(take.tables["bind"]["t"], np.int64)[binds]))
    return Plan(
        done=tr("`{ev}` is sent after its listener is bound", ev=finding.subject.ev),
        moved=(sends, np.full(len(sends), when, np.int64)),
        unknown=(
            tr(
                "what `{fn}` does when it hears it: a call that never was cannot be told",
                fn=finding.subject.fn or tr("the listener"),
            ),
        ),
    )
