"""The table that benchmarks fill, row by row."""

from __future__ import annotations


class Table:
    """Prints rows as they come and remembers whether a limit was exceeded."""

    def __init__(self) -> None:
        self.exceeded = False
        print(f"{'what':<58} {'measured':>12} {'limit':>8}   in figures")

    def row(self, what: str, value: float, limit: float, figures: str, unit: str = "×") -> None:
        """Print one comparison."""
        over = value > limit
        self.exceeded |= over
        print(f"{what:<58} {value:>10.2f} {unit} {limit:>6g} {unit}   {figures}{'   OVER' if over else ''}", flush=True)
