"""Keeping what was recorded: a stream goes only when the take that was saved of it was opened again and is the same."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from opossum.take.unfinished import PART_SUFFIX
from opossum.words import tr
from opossum_commands.reading import CommandError
from opossum_commands.terminal import say

if TYPE_CHECKING:
    from opossum.take.take import Take


def spare_what_is_there(target: str | Path, force: bool) -> None:
    """See that nothing is written over that nobody gave up.

    Raises:
        CommandError: the file is there, and is not to be replaced.
    """
    if Path(target).exists() and not force:
        raise CommandError(tr("{target}: is there already; give --force to replace it.", target=target))


def free_part(target: Path) -> Path:
    """Return a name beside `target` for a recording in the making; one that an earlier run left there is not touched.

    Raises:
        CommandError: nothing can be written there.
    """
    if not target.parent.is_dir():
        raise CommandError(
            tr("{parent}: there is no such folder; give --out a file in one that is there.", parent=target.parent)
        )
    if not os.access(target.parent, os.W_OK):
        raise CommandError(
            tr("{parent}: cannot be written to; give --out a file in another folder.", parent=target.parent)
        )
    part, number = target.with_name(f"{target.name}.part{PART_SUFFIX}"), 2
    while part.exists():
        part, number = target.with_name(f"{target.name}.part-{number}{PART_SUFFIX}"), number + 1
    return part


def keep(take: Take, target: Path, stream: Path, write: Callable[[Take, str], None] | None = None) -> None:
    """Save a take that was recorded as `stream` to `target`, see that it is all there, and only then remove the stream.

    `write` writes another format than `.take`.

    Raises:
        CommandError: it cannot be written, or what was written is not what was recorded; the stream is kept.
    """
    from opossum.take.archive import save_take
    from opossum.take.opening import ReadError, open_any, open_here
    from opossum.take.sameness import first_difference

    kept = tr("the stream is kept as {stream}.", stream=stream)
    try:
        if write is None:
            save_take(take, target)
        else:
            write(take, str(target))
    except OSError as error:
        raise CommandError(
            tr(
                "{target}: cannot be written ({why}); {kept}",
                target=target,
                why=error.strerror or error,
                kept=kept,
            )
        ) from None
    try:
        # what was written just now is opened in this process: another one would load all that is loaded here once more
        again = open_here(str(target)) if write is None else open_any(str(target))
        difference = first_difference(take, again)
    except (*ReadError, MemoryError) as error:
        raise CommandError(
            tr(
                "{target}: was saved but cannot be opened again ({error}); {kept}",
                target=target,
                error=error,
                kept=kept,
            )
        ) from None
    if difference:
        raise CommandError(
            tr(
                "{target}: was saved but is not what was recorded ({difference}); {kept}",
                target=target,
                difference=difference,
                kept=kept,
            )
        )
    stream.unlink()


def tell_lost(take: Take) -> bool:
    """Say how many records were lost while a take was recorded, if any were; say whether it was because they could not be written."""
    lost = take.recording.lost
    told = [reason for code in take.tables["lost"]["why"].tolist() if (reason := take.text(code))]
    why = told[-1] if told else ""
    if lost:
        because = f" ({why})" if why else ""
        say(
            tr("opossum: {lost:,} records were lost while it was recorded{because}.", lost=lost, because=because),
            error=True,
        )
    return bool(why)
