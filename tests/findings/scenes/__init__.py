"""Small games with one fault each, and their innocent twins: what the catalogue says, as streams.

A scene writes on a `Stage` and says how many frames to play. `FAULTS` and `QUIET` hold them all.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from tape import Stage

Build = Callable[..., int]
"""Given a stage, plans the scene and returns how many frames to play."""


class Fault(NamedTuple):
    """A scene in which one finding is true: its kind and cause, its first frame, and parts of its subject."""

    build: Build
    kind: str
    cause: str
    first: int
    severity: str
    subject: dict[str, str]
    stage: dict[str, Any]


class Quiet(NamedTuple):
    """A scene that looks like a fault of a kind and is none."""

    build: Build
    kind: str
    cause: str
    stage: dict[str, Any]


FAULTS: list[Fault] = []
QUIET: list[Quiet] = []


def fault(
    kind: str, cause: str, first: int, severity: str = "fault", stage: dict[str, Any] | None = None, **subject: str
) -> Callable[[Build], Build]:
    """Register a scene with a fault."""

    def register(build: Build) -> Build:
        FAULTS.append(Fault(build, kind, cause, first, severity, subject, stage or {}))
        return build

    return register


def quiet(kind: str, cause: str, **stage: Any) -> Callable[[Build], Build]:
    """Register an innocent twin: nothing of that cause above a note, nor of any other."""

    def register(build: Build) -> Build:
        QUIET.append(Quiet(build, kind, cause, stage))
        return build

    return register


def built(build: Build, stage: dict[str, Any] | None = None, **how: Any) -> tuple[Stage, int]:
    """Return a scene set up on its stage, and how many frames it plays."""
    made = Stage(**(stage or {}))
    return made, build(made, **how)
