"""The rows of Compare: each first difference with what follows folded under it, what came otherwise, and what agrees."""

from __future__ import annotations

from enum import Enum
from typing import NamedTuple

from opossum.compare.differences import Sort as DifferenceSort
from opossum.compare.wording import difference_line, quality_lines
from opossum.take.sieve import passes_by_name
from opossum.words import counted, tr
from opossum_desk.compare.layout.side_by_side import ListenerLanes, SideBySide
from opossum_desk.state.session import Session


class Sort(Enum):
    """What a row is."""

    TEXT = "text"
    HEAD = "head"
    DIFFERENCE = "difference"
    LISTENER = "listener"


class CompareRow(NamedTuple):
    """One row: a sentence, a heading that folds (`key`), a first difference (`number`), or a listener on both sides."""

    sort: Sort
    text: str = ""
    title: str = ""
    key: str = ""
    number: int = -1
    listener: ListenerLanes | None = None
    wrong: bool = False
    faded: bool = False


def _heading(sort: DifferenceSort, where: str, is_first: bool) -> str:
    """Return what a difference is called; `where`: from which frame on."""
    if sort is DifferenceSort.CHANCE:
        return tr("chance, {where}", where=where)
    if sort is DifferenceSort.OUTSIDE:
        return tr("from outside, {where}", where=where)
    if sort is DifferenceSort.TAIL:
        return tr("end of take, {where}", where=where)
    return tr("first difference, {where}", where=where) if is_first else tr("difference, {where}", where=where)


def compare_rows(known: SideBySide, session: Session, folded: set[str]) -> list[CompareRow]:
    """Return the rows; `folded` holds the keys of those whose fold is not as it is at first."""
    comparison = known.comparison
    above, below = (f"{side.label} ({side.take.name})" for side in comparison.sides)
    lines = (
        *session.beside.told,
        tr("Above {above}, below {below}.", above=above, below=below),
        *quality_lines(comparison),
    )
    rows = [
        CompareRow(Sort.TEXT, _bare(line), tr("how alike") if number == 0 else "") for number, line in enumerate(lines)
    ]
    told: set[int] = set()
    if comparison.quality.comparable:
        for number, item in enumerate(comparison.differences):
            key = f"difference {number}"
            inside = [known.listeners[label] for label in sorted(item.listeners) if label in known.listeners]
            inside = [each for each in inside if _passes(session, each)]
            told |= {each.label for each in inside}
            where = tr("start-up") if item.frame < 0 else tr("frame {frame:,}", frame=item.frame)
            line = _bare(difference_line(comparison, item).partition(": ")[2])
            opened = (number == 0) != (key in folded)
            rows.append(
                CompareRow(
                    Sort.DIFFERENCE,
                    line,
                    _heading(item.sort, where, number == 0),
                    key if inside else "",
                    number,
                    wrong=item.sort is DifferenceSort.CODE,
                    faded=opened,
                )
            )
            if opened:
                rows += [CompareRow(Sort.LISTENER, listener=each) for each in inside]
        rows += [
            CompareRow(
                Sort.DIFFERENCE,
                _bare(f"{item.sentence(comparison.labels)}."),
                tr("otherwise, frame {frame:,}", frame=item.frame),
                wrong=True,
            )
            for item in comparison.otherwise
        ]
        rows += [
            CompareRow(
                Sort.DIFFERENCE,
                tr(
                    "{first} ran before {second} in {labels}, after it in {labels2}.",
                    first=flip.first,
                    second=flip.second,
                    labels=comparison.labels[0],
                    labels2=comparison.labels[1],
                ),
                tr("order, frame {frame:,}", frame=flip.frame),
                wrong=True,
            )
            for flip in comparison.flips
        ]
    others = [item for item in known.listeners.values() if item.label not in told and _passes(session, item)]
    for key, title, mine in (
        ("differ", tr("have calls without a counterpart"), [item for item in others if item.differs]),
        ("same", tr("did the same in both"), [item for item in others if not item.differs]),
    ):
        if mine:
            mine.sort(key=lambda item: item.name)
            opened = (key == "differ") != (key in folded)
            rows.append(CompareRow(Sort.HEAD, "", f"{counted(len(mine), 'listener')} {title}", key, faded=opened))
            if opened:
                rows += [CompareRow(Sort.LISTENER, listener=item, faded=key == "same") for item in mine]
    return rows


def _bare(line: str) -> str:
    """Return a sentence without the marks around names; it begins with a capital, unless a name stands there."""
    return (line if line.startswith("`") else line[:1].upper() + line[1:]).replace("`", "")


def _passes(session: Session, item: ListenerLanes) -> bool:
    if not (session.sieve.active and session.sieve.hides):
        return True
    cls, function, event = item.name
    return passes_by_name(session.sieve.terms, event=event, owner=cls, function=function, cls=cls)
