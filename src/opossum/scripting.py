"""What scripts and notebooks use: takes as tables, findings as records, rules and comparisons, in a few lines.

See docs/python.md, whose examples are run as tests. All of this is reached as `opossum.open_take` and so on.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Iterator, Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from opossum.compare.comparison import Comparison, compared
from opossum.compare.side import Side
from opossum.export.tables import plain_tables
from opossum.findings.catalogue import KINDS, all_thresholds
from opossum.findings.examine import examine
from opossum.findings.finding import Finding
from opossum.findings.settings import Settings
from opossum.rules.checked import Outcome
from opossum.rules.checking import check
from opossum.rules.files import read_rules
from opossum.take.archive import save_take
from opossum.take.opening import open_any
from opossum.take.take import Take

if TYPE_CHECKING:
    import pyarrow as pa

Place = str | os.PathLike[str]
"""Where a file lies."""


class Tables(Mapping[str, "pa.Table"]):
    """The tables of a take by kind of record, as Arrow tables; made when first asked for."""

    def __init__(self, take: Take) -> None:
        self._take = take

    @cached_property
    def _tables(self) -> dict[str, pa.Table]:
        return plain_tables(self._take)

    def __getitem__(self, kind: str) -> pa.Table:
        """Return the table of a kind; a kind of which nothing was recorded has none."""
        return self._tables[kind]

    def __iter__(self) -> Iterator[str]:
        return iter(self._tables)

    def __len__(self) -> int:
        return len(self._tables)

    def __repr__(self) -> str:
        return f"<tables: {', '.join(f'{kind} {table.num_rows:,}' for kind, table in self.items())}>"


class OpenTake:
    """A take that is open: what was recorded, as tables, and what can be asked of it. It never changes.

    `core` is the take as Opossum itself uses it: columns with codes and indexes, which may change from version to version.
    """

    def __init__(self, core: Take) -> None:
        self.core = core
        self.tables = Tables(core)

    @property
    def name(self) -> str:
        """Its name."""
        return self.core.name

    @property
    def game(self) -> str:
        """The game's name."""
        return self.core.game

    @property
    def peers(self) -> list[str]:
        """The names of the processes that recorded it."""
        return [span.name for span in self.core.peers]

    @property
    def records(self) -> int:
        """How many records it holds."""
        return self.core.records

    @property
    def frames(self) -> int:
        """How many frames the game played."""
        return self.core.game_frames

    @property
    def seconds(self) -> float:
        """How long it lasts."""
        return self.core.duration_ns / 1e9

    def findings(self, only: Collection[str] = (), **thresholds: float) -> list[Finding]:
        """Return what is wrong, worst first.

        Args:
            only: kinds to look for, all if empty.
            thresholds: thresholds by name (`opossum findings --help` lists them).

        Raises:
            ValueError: there is no kind or threshold of that name.
        """
        for asked, known in ((only, [kind.name for kind in KINDS]), (thresholds, list(all_thresholds()))):
            for name in asked:
                if name not in known:
                    raise ValueError(f"there is no `{name}`; there are: {', '.join(known)}")
        return examine(self.core, Settings(thresholds), only)

    def check(self, rules: Place) -> list[Outcome]:
        """Return what became of each rule of a file.

        Raises:
            ValueError: it cannot be read, or a sentence in it cannot be understood.
        """
        book = read_rules(Path(rules))
        if book.errors:
            first = book.errors[0]
            raise ValueError(f"{rules}:{first.line}:{first.column}: {first.message}")
        return check(self.core, book.rules)

    def compared_with(self, after: OpenTake) -> Comparison:
        """Return what is otherwise in a take from after a change: findings, first differences, order, time."""
        sides = (Side(self.core, "BEFORE"), Side(after.core, "AFTER"))
        return compared(sides, (self.findings(), after.findings()))

    def save(self, path: Place) -> None:
        """Save it as a `.take` file, whole or not at all.

        Raises:
            OSError: it cannot be written.
        """
        save_take(self.core, path)

    def __repr__(self) -> str:
        return f"<take {self.name!r} of {self.game!r}: {self.records:,} records, {self.frames:,} frames, {self.seconds:.1f} s>"


def open_take(*paths: Place) -> OpenTake:
    """Open a `.take` file or a stream, or several streams as the processes of one take.

    Raises:
        ValueError: nothing readable is there; the message is one sentence that says what is wrong.
    """
    if not paths:
        raise ValueError("name a take or a stream")
    return OpenTake(open_any([os.fspath(path) for path in paths]))


def findings_table(findings: Sequence[Finding]) -> pa.Table:
    """Return findings as an Arrow table, a row each: what a data frame is made of."""
    import pyarrow as pa

    rows = [
        {
            "id": finding.id,
            "kind": finding.kind,
            "cause": finding.cause,
            "severity": finding.severity.value,
            "owner": finding.subject.o or None,
            "class": finding.subject.cls or None,
            "function": finding.subject.fn or None,
            "event": finding.subject.ev or None,
            "first_frame": finding.frames[0] if finding.frames else None,
            "frames": len(finding.frames),
            "count": finding.count,
            "cost_ns": finding.cost_ns,
            "summary": finding.summary,
            "advice": finding.advice,
            "root": finding.root or None,
        }
        for finding in findings
    ]
    texts = {name: pa.string() for name in ("id", "kind", "cause", "severity", "owner", "class", "function", "event")}
    numbers = {name: pa.int64() for name in ("first_frame", "frames", "count", "cost_ns")}
    said = {name: pa.string() for name in ("summary", "advice", "root")}
    return pa.Table.from_pylist(rows, schema=pa.schema(texts | numbers | said))
