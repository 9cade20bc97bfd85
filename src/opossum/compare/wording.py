"""A comparison in sentences, most important first: the same for the terminal and the desk."""

from __future__ import annotations

from typing import NamedTuple

from opossum.compare.comparison import Comparison
from opossum.compare.differences import Difference, Sort
from opossum.compare.figures import ListenerFigures, ListenerName, TimerFigures
from opossum.findings.wording import milliseconds, plural

BEGINS_LATER = "{} seems to be recorded from a later moment on: record both from their start"
UNLIKE = "these runs have too little in common to say what differs first"

MOST_LISTENERS = 12
"""Listeners whose figures moved most that are told."""

LEAST_MOVED = 0.1
"""A listener's figures moved if its calls or its time did by this share."""


class Section(NamedTuple):
    """A heading and its lines."""

    title: str
    lines: list[str]


def quality_lines(comparison: Comparison) -> list[str]:
    """Say how far the two runs can be compared."""
    quality, labels = comparison.quality, comparison.labels
    lines = []
    if quality.calls >= 0:
        line = f"{_share(quality.calls)} of the calls have a counterpart"
        if quality.stretches >= 0:
            line += "; listeners that run with every frame are compared as stretches"
        lines.append(f"{line}.")
    if quality.same_steps is not None:
        lines.append(f"Frames were told {'the same' if quality.same_steps else 'other'} steps of time.")
    if quality.begins_later >= 0:
        lines.append(f"{BEGINS_LATER.format(labels[quality.begins_later])}.")
    elif not quality.comparable:
        lines.append(f"{UNLIKE[0].upper()}{UNLIKE[1:]}.")
    elif quality.played_alike_to >= 0:
        lines.append(
            f"From frame {quality.played_alike_to} the player or the world did something else; later differences may come from that."
        )
    lines += [f"{item.what} `{item.before}` looks renamed to `{item.after}`." for item in comparison.renamed]
    return lines


def sections(comparison: Comparison) -> list[Section]:
    """Return everything that is told, as headings with lines; what has nothing to tell is left out."""
    labels = comparison.labels
    made = [Section("Quality", quality_lines(comparison))]
    moved = comparison.findings
    made.append(Section("Findings gone", [f"{finding.id}: {finding.summary}" for finding in moved.gone]))
    made.append(
        Section("Findings new", [f"{finding.severity.value} {finding.id}: {finding.summary}" for finding in moved.new])
    )
    made.append(
        Section(
            "Findings still there",
            [
                f"{before.id}: {plural(before.count, 'time')}, {milliseconds(before.cost_ns)} → "
                f"{plural(after.count, 'time')}, {milliseconds(after.cost_ns)}"
                for before, after in moved.still
            ],
        )
    )
    if comparison.quality.comparable:
        for sort, title in _TITLES.items():
            lines = [difference_line(comparison, item) for item in comparison.differences if item.sort is sort]
            made.append(Section(title, lines))
        made.append(
            Section(
                "Came otherwise",
                [
                    f"{item.sentence(labels)} ({item.times:,} of {item.among:,}, from frame {item.frame})"
                    for item in comparison.otherwise
                ],
            )
        )
        made.append(
            Section(
                "Order within a frame",
                [
                    f"`{flip.first}` ran before `{flip.second}` in {labels[0]}, after it in {labels[1]} "
                    f"({plural(flip.times, 'frame')}, from frame {flip.frame})"
                    for flip in comparison.flips
                ],
            )
        )
    made.append(Section("Time", _time_lines(comparison)))
    made.append(Section("Listeners", _listener_lines(comparison)))
    made.append(Section("Timers and delays", _timer_lines(comparison)))
    return [section for section in made if section.lines]


_TITLES = {
    Sort.CODE: "First differences",
    Sort.CHANCE: "Chance",
    Sort.OUTSIDE: "From outside",
    Sort.TAIL: "Still under way when the other ended",
}


def difference_line(comparison: Comparison, item: Difference) -> str:
    """Say one first difference with its frame and what follows."""
    where = "Start-up" if item.frame < 0 else f"Frame {item.frame}"
    line = f"{where}: {item.sentence(comparison.labels)}."
    if item.follows:
        parts = [
            plural(count, *_NAMES.get(name, (name,)))
            for name, count in sorted(item.follows.items(), key=lambda pair: -pair[1])
        ]
        line += f" {', '.join(parts)} {'follows' if item.following == 1 else 'follow'}."
    return line


