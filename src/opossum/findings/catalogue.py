"""The one list of kinds of findings. A new kind is a new module beside this one, and one line here."""

from __future__ import annotations

from opossum.findings.cue_off import CUE_OFF
from opossum.findings.cut_before_mark import CUT_BEFORE_MARK
from opossum.findings.dead_end import DEAD_END
from opossum.findings.declaring import Cause, Kind
from opossum.findings.delay_off_mark import DELAY_OFF_MARK
from opossum.findings.delay_restacked import DELAY_RESTACKED
from opossum.findings.double_fire import DOUBLE_FIRE
from opossum.findings.event_loop import EVENT_LOOP
from opossum.findings.freeze import FREEZE
from opossum.findings.mark_late import MARK_LATE
from opossum.findings.missing_mark import MISSING_MARK
from opossum.findings.order_broken import ORDER_BROKEN
from opossum.findings.order_changes import ORDER_CHANGES
from opossum.findings.polling_waste import POLLING_WASTE
from opossum.findings.queue_backlog import QUEUE_BACKLOG
from opossum.findings.race_at_start import RACE_AT_START
from opossum.findings.raised import RAISED
from opossum.findings.settings import Settings, Threshold
from opossum.findings.stale_listener import STALE_LISTENER
from opossum.findings.symptoms import Symptom
from opossum.findings.threshold_missed import THRESHOLD_MISSED
from opossum.findings.timer_drift import TIMER_DRIFT
from opossum.findings.timer_left_running import TIMER_LEFT_RUNNING
from opossum.findings.unheard import UNHEARD
from opossum.findings.wait_never_met import WAIT_NEVER_MET
from opossum.findings.zone_unfiltered import ZONE_UNFILTERED
from opossum.words import tr

KINDS: list[Kind] = [
    FREEZE,
    DOUBLE_FIRE,
    STALE_LISTENER,
    POLLING_WASTE,
    UNHEARD,
    RAISED,
    DELAY_OFF_MARK,
    MISSING_MARK,
    CUT_BEFORE_MARK,
    WAIT_NEVER_MET,
    MARK_LATE,
    TIMER_DRIFT,
    TIMER_LEFT_RUNNING,
    DELAY_RESTACKED,
    ORDER_CHANGES,
    ORDER_BROKEN,
    RACE_AT_START,
    QUEUE_BACKLOG,
    EVENT_LOOP,
    CUE_OFF,
    THRESHOLD_MISSED,
    DEAD_END,
    ZONE_UNFILTERED,
]
"""All kinds, in the order in which they are looked for."""


def kind_named(name: str) -> Kind | None:
    """Return the kind of that name, or None."""
    return next((kind for kind in KINDS if kind.name == name), None)


def cause_named(kind_name: str, cause_name: str) -> Cause | None:
    """Return the cause of that name of a kind, or None."""
    kind = kind_named(kind_name)
    return next((cause for cause in kind.causes if cause.name == cause_name), None) if kind else None


def weave_of(kind_name: str, cause_name: str) -> str:
    """Return the name of the weave of the desk that proves a finding of this kind and cause best."""
    kind, cause = kind_named(kind_name), cause_named(kind_name, cause_name)
    return (cause.weave if cause else "") or (kind.weave if kind else "flow")


def all_thresholds() -> dict[str, Threshold]:
    """Return every threshold by name."""
    return {threshold.name: threshold for kind in KINDS for threshold in kind.thresholds}


def answers(symptom: Symptom) -> list[tuple[str, str]]:
    """Return (kind, cause) of everything that answers a symptom."""
    return [
        (kind.name, cause.name)
        for kind in KINDS
        for cause in kind.causes
        if symptom in (cause.symptoms or kind.symptoms)
    ]


def with_setting(settings: Settings, text: str) -> Settings:
    """Return settings with one threshold changed by ``name=value``.

    Raises:
        ValueError: the name is unknown or the value is no number; the message says what there is.
    """
    name, _, value = text.partition("=")
    known = all_thresholds()
    if name not in known:
        raise ValueError(tr("there is no threshold `{name}`; there are: {known}", name=name, known=", ".join(known)))
    try:
        number = float(value)
        if number != number or abs(number) == float("inf"):
            raise ValueError
    except (ValueError, OverflowError):
        raise ValueError(tr("threshold `{name}` needs a number, got `{value}`", name=name, value=value)) from None
    return settings.changed(name, number)
