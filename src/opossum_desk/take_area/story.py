"""The Story: the chosen finding told with its proof."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from urllib.parse import unquote

from PySide6.QtCore import Qt, QUrl, Signal
from PySide6.QtGui import QKeyEvent, QTextCursor
from PySide6.QtWidgets import QTextBrowser, QWidget

from opossum.foreign_text import shown_html
from opossum.words import tr
from opossum_desk.playing import HeldGame
from opossum_desk.state.leaving_out import leave_out
from opossum_desk.state.session import Session
from opossum_desk.views.look import Look
from opossum_desk.views.speech import Spoken, SpokenChildren, announce
from opossum_desk.weaves import weave_named


class StoryView(QTextBrowser):
    """Shows a finding as a page; its links lead to frames, calls and other findings."""

    place_wanted = Signal(str)
    """A place in the source is to be opened, as the take names it."""
    rehearsal_wanted = Signal()
    """The chosen finding's fix is to be rehearsed."""
    rule_wanted = Signal()
    """A rule is to keep the chosen finding from coming back."""
    left_out = Signal(str)
    """Findings were left out; says where that was written."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.look = look
        self.session: Session | None = None
        self.held: HeldGame | None = None
        """The game that is held now, if one is."""
        self.roots: list[Path] = []
        """The folders in which the game's source is looked for."""
        self.setAccessibleName(tr("Story"))
        self.setOpenLinks(False)
        self.setMinimumSize(200, 120)
        self.document().setDocumentMargin(12)
        self._speech = SpokenChildren(self, self.spoken, self.viewport)
        self.verticalScrollBar().valueChanged.connect(lambda _: self._speech.renew())
        self.highlighted.connect(self._say_link)
        self.anchorClicked.connect(self.follow)
        self.setWhatsThis(
            tr("The Story: what is wrong, what to change, and the records that prove it. Links lead to them.")
        )
        look.changed.connect(self.renew)

    def set_session(self, session: Session | None) -> None:
        """Tell the chosen finding of a session."""
        self.session = session
        if session is not None:
            session.subscribe("selection findings weave", self.renew)
        self.renew()

    def renew(self) -> None:
        """Write the page anew if what it tells has changed."""
        colours = self.look.colours
        if self.session is None:
            page = ""
        elif self.held is not None and self.session.finding is None:
            page = self._held_page(self.session, self.held)
        elif self.session.finding is None:
            page = f'<p style="color:{colours.quiet}">{self._nothing_chosen(self.session)}</p>'
        else:
            from opossum_desk.take_area.layout.story import story_html  # no finding is chosen while the desk starts

            offer = self._offer(self.session)
            tints = colours.ink, colours.quiet, colours.rose
            page = story_html(self.session, self.session.finding, *tints, offer, self.roots)
            if self.held is not None:
                page = f"{self._held_page(self.session, self.held)}<hr/>{page}"
        if page != getattr(self, "_page", None):
            self._page = page
            self.setHtml(page)
        self._speech.renew()

    def spoken(self) -> list[Spoken]:
        """Return the links in view, for those who listen: Qt tells a page as text alone."""
        told = []
        for text, first, last in self._links():
            cursor = QTextCursor(self.document())
            cursor.setPosition(first)
            begin = self.cursorRect(cursor)
            cursor.setPosition(last)
            box = begin.united(self.cursorRect(cursor))
            if self.viewport().rect().intersects(box):
                told.append(Spoken(text, (box.x(), box.y(), box.width(), box.height()), "link"))
        return told

    def _links(self) -> Iterator[tuple[str, int, int]]:
        """Yield each link's words, and where in the page it begins and ends."""
        block = self.document().begin()
        while block.isValid():
            parts = block.begin()
            while not parts.atEnd():
                piece = parts.fragment()
                if piece.charFormat().isAnchor():
                    yield piece.text(), piece.position(), piece.position() + piece.length()
                parts += 1
            block = block.next()

    def _say_link(self, url: QUrl) -> None:
        """Say the link that Tab has come to, or the pointer is over."""
        words = next((text for text, first, _ in self._links() if self._leads(first) == url.toString()), "")
        if words:
            announce(self, tr("Link: {words}", words=words))

    def _leads(self, position: int) -> str:
        cursor = QTextCursor(self.document())
        cursor.setPosition(position + 1)
        return cursor.charFormat().anchorHref()

    def show_held(self, game: HeldGame | None) -> None:
        """Tell why a game is held, above everything else; None: it goes on."""
        self.held = game
        self.renew()

    def _held_page(self, session: Session, game: HeldGame) -> str:
        from opossum.take.moment import held_call
        from opossum_desk.take_area.layout.held import held_html

        colours = self.look.colours
        call = held_call(session.take, game.peer, game.at.call) if game.at.call else -1
        if game.at.call and call < 0:
            return f'<p style="color:{colours.quiet}">{tr("Held. Reading up to there …")}</p>'
        return held_html(session, call, game.tripwire, colours.quiet, colours.rose)

    def _offer(self, session: Session) -> tuple[str, str] | None:
        """Return the weave that proves the chosen finding best, and how to offer it; None where that one is shown."""
        from opossum.findings.catalogue import weave_of

        assert session.finding is not None
        weave = weave_named(weave_of(session.finding.kind, session.finding.cause))
        return None if weave.name == session.weave else (weave.name, weave.offer)

    def _nothing_chosen(self, session: Session) -> str:
        if not session.examined:
            return tr("The take is being examined …")
        if not session.findings:
            from opossum.findings.blind_spots import blind_spots

            spots = "".join(
                f"<p>{tr('Not seen: {spot}', spot=shown_html(spot))}</p>" for spot in blind_spots(session.take)
            )
            return tr("Nothing was found in what was seen.") + spots if spots else tr("Nothing was found.")
        return tr("Choose a finding at the left, or press N for the first one.")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Keep keys that walk the page and its links; all others belong to the desk."""
        link = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.textCursor().hasSelection()
        if (
            link
            or event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)
            or event.modifiers()
        ):
            super().keyPressEvent(event)
        else:
            event.ignore()

    def follow(self, url: QUrl) -> None:
        """Go where a link leads."""
        if self.session is None:
            return
        kind, _, target = url.toString().partition(":")
        if kind == "uncount" and self.session.finding is not None:
            told = leave_out(self.session, self.session.finding, target)
            self.left_out.emit(tr("Not counted any more; {told}. Ctrl+Z counts it again.", told=told))
        elif kind == "frame":
            self.session.select_column(int(target))
        elif kind == "place":
            self.place_wanted.emit(unquote(target))
        elif kind == "rule":
            self.rule_wanted.emit()
        elif kind == "rehearse":
            self.rehearsal_wanted.emit()
        elif kind == "weave":
            self.session.choose_weave(target)
        elif kind == "call":
            self.session.select_call(int(target))
        elif kind == "finding":
            finding = self.session.finding_named(unquote(target))
            if finding is not None:
                self.session.show_finding(finding)
