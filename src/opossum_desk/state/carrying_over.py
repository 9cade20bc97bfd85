"""Going on looking at a stream that has grown: what was looked at before is looked at again."""

from __future__ import annotations

from opossum_desk.state.session import Session


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
    if len(session.take.peers) == len(other.take.peers) == 1:
        # one peer's records only follow those before: what was found still stands where it stood
        session.findings, session.examined = other.findings, other.examined
        session.selection.finding = other.finding
        if session.findings and session.doubles_of < 0:
            session.set_findings(session.findings)
    unfolded = {other.row_index.class_key(group) for group in other.unfolded}
    groups = range(len(session.row_index.first_of_class))
    session.unfolded = {group for group in groups if session.row_index.class_key(group) in unfolded}
    if other.sieve.text != session.sieve.text:
        session.set_sieve(other.sieve.text)
    session.selection.choose(other.column, other.call)
    session.order_rows()
