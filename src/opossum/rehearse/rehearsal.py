"""Rehearsing a finding's fix: the take as it would have been, side by side with the one that was."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from opossum.compare.comparison import Comparison, compared
from opossum.compare.side import Side
from opossum.findings.examine import examine
from opossum.findings.finding import Finding
from opossum.findings.settings import Settings
from opossum.findings.wording import listed
from opossum.rehearse.consequences import Gone, what_goes
from opossum.rehearse.fixes import fix_of
from opossum.rehearse.fixes.holding_a_rule import held
from opossum.rehearse.plan import Plan
from opossum.rehearse.retelling import retold
from opossum.rules.sentence import Rule
from opossum.take.take import Take
from opossum.words import counted, tr

Progress = Callable[[str], None]
"""Called with what is done next; may raise to cancel."""


@dataclass(eq=False, repr=False)
class Rehearsal:
    """A fix as rehearsed: the plan, what goes with it, the take told anew, and both takes compared."""

    about: str
    """The finding's id, or the rule that is held."""
    plan: Plan
    gone: Gone
    take: Take
    comparison: Comparison

    @property
    def certain_to(self) -> int:
        """Return the game's number of the frame from which calls are in doubt, -1 if none are."""
        row = self.gone.certain_to
        return int(self.comparison.sides[0].take.frames.number[row]) if row >= 0 else -1

    def lines(self) -> list[str]:
        """Return what is done, what goes, and what cannot be known, as sentences."""
        told = [f"{self.plan.done[0].upper()}{self.plan.done[1:]}."]
        parts = [counted(self.gone.count(kind), kind) for kind in ("call", "send", "bind", "arm", "play", "spawn")]
        parts = [part for part in parts if not part.startswith("0 ")]
        ends = len(self.plan.unbound[0]) + len(self.plan.cleared[0])
        if parts:
            told.append(tr("{parts} go with it.", parts=listed(parts, 9)))
        if ends:
            told.append(tr("{ends} told sooner.", ends=counted(ends, "end")))
        if len(self.plan.moved[0]):
            told.append(
                tr("{sends} moved, with what ran because of it.", sends=counted(len(self.plan.moved[0]), "send"))
            )
        doubtful = int(self.gone.doubtful.sum())
        if doubtful:
            frame = self.certain_to
            owners = _owners(self)
            told.append(
                tr(
                    "Certain up to frame {frame}; after that {owners} may act otherwise ({calls} in doubt): what a "
                    "call changes is not replayed.",
                    frame=max(frame, 0),
                    owners=listed(owners),
                    calls=counted(doubtful, "call"),
                )
            )
        else:
            told.append(tr("Nothing that is still told is in doubt."))
        told += [tr("Not known: {item}.", item=item) for item in self.plan.unknown]
        return told

    def as_dict(self) -> dict[str, Any]:
        """Return the rehearsal as plain values for JSON."""
        return {
            "format": "opossum-rehearsal",
            "version": 1,
            "about": self.about,
            "done": self.plan.done,
            "gone": {kind: int(flags.sum()) for kind, flags in self.gone.flags.items() if flags.any()},
            "certain_to_frame": self.certain_to,
            "doubtful_calls": int(self.gone.doubtful.sum()),
            "unknown": list(self.plan.unknown),
            "comparison": self.comparison.as_dict(),
        }


def _owners(rehearsal: Rehearsal) -> list[str]:
    take = rehearsal.comparison.sides[0].take
    listeners = np.unique(take.calls.listener[rehearsal.gone.doubtful])
    return list(dict.fromkeys(take.text(int(owner)) for owner in take.listeners.owner[listeners].tolist()))


def rehearse(
    take: Take,
    finding: Finding,
    findings: list[Finding],
    settings: Settings | None = None,
    progress: Progress | None = None,
) -> Rehearsal:
    """Reckon a take again with a finding's fix, and compare.

    Cost: linear in the records and two sorts of them, then findings and a comparison.

    Args:
        take: the take as it was.
        finding: what is to be mended.
        findings: all that was found in the take.
        settings: thresholds for what is found afterwards.
        progress: told what is done next; may raise to cancel.

    Raises:
        RehearsalError: there is no fix that could be told; the message says why.
    """
    if progress is not None:
        progress(tr("the fix"))
    return _rehearsed(take, finding.id, fix_of(take, finding), findings, settings, progress)


def rehearse_rule(
    take: Take,
    rule: Rule,
    findings: list[Finding],
    settings: Settings | None = None,
    progress: Progress | None = None,
) -> Rehearsal:
    """Reckon a take again as it would have been had a rule been held; as `rehearse` does.

    Raises:
        RehearsalError: the rule cannot be held by taking away; the message says why.
    """
    return _rehearsed(take, rule.name, held(take, rule), findings, settings, progress)


def _rehearsed(
    take: Take,
    about: str,
    plan: Plan,
    findings: list[Finding],
    settings: Settings | None,
    progress: Progress | None,
) -> Rehearsal:
    say = progress or (lambda doing: None)
    say(tr("what goes with it"))
    gone = what_goes(take, plan)
    say(tr("the take anew"))
    after = retold(take, plan, gone)
    after.index()
    say("findings")
    left = examine(after, settings)
    say(tr("both side by side"))
    sides = (Side(take, "AS RECORDED"), Side(after, "REHEARSED"))
    return Rehearsal(about, plan, gone, after, compared(sides, (findings, left)))
