"""What comes at the wrong moment comes at the right one."""

from __future__ import annotations

import numpy as np

from opossum.findings.finding import Finding
from opossum.rehearse.plan import Plan, RehearsalError
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
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
        moved=(finding.sends, _in_frames(take, finding.sends, _recorded(take, finding.sends, finding.due_ns))),
        unknown=(tr("what is set in motion by it later comes at the time it was recorded at"),),
    )


def at_their_places(take: Take, finding: Finding) -> Plan:
    """Let the marks of a clip, or the cues of a track, come where they are planned."""
    if not len(finding.sends):
        raise RehearsalError(tr("the take does not tell when the mark was due"))
    return Plan(
        done=tr("what `{clip}` has planned comes at its place", clip=finding.subject.clip),
        moved=(finding.sends, _in_frames(take, finding.sends, _recorded(take, finding.sends, finding.due_ns))),
        unknown=(tr("what is set in motion by it later comes at the time it was recorded at"),),
    )


def _recorded(take: Take, sends: Array, game_ns: Array) -> Array:
    """Return moments of game time as recorded times: held time lies between, the same before and after for one send."""
    table = take.tables["send"]
    time = np.asarray(table["t"], np.int64)[sends]
    return game_ns + (time - take.holds.game_times(np.asarray(table["p"])[sends], time))


def _in_frames(take: Take, sends: Array, due_ns: Array) -> Array:
    """Return when sends come that are due at moments, (n,) each: a game looks at its clips once a frame.

    That is in the first frame of their peer that begins then or later, in the phase that they came in and as far into it; none
    comes between two frames. After the last frame a send comes when it is due.
    """
    table = take.tables["send"]
    peers, own = np.asarray(table["p"], np.int64)[sends], take.sends.frame[sends].astype(np.int64)
    times, lines = (np.asarray(table[name], np.int64)[sends] for name in ("t", "line"))
    comes = due_ns.copy()
    for peer in distinct(peers).tolist():
        rows, stretches = take.frames.of_peer(peer), _Stretches(take, peer)
        place = rows.start + np.searchsorted(take.frames.start_ns[rows], due_ns, "left")
        for at in np.flatnonzero((peers == peer) & (own >= 0) & (place < rows.stop)).tolist():
            name, begin, _ = stretches.within(int(own[at]), int(lines[at]))
            _, there, end = stretches.named(int(place[at]), name)
            comes[at] = min(there + int(times[at]) - begin, max(end - 1, there))
    return comes


class _Stretches:
    """The phases of a peer's frames, each as (code of its name, begin, end), ns; a frame's first one has no name (-1)."""

    def __init__(self, take: Take, peer: int) -> None:
        self._frames, self._stop = take.frames, take.frames.of_peer(peer).stop
        table = take.tables["phase"]
        rows = take.recording.rows_of_peer("phase", peer)
        self._line, self._name, self._time = (
            np.asarray(table[field], np.int64)[rows] for field in ("line", "name", "t")
        )

    def _of(self, frame: int) -> list[tuple[int, int, int]]:
        frames = self._frames
        following = int(frames.line[frame + 1]) if frame + 1 < self._stop else np.iinfo(np.int64).max
        first, stop = np.searchsorted(self._line, [int(frames.line[frame]), following])
        names = [-1, *self._name[first:stop].tolist()]
        begins = [int(frames.start_ns[frame]), *self._time[first:stop].tolist()]
        return list(zip(names, begins, [*begins[1:], int(frames.work_end_ns[frame])], strict=True))

    def within(self, frame: int, line: int) -> tuple[int, int, int]:
        """Return the phase of a frame that a line of it stands in."""
        first = int(np.searchsorted(self._line, int(self._frames.line[frame])))
        return self._of(frame)[int(np.searchsorted(self._line, line)) - first]

    def named(self, frame: int, name: int) -> tuple[int, int, int]:
        """Return the first phase of that name in a frame, the frame's first where it has none."""
        stretches = self._of(frame)
        return next((stretch for stretch in stretches if stretch[0] == name), stretches[0])


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
                fn=finding.subject.fn or take.text(int(take.tables["bind"]["fn"][binds[0]])),
            ),
        ),
    )
