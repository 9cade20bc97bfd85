"""The forms of sentences: one module for those that ask alike, and here which word leads to which."""

from __future__ import annotations

from collections.abc import Callable

from opossum.rules.checked import Occasions
from opossum.rules.forms import (
    alive,
    causing,
    clock,
    findings,
    following,
    frames,
    heard,
    never,
    only,
    queues,
    reaching,
    single,
    spacing,
    values,
)
from opossum.rules.ground import Ground
from opossum.rules.sentence import Form, Moment

EVERY: dict[str, Callable[[Ground, Moment, Form], Occasions]] = {
    "heard": heard.heard,
    "causes": causing.causes,
    "springs": causing.springs,
    "followed": following.followed,
    "preceded": following.preceded,
    "inphase": single.in_phase,
    "spaced": spacing.spaced,
    "takes": single.takes,
    "changes": single.changes,
    "hasmark": single.has_mark,
    "ends": single.ends,
    "reaches": reaching.reaches,
}
"""What `every …` may do, by the grammar's name."""


def _every(ground: Ground, form: Form) -> Occasions:
    moment, what = form.children
    return EVERY[str(what.data)](ground, moment, what)


FORMS: dict[str, Callable[[Ground, Form], Occasions]] = {
    "every": _every,
    "never": never.never,
    "only": only.only,
    "within": frames.within,
    "between": following.between,
    "queue": queues.queue,
    "value": values.value,
    "alive": alive.alive,
    "clock": clock.at_clock,
    "clockevery": clock.every_clock,
    "nofindings": findings.no_findings,
    "nofinding": findings.no_finding,
}
"""Every form of sentence, by the grammar's name."""
