"""What the causes share: delays set again while one is pending, and what became of each."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.arms import owners_of_arms, subject_of_arms
from opossum.findings.finding import Found, Severity
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import at_place, listed
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, distinct, factorised, parted
from opossum.take.indexes.objects import NEVER
from opossum.take.json_values import json_codes
from opossum.words import counted, tr

DELAY_REARMS = Threshold(
    "delay_rearms", 3, "times", "once or twice may be meant; who sets it three times forgot that one is pending"
)


class Pile(NamedTuple):
    """Delays (rows, ascending) of one owner and event, each set while one before it was pending or just cleared.

    `landed`: which of them fired; `acted`: which of those changed or sent something; `made_way`: the first was cleared
    before the last was set.
    """

    arms: Array
    landed: Array
    acted: Array
    made_way: bool


def piles(scene: Scene) -> list[Pile]:
    """Return the piles of delays. Cost: one sort of the delays."""
    take = scene.take
    table, arms = take.tables["arm"], take.arms
    asked = np.flatnonzero((np.asarray(table["loop"]) != 1) & (np.asarray(table["o"]) >= 0) & (arms.event >= 0))
    asked = asked[np.asarray(table["what"])[asked] != take.code("timer")]
    if len(asked) <= scene[DELAY_REARMS]:
        return []
    peers, lines = np.asarray(table["p"])[asked], np.asarray(table["line"], np.int64)[asked]
    codes, _ = factorised(peers, np.asarray(table["o"])[asked], arms.event[asked])
    runs = Runs(codes)
    cleared, done = _disarmed(scene, "cleared")[asked], _disarmed(scene, "done")
    ended = arms.end_line[asked]
    begin = take.frames.rows_of_lines(peers, lines).astype(np.int64)
    end = np.where(ended == NEVER, len(take.frames) + 1, take.frames.rows_of_lines(peers, ended).astype(np.int64))
    # who fires is over in its frame; who is cleared in the frame of the next `arm` was cleared for it
    reach = np.where(cleared & (arms.firings.sizes()[asked] == 0), end + 1, end)
    begin, reach = begin[runs.order], reach[runs.order]
    ahead = runs.group * (len(take.frames) + 4) + reach
    longest = np.maximum.accumulate(ahead) - runs.group * (len(take.frames) + 4)
    again = np.zeros(len(begin), bool)
    again[1:] = (runs.rank[1:] > 0) & (longest[:-1] > begin[1:])
    starts = np.flatnonzero(~again)
    sizes = np.diff(np.append(starts, len(again)))
    acts = _acting(scene)
    table_p, table_a = (take.tables["send"][name] for name in ("p", "a"))
    arm_of_send = np.append(take.arm_ids.rows(table_p, table_a), np.int32(-1))
    caused_by = arm_of_send[np.append(take.calls.send, np.int32(-1))[arms.cause]]
    found = []
    for number in np.flatnonzero(sizes > scene[DELAY_REARMS]).tolist():
        mine = asked[runs.order[starts[number] : starts[number] + sizes[number]]]
        if np.isin(caused_by[mine[1:]], mine).all():  # each set by the landing of one before it: a loop, not a pile
            continue
        landing = _landing(scene, mine)
        made_way = bool(arms.end_line[mine[0]] < np.asarray(table["line"], np.int64)[mine[-1]])
        found.append(Pile(mine, (landing >= 0) | done[mine], acts[landing], made_way))
    return [pile for pile in found if not _told_apart(scene, pile)]


def _disarmed(scene: Scene, how: str) -> Array:
    """Return a boolean array (arms,): a `disarm` tells that it ended so."""
    take = scene.take
    table = take.tables["disarm"]
    rows = take.arm_ids.rows(table["p"], table["a"])[np.asarray(table["how"]) == take.code(how)]
    flags = np.zeros(len(take.tables["arm"]), bool)
    flags[rows[rows >= 0]] = True
    return flags


def _acting(scene: Scene) -> Array:
    """Return a boolean array (sends + 1,): a call for the send changed or sent something; False at the end."""
    take = scene.take
    acted = (take.calls.effect > 0) | scene.sent
    flags = np.zeros(len(take.tables["send"]) + 1, bool)
    flags[take.calls.send[acted & (take.calls.send >= 0)]] = True
    return flags


def landings(scene: Scene) -> Array:
    """Return int64 (arms,): the send (row) with which each arm fired first, -1 where it did not; asked through `scene.once`."""
    firings = scene.take.arms.firings
    first = firings.starts[:-1]
    fired = firings.starts[1:] > first
    return np.where(fired, np.append(firings.order, 0)[np.minimum(first, len(firings.order))], -1).astype(np.int64)


def _landing(scene: Scene, arms: Array) -> Array:
    return scene.once(landings)[arms]


def _told_apart(scene: Scene, pile: Pile) -> bool:
    """Say whether the data of the landings tell every one from the others: each was wanted for itself."""
    sends = _landing(scene, pile.arms)
    sends = sends[sends >= 0]
    column = scene.take.tables["send"].json("d")
    if len(sends) < 2 or not len(column.data) or (column.offsets[sends + 1] == column.offsets[sends]).any():
        return False
    return len(distinct(json_codes(column, sends))) == len(sends)


def told(
    scene: Scene, wanted: list[tuple[Pile, Array]], severity: Severity | None, summary: str, advice: str
) -> Iterator[Found]:
    """Yield findings about piles, each with the frames in which it shows, one for each peer, owner's class and event.

    The texts name {event}, {owners}, {asked} (how often it was set), {landed} (“landed …”: how often it fired) and {cls}.
    """
    take = scene.take
    if not wanted:
        return
    table = take.tables["arm"]
    firsts = np.array([int(pile.arms[0]) for pile, _ in wanted])
    classes = scene.class_of_object[np.asarray(table["o"])[firsts]]
    for part in parted(np.asarray(table["p"])[firsts], classes, take.arms.event[firsts]):
        mine = [wanted[place] for place in part.tolist()]
        arms = np.concatenate([pile.arms for pile, _ in mine])
        landings = _landing(scene, arms)
        landings = np.sort(landings[landings >= 0])
        calls = scene.calls_of_sends(landings)
        owners = owners_of_arms(scene, arms)
        times = sum(int(pile.landed.sum()) for pile, _ in mine)
        at = take.text(int(table["at"][arms[0]]))
        words = {
            "event": take.text(int(take.arms.event[arms[0]])),
            "owners": listed(owners),
            "asked": counted(len(arms), "time"),
            "landed": tr("landed {times}", times=counted(times, "time")) if times else tr("never landed"),
            "cls": take.class_of(int(table["o"][arms[0]])) or owners[0],
        }
        evidence = scene.evidence("arm", arms[:6].tolist(), tr("set while one was pending"))
        evidence += scene.evidence("send", landings[:4].tolist(), tr("landed"))
        frames = np.concatenate([shown for _, shown in mine])
        yield Found(
            subject=subject_of_arms(scene, arms),
            frame_rows=frames,
            count=len(frames),
            cost_ns=scene.cost_of(calls),
            summary=summary.format(**words),
            advice=advice.format(**words) + at_place(at) + ".",
            evidence=tuple(evidence),
            calls=calls,
            rated=severity,
        )


def frames_of_landings(scene: Scene, pile: Pile) -> Array:
    """Return the frames (rows) in which the delays of a pile fired."""
    landings = _landing(scene, pile.arms)
    return scene.take.sends.frame[landings[landings >= 0]].astype(np.int64)


def frames_of_rearms(scene: Scene, pile: Pile) -> Array:
    """Return the frames (rows) in which a delay was set while one was pending."""
    table = scene.take.tables["arm"]
    again = pile.arms[1:]
    frames = scene.take.frames.rows_of_lines(np.asarray(table["p"])[again], np.asarray(table["line"])[again])
    return frames.astype(np.int64)
