"""What a user wishes of the findings, from `opossum.toml` beside the game or the take: thresholds, and what does not count.

[thresholds]
polling_calls = 120

[[uncounted]]
kind = "polling-waste"
cls = "Shelf"
why = "it looks for bread on purpose"
"""

from __future__ import annotations

import json
import os
import tempfile
import tomllib
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

from opossum.findings.catalogue import KINDS, kind_named, with_setting
from opossum.findings.finding import Finding, Subject
from opossum.findings.settings import Settings
from opossum.user_file import FILE_NAME, LARGEST_FILE
from opossum.words import counted, tr

KNOWN_TABLES = ("thresholds", "uncounted", "dispatcher", "watch", "frame")
"""What may stand in such a file; the last three are for whoever records the game."""
_SUBJECT = Subject._fields
_KEYS = ("kind", "cause", "why", *_SUBJECT)


class WishError(ValueError):
    """A file of wishes cannot be understood; the message says what, where, and what to do."""


class Uncounted(NamedTuple):
    """What does not count: findings whose kind, cause and subject have all these values."""

    values: Mapping[str, str]

    def fits(self, finding: Finding) -> bool:
        """Say whether a finding is meant."""
        told = finding.subject.as_dict() | {"kind": finding.kind, "cause": finding.cause}
        return all(told.get(name) == value for name, value in self.values.items() if name != "why")


class Wishes(NamedTuple):
    """Thresholds as they are set, and what does not count."""

    settings: Settings = Settings()
    uncounted: tuple[Uncounted, ...] = ()
    known: frozenset[str] = frozenset()
    """Names (ids) of findings that do not count, either."""

    def counted(self, findings: Sequence[Finding]) -> list[Finding]:
        """Return the findings that count; what follows from one that does not, does not either."""
        out: set[str] = set()
        kept = []
        for finding in findings:
            if finding.root in out or finding.id in self.known or any(wish.fits(finding) for wish in self.uncounted):
                out.add(finding.id)
            else:
                kept.append(finding)
        return kept


def wishes_beside(path: str | os.PathLike[str]) -> Wishes:
    """Return the wishes that stand beside a take or stream (or in a folder); none where there is no file.

    Raises:
        WishError: there is one, and it cannot be read.
    """
    where = Path(path)
    file = (where if where.is_dir() else where.parent) / FILE_NAME
    return read_wishes(file) if file.is_file() else Wishes()


def read_wishes(file: Path) -> Wishes:
    """Return the wishes of a file.

    Raises:
        WishError: it cannot be read, is no TOML, or says something that is not known.
    """
    try:
        if file.stat().st_size > LARGEST_FILE:
            raise WishError(
                tr(
                    "{file}: too large for a file of wishes; it may have {largest_file:,} bytes",
                    file=file,
                    largest_file=LARGEST_FILE,
                )
            )
        table = tomllib.loads(file.read_text(encoding="utf-8"))
    except OSError as error:
        raise WishError(tr("{file}: cannot be read ({why})", file=file, why=error.strerror or error)) from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise WishError(tr("{file}: is no TOML ({error})", file=file, error=error)) from None
    for key in table:
        if key not in KNOWN_TABLES:
            raise WishError(
                tr(
                    "{file}: `{key}` is not known; there are: {known_tables}",
                    file=file,
                    key=key,
                    known_tables=", ".join(KNOWN_TABLES),
                )
            )
    return Wishes(_settings_of(file, table.get("thresholds", {})), _uncounted_of(file, table.get("uncounted", [])))


def _settings_of(file: Path, table: Any) -> Settings:
    if not isinstance(table, dict):
        raise WishError(tr("{file}: `thresholds` must be a table: write [thresholds] above its lines", file=file))
    settings = Settings()
    for name, value in table.items():
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise WishError(tr("{file}: threshold `{name}` needs a number", file=file, name=name))
        try:
            settings = with_setting(settings, f"{name}={value}")
        except ValueError as error:
            raise WishError(f"{file}: {error}") from None
    return settings


def _uncounted_of(file: Path, items: Any) -> tuple[Uncounted, ...]:
    if not isinstance(items, list) or not all(isinstance(item, dict) for item in items):
        raise WishError(tr("{file}: `uncounted` must be a list: write [[uncounted]] above each entry", file=file))
    wishes = []
    for number, item in enumerate(items, 1):
        where = tr("{file}: entry {number} of `uncounted`", file=file, number=number)
        for key, value in item.items():
            if key not in _KEYS:
                raise WishError(
                    tr("{where}: `{key}` is not known; there are: {keys}", where=where, key=key, keys=", ".join(_KEYS))
                )
            if not isinstance(value, str):
                raise WishError(tr("{where}: `{key}` needs a text", where=where, key=key))
        if not set(item) - {"why"}:
            raise WishError(tr("{where}: says nothing; name a kind, a class or an object", where=where))
        kind = item.get("kind")
        if kind is not None and kind_named(kind) is None:
            raise WishError(
                tr(
                    "{where}: there is no kind `{kind}`; there are: {name}",
                    where=where,
                    kind=kind,
                    name=", ".join(one.name for one in KINDS),
                )
            )
        wishes.append(Uncounted(item))
    return tuple(wishes)


def not_counted(number: int, known: bool = False) -> str:
    """Return the sentence that says how many findings do not count; `known`: some may be left out by their names, too."""
    if known:
        return tr(
            "{findings} not counted: known, or left out by {file_name}.",
            findings=counted(number, "finding"),
            file_name=FILE_NAME,
        )
    return tr(
        "{findings} not counted, as {file_name} wishes.", findings=counted(number, "finding"), file_name=FILE_NAME
    )


def wish_for(finding: Finding, name: str) -> Uncounted:
    """Return the wish that findings of this kind and cause do not count for one part of the subject (`o`, `cls`, `at`, …)."""
    value = finding.subject.as_dict().get(name, "")
    return Uncounted({"kind": finding.kind, "cause": finding.cause, name: value})


def add_wish(file: Path, wish: Uncounted) -> str:
    """Write a wish at a file's end, all or nothing; return the lines that were written.

    Raises:
        WishError: what stands in the file cannot be read, or it cannot be written.
    """
    before = file.read_text(encoding="utf-8") if file.is_file() else ""
    if before:
        read_wishes(file)
    # a text of JSON is one of TOML, but for a character that TOML writes the same way
    lines = "".join(f"{name} = {json.dumps(value)}\n" for name, value in wish.values.items())
    block = ("\n" if before and not before.endswith("\n\n") else "") + "[[uncounted]]\n" + lines
    _replace(file, before + ("" if before.endswith("\n") or not before else "\n") + block)
    return block


def take_back(file: Path, block: str) -> bool:
    """Take lines that were written away again; return whether they were still there.

    Raises:
        WishError: the file cannot be read or written.
    """
    try:
        text = file.read_text(encoding="utf-8")
    except OSError:
        return False
    if block not in text:
        return False
    head, _, tail = text.rpartition(block)
    if head + tail:
        _replace(file, head + tail)
    else:
        file.unlink()
    return True


def _replace(file: Path, text: str) -> None:
    try:
        with tempfile.NamedTemporaryFile("w", dir=file.parent, suffix=".toml", delete=False, encoding="utf-8") as new:
            new.write(text)
            new.flush()
            os.fsync(new.fileno())
        Path(new.name).replace(file)
    except OSError as error:
        raise WishError(tr("{file}: cannot be written ({why})", file=file, why=error.strerror or error)) from None
