"""The engines of Python games: each adapter is put on when the game imports its engine. A new one is one line here."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from opossum_recorder.engines.declared.adapter import DeclaredAdapter
from opossum_recorder.engines.dispatchers.adapter import DispatcherAdapter
from opossum_recorder.engines.panda3d.adapter import PandaAdapter
from opossum_recorder.engines.pygame_ce.adapter import PygameAdapter
from opossum_recorder.engines.pyglet.adapter import PygletAdapter
from opossum_recorder.engines.standard_library.adapter import StandardLibraryAdapter
from opossum_recorder.recorder import Recorder


class Adapter(Protocol):
    """Records games on one engine; made before the game runs, put on when the engine is imported."""

    @property
    def watched(self) -> dict[str, Callable[[], None]]:
        """Return what to call once each of these modules has been imported."""


ADAPTERS: list[Callable[[Recorder], Adapter]] = [
    PandaAdapter,
    PygameAdapter,
    PygletAdapter,
    DispatcherAdapter,
    DeclaredAdapter,
    StandardLibraryAdapter,
]


def waiting_phases() -> tuple[str, ...]:
    """Return the phases in which one of the engines itself may wait."""
    return tuple(dict.fromkeys(phase for adapter in ADAPTERS for phase in getattr(adapter, "waits", ())))
