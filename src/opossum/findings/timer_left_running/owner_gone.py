"""Owner gone: a timer or delay fires, or stays set, although its owner went."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.arms import owners_of_arms, subject_of_arms
from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.frame_times import play_ends
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.stale_listener.outliving import gone_evidence
from opossum.findings.wording import at_place, event_named, listed
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, parted
from opossum.take.indexes.objects import NEVER
from opossum.words import counted, tr

LEFT_ARMED_SECONDS = Threshold(
    "left_armed_seconds", 5.0, "s", "what is still set so long after its owner went was forgotten"
)


def left_armed(scene: Scene) -> tuple[Array, Array]:
    """Return (arms, sends): rows of arms that outlive their owner and matter, and of their firings after it went.

    What is disarmed in the frame of the `gone` is in order. Linear in arms and sends.
    """
    take = scene.take
    table, sends = take.tables["arm"], take.tables["send"]
    gone_line, gone_ns = take.objects.next_gone(table["p"], table["o"], table["line"])
    peers = np.asarray(table["p"])
    mortal = np.flatnonzero((gone_line != NEVER) & (take.arms.end_line > gone_line))
    nothing = np.zeros(0, np.int64)
    if not len(mortal):
        return nothing, nothing
    gone_frame = take.frames.rows_of_lines(peers[mortal], gone_line[mortal])
    end_line = _disarm_lines(scene)[mortal]
    end_frame = take.frames.rows_of_lines(peers[mortal], end_line)
    mortal = mortal[(end_line == NEVER) | (end_frame > gone_frame)]
    firings = take.arms.firings
    arm_of = np.repeat(mortal, firings.sizes()[mortal])
    fired = firings.rows_of_all(mortal).astype(np.int64)
    late = np.asarray(sends["line"], np.int64)[fired] > gone_line[arm_of]
    late &= scene.in_play(take.sends.frame[fired])
    ended = take.holds.game_times(peers[mortal], np.minimum(take.arms.end_ns[mortal], 2**62))
    until = np.minimum(ended, scene.once(play_ends)[np.asarray(peers[mortal], np.int64)])
    stayed = until - take.holds.game_times(peers[mortal], gone_ns[mortal])
    long = stayed >= scene[LEFT_ARMED_SECONDS] * 1e9
    arms = np.union1d(mortal[long], arm_of[late])
    return arms, fired[late]


def _disarm_lines(scene: Scene) -> Array:
    """Return int64 (arms,): the line of each arm's `disarm`, `NEVER` where there is none (a delay's firing is none)."""
    take = scene.take
    table = take.tables["disarm"]
    lines = np.full(len(take.tables["arm"]), NEVER, np.int64)
    rows = take.arm_ids.rows(table["p"], table["a"])
    known = rows >= 0
    np.minimum.at(lines, rows[known], np.asarray(table["line"], np.int64)[known])
    return lines


def find(scene: Scene) -> Iterator[Found]:
    """Yield what was left running when its owner went."""
    take = scene.take
    arms, fired = scene.once(left_armed)
    if not len(arms):
        return
    table = take.tables["arm"]
    classes = scene.class_of_object[np.asarray(table["o"])[arms]]
    of_fired = take.arm_ids.rows(
        np.asarray(take.tables["send"]["p"])[fired], np.asarray(take.tables["send"]["a"])[fired]
    )
    for part in parted(np.asarray(table["p"])[arms], classes, take.arms.event[arms]):
        mine = arms[part]
        own = np.isin(of_fired, mine)
        yield _tell(scene, mine, fired[own], len(mine) - len(distinct(of_fired[own])))


def _tell(scene: Scene, arms: Array, fired: Array, silent: int) -> Found:
    take = scene.take
    table = take.tables["arm"]
    gone_line, _ = take.objects.next_gone(*(np.asarray(table[name])[arms] for name in ("p", "o", "line")))
    owners = owners_of_arms(scene, arms)
    loops = (np.asarray(table["loop"])[arms] == 1).any()
    what = tr("timer") if loops else tr("delay")
    event, at = event_named(take.text(int(take.arms.event[arms[0]]))), take.text(int(table["at"][arms[0]]))
    calls = scene.calls_of_sends(np.sort(fired))
    frames = take.sends.frame[fired] if len(fired) else take.frames.rows_of_lines(table["p"][arms], gone_line)
    how = tr("fired {times} after", times=counted(len(fired), "time")) if len(fired) else tr("stayed set after")
    evidence = scene.evidence("arm", arms[:3].tolist(), tr("set here"))
    evidence += gone_evidence(scene, gone_line, tr("its owner went"))
    evidence += scene.evidence("send", fired[:4].tolist(), tr("fired all the same"))
    return Found(
        subject=subject_of_arms(scene, arms),
        frame_rows=frames,
        count=len(fired) or len(arms),
        cost_ns=scene.cost_of(calls),
        summary=tr(
            "The {what} for {event} of {owners} {how} {its_owner} went{silent}.",
            what=what,
            event=event,
            owners=listed(owners),
            how=how,
            its_owner=tr("its owner") if len(owners) == 1 else tr("their owners"),
            silent=tr(", and {silent} of {arms} stayed set without firing", silent=silent, arms=len(arms))
            if silent and len(fired)
            else "",
        ),
        advice=tr(
            "Clear the {what} for {event} where {class_of} is destroyed{place}.",
            what=what,
            event=event,
            class_of=take.class_of(int(table["o"][arms[0]])) or tr("its owner"),
            place=at_place(at),
        ),
        evidence=tuple(evidence),
        calls=calls,
    )


OWNER_GONE = Cause(
    "owner-gone",
    "running after its owner went",
    Severity.FAULT,
    find,
    (LEFT_ARMED_SECONDS,),
    springs_from=FROM_STALE_CALLS,
    about="A timer or delay fires after its owner went, or stays set for five seconds.",
    quiet="disarmed in the frame of the `gone`.",
)
