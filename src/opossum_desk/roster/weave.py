"""The weave Roster: who listened to what, and whether they were alive."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from PySide6.QtWidgets import QMenu, QWidget

from opossum.foreign_text import shown_in_menu
from opossum.words import tr
from opossum_desk.context_menus import add_tripwires, sieve
from opossum_desk.layout.row_picture import RowPicture, RowStack
from opossum_desk.roster.layout.labels import event_remark, listener_remark, stack_rows
from opossum_desk.roster.layout.listeners import RosterListeners
from opossum_desk.roster.layout.meant import MeantRows, meant_listeners, meant_rows
from opossum_desk.roster.layout.roster import layout_roster
from opossum_desk.roster.layout.rows import RosterRow, Sort, roster_rows
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.weaving.gathered_weave import GatheredWeave
from opossum_desk.weaving.row_canvas import RowCanvas

MOST_MEASURED = 2000
"""So many names are measured to find out how much room labels need."""


class RosterCanvas(RowCanvas):
    """Paints the Roster; groups of one class open and fold."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(look, tr("Roster"), parent)
        self.known: RosterListeners | None = None
        self.rows: list[RosterRow] = []
        self.opened: set[tuple[str, str, str, str]] = set()
        """The groups that are open, by name, so that they stay so while a take grows."""
        self._meant = MeantRows(frozenset(), frozenset(), np.zeros(0, bool))
        self._texts: list[tuple[str, float]] = []
        self.setWhatsThis(
            tr(
                "The Roster: for each event its sends as ticks (a hollow one that falls was heard by nobody), below it a bar for each listener from bind to unbind, on the ground of its owner's life; a dot where it was called. Dotted rose: it listened on after its owner had gone. Shift+Up and Shift+Down walk the rows, F opens a pile."
            )
        )

    def show_roster(self, session: Session, known: RosterListeners) -> None:
        """Show a take of which everything that listens is known."""
        self.known = known
        self._texts = []
        self.show_rows(session)

    def list_rows(self, session: Session) -> RowStack:
        assert self.known is not None
        self.rows = roster_rows(self.known, session, self.opened)
        return stack_rows(self.known, self.rows, self.line_px(), self.detail_px())

    def mean(self, session: Session) -> Collection[int]:
        assert self.known is not None
        self._meant = meant_rows(self.known, self.rows, session.finding, session.findings)
        return self._meant.places

    def reveal_finding(self) -> None:
        session, known = self.session, self.known
        if session is None or known is None:
            return
        listeners = meant_listeners(known, session.finding)
        if len(listeners) == 1:
            self.reveal_listener(next(iter(listeners)))
        else:
            super().reveal_finding()

    def reveal_listener(self, listener: int) -> None:
        """Open a listener's group and scroll to it."""
        assert self.known is not None
        self.opened.add(self.known.key_of_group(int(self.known.group[listener])))
        self.order()
        for place, row in enumerate(self.rows):
            if row.sort is Sort.LISTENER and row.number == listener:
                self.scroll_to_row(place)
                return

    # --- what a canvas of rows asks ------------------------------------------------------------------

    def lay_out(self, session: Session) -> RowPicture:
        assert self.known is not None
        self.labels.fit(self._widest_texts())
        return layout_roster(self.known, session, self.rows, self.stack, self.layout_view(), self._meant)

    def _widest_texts(self) -> list[tuple[str, float]]:
        assert self.known is not None
        if not self._texts:
            take, known = self.known.take, self.known
            self._texts = [
                (
                    f"{take.text(int(known.owner[at]))}  {take.text(int(known.function[at])).rpartition('.')[2]}"
                    + (f" {tr('again')}" if known.lanes[at] else ""),
                    26.0,
                )
                for at in known.first_of_group[:MOST_MEASURED].tolist()
            ]
        return self._texts

    def summary(self) -> str:
        if self.known is None or self.session is None:
            return tr("No take is open.")
        events = sum(row.sort is Sort.EVENT for row in self.rows)
        stale = int((self.known.stale_binds > 0).sum())
        told = tr("{events:,} events, {known:,} listeners", events=events, known=len(self.known))
        return (
            tr("{told}; {stale:,} listened on after their owners had gone.", told=told, stale=stale)
            if stale
            else f"{told}."
        )

    def describe_row(self, row: int) -> str:
        known = self.known
        if known is None or not 0 <= row < len(self.rows):
            return ""
        item, take = self.rows[row], known.take
        if item.sort is Sort.EVENT:
            name = take.text(int(known.code_of_event[item.number]))
            count = int(known.sends.sizes()[item.number])
            return tr(
                "event {name}\nsent {count:,} times\n{number}",
                name=name,
                count=count,
                number=event_remark(known, item.number) or tr("every send was heard"),
            )
        if item.sort is Sort.PILE:
            members = known.members.rows(item.number)
            listener = int(members[0])
            calls = tr(
                "{members:,} listeners of class {class_of}",
                members=len(members),
                class_of=take.class_of(int(known.owner[listener])),
            )
            return tr(
                "{calls}\n{listener} for {listener_2}",
                calls=calls,
                listener=take.text(int(known.function[listener])),
                listener_2=take.text(int(known.event[listener])),
            )
        if item.sort is Sort.LISTENER:
            binds = known.binds_of(item.number, item.lane)
            remark = listener_remark(known, item)[0]
            bound = tr("bound {binds:,} times", binds=len(binds)) if len(binds) else tr("its bind was not recorded")
            name = tr(
                "{known} of {known_2}",
                known=take.text(int(known.function[item.number])),
                known_2=take.text(int(known.owner[item.number])),
            )
            return tr(
                "{name} for {known}\n{bound}", name=name, known=take.text(int(known.event[item.number])), bound=bound
            ) + (f"\n{remark}" if remark else "")
        if item.sort is Sort.VAIN:
            waits = known.vain[item.number]
            return tr(
                "{waits:,} waited for {waits_2} in vain",
                waits=len(waits),
                waits_2=take.text(int(take.tables["wait"]["ev"][waits[0]])),
            )
        return f"{item.text}: {item.number:,}"

    def fold(self, row: int) -> None:
        if self.known is None or not 0 <= row < len(self.rows):
            return
        item = self.rows[row]
        group = item.number if item.sort is Sort.PILE else -1
        if item.sort is Sort.LISTENER and item.inside:
            group = int(self.known.group[item.number])
        if group >= 0:
            self.opened ^= {self.known.key_of_group(group)}
            self.order()
            self.cursor_row = next(
                (at for at, other in enumerate(self.rows) if other.sort is Sort.PILE and other.number == group), -1
            )
            self.renew()

    def add_row_actions(self, menu: QMenu, row: int) -> None:
        known, session, item = self.known, self.session, self.rows[row]
        if known is None or session is None:
            return
        take = known.take
        if item.sort is Sort.EVENT:
            name = take.text(int(known.code_of_event[item.number]))
            menu.addAction(
                tr("Sieve by event “{name}”", name=shown_in_menu(name)), lambda: sieve(session, f"ev:{name}")
            )
            add_tripwires(menu, session, event=name, sent=True)
        elif item.sort in (Sort.LISTENER, Sort.PILE):
            listener = item.number if item.sort is Sort.LISTENER else int(known.first_of_group[item.number])
            owner = take.text(int(known.owner[listener]))
            if item.sort is Sort.PILE or item.inside:
                opens = item.sort is Sort.PILE and not item.opened
                menu.addAction(tr("Open") if opens else tr("Fold"), lambda: self.fold(row))
            if item.sort is Sort.LISTENER and owner:
                menu.addAction(
                    tr("Sieve by “{owner}”", owner=shown_in_menu(owner)), lambda: sieve(session, f"o:{owner}")
                )
            binds = known.binds_of(listener, item.lane) if item.sort is Sort.LISTENER else np.zeros(0, np.int64)
            if len(binds):
                column = int(session.axis.columns_of_times(known.begin_ns[binds[:1]])[0])
                menu.addAction(tr("Go to where it was bound"), lambda: session.select_column(column))
            event, function = (take.text(int(part[listener])) for part in (known.event, known.function))
            cls = take.class_of(int(known.owner[listener])) if item.sort is Sort.PILE else ""
            add_tripwires(menu, session, event=event, owner="" if cls else owner, cls=cls, function=function)


class RosterWeave(GatheredWeave):
    """The Roster as a weave."""

    gathering_told = "Gathering who listened to what …"
    canvas: RosterCanvas

    def __init__(self, look: Look) -> None:
        super().__init__(RosterCanvas(look))

    def gather(self, session: Session) -> RosterListeners:
        known = RosterListeners(session.take)
        known.sends_by_column(session.axis)
        return known

    def show_gathered(self, session: Session, known: RosterListeners) -> None:
        self.canvas.show_roster(session, known)

    def reveal_call(self, call: int) -> None:
        known, session = self.canvas.known, self.session
        if known is None or session is None or known.take is not session.take:
            return
        number = int(session.take.calls.listener[call])
        found = [
            place
            for place, row in enumerate(self.canvas.rows)
            if row.sort is Sort.LISTENER and int(known.called[row.number]) == number
        ]
        if found:
            self.canvas.scroll_to_row(found[0])
