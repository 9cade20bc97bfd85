"""Where a desk keeps what is its user's: below the XDG base directories, as Qt knows them."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QStandardPaths

_PLACES = QStandardPaths.StandardLocation


def settings_folder() -> Path:
    """Return the folder of settings; it may not be there yet, and so may none of these."""
    return _below(_PLACES.GenericConfigLocation)


def state_folder() -> Path:
    """Return the folder of what is remembered from run to run."""
    return _below(_PLACES.GenericStateLocation)


def recordings_folder() -> Path:
    """Return the folder of live recordings."""
    return _below(_PLACES.GenericDataLocation) / "recordings"


def _below(place: QStandardPaths.StandardLocation) -> Path:
    return Path(QStandardPaths.writableLocation(place)) / "opossum"
