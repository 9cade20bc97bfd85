"""A rule that is held: what came too often, or must not come at all, does not."""

from __future__ import annotations

import numpy as np

from opossum.rehearse.plan import Plan, RehearsalError
from opossum.rules.forms.causing import nearest_cause
from opossum.rules.forms.single import end_lines
from opossum.rules.ground import Ground
from opossum.rules.moments import moments_of
from opossum.rules.occurrences import Occurrences
from opossum.rules.sentence import Count, Form, Moment, Rule
from opossum.stream.tables import Array
from opossum.take.grouping import Runs, factorised
from opossum.take.take import Take
from opossum.words import tr

TAKEN_AWAY = {"call": "calls", "send": "sends", "bind": "binds", "arm": "arms"}
"""The tables whose rows can be taken away, by where they stand in a plan."""


def held(take: Take, rule: Rule) -> Plan:
    """Return the plan that holds a rule: of what comes too often the first stays, what must not come does not.

    Raises:
        RehearsalError: the rule asks for something that never was recorded, or is none of those that can be held so.
    """
    ground = Ground(take)
    form = rule.form
    if form.data == "never":
        found, extra = _never(ground, form)
    elif form.data == "every" and form.children[1].data == "causes":
        found, extra = _too_many_caused(ground, form)
    elif form.data == "alive":
        return _one_at_a_time(ground, rule)
    else:
        raise RehearsalError(
            tr(
                "`{rule}` cannot be rehearsed: held are `no … comes`, `every … causes at most …` and `never more "
                "than …`",
                rule=rule.text,
            )
        )
    if found.kind not in TAKEN_AWAY:
        raise RehearsalError(
            tr("`{rule}` cannot be rehearsed: only calls, sends, binds and timers can be taken away", rule=rule.text)
        )
    if not len(extra):
        raise RehearsalError(
            tr(
                "`{rule}` holds in this take, or breaks where too little comes; what never came cannot be told",
                rule=rule.text,
            )
        )
    plan = Plan(done=tr("the rule `{rule}` is held: what is too much does not come", rule=rule.text))
    setattr(plan, TAKEN_AWAY[found.kind], found.rows[extra])
    return plan


def _never(ground: Ground, form: Form) -> tuple[Occurrences, Array]:
    from opossum.rules.forms.never import never

    moment: Moment = form.children[0]
    return moments_of(ground, moment), np.flatnonzero(~never(ground, form).held)


def _too_many_caused(ground: Ground, form: Form) -> tuple[Occurrences, Array]:
    first_moment, what = form.children
    count: Count = what.children[0]
    if count.most < 0:
        return moments_of(ground, what.children[1]), np.zeros(0, np.int64)
    first, second = moments_of(ground, first_moment), moments_of(ground, what.children[1])
    cause = nearest_cause(ground, second, first)
    caused = np.flatnonzero(cause >= 0)
    runs = Runs(cause[caused], caused)
    return second, np.sort(caused[runs.order[runs.rank >= count.most]])


def _one_at_a_time(ground: Ground, rule: Rule) -> Plan:
    """Take away listeners that are bound beside others, and clear timers where the next is set."""
    number, thing, _ = rule.form.children
    if int(float(number)) != 1 or thing.data == "clips":
        raise RehearsalError(tr("`{rule}` cannot be rehearsed: held is one timer or listener at once", rule=rule.text))
    sort = "arming" if thing.data == "timers" else "bind"
    of, by = thing.children
    found = moments_of(ground, Moment(sort, of or (), by or ()))
    table = ground.take.tables[found.kind]
    event = ground.take.arms.event if sort == "arming" else np.asarray(table["ev"])
    codes, _ = (
        factorised(found.peers, found.owners, np.asarray(event)[found.rows])
        if len(found)
        else (np.zeros(0, np.int64), None)
    )
    runs = Runs(codes, found.lines)
    order = runs.order
    ends = end_lines(ground, found)[order]
    following = found.lines[np.roll(order, -1)]
    last = np.append(runs.group[1:] != runs.group[:-1], True) if len(order) else np.zeros(0, bool)
    pending = ~last & (ends > following)
    if not pending.any():
        raise RehearsalError(tr("`{rule}` holds in this take", rule=rule.text))
    done = tr("the rule `{rule}` is held", rule=rule.text)
    if sort == "arming":
        return Plan(
            done=tr("{done}: what is pending is cleared where it is set again", done=done),
            cleared=(found.rows[order[pending]], following[pending]),
        )
    later = np.roll(order, -1)[pending]
    return Plan(
        done=tr("{done}: what is bound already is not bound again", done=done), binds=np.sort(found.rows[later])
    )
