"""The table of everything the desk can do: menus, keys, F1 and the table of keys in the documentation follow from it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from opossum.words import counted, tr
from opossum_desk.area import Desk
from opossum_desk.command import Command
from opossum_desk.state import stepping
from opossum_desk.state.leaving_out import count_again
from opossum_desk.state.session import Session

ZOOM_STEP = 1.6


def _zoom(factor: float, session: Session) -> None:
    """Zoom around the selected frame, or the middle."""
    inside = session.column >= 0 and session.low <= session.axis.edges[session.column] < session.high
    middle = float(session.axis.edges[session.column]) + 0.5 if inside else (session.low + session.high) / 2
    session.zoom(factor, middle)
    session.settle()


def _step_finding(step: int, desk: Desk) -> None:
    if desk.session is not None and desk.is_in("take"):
        finding = stepping.step_finding(desk.session, step)
        desk.say(finding.summary if finding else tr("There are no findings to step through."))


def _copy_finding(desk: Desk) -> None:
    session = desk.session
    if session is None or session.finding is None:
        desk.say(tr("Choose a finding first: N shows the first one."))
        return
    from PySide6.QtWidgets import QApplication

    from opossum_desk.layout.describing import finding_text

    QApplication.clipboard().setText(finding_text(session, session.finding))
    desk.say(tr("Copied: what is wrong, what to change, where, and its proof."))


def _show_proof(desk: Desk) -> None:
    from opossum.findings.catalogue import weave_of

    session = desk.session
    if session is None or not desk.is_in("take"):
        return
    if session.finding is None:
        desk.say(tr("Choose a finding first: N shows the first one."))
    else:
        session.choose_weave(weave_of(session.finding.kind, session.finding.cause))


def _toggle_trail(desk: Desk) -> None:
    session = desk.session
    if session is None or not desk.is_in("take"):
        return
    if session.call < 0 and session.trail is None:
        desk.say(tr("Select a call first: its Trail is what led to it and what sprang from it."))
        return
    stepping.toggle_trail(session)
    if session.trail is not None:
        hops = len(session.trail.hops)
        desk.say(tr("Its Trail: {calls}. Enter walks it, Shift+Enter back, E ends it.", calls=counted(hops, "call")))


def _hop_back(desk: Desk) -> None:
    session = desk.session
    if session is not None and desk.is_in("take") and not stepping.walk_trail(session, -1):
        desk.say(
            tr("This is the first of the Trail.")
            if session.trail is not None
            else tr("Press E for the Trail of a call.")
        )


def _follow_cause(desk: Desk) -> None:
    session = desk.session
    if session is None or not desk.is_in("take"):
        return
    if session.trail is not None:
        if not stepping.walk_trail(session, 1):
            desk.say(tr("This is the last of the Trail."))
        return
    if stepping.follow_cause(session):
        return
    desk.say(
        tr("Nothing is known to have caused this: the send came from outside any call.")
        if session.call >= 0
        else tr("Select a call first.")
    )


def _mark(desk: Desk) -> None:
    if desk.session is not None and desk.is_in("take"):
        marked = desk.session.marks.toggle(desk.session.column)
        desk.say(tr("Marked; Shift+B writes a note to it.") if marked else tr("Not marked; select a frame to mark it."))


def _step_mark(step: int, desk: Desk) -> None:
    session = desk.session
    if session is not None and desk.is_in("take"):
        stepping.step_bookmark(session, step)
        if note := session.marks.notes.get(session.column):
            desk.say(tr("Marked: {note}", note=note))


def _write_note(desk: Desk) -> None:
    session = desk.session
    if session is None or not desk.is_in("take"):
        return
    if session.column < 0:
        desk.say(tr("Select a frame first: the note is written to it."))
    else:
        desk.asking.note(session.column)


def _count_again(desk: Desk) -> None:
    if desk.session is not None and desk.is_in("take"):
        again = count_again(desk.session)
        desk.say(tr("It counts again.") if again else tr("Nothing was left out while this take is open."))


def _in_flow(action: str) -> Callable[[Desk], None]:
    """Return what has the view Flow do something, while it is shown."""

    def act(desk: Desk) -> None:
        if desk.is_in("take"):
            getattr(desk.view("take"), action)()

    return act


def _with_games(desk: Desk, action: Callable[[Desk], None]) -> None:
    """Do something to the games while somebody listens for them."""
    if desk.games.receiver is not None and desk.is_in("take"):
        action(desk)


def _write_tripwire(desk: Desk) -> None:
    if desk.games.receiver is None:
        desk.say(tr("Tripwires hold a game that plays: listen for one first."))
    elif desk.is_in("take"):
        desk.view("take").now.line.setFocus()


def _step(function: Callable[[Session, int], object], step: int) -> Callable[[Session], object]:
    return lambda session: function(session, step)


COMMANDS: list[Command] = [
    Command("&Open a take …", ("Ctrl+O",), "&File", lambda desk: desk.ask_open()),
    Command("Set another take &beside this …", ("Ctrl+B",), "&File", lambda desk: desk.beside.ask()),
    Command("Set two &peers beside each other", (), "&File", lambda desk: desk.beside.set_peers_beside()),
    Command("&Listen for a game", (), "&File", lambda desk: desk.games.listen()),
    Command("&Try the bakery", (), "&File", lambda desk: desk.open_demo()),
    Command("&Save the take …", ("Ctrl+S",), "&File", lambda desk: desk.asking.save(), group=1),
    Command("Write a &report …", ("Ctrl+R",), "&File", lambda desk: desk.asking.report(), group=1),
    Command("Save a &picture of this view …", ("Ctrl+P",), "&File", lambda desk: desk.asking.picture(), group=1),
    Command("&Quit", ("Ctrl+Q",), "&File", lambda desk: desk.close(), group=2),
    Command("Axis by frame or by time", ("T",), "&View", _in_flow("toggle_axis"), group=1),
    Command("Fold all rows", (), "&View", do=lambda session: session.fold_all(True), group=2),
    Command("Unfold all rows", (), "&View", do=lambda session: session.fold_all(False), group=2),
    Command(
        "Open or fold the rows at rest",
        ("R",),
        "&View",
        do=lambda session: session.show_resting(not session.shows_resting),
        group=2,
    ),
    Command(
        "Data and values in the panel Frame",
        ("D",),
        "&View",
        do=lambda session: session.show_data(not session.shows_data),
        group=2,
    ),
    Command("The &editor …", (), "&View", lambda desk: desk.asking.editor(), group=3),
    Command("Next finding", ("N",), "&Go", partial(_step_finding, 1)),
    Command("Rehearse the finding's fix", ("Ctrl+Return", "Ctrl+Enter"), "&Go", lambda desk: desk.beside.rehearse()),
    Command("Copy the finding as text", ("Ctrl+Shift+C",), "&Go", _copy_finding),
    Command("Previous finding", ("Shift+N",), "&Go", partial(_step_finding, -1)),
    Command("Where the finding is proved best", ("P",), "&Go", _show_proof),
    Command("Frame after", ("Right",), "&Go", do=_step(stepping.step_frame, 1)),
    Command("Frame before", ("Left",), "&Go", do=_step(stepping.step_frame, -1)),
    Command("Call after", ("Down",), "&Go", do=_step(stepping.step_call, 1)),
    Command("Call before", ("Up",), "&Go", do=_step(stepping.step_call, -1)),
    Command("Same event after", (".",), "&Go", do=_step(stepping.step_event, 1), about_calls=True),
    Command("Same event before", (",",), "&Go", do=_step(stepping.step_event, -1), about_calls=True),
    Command("Follow the cause, or the Trail", ("Return", "Enter"), "&Go", _follow_cause),
    Command("The Trail of a call: what led to it, what sprang from it", ("E",), "&Go", _toggle_trail),
    Command("Back on the Trail", ("Shift+Return", "Shift+Enter"), "&Go", _hop_back),
    Command("Back where you were", ("Backspace",), "&Go", do=lambda session: session.go_back()),
    Command("Forward again", ("Shift+Backspace",), "&Go", do=lambda session: session.go_forward()),
    Command("Count again what was left out", ("Ctrl+Z",), "&Go", _count_again),
    Command("Fit the selection", ("Z",), "&Go", do=lambda session: session.fit_selection()),
    Command("Whole take", ("0",), "&Go", do=lambda session: session.show_all()),
    Command("Zoom in", ("+", "="), "&Go", do=partial(_zoom, ZOOM_STEP)),
    Command("Zoom out", ("-",), "&Go", do=partial(_zoom, 1 / ZOOM_STEP)),
    Command("Mark this frame", ("B",), "&Go", _mark),
    Command("Write a note to this frame …", ("Shift+B",), "&Go", _write_note),
    Command("Mark after", ("]",), "&Go", partial(_step_mark, 1)),
    Command("Mark before", ("[",), "&Go", partial(_step_mark, -1)),
    Command(
        "Hide what does not match the sieve",
        ("H",),
        "&Go",
        do=lambda session: session.set_hide_unmatched(not session.sieve.hides),
    ),
    Command("Fold or unfold the selected row", ("F",), "&Go", _in_flow("fold_selected")),
    Command("Forget the measured stretch, and end the Trail", ("Escape",), "&Go", _in_flow("forget_measure")),
    Command("The sieve", ("Ctrl+F",), "&Go", _in_flow("focus_sieve")),
    Command("Next panel", ("F6",), "&Go", _in_flow("next_panel")),
    Command("&Listen for a game", (), "G&ame", lambda desk: desk.games.listen()),
    Command("Stop listening", (), "G&ame", lambda desk: desk.games.stop()),
    Command(
        "Hold the game, or let it go on",
        ("Space",),
        "G&ame",
        lambda desk: _with_games(desk, lambda desk: desk.games.toggle_hold()),
        group=1,
    ),
    Command(
        "One call on",
        ("C",),
        "G&ame",
        lambda desk: _with_games(desk, lambda desk: desk.games.step("call")),
        group=1,
    ),
    Command(
        "One frame on",
        ("Shift+C",),
        "G&ame",
        lambda desk: _with_games(desk, lambda desk: desk.games.step("frame")),
        group=1,
    ),
    Command("Write a tripwire", ("Ctrl+T",), "G&ame", _write_tripwire, group=1),
    Command("What am I looking at?", ("F1",), "&Help", lambda desk: desk.explain()),
    Command("&About Opossum", (), "&Help", lambda desk: desk.tell_about(), group=1),
]
