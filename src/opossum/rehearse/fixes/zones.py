"""A zone asks who comes."""

from __future__ import annotations

from opossum.findings.finding import Finding
from opossum.rehearse.plan import Plan
from opossum.take.take import Take
from opossum.words import tr


def only_who_is_meant(take: Take, finding: Finding) -> Plan:
    """Take away the calls for visitors who are not meant."""
    return Plan(
        done=tr("`{fn}` is called only for whom the zone is meant", fn=finding.subject.function), calls=finding.calls
    )
