"""What a fix changes in a take: what goes, what ends sooner, what comes at another time, what takes less."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from opossum.stream.tables import Array


def no_rows() -> Array:
    """Return no rows."""
    return np.zeros(0, np.int64)


@dataclass(eq=False, repr=False, kw_only=True)
class Plan:
    """A fix, as rows of a take.

    `done`: the fix in a sentence. `calls`, `sends`, `binds`, `arms`: rows that are taken away, with all that hangs on them;
    `silenced`: calls that still run but send and change nothing.  `events`: sends that come of themselves, whatever they sprang
    from is taken away.  `unbound`, `cleared`: (binds or arms, the line right after
    which each ends).  `moved`: (sends, when each comes, ns of game time).  `quicker`: (calls, ns each takes less);
    `gaps`: (lines after which a thread stood still, ns that are taken out).  `unknown`: what cannot be foretold.
    """

    done: str
    calls: Array = field(default_factory=no_rows)
    sends: Array = field(default_factory=no_rows)
    binds: Array = field(default_factory=no_rows)
    arms: Array = field(default_factory=no_rows)
    silenced: Array = field(default_factory=no_rows)
    events: Array = field(default_factory=no_rows)
    unbound: tuple[Array, Array] = field(default_factory=lambda: (no_rows(), no_rows()))
    cleared: tuple[Array, Array] = field(default_factory=lambda: (no_rows(), no_rows()))
    moved: tuple[Array, Array] = field(default_factory=lambda: (no_rows(), no_rows()))
    quicker: tuple[Array, Array] = field(default_factory=lambda: (no_rows(), no_rows()))
    gaps: tuple[Array, Array] = field(default_factory=lambda: (no_rows(), no_rows()))
    unknown: tuple[str, ...] = ()


class RehearsalError(ValueError):
    """A finding's fix cannot be rehearsed; the message says why."""
