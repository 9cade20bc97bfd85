"""Checking rules against a take."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

import numpy as np

from opossum.findings.settings import Settings
from opossum.rules.checked import MOST_BREAKS, Break, Outcome
from opossum.rules.forms import FORMS
from opossum.rules.ground import Ground
from opossum.rules.scopes import counted
from opossum.rules.sentence import Moment, Rule
from opossum.take.nearness import NearNames
from opossum.take.take import Take
from opossum.words import tr

Progress = Callable[[int, int], None]
"""Called with how many rules of how many are checked; may raise to cancel."""


def check(
    take: Take, rules: Sequence[Rule], settings: Settings | None = None, progress: Progress | None = None
) -> list[Outcome]:
    """Return what became of each rule, in their order.

    Every moment is looked for once, however many rules name it: linear in the records for each different one, and in the
    occasions of each rule.
    """
    ground = Ground(take, settings)
    outcomes = []
    for number, rule in enumerate(rules):
        if progress is not None:
            progress(number, len(rules))
        outcomes.append(check_one(ground, rule))
    return outcomes


def check_one(ground: Ground, rule: Rule) -> Outcome:
    """Return what became of one rule."""
    found = FORMS[str(rule.form.data)](ground, rule.form)
    if not rule.scopes:  # all of them count
        broken, count, frames, held = np.flatnonzero(~found.held), len(found), found.frames, found.held
    else:
        places = np.flatnonzero(counted(ground, found, rule.scopes)) if len(found) else np.zeros(0, np.int64)
        broken, count = places[~found.held[places]], len(places)
        frames, held = found.frames[places], found.held[places]
    breaks = [
        Break(ground.frame_number(int(found.frames[place])), int(found.lines[place]), found.note(int(place)))
        for place in broken[:MOST_BREAKS].tolist()
    ]
    hint = "" if count else _hint(ground, rule)
    return Outcome(rule, count, len(broken), frames, held, breaks, hint)


def _hint(ground: Ground, rule: Rule) -> str:
    """Say why a rule had no occasion, where a name in it is none of the take's."""
    known = ground.once(_names)
    for name in names_in(rule):
        if "*" in name or name in known:
            continue
        near = NearNames(known).near(name)
        return tr("nothing is called `{name}` in this take", name=name) + (
            tr("; did you mean `{near}`?", near=near[0]) if near else ""
        )
    return ""


def _names(ground: Ground) -> frozenset[str]:
    take = ground.take
    classes = {take.class_of(code) for code in np.unique(take.listeners.owner).tolist()}
    spawned = {take.text(int(code)) for code in np.unique(take.tables["spawn"]["cls"]).tolist()}
    return frozenset([*take.strings, *classes, *spawned])


def names_in(rule: Rule) -> list[str]:
    """Return the names a rule's moments are narrowed to, in the order they are written."""
    found: list[str] = []

    def look(item: object) -> None:
        if isinstance(item, Moment):
            found.extend((*item.of, *item.by, *(name for _, names in item.more for name in names)))
        elif isinstance(item, tuple) and all(isinstance(part, str) for part in item):
            found.extend(item)

    trees: Iterable[object] = (part for tree in rule.form.walk() for part in tree.children)
    for part in trees:
        look(part)
    return [name for name in dict.fromkeys(found) if str(rule.form.data) not in ("nofinding", "nofindings")]
