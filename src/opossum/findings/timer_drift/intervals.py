"""What the causes share: how far each firing of a looping timer is from where its interval would have put it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.arms import owners_of_arms, subject_of_arms
from opossum.findings.finding import Found
from opossum.findings.frame_times import frame_times, stalls
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import at_place, listed, milliseconds
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, parted
from opossum.words import counted, tr

DRIFT_INTERVALS = Threshold("drift_intervals", 8, "intervals", "fewer may be off by chance")
DRIFT_FRAMES = Threshold(
    "drift_frames", 0.5, "frames an interval", "a timer that fires on frames is off by up to half of one on average"
)
DRIFT_ALIKE_SHARE = Threshold(
    "drift_alike_share", 0.9, "share of the intervals", "a rule of counting shows in nearly every interval"
)
LONG_FRAME = Threshold(
    "long_frame", 1.5, "times the usual frame", "a frame so long took a turn from whoever counts frames"
)

STEADY_SHARE = 0.6
LEAST_FRAME_NS = 2e6

ROUNDING = 0.05
"""An interval this close above a whole number of frames is that number: floats do not tell better."""


class Interval(NamedTuple):
    """The intervals of one looping timer that count: `frames` each took, `off` (frames) by which it was too long, whether
    it held a `long` frame, the `firing` (send row) that ended it.  `asked` is the interval in frames that was asked for.
    """

    arm: int
    asked: float
    frames: Array
    off: Array
    long: Array
    firing: Array


def drifting(scene: Scene) -> list[Interval]:
    """Return the timers whose intervals are off by more than half a frame on average. Linear in the firings."""
    take = scene.take
    table = take.tables["arm"]
    enough = take.arms.firings.sizes() >= scene[DRIFT_INTERVALS]
    looping = np.flatnonzero((np.asarray(table["loop"]) == 1) & enough)
    unplayed = take.frames.loading | (take.frames.held_ns > 0)
    # whoever counts frames is not thrown off by how long the machine made them
    of_frames, of_time = (
        np.concatenate(([0], np.cumsum(unplayed | scene.once(broken)))) for broken in (stalls, disturbed)
    )
    found = []
    for arm in looping.tolist():
        interval = _intervals(scene, arm, of_frames if table["frames"][arm] > 0 else of_time)
        if interval is None or len(interval.off) < scene[DRIFT_INTERVALS]:
            continue
        if abs(float(interval.off.mean())) > scene[DRIFT_FRAMES]:
            found.append(interval)
    return found


def disturbed(scene: Scene) -> Array:
    """Return a boolean array (frames,): the game stood still in that frame, or it ran long by what the machine took of it alone.

    Asked through `scene.once`.
    """
    take, times = scene.take, scene.once(frame_times)
    longest = scene[LONG_FRAME] * times.frame_ns(take.frames.peer)
    taken = (times.length_ns > longest) & (times.length_ns - take.frames.machine_ns <= longest)
    return scene.once(stalls) | taken


def _intervals(scene: Scene, arm: int, gaps: Array) -> Interval | None:
    take, times = scene.take, scene.once(frame_times)
    table, sends = take.tables["arm"], take.tables["send"]
    peer = int(table["p"][arm])
    usual = times.usual_ns[peer]
    seconds, counted = float(table["sec"][arm]), int(table["frames"][arm])
    if counted <= 0 and not scene.once(_steady)[peer]:
        return None  # a loop that turns when something happens has no frames that an interval could be measured in
    asked = counted if counted > 0 else seconds * 1e9 / usual
    if not asked >= 1 - ROUNDING or asked > 1e9:
        return None  # shorter than a frame, or not told
    firings = take.arms.firings.rows(arm).astype(np.int64)
    first = take.frames.rows_of_lines(np.array([peer]), np.asarray(table["line"], np.int64)[arm : arm + 1])
    rows = np.concatenate((first, take.sends.frame[firings])).astype(np.int64)
    if table["paused"][arm] == 1:
        rows = rows[1:]
    firings = firings[len(firings) - len(rows) + 1 :]
    begin, end = rows[:-1], rows[1:]
    usable = (begin >= 0) & (gaps[np.maximum(end, 0) + 1] - gaps[np.maximum(begin, 0)] == 0)
    usable &= ~_paused_between(scene, arm, sends["line"], firings)
    frames = end - begin
    # what piled up while the game stood comes at once: the stall's doing
    usable &= (frames > 0) | ~np.append(scene.once(disturbed), False)[np.maximum(end - 1, 0)]
    if counted > 0:
        off = (frames - counted).astype(np.float64)
    else:
        off = (times.start_ns[end] - times.start_ns[begin]) / usual - asked
        by_told = (times.told_ns[end] - times.told_ns[begin] - seconds * 1e9) / usual
        # a game may go by either clock
        if usable.any() and abs(float(by_told[usable].mean())) < abs(float(off[usable].mean())):
            off = by_told
    long_frames = np.concatenate(([0], np.cumsum(times.length_ns > scene[LONG_FRAME] * usual)))
    long = long_frames[end] - long_frames[np.maximum(begin, 0)] > 0
    return Interval(arm, asked, frames[usable], off[usable], long[usable], firings[usable])


def _steady(scene: Scene) -> list[bool]:
    """Return for each peer whether most of its frames are about as long as the usual one."""
    take, times = scene.take, scene.once(frame_times)
    steady = []
    for peer, usual in enumerate(times.usual_ns):
        lengths = times.length_ns[take.frames.of_peer(peer)]
        lengths = lengths[lengths > 0]
        paced = usual >= LEAST_FRAME_NS  # a loop that runs as fast as it can has no pace
        steady.append(
            paced and len(lengths) > 0 and float(np.mean(np.abs(lengths - usual) <= 0.5 * usual)) >= STEADY_SHARE
        )
    return steady


def _paused_between(scene: Scene, arm: int, send_lines: Array, firings: Array) -> Array:
    """Return a boolean array (firings,): the timer was paused or resumed since the firing before."""
    take = scene.take
    table = take.tables["arm"]
    lines = np.concatenate(([int(table["line"][arm])], np.asarray(send_lines, np.int64)[firings]))[-len(firings) - 1 :]
    turns = [np.zeros(0, np.int64)]
    for kind in ("pause", "resume"):
        other = take.tables[kind]
        mine = (np.asarray(other["a"]) == table["a"][arm]) & (np.asarray(other["p"]) == table["p"][arm])
        turns.append(np.asarray(other["line"], np.int64)[mine])
    before = np.searchsorted(np.sort(np.concatenate(turns)), lines)
    return np.diff(before) > 0


def told(scene: Scene, judged: Callable[[Scene, Interval], bool], why: str, advice: str) -> Iterator[Found]:
    """Yield findings about the timers that drift in one way, one for each peer, owner's class and event."""
    take = scene.take
    mine = [interval for interval in scene.once(drifting) if judged(scene, interval)]
    table = take.tables["arm"]
    arms = np.array([interval.arm for interval in mine], np.int64)
    if not len(arms):
        return
    classes = scene.class_of_object[np.asarray(table["o"])[arms]]
    for part in parted(np.asarray(table["p"])[arms], classes, take.arms.event[arms]):
        yield _tell(scene, [mine[place] for place in part.tolist()], why, advice)


