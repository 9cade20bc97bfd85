"""A comparison in sentences, most important first: the same for the terminal and the desk."""

from __future__ import annotations

from typing import NamedTuple

from opossum.compare.comparison import Comparison
from opossum.compare.differences import Difference, Sort
from opossum.compare.figures import ListenerFigures, ListenerName, TimerFigures
from opossum.findings.wording import milliseconds
from opossum.words import counted, tr, translatable

BEGINS_LATER = translatable("{run} seems to be recorded from a later moment on: record both from their start")
UNLIKE = translatable("these runs have too little in common to say what differs first")

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
        line = tr("{share} of the calls have a counterpart", share=_share(quality.calls))
        if quality.stretches >= 0:
            line += tr("; listeners that run with every frame are compared as stretches")
        lines.append(f"{line}.")
    if quality.same_steps is not None:
        lines.append(
            tr(
                "Frames were told {the_same} steps of time.",
                the_same=tr("the same") if quality.same_steps else tr("other"),
            )
        )
    if quality.begins_later >= 0:
        lines.append(f"{tr(BEGINS_LATER, run=labels[quality.begins_later])}.")
    elif not quality.comparable:
        lines.append(f"{tr(UNLIKE)[0].upper()}{tr(UNLIKE)[1:]}.")
    elif quality.played_alike_to >= 0:
        lines.append(
            tr(
                "From frame {played_alike_to} the player or the world did something else; later differences may "
                "come from that.",
                played_alike_to=quality.played_alike_to,
            )
        )
    lines += [
        tr("{what} `{before}` looks renamed to `{after}`.", what=item.what, before=item.before, after=item.after)
        for item in comparison.renamed
    ]
    return lines


def sections(comparison: Comparison) -> list[Section]:
    """Return everything that is told, as headings with lines; what has nothing to tell is left out."""
    quality = Section(tr("Quality"), quality_lines(comparison))
    return [*([quality] if quality.lines else []), *changes(comparison)]


def changes(comparison: Comparison) -> list[Section]:
    """Return what differs between the runs, as `sections` does, without how far they can be compared."""
    labels, moved = comparison.labels, comparison.findings
    made = [Section(tr("Findings gone"), [f"{finding.id}: {finding.summary}" for finding in moved.gone])]
    made.append(
        Section(
            tr("Findings new"), [f"{finding.severity.value} {finding.id}: {finding.summary}" for finding in moved.new]
        )
    )
    made.append(
        Section(
            tr("Findings still there"),
            [
                f"{before.id}: {counted(before.count, 'time')}, {milliseconds(before.cost_ns)} → "
                f"{counted(after.count, 'time')}, {milliseconds(after.cost_ns)}"
                for before, after in moved.still
            ],
        )
    )
    if comparison.quality.comparable:
        for sort, title in _TITLES.items():
            lines = [difference_line(comparison, item) for item in comparison.differences if item.sort is sort]
            made.append(Section(tr(title), lines))
        made.append(
            Section(
                tr("Came otherwise"),
                [
                    tr(
                        "{sentence} ({times:,} of {among:,}, from frame {frame})",
                        sentence=item.sentence(labels),
                        times=item.times,
                        among=item.among,
                        frame=item.frame,
                    )
                    for item in comparison.otherwise
                ],
            )
        )
        made.append(
            Section(
                tr("Order within a frame"),
                [
                    tr(
                        "`{first}` ran before `{second}` in {labels}, after it in {labels2} ({frames}, from frame "
                        "{frame})",
                        first=flip.first,
                        second=flip.second,
                        labels=labels[0],
                        labels2=labels[1],
                        frames=counted(flip.times, "frame"),
                        frame=flip.frame,
                    )
                    for flip in comparison.flips
                ],
            )
        )
    made.append(Section(tr("Time"), _time_lines(comparison)))
    made.append(Section(tr("Listeners"), _listener_lines(comparison)))
    made.append(Section(tr("Timers and delays"), _timer_lines(comparison)))
    return [section for section in made if section.lines]


