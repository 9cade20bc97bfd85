"""What an index of a take is: declared in one file each (`indexes/`), registered by one line in `Take`.

From the declaration follow the order of building, what is handed to another process, and the bytes counted.
There is no way to grow an index: a stream that grows is indexed anew by another process (see `handover`).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, Protocol, TypeVar, overload

from opossum.take.recording import Recording

Made = TypeVar("Made")


class Indexed(Protocol):
    """What an index asks of the take it belongs to."""

    @property
    def recording(self) -> Recording:
        """Return what was recorded."""


class Index(Generic[Made]):
    """One index: built when first asked for, then kept beside its take.

    Args:
        name: the take's attribute.
        build: is given the recording and the indexes it `needs`, in that order, and returns the index.
        needs: indexes declared before this one; so there is no circle among them.
        holds: the classes of record it is made of, for handing it to another process.
        first: whether findings and views begin with it, so that it is built before they do.
    """

    def __init__(
        self,
        name: str,
        build: Callable[..., Made],
        needs: tuple[Index[Any], ...] = (),
        *,
        holds: tuple[type, ...] = (),
        first: bool = False,
    ) -> None:
        self.name = name
        self.build = build
        self.needs = needs
        self.holds = holds
        self.first = first

    @overload
    def __get__(self, take: None, owner: type | None = None) -> Index[Made]: ...

    @overload
    def __get__(self, take: Indexed, owner: type | None = None) -> Made: ...

    def __get__(self, take: Indexed | None, owner: type | None = None) -> Index[Made] | Made:
        if take is None:
            return self
        made = self.build(take.recording, *(getattr(take, need.name) for need in self.needs))
        take.__dict__[self.name] = made  # from now on the take's own attribute comes first
        return made
