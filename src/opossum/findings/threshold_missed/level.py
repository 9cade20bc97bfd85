"""Level: a watched value crossed the level that an event follows, and the event did not come."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity, Subject
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import plural
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, factorised
from opossum.take.json_values import json_values

LEVEL_CROSSINGS = Threshold(
    "level_crossings", 4, "crossings", "an event that came at three crossings may have come by chance"
)

FOLLOWS_FRAMES = 2
MOST_VALUES = 500
MOST_SENDS_A_CHANGE = 1.0


class Changes(NamedTuple):
    """Changes of one watched number: rows of `watch`, the value before and after each, and the frame (row)."""

    rows: Array
    before: Array
    after: Array
    frame: Array


def find(scene: Scene) -> Iterator[Found]:
    """Yield levels crossed unseen. Cost: for each watched number and each event that its object's frames hold, a search."""
    take = scene.take
    if not len(take.tables["watch"]):
        return
    events = _events(scene)
    for peer, changes in _numbers(scene):
        for event, sends in events.get(peer, ()):
            if scene[LEVEL_CROSSINGS] <= len(sends) <= MOST_SENDS_A_CHANGE * len(changes.rows):
                missed = _missed(scene, changes, sends)
                if missed is not None:
                    yield _tell(scene, peer, event, changes, *missed)


def _numbers(scene: Scene) -> Iterator[tuple[int, Changes]]:
    """Yield (peer, changes) of every watched number that takes more than two values."""
    take = scene.take
    table = take.tables["watch"]
    values = np.array(json_values(table.json("v"), np.arange(len(table)), _number), np.float64)
    frames = take.frames.rows_of_lines(table["p"], table["line"]).astype(np.int64)
    codes, first = factorised(table["p"], table["o"], table["name"])
    groups = Groups(codes, len(first))
    for number in range(min(len(first), MOST_VALUES)):
        rows = groups.rows(number).astype(np.int64)
        seen = values[rows]
        if len(rows) <= scene[LEVEL_CROSSINGS] or not np.isfinite(seen).all() or len(np.unique(seen)) < 3:
            continue
        yield int(table["p"][rows[0]]), Changes(rows[1:], seen[:-1], seen[1:], frames[rows[1:]])


def _number(value: object) -> float:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else float("nan")


def _events(scene: Scene) -> dict[int, list[tuple[int, Array]]]:
    """Return (event, sends) by peer, of events that do not come by themselves."""
    take = scene.take
    table = take.tables["send"]
    away = [take.code(name) for name in ("tick", "timer", "input", "zone", "clock")]
    rows = np.flatnonzero(~np.isin(np.asarray(table["via"]), away) & scene.in_play(take.sends.frame))
    codes, first = factorised(np.asarray(table["p"])[rows], np.asarray(table["ev"])[rows])
    groups = Groups(codes, len(first))
    found: dict[int, list[tuple[int, Array]]] = {}
    for number in np.flatnonzero(groups.sizes() >= scene[LEVEL_CROSSINGS])[:MOST_VALUES].tolist():
        sends = rows[groups.rows(number)]
        found.setdefault(int(table["p"][sends[0]]), []).append((int(table["ev"][sends[0]]), sends))
    return found


def _missed(scene: Scene, changes: Changes, sends: Array) -> tuple[Array, Array, float, bool] | None:
    """Return (crossings without the event, those with it, level, whether it is crossed upwards), None where nothing is learnt.

    Each send must follow a change that crosses one level in one direction; the first four crossings must all be followed.
    """
    take = scene.take
    lines = np.asarray(take.tables["watch"]["line"], np.int64)[changes.rows]
    sent = np.asarray(take.tables["send"]["line"], np.int64)[sends]
    place = np.searchsorted(lines, sent) - 1
    near = place >= 0
    near &= take.sends.frame[sends] - changes.frame[np.maximum(place, 0)] <= FOLLOWS_FRAMES
    if not near.all():
        return None
    before, after = changes.before[place], changes.after[place]
    up = bool((after > before).all())
    if not up and not (after < before).all():
        return None
    low, high = (before.max(), after.min()) if up else (before.min(), after.max())
    if (up and low >= high) or (not up and low <= high):
        return None
    if up:
        crossing = (changes.before <= low) & (changes.after >= high)
    else:
        crossing = (changes.before >= low) & (changes.after <= high)
    places = np.flatnonzero(crossing)
    followed = np.isin(places, place)
    least = int(scene[LEVEL_CROSSINGS])
    last_frame = take.frames.of_peer(int(take.tables["send"]["p"][sends[0]])).stop - 1
    unseen = places[~followed & (changes.frame[places] + FOLLOWS_FRAMES < last_frame)]
    if len(places) < least or not followed[:least].all() or not len(unseen) or 4 * len(unseen) > followed.sum():
        return None
    return unseen, places[followed], float(high), up


def _tell(
    scene: Scene, peer: int, event: int, changes: Changes, unseen: Array, seen: Array, level: float, up: bool
) -> Found:
    take = scene.take
    table = take.tables["watch"]
    owner, name = take.text(int(table["o"][changes.rows[0]])), take.text(int(table["name"][changes.rows[0]]))
    first = int(unseen[0])
    step = f"from {changes.before[first]:g} to {changes.after[first]:g}"
    evidence = scene.evidence("watch", changes.rows[unseen][:4].tolist(), "crossed, and nothing was sent")
    evidence += scene.evidence("watch", changes.rows[seen][:3].tolist(), "crossed, and the event came")
    return Found(
        subject=Subject(
            ev=take.text(event),
            o=owner,
            cls=take.class_of(int(table["o"][changes.rows[0]])),
            peer=scene.peer_name(peer),
        ),
        frame_rows=changes.frame[unseen],
        count=len(unseen),
        summary=f"`{take.text(event)}` follows when `{name}` of {owner} {'rises to' if up else 'falls to'} about {level:g} "
        f"({plural(len(seen), 'time')}), but not {plural(len(unseen), 'time')}: it went {step} at once.",
        advice=f"Ask whether `{name}` crossed {level:g} since the last look, not whether it equals it or lies near it.",
        evidence=tuple(evidence),
        told_apart=(name,),
    )


LEVEL = Cause(
    "level",
    "its level was crossed unseen",
    Severity.FAULT,
    find,
    (LEVEL_CROSSINGS,),
    about="A watched value crossed the level that an event followed in its first four crossings, and the event did not come.",
    quiet="values of two states; more than one crossing in five without it.",
)
