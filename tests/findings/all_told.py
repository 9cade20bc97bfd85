"""One word for all that findings say and mark, for tests that see whether any of it changes."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable

from opossum.findings.finding import Finding


def word_for(findings: Iterable[Finding]) -> str:
    """Return a word for what findings tell as JSON, and for what only views take of them: what they mark, and when it was due."""
    told = [
        finding.as_dict()
        | {
            "rows": [item.row for item in finding.evidence],
            "marked": [column.tolist() for column in (finding.calls, finding.sends, finding.due_ns)],
            "instead": finding.instead,
        }
        for finding in findings
    ]
    return hashlib.sha256(json.dumps(told, sort_keys=True).encode()).hexdigest()[:12]
