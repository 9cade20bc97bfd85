"""What somebody wishes not to be counted in a take: written beside it, and taken back again."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from opossum.user_file import FILE_NAME
from opossum.words import tr

if TYPE_CHECKING:
    from opossum.findings.finding import Finding
    from opossum.findings.wishes import Wishes


class LeftOut(NamedTuple):
    """A wish that was made: what was written (nothing where that was not possible), and the findings that it left out."""

    block: str
    before: list[Finding]


class WishesOfTake:
    """The wishes beside one take, and those made while it is looked at, which can be undone in turn."""

    def __init__(self, source: str, writes: bool = True) -> None:
        self.source = source
        self._writes = writes
        self._made: list[LeftOut] = []
        self.trouble = ""
        """Why the file beside the take was not heeded; empty where it was."""

    def read(self) -> Wishes:
        """Return what stands beside the take; a file that cannot be read counts as none."""
        from opossum.findings.wishes import WishError, Wishes, wishes_beside

        try:
            return wishes_beside(self.source) if self.source else Wishes()
        except WishError as error:
            self.trouble = tr("{error}; it is not heeded.", error=error)
            return Wishes()

    def leave_out(self, findings: list[Finding], finding: Finding, name: str) -> tuple[list[Finding], str]:
        """Wish that findings like this one do not count for one part of its subject.

        Returns (the findings that still count, where it was written or why it was not).
        """
        from opossum.findings.wishes import WishError, Wishes, add_wish, wish_for

        wish = wish_for(finding, name)
        block, told = "", tr("for as long as this take is open")
        if self._writes and self.source:
            file = Path(self.source).parent / FILE_NAME
            try:
                block = add_wish(file, wish)
                told = tr("written to {file}", file=file)
            except (WishError, OSError) as error:
                told = tr("only for now: {error}", error=error)
        self._made.append(LeftOut(block, list(findings)))
        return Wishes(uncounted=(wish,)).counted(findings), told

    def take_back(self) -> list[Finding] | None:
        """Undo the last wish; return the findings as they were before it, or None where there is none."""
        from opossum.findings.wishes import WishError, take_back

        if not self._made:
            return None
        last = self._made.pop()
        if last.block:
            with suppress(WishError):
                take_back(Path(self.source).parent / FILE_NAME, last.block)
        return last.before


LEFT_OUT_BY = (("o", "object"), ("cls", "class"), ("fn", "function"), ("at", "place"), ("q", "queue"), ("ev", "event"))
"""Parts of a subject by which findings are left out, and what they are called."""
