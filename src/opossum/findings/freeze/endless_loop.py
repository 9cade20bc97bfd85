"""An endless loop: a guarded loop told that it turned, or the stream ends inside a call that never returned."""

from __future__ import annotations

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Severity, Subject
from opossum.findings.freeze import event_storm
from opossum.findings.freeze.frozen import THRESHOLDS, happened_before, open_calls, records_in, stack_details
from opossum.findings.freeze.main_thread import main_calls
from opossum.findings.freeze.telling import Verdict, told, verdicts_of
from opossum.findings.scene import Scene
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.words import tr


def judge(scene: Scene, frame: int, length: int) -> Verdict | None:
    """Say whether a loop turned in the frame without end."""
    take = scene.take
    spin, stuck = records_in(scene, "spin", frame), records_in(scene, "stuck", frame)
    opened = open_calls(scene, frame)
    turning = _turning_call(scene, frame, spin, opened)
    if not len(spin) and turning is None:
        return None
    place = take.text(int(take.tables["spin"]["at"][spin[-1]])) if len(spin) else ""
    if turning is not None:
        subject = scene.subject_of_calls(np.array([turning]), at=place or scene.place_of_call(turning))
        name = tr("{fn} of {owner_of_call}", fn=subject.function, owner_of_call=take.owner_of_call(turning))
    else:
        subject, name = Subject(peer=scene.peer_name(int(take.frames.peer[frame])), at=place), tr("the game")
    ended, known = len(opened) > 0, bool(len(spin) or len(stuck))
    details = stack_details(scene, stuck)
    if not known:
        details.append(tr("No watchdog was heard: the records do not tell whether the game froze here or crashed."))
    details.append(happened_before(scene, frame, turning if turning is not None else _first_after(scene, frame, spin)))
    evidence = scene.evidence(
        "call",
        [turning] if turning is not None else [],
        tr("never came back") if ended else tr("the call it turned in"),
    )
    evidence += scene.evidence("spin", spin[-2:].tolist(), tr("the loop turned"))
    evidence += scene.evidence("stuck", stuck[-2:].tolist(), tr("the watchdog saw it"))
    where = place or subject.at or name
    verb = tr("did not end") if ended or not len(spin) else tr("turned in a loop")
    return Verdict(
        key=(subject.cls, subject.fn, subject.ev, place),
        subject=subject,
        reason=f"{name} {verb}: {listed(_proof(scene, spin, stuck, place, ended))}",
        advice=tr("Give the loop in {where} a way out.", where=where)
        if known
        else tr("Look at {where}: the game froze or crashed inside it.", where=where),
        evidence=evidence,
        calls=np.array([turning] if turning is not None else [], np.int64),
        details=details,
        ending=_ending(scene, frame, known),
    )


def _turning_call(scene: Scene, frame: int, spin: Array, opened: Array) -> int | None:
    """Return the call in which the loop turned: as its guard says, else the innermost one that never returned."""
    take = scene.take
    if len(spin):
        peer = np.array([int(take.frames.peer[frame])])
        named = take.call_ids.rows(peer, np.asarray(take.tables["spin"]["c"])[spin[-1:]])
        if named[0] >= 0:
            return int(named[0])
    return int(opened[-1]) if len(opened) else None


def _first_after(scene: Scene, frame: int, spin: Array) -> int | None:
    """Return the first call (row) of a frame that began after a guarded loop first told that it turned; None: none did."""
    rows = scene.once(main_calls).rows(frame)
    lines = np.asarray(scene.take.tables["call"]["line"], np.int64)[rows]
    later = rows[lines > int(scene.take.tables["spin"]["line"][spin[0]])]
    return int(later[0]) if len(later) else None


def _proof(scene: Scene, spin: Array, stuck: Array, place: str, ended: bool) -> list[str]:
    """Return what proves it, in words."""
    tables, proof = scene.take.tables, []
    if len(spin):
        turns = int(np.asarray(tables["spin"]["n"])[spin].max())
        proof.append(tr("its loop{place} turned {turns:,} times", place=at_place(place), turns=turns))
    if len(stuck):
        lasted = np.asarray(tables["stuck"]["sec"])[stuck]
        longest = float(np.max(lasted, initial=0.0, where=~np.isnan(lasted)))
        proof.append(
            tr("the watchdog saw it stuck for {longest:.1f} s", longest=longest)
            if longest
            else tr("the watchdog saw it stuck")
        )
    if ended:
        proof.append(tr("the stream ends inside it without `bye`"))
    return proof


def _ending(scene: Scene, frame: int, known: bool) -> str:
    """Return how the frame's sentence begins where the stream ends in it; empty where it does not."""
    take = scene.take
    peer = int(take.frames.peer[frame])
    if take.recording.closed(peer) or frame != take.frames.of_peer(peer).stop - 1:
        return ""
    return tr("froze and never ended ({length} recorded)") if known else tr("never ended")


VERDICTS = verdicts_of(judge, event_storm.VERDICTS)
ENDLESS_LOOP = Cause(
    "endless-loop",
    "a loop without end",
    Severity.FAULT,
    told(VERDICTS),
    THRESHOLDS,
    about="A guarded loop told that it turned, or the stream ends inside a call that never returned.",
    quiet="a stream that was closed on purpose; a game that still plays.",
)
