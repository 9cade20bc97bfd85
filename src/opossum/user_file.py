"""`opossum.toml`, beside a game or a take: what its user wishes of findings, and declares for who records the game."""

from __future__ import annotations

FILE_NAME = "opossum.toml"
LARGEST_FILE = 1_000_000
"""Bytes; nobody writes more by hand."""
