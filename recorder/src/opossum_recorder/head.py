"""The first record of a stream: whose it is, and what the engine promises."""

from __future__ import annotations

import os
import time
from collections.abc import Sequence
from typing import Any


def head_fields(
    *,
    game: str,
    peer: str,
    engine: str,
    hz: float | None,
    phases: Sequence[str],
    waits: Sequence[str],
    build: str,
    host: str | None,
    seed: Any,
    token: str,
    holds: bool,
) -> dict[str, Any]:
    """Return the fields of the head; what is not known is left out.

    `host`: by default as the system says it; `build`: else what OPOSSUM_BUILD says; `token`: empty where none is demanded.
    """
    head: dict[str, Any] = {"opossum": 1, "game": game, "peer": peer, "lang": "python", "pid": os.getpid()}
    head |= {"host": os.uname().nodename if host is None else host}
    head |= {"started": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime())}
    optional: dict[str, Any] = {"engine": engine, "hz": hz, "phases": list(phases), "waits": list(waits)}
    optional |= {"build": build or os.environ.get("OPOSSUM_BUILD", ""), "holds": holds}
    if seed is not None:
        head["seed"] = seed
    if token:
        optional["token"] = token
    return head | {name: value for name, value in optional.items() if value is not False and value != []}
