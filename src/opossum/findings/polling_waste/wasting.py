"""What every schedule of polling has in common: when it is waste, what it costs, and how that is told."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np

from opossum.findings.finding import Found, Severity
from opossum.findings.polling_waste.replacing import POLLING_EVENT_SHARE, Replacement, interval_ns, replacement
from opossum.findings.scene import Scene
from opossum.findings.settings import Threshold
from opossum.findings.wording import at_place, milliseconds
from opossum.stream.tables import Array
from opossum.take.grouping import distinct
from opossum.words import counted, tr

POLLING_CALLS = Threshold("polling_calls", 60, "calls", "a second of ticks: with fewer, there is no schedule to judge")
POLLING_WASTED_SHARE = Threshold(
    "polling_wasted_share", 0.9, "share of the calls looked at", "what finds something one time in ten earns its calls"
)
POLLING_KNOWN_CALLS = Threshold(
    "polling_known_calls", 10, "calls", "nine in ten cannot be told from all with fewer known effects than this"
)
POLLING_SAMPLED_BUDGET_SHARE = Threshold(
    "polling_sampled_budget_share",
    0.005,
    "share of the frame budget",
    "less than this, reckoned from samples, is noise",
)

POLLING_UNSEEN_SHARE = Threshold(
    "polling_unseen_share",
    0.25,
    "share of the calls",
    "samples that leave a longer stretch unseen are weak evidence: what works may be what could not be judged",
)

THRESHOLDS = (
    POLLING_UNSEEN_SHARE,
    POLLING_CALLS,
    POLLING_WASTED_SHARE,
    POLLING_KNOWN_CALLS,
    POLLING_EVENT_SHARE,
    POLLING_SAMPLED_BUDGET_SHARE,
)


class Schedule(NamedTuple):
    """How one cause is told: its rhythm (given the interval in ns), its advice, and what makes it worse than a tick.

    `advice` names {function} and {where}; `faster_than_frames` is said where the interval is shorter than a frame.
    """

    rhythm: Callable[[float], str]
    advice: str
    faster_than_frames: str = ""


class _Looked(NamedTuple):
    """Calls of one class and function: all, those whose effect is known, of these the wasted ones and the finds.

    `own_only`: known only as far as the owner's own state shows.
    """

    group: Array
    known: Array
    wasted: Array
    hits: Array
    own_only: bool

    @property
    def sampled(self) -> bool:
        """Say whether only some calls were looked at."""
        return len(self.known) < len(self.group)


def wasted(scene: Scene, calls: Array, schedule: Schedule) -> Iterator[Found]:
    """Yield the wasteful polls among calls (rows, ascending) of one schedule, summed over each class's instances.

    Cost: linear in the calls, and for each waste found in the sends that may replace it.
    """
    for group in scene.by_class(calls):
        if len(group) < scene[POLLING_CALLS]:
            continue
        looked = _looked_at(scene, group)
        if looked is not None and len(looked.wasted) >= scene[POLLING_WASTED_SHARE] * len(looked.known):
            yield _tell(scene, looked, schedule)


def _looked_at(scene: Scene, group: Array) -> _Looked | None:
    """Return what is known of a group's effects, by the weaker evidence only where there is no better; None: too little."""
    calls = scene.take.calls
    effect = calls.effect[group]
    own_only = False
    if np.count_nonzero(effect >= 0) < scene[POLLING_KNOWN_CALLS]:
        effect = np.where(effect >= 0, effect, calls.own[group])
        own_only = True
    known = effect >= 0
    if np.count_nonzero(known) < scene[POLLING_KNOWN_CALLS]:
        return None
    # a call of unknown effect that sent has found something all the same
    hits = (effect > 0) | (~known & scene.sent[group])
    return _Looked(group, group[known], group[effect == 0], group[hits], own_only)


