"""When one finding is another's consequence: the ways in which causes declare that they spring from another."""

from __future__ import annotations

import numpy as np

from opossum.findings.declaring import Spring
from opossum.findings.finding import Finding
from opossum.findings.scene import Scene

SHARED_CALLS = 0.5
"""A finding is another's consequence when at least this share of its calls are the other's."""


def shares_calls(scene: Scene, finding: Finding, root: Finding) -> bool:
    """Say whether most calls of a finding are calls of the root. Linear in the calls, and in the finding's."""
    if not len(finding.calls) or not len(root.calls):
        return False
    flags = np.zeros(len(scene.take.calls), bool)
    flags[root.calls] = True
    return float(flags[finding.calls].mean()) >= SHARED_CALLS


def shares_binds(scene: Scene, finding: Finding, root: Finding) -> bool:
    """Say whether one of the binds that prove the root is among those that prove the finding."""
    binds = {item.row for item in root.evidence if item.k == "bind"}
    return any(item.k == "bind" and item.row in binds for item in finding.evidence)


def within_its_frames(scene: Scene, finding: Finding, root: Finding) -> bool:
    """Say whether a finding shows in no frame that the root does not show in."""
    return len(finding.frame_rows) > 0 and bool(np.isin(finding.frame_rows, root.frame_rows).all())


def of_one_peer(finding: Finding, root: Finding) -> bool:
    """Say whether two findings are of the same peer: what has the same name on another is another thing."""
    return finding.subject.peer == root.subject.peer


FROM_STALE_CALLS = (Spring("stale-listener", shares_calls),)
"""What a stale listener's calls also show: its consequence, whatever it is."""

FROM_PILED_DELAYS = (Spring("delay-restacked/stacked", shares_calls),)
"""What comes twice because delays pile up."""
