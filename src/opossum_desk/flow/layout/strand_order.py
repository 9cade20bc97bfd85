"""Which strands stand first, and which pass the sieve."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.sieve import Term, passes_by_name
from opossum_desk.flow.layout.strand_rows import StrandRow
from opossum_desk.state.session import Session

NAMED = ("any", "ev", "o", "cls", "fn", "via", "peer")
STRANDS_OF_RECORD = {"arm": ("timer", "delay"), "play": ("clip", "track"), "wait": ("wait",), "watch": ("value",)}
"""Which strands hold the records of a kind."""


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
    meant = strands_of(session, rows)
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


def strands_of(session: Session, rows: list[StrandRow]) -> set[int]:
    """Return the places of the strands that the chosen finding is about: its queue, clip, timer, wait or value.

    By name, and by the records that prove it.
    """
    finding = session.finding
    if finding is None:
        return set()
    subject = finding.subject
    things = {name for name in (subject.q, subject.clip, subject.mark, subject.ev) if name}
    proof = {
        kind: [item.row for item in finding.evidence if item.k == record]
        for record, kinds in STRANDS_OF_RECORD.items()
        for kind in kinds
    }
    found = set()
    for place, row in enumerate(rows):
        if subject.peer and subject.peer != row.peer:
            continue
        named = things & set(row.label.split()) or row.label in things
        # an object's strand may be its class's
        is_its = subject.o in row.owners if subject.o else bool(subject.cls) and subject.cls == row.cls
        if (
            (named and (is_its or subject.q or not (subject.o or subject.cls)))
            or (subject.clip and is_its and row.kind == "clip")
            or _holds(row.items, proof.get(row.kind, []))
        ):
            found.add(place)
    return found


def _holds(items: Array, rows: list[int]) -> bool:
    """Say whether any of some rows is among a strand's items, ascending."""
    places = np.searchsorted(items, rows)
    return bool((items[np.minimum(places, len(items) - 1)] == rows).any()) if len(items) else False


def passes(row: StrandRow, terms: list[Term]) -> bool:
    """Say whether a strand passes the sieve: by its event, class and owners, and by its kind for ``via:``.

    Words that only a call can answer (`wasted`, `frame:` …) say nothing of a strand.
    """
    for term in terms:
        if term.subject not in NAMED:
            continue
        if term.subject == "via":
            hit = row.kind.startswith(term.text)
        elif term.subject == "peer":
            hit = term.text in row.peer.lower()
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
