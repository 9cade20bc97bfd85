"""Raised: a listener ended in an error, and nobody was left out for it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.raised.errors import errors, tell
from opossum.findings.scene import Scene
from opossum.words import tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield listeners that raise."""
    for error in scene.once(errors):
        if not any(len(binds) for binds in error.left_out):
            function = scene.take.function_of_call(int(error.calls[0]))
            advice = tr("Mend {function}, or let it check what it is given", function=function)
            yield tell(scene, error.calls, error.calls, "", advice, np.zeros(0, np.int64))


RAISED_CAUSE = Cause(
    "raised",
    "ended in an error",
    Severity.FAULT,
    find,
    springs_from=FROM_STALE_CALLS,
    about="A listener ends in an error.",
    quiet="`SystemExit` and `KeyboardInterrupt`, which end the game.",
)
