"""The numbers that decide when a finding speaks. All are settings; defaults are the catalogue's."""

from __future__ import annotations

from typing import Any, NamedTuple


class Thresholds(NamedTuple):
    """Every threshold with its unit in its name."""

    freeze_longer_than_ms: float = 100.0
    freeze_times_median: float = 6.0
    freeze_own_share: float = 0.5
    """A call whose own time is at least this share of the frame is named instead of the frame."""
    storm_rounds: int = 8
    """A cycle of sends turns at least this often within a frame before it is called a storm."""
    polling_calls: int = 60
    polling_wasted_share: float = 0.9
    polling_known_calls: int = 10
    """Nine in ten cannot be told from all with fewer known effects than this."""
    polling_event_share: float = 0.9
    latch_repeats: int = 2
    """Frames in a row that repeat what was already said before a missing latch is proved."""

    def with_setting(self, text: str) -> Thresholds:
        """Return thresholds with one changed by ``name=value``.

        Raises:
            ValueError: the name is unknown or the value is no number.
        """
        name, _, value = text.partition("=")
        usual = self._field_defaults.get(name)
        if usual is None:
            raise ValueError(f"there is no threshold `{name}`; there are: {', '.join(self._fields)}")
        try:
            number = float(value)
            changed: dict[str, Any] = {name: int(number) if isinstance(usual, int) else number}
        except (ValueError, OverflowError):
            raise ValueError(f"threshold `{name}` needs a number, got `{value}`") from None
        return self._replace(**changed)
