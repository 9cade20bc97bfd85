"""Take ended: it is still waited for at the end, and has been for long."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.frame_times import frame_times, play_ends
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wait_never_met.waiting import FROM_THE_MARK, never_met, told, went
from opossum.findings.wording import milliseconds
from opossum.words import tr

WAITED_SECONDS = Threshold(
    "waited_seconds", 5.0, "s", "what is waited for that long at the end of a take may well never come"
)


def find(scene: Scene) -> Iterator[Found]:
    """Yield waits that are open at the take's end."""
    take = scene.take
    if scene.playing:
        return
    never = scene.once(never_met)
    table = take.tables["wait"]
    rows = never.rows[(never.play < 0) & ~went(never)]
    peers = np.asarray(table["p"])[rows]
    end = scene.once(play_ends)[np.asarray(peers, np.int64)]
    waited = end - scene.once(frame_times).time_of("wait", rows)
    long = waited >= scene[WAITED_SECONDS] * 1e9
    last = np.asarray(take.frames.peer_starts[1:], np.int64)[np.asarray(peers, np.int64)] - 1
    longest = milliseconds(float(waited[long].max(initial=0)))
    yield from told(
        scene,
        rows[long],
        last[long],
        tr("it is still waited for at the end of the take, for {longest} at most", longest=longest),
        tr("See who should send `{event}`, or give up the wait{where} after a while."),
    )


TAKE_ENDED = Cause(
    "take-ended",
    "still waiting at the end",
    Severity.RISK,
    find,
    (WAITED_SECONDS,),
    springs_from=FROM_THE_MARK,
    about="It is still waited for at the take's end, for at least five seconds.",
    quiet="a game that still plays; time in which it froze.",
)
