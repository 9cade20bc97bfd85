"""What can be done with a call or a finding: the menus behind the right mouse button."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QApplication, QMenu, QWidget

from opossum.findings.finding import Finding
from opossum.foreign_text import shown_in_menu
from opossum.take.chains import same_on_other_peers
from opossum.words import tr
from opossum_desk.commands import COMMANDS
from opossum_desk.layout.describing import finding_text
from opossum_desk.state.leaving_out import leave_out
from opossum_desk.state.session import Session
from opossum_desk.state.uncounting import LEFT_OUT_BY

MOST_OTHERS = 8
"""Calls on other peers that a menu offers at most."""


def add_call_actions(menu: QMenu, session: Session, call: int) -> None:
    """Add what can be done with a call."""
    take = session.take
    event, listener = take.event_of_call(call), int(take.calls.listener[call])
    owner, function = (take.text(int(names[listener])) for names in (take.listeners.owner, take.listeners.function))
    menu.addAction(tr("Select this call"), lambda: session.select_call(call))
    parent = int(take.calls.parent[call])
    cause = menu.addAction(tr("Follow its cause"), lambda: session.select_call(parent))
    cause.setEnabled(parent >= 0)
    menu.addAction(tr("Show its Trail"), lambda: _show_trail(session, call))
    for command in COMMANDS:
        if command.about_calls and command.do is not None:
            menu.addAction(command.plain_title, partial(_from_call, session, call, command.do))
    for other in same_on_other_peers(take, call)[:MOST_OTHERS]:
        peer = take.peers[int(take.tables["call"]["p"][other])].name
        title = tr(
            "The same on {peer}: {function_of_call} ({owner_of_call})",
            peer=peer,
            function_of_call=take.function_of_call(other),
            owner_of_call=take.owner_of_call(other),
        )
        menu.addAction(title, partial(_select_on_its_peer, session, other))
    menu.addSeparator()
    kind = take.class_of(int(take.listeners.owner[listener]))
    for title, prefix, text in (
        ("event", "ev", event),
        ("object", "o", owner),
        ("class", "cls", kind),
        ("function", "fn", function),
    ):
        if text:
            menu.addAction(
                tr("Follow {title} “{text}”", title=title, text=shown_in_menu(text)),
                partial(sieve, session, f"{prefix}:{text}"),
            )
    add_tripwires(menu, session, event=event, owner=owner, function=function)
    concerned = [finding for finding in session.findings if call in finding.calls]
    for finding in concerned[:4]:
        menu.addAction(
            tr("Tell: {finding}…", finding=shown_in_menu(finding.summary[:60])), partial(session.show_finding, finding)
        )
    menu.addSeparator()
    menu.addAction(
        tr("Copy its name"),
        lambda: copy(tr("{function} ({owner}) for {event}", function=function, owner=owner, event=event)),
    )


def add_tripwires(
    menu: QMenu,
    session: Session,
    *,
    event: str = "",
    owner: str = "",
    cls: str = "",
    function: str = "",
    sent: bool = False,
) -> None:
    """Add where the game that plays can be held: at this, when it runs again, when its owner is gone; nothing without a game.

    `sent`: where the event is sent, whoever hears it.  A name with a space cannot be said in a tripwire, and is left out.
    """
    hold_at = session.hold_at
    named = (("ev", event), ("o", owner), ("cls", cls), ("fn", function))
    words = " ".join(f"{prefix}:{text}" for prefix, text in named if text and " " not in text)
    if hold_at is None or not words:
        return
    menu.addSeparator()
    if sent:
        menu.addAction(tr("Hold when it is sent"), lambda: hold_at(f"send {words}"))
        return
    watch_of = session.watch_of
    if owner and watch_of is not None:
        menu.addAction(tr("Watch an attribute of “{owner}” …", owner=shown_in_menu(owner)), lambda: watch_of(owner))
    menu.addAction(tr("Hold here"), lambda: hold_at(words))
    menu.addAction(tr("Hold when it runs again in a frame"), lambda: hold_at(f"{words} again"))
    menu.addAction(tr("Hold when its owner is gone"), lambda: hold_at(f"{words} gone"))


def _select_on_its_peer(session: Session, call: int) -> None:
    session.set_peer(int(session.take.tables["call"]["p"][call]))
    session.select_call(call)


def _show_trail(session: Session, call: int) -> None:
    session.select_call(call)
    session.show_trail(call)


def _from_call(session: Session, call: int, do: Callable[[Session], object]) -> None:
    session.select_call(call)
    do(session)


def finding_menu(parent: QWidget, session: Session, finding: Finding) -> QMenu:
    """Return what can be done with a finding."""
    menu = QMenu(parent)
    menu.addAction(tr("Show it"), lambda: session.show_finding(finding))
    columns = session.columns_of(finding).tolist()
    if columns:
        menu.addAction(tr("Its first frame"), lambda: session.select_column(columns[0]))
        later = [column for column in columns if column > session.column]
        following = menu.addAction(tr("Its next frame"), lambda: session.select_column(later[0]))
        following.setEnabled(bool(later))
        menu.addAction(tr("Its last frame"), lambda: session.select_column(columns[-1]))
    if finding.subject.fn:
        menu.addAction(
            tr("Sieve by “{finding}”", finding=shown_in_menu(finding.subject.fn)),
            lambda: sieve(session, f"fn:{finding.subject.fn}"),
        )
    menu.addSeparator()
    subject = finding.subject.as_dict()
    for name, word in LEFT_OUT_BY:
        if name in subject:
            title = tr("Do not count this for {word} “{name}”", word=word, name=subject[name])
            menu.addAction(title, partial(leave_out, session, finding, name))
    menu.addSeparator()
    menu.addAction(tr("Copy what it says"), lambda: copy(finding_text(session, finding)))
    return menu


def sieve(session: Session, word: str) -> None:
    """Sieve by one word; spaces in names cannot be said in a sieve, so the part before them is used."""
    session.set_sieve(word.split(" ")[0])


def copy(text: str) -> None:
    """Put a text on the clipboard."""
    QApplication.clipboard().setText(text)
