"""What a bead says."""

from __future__ import annotations

from enum import IntEnum


class BeadState(IntEnum):
    """What a bead says; later ones win where several calls share a bead."""

    DID = 0  # it changed something
    UNKNOWN = 1  # whether it did is not known
    IDLE = 2  # it ran for nothing
    GONE = 3  # its owner was gone
    TWIN = 4  # twice for one cause
