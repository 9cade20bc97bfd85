"""Rest not called: a listener ended in an error, and those bound behind it were left out."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.raised.errors import errors, tell
from opossum.findings.scene import Scene
from opossum.findings.symptoms import NEVER_COMES
from opossum.findings.wording import listed
from opossum.take.grouping import distinct
from opossum.words import tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield listeners whose errors keep others from being called."""
    take = scene.take
    for error in scene.once(errors):
        shown = error.calls[[len(binds) > 0 for binds in error.left_out]]
        if not len(shown):
            continue
        binds = distinct(np.concatenate(error.left_out))
        names = listed(
            [tr("{table} of {table2}", table=take.function_of_bind(b), table2=take.owner_of_bind(b)) for b in binds]
        )
        function = take.function_of_call(int(shown[0]))
        advice = tr(
            "Mend {function}, and let the dispatcher go on to the other listeners when one raises", function=function
        )
        yield tell(scene, error.calls, shown, tr("; not called after it: {names}", names=names), advice, binds)


REST_NOT_CALLED = Cause(
    "rest-not-called",
    "ended in an error, the rest not called",
    Severity.FAULT,
    find,
    springs_from=FROM_STALE_CALLS,
    group=NEVER_COMES,
    about="A listener ends in an error, and others that hear other sends of it are not called after it.",
    quiet="sends for the first listener or one object only.",
)
