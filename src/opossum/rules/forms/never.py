"""`no … comes …`: what must not be."""

from __future__ import annotations

import numpy as np

from opossum.rules.checked import Occasions, occasions
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.sentence import Form
from opossum.take.indexes.objects import GONE
from opossum.words import tr


def never(ground: Ground, form: Form) -> Occasions:
    """Judge all that occur: none may, or none after its owner is gone, or none before a first other."""
    moment, where = form.children
    found = moments_of(ground, moment)
    if where is None:
        held, note = np.zeros(len(found), bool), "came"
    elif where.data == "aftergone":
        state = ground.take.objects.state_at(found.peers, found.owners, found.lines)
        held, note = state != GONE, tr("came after its owner was gone")
    else:
        other = moments_of(ground, where.children[0])
        first = np.full(max(1, len(ground.take.peers)), np.iinfo(np.int64).max, np.int64)
        np.minimum.at(first, other.peers, other.lines)
        held, note = (
            found.lines > first[found.peers],
            tr("came before the first {children}", children=where.children[0].text),
        )
    return occasions(
        found.lines,
        found.frames,
        held,
        lambda place: f"{note}{_whose(ground, int(found.owners[place]))}",
        found.peers,
        found.owners,
    )


def _whose(ground: Ground, owner: int) -> str:
    return f" ({ground.take.text(owner)})" if owner >= 0 else ""
