"""Recordings that were not finished: streams that lie beside the take they were to become."""

from __future__ import annotations

import glob
from pathlib import Path

PART_SUFFIX = ".flow.jsonl"


def unfinished(target: Path) -> list[Path]:
    """Return the recordings that earlier runs for `target` left unfinished, oldest first."""
    parts = target.parent.glob(f"{glob.escape(target.name)}.part*{PART_SUFFIX}")
    return sorted(parts, key=lambda path: path.stat().st_mtime)
