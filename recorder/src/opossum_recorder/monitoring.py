"""`sys.monitoring`, where the interpreter has it (3.12 and newer) and has room for one more tool."""

from __future__ import annotations

import sys
from typing import Any

FOR_LINES, FOR_INSTRUCTIONS = 3, 4
"""Which of the interpreter's tools we are: none that it has a name for."""


def monitoring_as(tool: int, name: str) -> Any:
    """Return `sys.monitoring` with a tool's number taken under a name, or None."""
    monitoring = getattr(sys, "monitoring", None)
    if monitoring is None:
        return None
    try:
        monitoring.use_tool_id(tool, name)
    except ValueError:
        return None
    return monitoring
