"""Thresholds, and what they are set to."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple


class Threshold(NamedTuple):
    """A number that decides when a finding speaks: its name (with its unit), default, unit and reason."""

    name: str
    default: float
    unit: str
    reason: str


class Settings:
    """The thresholds as they are set: defaults, and what was changed."""

    def __init__(self, changed: Mapping[str, float] | None = None) -> None:
        self._changed = dict(changed or {})

    def __getitem__(self, threshold: Threshold) -> float:
        """Return what a threshold is set to."""
        return self._changed.get(threshold.name, threshold.default)

    def changed(self, name: str, value: float) -> Settings:
        """Return the same settings with one threshold set."""
        return Settings(self._changed | {name: value})
