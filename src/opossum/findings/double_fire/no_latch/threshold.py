"""An event that is sent on every frame on which a watched value is beyond what parts sending from silent frames."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.double_fire.held_input import repeats_in_runs
from opossum.findings.double_fire.no_latch.repeating import LATCH_REPEATS
from opossum.findings.finding import Found, Subject
from opossum.findings.scene import Scene
from opossum.findings.wording import at_place
from opossum.stream.tables import Array
from opossum.take.grouping import Groups, Runs, distinct, factorised
from opossum.take.json_values import json_numbers
from opossum.words import counted, tr


class _Level(NamedTuple):
    """A watched value, and the side and bound beyond which something is sent."""

    name: str
    side: str
    bound: float


class _Watched(NamedTuple):
    """Watched values: `of` numbers (peer, object) by key, `rows` groups rows of the `watch` table by it."""

    of: dict[tuple[int, int], int]
    rows: Groups


def find(scene: Scene) -> Iterator[Found]:
    """Yield events that a poll sends while a value is beyond a level.

    Cost: a sort of what polls send of objects with watched values, then that object's values and the poll's calls.
    """
    take = scene.take
    sends = take.tables["send"]
    if not len(take.tables["watch"]):
        return
    rows = _sent_by_polls(scene)
    if not len(rows):
        return
    watched = scene.once(_watched_values)
    codes, _ = factorised(sends["p"][rows], sends["o"][rows], sends["ev"][rows])
    runs = Runs(codes)
    ordered = rows[runs.order]
    frames = take.sends.frame[ordered]
    again = repeats_in_runs(frames, np.ones(len(ordered), bool)) & (runs.rank > 0)
    for group in np.flatnonzero(runs.sums(again) >= scene[LATCH_REPEATS]).tolist():
        places = slice(int(runs.starts[group]), int(runs.starts[group] + runs.sizes[group]))
        own, repeats = ordered[places], ordered[places][again[places]]
        level = _parting_level(scene, watched, own)
        repeats = repeats[scene.in_play(take.sends.frame[repeats])]
        if level is not None and len(repeats):
            yield _tell(scene, own, repeats, level)


def _sent_by_polls(scene: Scene) -> Array:
    """Return the sends (rows) that ticks and timers make for objects with watched values."""
    take = scene.take
    sends, watch = take.tables["send"], take.tables["watch"]
    cause = take.sends.cause
    polled = np.isin(np.append(scene.via, -1)[cause], [take.code(name) for name in ("tick", "timer")])
    has_values = np.zeros(len(take.strings) + 1, bool)
    has_values[np.asarray(watch["o"])] = True
    has_values[-1] = False
    return np.flatnonzero((cause >= 0) & polled & has_values[np.asarray(sends["o"])] & (np.asarray(sends["via"]) < 0))


def _watched_values(scene: Scene) -> _Watched:
    watch = scene.take.tables["watch"]
    codes, first = factorised(watch["p"], watch["o"])
    keys = zip(np.asarray(watch["p"])[first].tolist(), np.asarray(watch["o"])[first].tolist(), strict=True)
    return _Watched({key: number for number, key in enumerate(keys)}, Groups(codes, len(first)))


def _parting_level(scene: Scene, watched: _Watched, sends: Array) -> _Level | None:
    """Return the level of a value of the sender that parts the moments of `sends` from the poll's silent calls."""
    take = scene.take
    table, watch = take.tables["send"], take.tables["watch"]
    number = watched.of.get((int(table["p"][sends[0]]), int(table["o"][sends[0]])))
    cause = take.sends.cause[sends]
    of_poll = take.calls_by_listener.rows(int(take.calls.listener[cause[0]]))
    silent = of_poll[~np.isin(of_poll, cause)]
    if number is None or not len(silent):
        return None
    mine = watched.rows.rows(number)
    loud_lines, silent_lines = np.asarray(table["line"], np.int64)[sends], scene.line[silent]
    for name in distinct(np.asarray(watch["name"])[mine]).tolist():
        rows = mine[np.asarray(watch["name"])[mine] == name]
        values = json_numbers(watch.json("v"), rows)
        lines = np.asarray(watch["line"], np.int64)[rows]
        loud, quiet = _values_at(lines, values, loud_lines), _values_at(lines, values, silent_lines)
        quiet = quiet[~np.isnan(quiet)]
        if np.isnan(loud).any() or not len(quiet):
            continue
        if loud.min() > quiet.max():
            return _Level(take.text(name), tr("at or above"), float(loud.min()))
        if loud.max() < quiet.min():
            return _Level(take.text(name), tr("at or below"), float(loud.max()))
    return None


def _values_at(lines: Array, values: Array, moments: Array) -> Array:
    """Return float64 (n,): the value as it was at each line (n,), NaN before the first."""
    place = np.searchsorted(lines, moments) - 1
    return np.where(place >= 0, values[np.maximum(place, 0)], np.nan)


def _tell(scene: Scene, sends: Array, repeats: Array, level: _Level) -> Found:
    take = scene.take
    table = take.tables["send"]
    poll = int(take.sends.cause[sends[0]])
    calls = scene.calls_of_sends(repeats)
    owner_code = int(table["o"][sends[0]])
    event, owner = take.text(int(table["ev"][sends[0]])), take.text(owner_code)
    function, place = take.function_of_call(poll), scene.place_of_call(poll)
    return Found(
        subject=Subject(
            ev=event,
            o=owner,
            cls=take.class_of(owner_code),
            fn=function,
            peer=scene.peer_name(int(table["p"][sends[0]])),
            at=place,
        ),
        frame_rows=take.sends.frame[repeats],
        count=len(repeats),
        cost_ns=scene.cost_of(calls),
        summary=tr(
            "`{event}` was sent again on {frames}, every frame while `{name}` of {owner} was {side} {bound:g}.",
            event=event,
            frames=counted(len(repeats), "later frame"),
            name=level.name,
            owner=owner,
            side=level.side,
            bound=level.bound,
        ),
        advice=tr(
            "Let {function} send `{event}` when `{name}` crosses the value, not while it is beyond{place}.",
            function=function,
            event=event,
            name=level.name,
            place=at_place(place),
        ),
        evidence=tuple(
            scene.evidence(
                "send",
                sends[:1].tolist(),
                tr(
                    "sent when `{name}` came to be {side} {bound:g}",
                    name=level.name,
                    side=level.side,
                    bound=level.bound,
                ),
            )
            + scene.evidence(
                "send",
                repeats[:3].tolist(),
                tr(
                    "sent again although `{name}` was still {side} {bound:g}",
                    name=level.name,
                    side=level.side,
                    bound=level.bound,
                ),
            )
        ),
        calls=calls,
        told_apart=("threshold",),
    )
