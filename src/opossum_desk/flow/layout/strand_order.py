"""Which strands stand first, and which pass the sieve."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.take.sieve import Term, passes_by_name
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.flow.layout.strands import strands_of
from opossum_desk.state.session import Session

NAMED = ("any", "ev", "o", "cls", "fn", "via")


class OrderedStrand(NamedTuple):
    """A strand in its place: whether the sieve lets it through, and whether it belongs to what is selected."""

    row: StrandRow
    faded: bool
    belongs: bool


def order_strands(session: Session, rows: list[StrandRow]) -> list[OrderedStrand]:
    """Return the strands: first what belongs to the selection, then what does something in view, then the rest.

    Each of the three keeps the order of the take.  What the sieve does not let through fades, or is left out.
    """
    window = np.interp([session.low, session.high], session.axis.edges, session.axis.starts_ns)
    meant = strands_of(session, [row.label for row in rows])
    related = _related_items(session)
    hides = session.sieve.hides and session.sieve.active
    placed: list[tuple[int, OrderedStrand]] = []
    for place, row in enumerate(rows):
        faded = session.sieve.active and not passes(row, session.sieve.terms)
        if faded and hides:
            continue
        items = related.get(row.kind)
        belongs = place in meant or (items is not None and bool(np.isin(row.items, items).any()))
        placed.append((0 if belongs else 1 if row.stirs(window) else 2, OrderedStrand(row, faded, belongs)))
    return [strand for _, strand in sorted(placed, key=lambda item: item[0])]


def passes(row: StrandRow, terms: list[Term]) -> bool:
    """Say whether a strand passes the sieve: by its event, class and owners, and by its kind for ``via:``.

    Words that only a call can answer (`wasted`, `frame:` …) say nothing of a strand.
    """
    for term in terms:
        if term.subject not in NAMED:
            continue
        if term.subject == "via":
            hit = row.kind.startswith(term.text)
        elif term.subject == "any" and (term.text in row.label.lower() or row.kind.startswith(term.text)):
            hit = True
        else:
            own = Term(term.subject, term.text)
            hit = any(passes_by_name([own], event=row.event, owner=owner, cls=row.cls) for owner in row.owners or ("",))
        if hit is term.exclude:
            return False
    return True


def _related_items(session: Session) -> dict[str, np.ndarray]:
    """Return, by kind of strand, the items (rows of its table) that the selected call and its relations came about by."""
    related = session.selection.related
    if not related:
        return {}
    take = session.take
    send = take.calls.send[np.fromiter(related, np.int64)]
    send = send[send >= 0]
    table = take.tables["send"]
    peers = np.asarray(table["p"])[send]
    arms = take.arm_ids.rows(peers, np.asarray(table["a"])[send])
    plays = take.play_ids.rows(peers, np.asarray(table["y"])[send])
    arms, plays = arms[arms >= 0], plays[plays >= 0]
    return {"timer": arms, "delay": arms, "clip": plays, "track": plays}