_NAMES = {
    "spawn_end": ("object's end", "objects' ends"),
    "bind_end": ("unbind",),
    "arm_end": ("clearing",),
    "play_end": ("cut",),
    "arm": ("timer or delay", "timers and delays"),
    "stretch": ("listener of every frame", "listeners of every frame"),
}


def _share(value: float) -> str:
    # 99.96 % must not read as all
    return "All" if value == 1 else f"{min(value, 0.9999):.2%}".replace("%", " %")


def _time_lines(comparison: Comparison) -> list[str]:
    before, after = comparison.frames
    lines = []
    if before.frames or after.frames:
        lines.append(
            f"work of a frame: median {_both(before.median_ns, after.median_ns)}, "
            f"95 of 100 within {_both(before.most_ns, after.most_ns)}, "
            f"worst {_both(before.worst_ns, after.worst_ns)}; over budget {before.over_budget:,} of {before.frames:,} → {after.over_budget:,} of {after.frames:,}"
        )
    for item in comparison.slower:
        _, function, event = item.name
        lines.append(f"`{function}` for `{event}`: worst call {_both(*item.worst_ns)}")
    return lines


def _both(before: int, after: int) -> str:
    return f"{milliseconds(before)} → {milliseconds(after)}"


def _listener_lines(comparison: Comparison) -> list[str]:
    before, after = comparison.listeners
    moved = sorted(moved_listeners(before, after), key=lambda name: (-_weight(before, after, name), name))
    lines = []
    for name in moved[:MOST_LISTENERS]:
        _, function, event = name
        one, other = before.get(name, ListenerFigures()), after.get(name, ListenerFigures())
        line = f"`{function}` for `{event}`: {one.calls:,} → {plural(other.calls, 'call')}, {_both(one.time_ns, other.time_ns)}"
        if max(one.wasted, other.wasted) > 0:
            line += f", for nothing {_percent(one.wasted)} → {_percent(other.wasted)}"
        lines.append(line)
    if len(moved) > MOST_LISTENERS:
        lines.append(f"and {plural(len(moved) - MOST_LISTENERS, 'more listener')} (all of them with --json)")
    return lines


def _percent(share: float) -> str:
    return "unknown" if share < 0 else f"{share:.0%}"


def moved_listeners(
    before: dict[ListenerName, ListenerFigures], after: dict[ListenerName, ListenerFigures]
) -> list[ListenerName]:
    """Return listeners whose number of calls is another one, or that only one run has."""
    nothing = ListenerFigures()
    found = []
    for name in dict.fromkeys([*before, *after]):
        one, other = before.get(name, nothing).calls, after.get(name, nothing).calls
        if abs(one - other) > LEAST_MOVED * max(one, other):
            found.append(name)
    return found


def _weight(
    before: dict[ListenerName, ListenerFigures], after: dict[ListenerName, ListenerFigures], name: ListenerName
) -> int:
    nothing = ListenerFigures()
    return abs(before.get(name, nothing).calls - after.get(name, nothing).calls)


def _timer_lines(comparison: Comparison) -> list[str]:
    before, after = comparison.timers
    lines = []
    for name in dict.fromkeys([*before, *after]):
        one, other = before.get(name), after.get(name)
        if one is not None and other is not None and _same_timer(one, other):
            continue
        cls, event, what = name
        lines.append(f"{what} `{event or cls}`: {' → '.join(_timer_told(item) for item in (one, other))}")
    return lines


def _same_timer(one: TimerFigures, other: TimerFigures) -> bool:
    apart = abs(one.interval_ns - other.interval_ns)
    return (one.armed, one.fired) == (other.armed, other.fired) and apart <= LEAST_MOVED * max(one.interval_ns, 1)


def _timer_told(figures: TimerFigures | None) -> str:
    if figures is None:
        return "none"
    every = f", every {milliseconds(figures.interval_ns)}" if figures.interval_ns > 0 else ""
    return f"set {figures.armed:,}, fired {figures.fired:,}{every}"
