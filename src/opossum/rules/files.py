"""Rule files: reading them within bounds, and finding those that lie beside a take."""

from __future__ import annotations

from pathlib import Path

from opossum.rules.parsing import RuleBook, parse_rules
from opossum.words import tr

SUFFIX = ".rules"

LARGEST_FILE = 4 << 20
"""Bytes of a rule file that are read."""


class RuleFileError(ValueError):
    """A rule file cannot be read at all; the message says which and why."""


def read_rules(path: str | Path) -> RuleBook:
    """Read a rule file.

    Raises:
        RuleFileError: it is not there, too large, or no text.
    """
    path = Path(path)
    try:
        if path.stat().st_size > LARGEST_FILE:
            raise RuleFileError(
                tr(
                    "{path}: too large; a rule file may have {largest_file:,} bytes",
                    path=path,
                    largest_file=LARGEST_FILE,
                )
            )
        return parse_rules(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise RuleFileError(tr("{path}: cannot be read ({why})", path=path, why=error.strerror or error)) from None
    except UnicodeDecodeError:
        raise RuleFileError(tr("{path}: is no text in UTF-8; save it as such", path=path)) from None


def rules_beside(path: str | Path) -> list[Path]:
    """Return the rule files in the folder of a take, by name."""
    folder = Path(path).parent
    return sorted(item for item in folder.glob(f"*{SUFFIX}") if item.is_file()) if folder.is_dir() else []
