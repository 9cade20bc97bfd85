"""Findings that are known: what was found once, kept as an open file, so that only what is new counts."""

from __future__ import annotations

import json
import os
from collections.abc import Sequence
from pathlib import Path

from opossum.findings.finding import Finding
from opossum.whole_file import whole_file
from opossum.words import tr

FORMAT, VERSION = "opossum-baseline", 1
LARGEST_FILE = 16 << 20
"""Bytes of a baseline that are read."""


class BaselineError(ValueError):
    """A baseline cannot be read; the message says which file and why."""


def read_baseline(path: str | os.PathLike[str]) -> frozenset[str]:
    """Return the names (ids) of the findings that a baseline holds.

    Raises:
        BaselineError: it cannot be read, or is none.
    """
    file = Path(path)
    try:
        if file.stat().st_size > LARGEST_FILE:
            raise BaselineError(
                tr(
                    "{file}: too large; a baseline may have {largest_file:,} bytes",
                    file=file,
                    largest_file=LARGEST_FILE,
                )
            )
        said = json.loads(file.read_bytes())
    except OSError as error:
        raise BaselineError(tr("{file}: cannot be read ({why})", file=file, why=error.strerror or error)) from None
    except (ValueError, RecursionError) as error:
        if isinstance(error, BaselineError):
            raise
        raise BaselineError(
            tr("{file}: is no JSON; write it with `opossum findings --write-baseline`", file=file)
        ) from None
    if not isinstance(said, dict) or said.get("format") != FORMAT:
        raise BaselineError(tr("{file}: is no baseline; write it with `opossum findings --write-baseline`", file=file))
    if said.get("version") != VERSION:
        raise BaselineError(
            tr("{file}: is a baseline of another version than {version}; write it anew", file=file, version=VERSION)
        )
    items = said.get("findings")
    if not isinstance(items, list) or not all(
        isinstance(item, dict) and isinstance(item.get("id"), str) for item in items
    ):
        raise BaselineError(
            tr("{file}: its `findings` are not a list of findings with an `id` each; write it anew", file=file)
        )
    return frozenset(item["id"] for item in items)


def write_baseline(path: str | os.PathLike[str], findings: Sequence[Finding]) -> None:
    """Write findings as a baseline; a file already there is replaced when all is written.

    Raises:
        OSError: it cannot be written.
    """
    listed = [{"id": finding.id, "summary": finding.summary} for finding in findings]
    with whole_file(path) as file:
        file.write(json.dumps({"format": FORMAT, "version": VERSION, "findings": listed}, indent=1).encode() + b"\n")
