"""The one list of kinds of findings. A new kind is a new module beside this one, and one line here."""

from __future__ import annotations

from opossum.findings.declaring import Cause, Kind
from opossum.findings.double_fire import DOUBLE_FIRE
from opossum.findings.freeze import FREEZE
from opossum.findings.polling_waste import POLLING_WASTE
from opossum.findings.settings import Settings, Threshold
from opossum.findings.stale_listener import STALE_LISTENER
from opossum.findings.symptoms import Symptom

KINDS: list[Kind] = [FREEZE, DOUBLE_FIRE, STALE_LISTENER, POLLING_WASTE]
"""All kinds, in the order in which they are looked for."""


def kind_named(name: str) -> Kind | None:
    """Return the kind of that name, or None."""
    return next((kind for kind in KINDS if kind.name == name), None)


def cause_named(kind_name: str, cause_name: str) -> Cause | None:
    """Return the cause of that name of a kind, or None."""
    kind = kind_named(kind_name)
    return next((cause for cause in kind.causes if cause.name == cause_name), None) if kind else None


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
        raise ValueError(f"there is no threshold `{name}`; there are: {', '.join(known)}")
    try:
        number = float(value)
        if number != number or abs(number) == float("inf"):
            raise ValueError
    except (ValueError, OverflowError):
        raise ValueError(f"threshold `{name}` needs a number, got `{value}`") from None
    return settings.changed(name, number)