_TITLES = {
    Sort.CODE: translatable("First differences"),
    Sort.CHANCE: translatable("Chance"),
    Sort.OUTSIDE: translatable("From outside"),
    Sort.TAIL: translatable("Still under way when the other ended"),
}


def difference_line(comparison: Comparison, item: Difference) -> str:
    """Say one first difference with its frame and what follows."""
    where = tr("Start-up") if item.frame < 0 else tr("Frame {frame}", frame=item.frame)
    line = f"{where}: {item.sentence(comparison.labels)}."
    if item.follows:
        parts = [
            counted(count, *FOLLOWING.get(name, (name,)))
            for name, count in sorted(item.follows.items(), key=lambda pair: -pair[1])
        ]
        line += f" {', '.join(parts)} {tr('follows') if item.following == 1 else tr('follow')}."
    return line


FOLLOWING = {
    "spawn_end": ("object's end", "objects' ends"),
    "bind_end": ("unbind",),
    "arm_end": ("clearing",),
    "play_end": ("cut",),
    "arm": ("timer or delay", "timers and delays"),
    "stretch": ("listener of every frame", "listeners of every frame"),
}


def _share(value: float) -> str:
    # 99.96 % must not read as all
    return tr("All") if value == 1 else f"{min(value, 0.9999):.2%}".replace("%", " %")


def _time_lines(comparison: Comparison) -> list[str]:
    before, after = comparison.frames
    lines = []
    if before.frames or after.frames:
        lines.append(
            tr(
                "work of a frame: median {both}, 95 of 100 within {both2}, worst {both3}; over budget "
                "{over_budget:,} of {frames:,} → {over_budget2:,} of {frames2:,}",
                both=_both(before.median_ns, after.median_ns),
                both2=_both(before.most_ns, after.most_ns),
                both3=_both(before.worst_ns, after.worst_ns),
                over_budget=before.over_budget,
                frames=before.frames,
                over_budget2=after.over_budget,
                frames2=after.frames,
            )
        )
    for item in comparison.slower:
        _, function, event = item.name
        lines.append(
            tr(
                "`{function}` for `{event}`: worst call {both}",
                function=function,
                event=event,
                both=_both(*item.worst_ns),
            )
        )
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
        line = tr(
            "`{function}` for `{event}`: {calls:,} → {calls2}, {both}",
            function=function,
            event=event,
            calls=one.calls,
            calls2=counted(other.calls, "call"),
            both=_both(one.time_ns, other.time_ns),
        )
        if max(one.wasted, other.wasted) > 0:
            line += _wasted(one, other)
        lines.append(line)
    if len(moved) > MOST_LISTENERS:
        lines.append(
            tr(
                "and {listeners} (all of them with --json)",
                listeners=counted(len(moved) - MOST_LISTENERS, "more listener"),
            )
        )
    return lines


def _wasted(one: ListenerFigures, other: ListenerFigures) -> str:
    """Return which share of the calls did nothing: on both sides, or on the one that has any."""
    if one.calls and other.calls:
        return tr(", for nothing {percent} → {percent2}", percent=_percent(one.wasted), percent2=_percent(other.wasted))
    return tr(", {percent} of them for nothing", percent=_percent(max(one.wasted, other.wasted)))


def _percent(share: float) -> str:
    return tr("unknown") if share < 0 else f"{share:.0%}"


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
        word = tr("timer") if what == "timer" else tr("delay")
        lines.append(f"{word} `{event or cls}`: {' → '.join(_timer_told(item) for item in (one, other))}")
    return lines


def _same_timer(one: TimerFigures, other: TimerFigures) -> bool:
    apart = abs(one.interval_ns - other.interval_ns)
    return (one.armed, one.fired) == (other.armed, other.fired) and apart <= LEAST_MOVED * max(one.interval_ns, 1)


def _timer_told(figures: TimerFigures | None) -> str:
    if figures is None:
        return tr("never set")
    every = tr(", every {length}", length=milliseconds(figures.interval_ns)) if figures.interval_ns > 0 else ""
    return tr("set {armed:,}, fired {fired:,}{every}", armed=figures.armed, fired=figures.fired, every=every)