def _tell(scene: Scene, looked: _Looked, schedule: Schedule) -> Found:
    take, group = scene.take, looked.group
    subject = scene.subject_of_calls(group)
    peer = int(scene.peer[group[0]])
    wasted_ns = _wasted_ns(scene, looked)
    per_frame = wasted_ns / max(1, len(distinct(take.calls.frame[group])))
    budget = scene.budgets_ns[peer]
    interval = interval_ns(scene, group)
    instead = replacement(scene, peer, group, looked.hits)
    owner = subject.o or counted(len(distinct(scene.owner[group])), "object")
    about = tr("about ") if looked.sampled else ""
    summary = tr(
        "{fn} of {owner} ran {times} {rhythm}, {share}: {about}{wasted_ns:.2f} ms a second, "
        "{per_frame:.1%} of the frame budget.",
        fn=subject.function,
        owner=owner,
        times=counted(len(group), "time"),
        rhythm=schedule.rhythm(interval),
        share=_share(looked),
        about=about,
        wasted_ns=wasted_ns / 1e6 / (scene.played_ns / 1e9),
        per_frame=per_frame / budget,
    )
    where = at_place(subject.at)
    advice = tr(schedule.advice, function=subject.function, where=where)
    if instead is not None:
        advice = tr(
            "Bind {fn} to `{event}` instead{where}: it comes just when there is something to find.",
            fn=subject.function,
            event=take.text(instead.event),
            where=where,
        )
    evidence = scene.evidence("call", looked.wasted[:4].tolist(), tr("ran for nothing"))
    evidence += scene.evidence("call", looked.hits[:3].tolist(), tr("found something"))
    unseen = _longest_unseen(looked)
    small = looked.sampled and per_frame < scene[POLLING_SAMPLED_BUDGET_SHARE] * budget
    weak = small or unseen > scene[POLLING_UNSEEN_SHARE] * len(group)
    return Found(
        subject=subject,
        frame_rows=take.calls.frame[looked.wasted],
        count=len(group),
        cost_ns=wasted_ns,
        summary=summary,
        advice=advice,
        evidence=tuple(evidence),
        calls=looked.wasted,
        details=_details(scene, looked, schedule, wasted_ns, interval, interval < budget, instead),
        instead=take.text(instead.event) if instead is not None else "",
        rated=Severity.NOTE if weak else Severity.RISK if looked.own_only else None,
    )


def _longest_unseen(looked: _Looked) -> int:
    """Return the length of the longest stretch of calls of which no effect is known."""
    seen = np.searchsorted(looked.group, looked.known)
    return int(np.diff(seen, prepend=-1, append=len(looked.group)).max()) - 1


def _wasted_ns(scene: Scene, looked: _Looked) -> int:
    """Return what the wasted calls cost.

    Of calls whose effect is unknown, as many are taken to be wasted as of the known ones; where there are enough of them,
    they tell what a call costs, for looking at a call takes time too.
    """
    unknown = np.setdiff1d(looked.group, looked.known, assume_unique=True)
    if len(unknown) < scene[POLLING_KNOWN_CALLS]:
        return int(scene.cost_of(looked.wasted) * len(looked.group) / len(looked.known))
    return int(scene.cost_of(unknown) / len(unknown) * len(looked.group) * len(looked.wasted) / len(looked.known))


def _share(looked: _Looked) -> str:
    """Say how much of it was for nothing: of all, or of those that were looked at."""
    hits = len(looked.hits)
    if not looked.sampled:
        found = tr("it found something {times}", times=counted(hits, "time")) if hits else tr("it never found anything")
        return tr(
            "{wasted:.1%} of them for nothing ({found})", wasted=len(looked.wasted) / len(looked.known), found=found
        )
    seen = len(looked.known) - len(looked.wasted)
    found = tr("{seen:,} of them found something", seen=seen) if seen else tr("none of them found anything")
    others = tr(", {hits:,} others sent something", hits=hits - seen) if hits > seen else ""
    return tr(
        "{known:,} of {group:,} looked at, {found}{others}",
        known=len(looked.known),
        group=len(looked.group),
        found=found,
        others=others,
    )


def _details(
    scene: Scene,
    looked: _Looked,
    schedule: Schedule,
    wasted_ns: int,
    interval: float,
    faster: bool,
    instead: Replacement | None,
) -> tuple[str, ...]:
    about = tr("about ") if looked.sampled else ""
    saved = round(len(looked.group) * len(looked.wasted) / len(looked.known))
    details = [
        tr(
            "Saved if replaced: {about}{calls} and {length} in this take.",
            about=about,
            calls=counted(saved, "call"),
            length=milliseconds(wasted_ns),
        )
    ]
    if instead is not None:
        named = {"event": scene.take.text(instead.event), "share": instead.share}
        details.append(
            tr(
                "`{event}` came just then in {share:.0%} of the finds; polling noticed it {length} later on average.",
                length=milliseconds(instead.delay_ns),
                **named,
            )
            if math.isfinite(instead.delay_ns)
            else tr("`{event}` came in {share:.0%} of the finds right after polling had noticed.", **named)
        )
    else:
        details.append(
            tr(
                "Polling notices a change {length} late on average (half the interval of {length2}).",
                length=milliseconds(interval / 2),
                length2=milliseconds(interval),
            )
        )
    if faster and schedule.faster_than_frames:
        details.append(tr(schedule.faster_than_frames))
    if looked.sampled:
        details.append(tr("Only some calls were looked at, so rare finds cannot be excluded."))
        unseen = _longest_unseen(looked)
        if unseen > scene[POLLING_UNSEEN_SHARE] * len(looked.group):
            details.append(tr("Of {unseen:,} calls in a row nothing is known; it may work there.", unseen=unseen))
    if looked.own_only:
        details.append(tr("It did nothing as far as its own object shows; what lies elsewhere is not known."))
    return tuple(details)