def _tell(scene: Scene, intervals: list[Interval], why: str, advice: str) -> Found:
    take = scene.take
    table = take.tables["arm"]
    arms = np.array([interval.arm for interval in intervals])
    first = intervals[0]
    owners = owners_of_arms(scene, arms)
    event = take.text(int(take.arms.event[first.arm]))
    off = np.concatenate([interval.off for interval in intervals])
    late = np.concatenate([interval.firing[np.abs(interval.off) > scene[DRIFT_FRAMES]] for interval in intervals])
    firings = distinct(late if len(late) else np.concatenate([interval.firing for interval in intervals]))
    at = take.text(int(table["at"][first.arm]))
    mean = float(off.mean())
    usual = scene.once(frame_times).usual_ns[int(table["p"][first.arm])]
    frames = float(np.median(first.frames))
    words = {
        "event": event,
        "asked": f"{first.asked:.3g}",
        "frames": f"{frames:.3g}",
        "interval": f"{frames:.3g} {tr('frame') if frames == 1 else tr('frames')}",
    }
    length = milliseconds(abs(mean) * usual * len(off))
    evidence = scene.evidence("arm", arms[:3].tolist(), tr("set here"))
    evidence += scene.evidence("send", firings[:6].tolist(), tr("fired off its interval"))
    return Found(
        subject=subject_of_arms(scene, arms),
        frame_rows=take.sends.frame[firings],
        count=len(firings),
        summary=tr(
            "The timer for `{event}` of {owners} is {mean:.2g} {frame} too {late} an interval on average, "
            "over {intervals}: {what}.",
            event=event,
            owners=listed(owners) or tr("the game"),
            mean=abs(mean),
            frame=tr("frame") if abs(mean) <= 1 else tr("frames"),
            late=tr("late") if mean > 0 else tr("early"),
            intervals=counted(len(off), "interval"),
            what=why.format(**words),
        ),
        advice=f"{advice.format(**words)}{at_place(at)}.",
        evidence=tuple(evidence),
        calls=scene.calls_of_sends(firings),
        details=(
            tr(
                "Over {intervals} it falls {length} behind.",
                intervals=counted(len(off), "interval"),
                length=length,
            )
            if mean > 0
            else tr(
                "Over {intervals} it runs {length} ahead.",
                intervals=counted(len(off), "interval"),
                length=length,
            ),
        ),
    )


THRESHOLDS = (DRIFT_INTERVALS, DRIFT_FRAMES, DRIFT_ALIKE_SHARE, LONG_FRAME)


def whole_frames(interval: Interval) -> Array:
    """Return int64 (n,): by how many frames each interval is longer than the one asked for, rounded up to frames."""
    return interval.frames - int(np.ceil(interval.asked - ROUNDING))


def off_in_long_frames(scene: Scene, interval: Interval) -> bool:
    """Say whether the timer is off in long frames only."""
    calm = interval.off[~interval.long]
    held = interval.long.any() and (not len(calm) or abs(float(calm.mean())) <= scene[DRIFT_FRAMES])
    return bool(held)


def starving(scene: Scene, interval: Interval) -> bool:
    """Say whether the timer falls behind, in long frames only."""
    return off_in_long_frames(scene, interval) and float(interval.off.mean()) > 0
