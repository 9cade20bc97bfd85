"""What is asked again and again is told once: calls that found nothing go."""

from __future__ import annotations

from opossum.findings.finding import Finding
from opossum.rehearse.plan import Plan
from opossum.take.take import Take
from opossum.words import tr


def told_once(take: Take, finding: Finding) -> Plan:
    """Take away the calls that did nothing; those that found something stay, as the event that replaces the asking."""
    instead = tr(" by `{instead}`", instead=finding.instead) if finding.instead else ""
    return Plan(
        done=tr(
            "`{fn}` is called{instead} when there is something, no longer to look",
            fn=finding.subject.function,
            instead=instead,
        ),
        calls=finding.calls,
        unknown=(tr("what it costs to send the event instead"),),
    )
