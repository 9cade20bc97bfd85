"""Going on looking at a stream that has grown: what was looked at before is looked at again.

Records only follow those before, so that the rows of calls, sends and all other records stay.  Only frames are kept peer after
peer: those of a peer begin further on once a peer before it has more of them.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from opossum.findings.finding import Finding
from opossum.stream.tables import Array
from opossum_desk.state.session import Session


def as_grown(findings: Sequence[Finding], before: Array, now: Array) -> list[Finding]:
    """Return findings of a stream as they stand in it now that it has grown; the same ones where nothing of them moves.

    `before`, `now`: where each peer's frames began (`Frames.peer_starts`) when they were found, and begin now; peers may
    have come.
    """
    moved = now[: len(before) - 1] - before[:-1]
    if not moved.any():
        return list(findings)

    def grown(finding: Finding) -> Finding:
        rows = np.asarray(finding.frame_rows, np.int64)
        peer = np.minimum(np.searchsorted(before, rows, "right") - 1, len(moved) - 1)
        further = np.where(peer >= 0, moved[peer], 0)  # what lies in no frame stays in none
        return finding.changed(frame_rows=rows + further) if further.any() else finding

    return [grown(finding) for finding in findings]


def carry_over(session: Session, other: Session) -> None:
    """Go on looking as in `other`, a session of the same stream before it grew."""
    names = [span.name for span in session.take.peers]
    wanted = other.take.peers[other.peer].name if other.take.peers else ""
    if wanted in names and names.index(wanted) != session.peer:
        session.lay_out_by(names.index(wanted), other.axis.mode)
    elif other.axis.mode is not session.axis.mode:
        session.viewport.lay_on(session.axis_by(other.axis.mode, session.peer))
    seen = other.viewport
    if seen.whole:
        session.viewport.show(*session.axis.extent)
    elif seen.at_end:
        session.viewport.show(session.axis.extent[1] - seen.width, session.axis.extent[1])
    else:
        session.viewport.show(seen.low, seen.high)
    session.marks.show(other.marks.columns, other.marks.notes)
    session.sounds.carry_over(other.sounds)
    session.history, session.weave, session.sound_of = other.history, other.weave, other.sound_of
    session.sieve.hides, session.shows_resting = other.sieve.hides, other.shows_resting
    session.shows_data = other.shows_data
    starts = other.take.frames.peer_starts, session.take.frames.peer_starts
    session.findings, session.examined = as_grown(other.findings, *starts), other.examined
    if other.finding is not None:
        chosen = session.finding_named(other.finding.id)
        session.selection.finding = chosen or as_grown([other.finding], *starts)[0]
    if session.findings and session.doubles_of < 0:
        session.set_findings(session.findings)
    unfolded = {other.row_index.class_key(group) for group in other.unfolded}
    groups = range(len(session.row_index.first_of_class))
    session.unfolded = {group for group in groups if session.row_index.class_key(group) in unfolded}
    if other.sieve.text != session.sieve.text:
        session.set_sieve(other.sieve.text)
    session.selection.choose(other.column, other.call)
    session.order_rows()
