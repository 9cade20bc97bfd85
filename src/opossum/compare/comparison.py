"""Comparing two runs: everything put together."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from opossum.compare.differences import Difference, first_differences
from opossum.compare.every_frame import labelled
from opossum.compare.figures import (
    FrameFigures,
    ListenerFigures,
    ListenerName,
    Slower,
    TimerFigures,
    TimerName,
    frame_figures,
    listener_figures,
    slower_listeners,
    timer_figures,
)
from opossum.compare.manner import Otherwise, otherwise
from opossum.compare.matching import Matching, matched
from opossum.compare.names import CommonNames
from opossum.compare.nodes import Nodes, nodes_of, same_labels
from opossum.compare.order import Flip, order_flips
from opossum.compare.quality import Quality, quality_of
from opossum.compare.renames import Renamed, renamed
from opossum.compare.side import Side
from opossum.findings.finding import Finding
from opossum.words import tr

Progress = Callable[[str], None]
"""Called with what is done next; may raise to cancel."""


@dataclass(eq=False, repr=False)
class FindingsMoved:
    """Findings that are in the first run alone, in the second alone, and in both, as (first, second)."""

    gone: list[Finding]
    new: list[Finding]
    still: list[tuple[Finding, Finding]]


@dataclass(eq=False, repr=False)
class Comparison:
    """What comparing told; `differences` in the order of time, those of the code first."""

    sides: tuple[Side, Side]
    nodes: tuple[Nodes, Nodes]
    matching: Matching
    quality: Quality
    differences: list[Difference]
    otherwise: list[Otherwise]
    flips: list[Flip]
    renamed: list[Renamed]
    findings: FindingsMoved
    listeners: tuple[dict[ListenerName, ListenerFigures], dict[ListenerName, ListenerFigures]]
    timers: tuple[dict[TimerName, TimerFigures], dict[TimerName, TimerFigures]]
    frames: tuple[FrameFigures, FrameFigures]
    slower: list[Slower]

    @property
    def labels(self) -> tuple[str, str]:
        """Return what sentences call the two sides."""
        return self.sides[0].label, self.sides[1].label

    def as_dict(self) -> dict[str, Any]:
        """Return the comparison as plain values for JSON."""
        return {
            "format": "opossum-compare",
            "version": 1,
            "sides": [
                {"label": side.label, "take": side.take.name, "records": side.take.records} for side in self.sides
            ],
            "quality": self.quality._asdict(),
            "differences": [self._difference(item) for item in self.differences],
            "otherwise": [
                {
                    "manner": item.manner.value,
                    "frame": item.frame,
                    "sentence": item.sentence(self.labels),
                    "count": item.times,
                    "among": item.among,
                }
                for item in self.otherwise
            ],
            "order": [
                {"first": flip.first, "second": flip.second, "frames": flip.times, "frame": flip.frame}
                for flip in self.flips
            ],
            "renamed": [item._asdict() for item in self.renamed],
            "findings": {
                "gone": [finding.as_dict() for finding in self.findings.gone],
                "new": [finding.as_dict() for finding in self.findings.new],
                "still": [
                    {
                        "id": before.id,
                        "count": [before.count, after.count],
                        "cost_ns": [before.cost_ns, after.cost_ns],
                    }
                    for before, after in self.findings.still
                ],
            },
            "listeners": _named(self.listeners, ("class", "function", "event")),
            "timers": _named(self.timers, ("class", "event", "what")),
            "frames": [{**figures._asdict(), "shares_ns": list(figures.shares_ns)} for figures in self.frames],
            "slower": [
                {
                    "class": item.name[0],
                    "function": item.name[1],
                    "event": item.name[2],
                    "worst_ns": list(item.worst_ns),
                }
                for item in self.slower
            ],
        }

    def _difference(self, item: Difference) -> dict[str, Any]:
        return {
            "sort": item.sort.value,
            "in": self.labels[item.side],
            "frame": item.frame,
            "sentence": item.sentence(self.labels),
            "what": item.told.what.name.lower(),
            "event": item.told.event,
            "function": item.told.function,
            "class": item.told.cls,
            "more": item.more,
            "follows": item.follows,
            "line": int(self.nodes[item.first_side].line[item.node]),
        }


def compared(
    sides: tuple[Side, Side],
    findings: tuple[Sequence[Finding], Sequence[Finding]] = ((), ()),
    progress: Progress | None = None,
) -> Comparison:
    """Compare two sides, of two takes or of one. Linear in their records but for sorts of what happened.

    Args:
        sides: the run before and the run after, or one peer and another of the same take.
        findings: what was found in each; told as gone, new and still there.
        progress: told what is done next.
    """
    say = progress or (lambda doing: None)
    by_peer = all(side.peer < 0 for side in sides)
    say("names")
    names = CommonNames()
    other_names = renamed(sides)
    for item in other_names:
        names.alias(item.before, item.after)
    labels = labelled(sides, names, by_peer=by_peer)
    say(tr("what happened"))
    nodes = (
        nodes_of(sides[0], labels[0], names, by_peer=by_peer),
        nodes_of(sides[1], labels[1], names, by_peer=by_peer),
    )
    same_labels(*nodes)
    say("counterparts")
    matching = matched(*nodes)
    say("differences")
    differences = first_differences(sides, nodes, matching)
    flips = order_flips(sides, nodes, matching, labels)
    say("figures")
    listeners = (listener_figures(sides[0]), listener_figures(sides[1]))
    frames = (frame_figures(sides[0]), frame_figures(sides[1]))
    return Comparison(
        sides,
        nodes,
        matching,
        quality_of(sides, nodes, matching, differences),
        differences,
        otherwise(sides, nodes, matching),
        flips,
        other_names,
        findings_moved(*findings),
        listeners,
        (timer_figures(sides[0]), timer_figures(sides[1])),
        frames,
        slower_listeners(*listeners, max(frames[0].budget_ns, frames[1].budget_ns)),
    )


def findings_moved(before: Sequence[Finding], after: Sequence[Finding]) -> FindingsMoved:
    """Part findings by whether both runs have them: their ids are the same for the same fault in two takes of a game."""
    one, other = ({finding.id: finding for finding in found} for found in (before, after))
    return FindingsMoved(
        [finding for name, finding in one.items() if name not in other],
        [finding for name, finding in other.items() if name not in one],
        [(finding, other[name]) for name, finding in one.items() if name in other],
    )


def _named(figures: tuple[dict[Any, Any], dict[Any, Any]], parts: tuple[str, ...]) -> list[dict[str, Any]]:
    before, after = figures
    rows = []
    for name in dict.fromkeys([*before, *after]):
        told: dict[str, Any] = dict(zip(parts, name, strict=True))
        for when, found in (("before", before), ("after", after)):
            told[when] = found[name]._asdict() if name in found else None
        rows.append(told)
    return rows
