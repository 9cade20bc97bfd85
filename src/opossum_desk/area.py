"""What an area of the window is, and what the desk offers to areas and commands. Areas are registered in `areas`."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, NamedTuple, Protocol

from PySide6.QtWidgets import QSplitter, QWidget

if TYPE_CHECKING:
    from opossum.findings.symptoms import Symptom
    from opossum_desk.memory import Memory
    from opossum_desk.opening import Opening
    from opossum_desk.playing import Games
    from opossum_desk.state.session import Session
    from opossum_desk.views.look import Look


class AreaView(QWidget):
    """A room of the window. What it does not override, it does not care about."""

    def set_session(self, session: Session | None) -> None:
        """Show a take, or nothing."""

    def set_grown_session(self, session: Session) -> None:
        """Show a take that has grown, leaving everything where its user has put it."""
        self.set_session(session)

    def enter(self) -> None:
        """Be gone to: show things as they are now, and take the focus."""
        self.setFocus()

    def panels(self) -> dict[str, QWidget]:
        """Return the panels that can be hidden, by name; whether they are is remembered."""
        return {}

    def splits(self) -> dict[str, QSplitter]:
        """Return the splitters whose sizes are remembered, by name."""
        return {}


class Beside(Protocol):
    """What sets another take, or the same with a fix rehearsed, beside the open one."""

    def ask(self) -> None:
        """Let the user choose a take from before or after a change."""

    def set_peers_beside(self) -> None:
        """Set two peers of the open take beside each other."""

    def rehearse(self) -> None:
        """Set the take beside itself with the chosen finding's fix rehearsed."""


class Asking(Protocol):
    """What asks in dialogs: where to save, what to write, what to watch."""

    def save(self) -> None:
        """Let the user say where to save the take."""

    def report(self) -> None:
        """Let the user say where to write the report of the open take."""

    def picture(self) -> None:
        """Let the user say where to save a picture of the view in focus."""

    def attribute(self, owner: str) -> None:
        """Let the user choose an attribute of an object of the game that plays, to be watched."""

    def note(self, column: int) -> None:
        """Let the user write a note to a frame."""

    def editor(self) -> None:
        """Let the user say which command opens places of the source."""


class Desk(Protocol):
    """What the window offers to its areas and commands."""

    memory: Memory
    look: Look
    opening: Opening
    games: Games
    session: Session | None

    @property
    def asking(self) -> Asking:
        """What asks in dialogs."""

    @property
    def beside(self) -> Beside:
        """What sets another take beside the open one."""

    def say(self, text: str, aloud: str = "") -> None:
        """Say something in the status line; to those who listen `aloud`, where that is not the same."""

    def say_of_take(self, text: str) -> None:
        """Say what take this is, at the right of the status line."""

    def fail(self, text: str) -> None:
        """Say on a page of its own what could not be done."""

    def set_session(self, session: Session, grown: bool) -> None:
        """Show a session in every area; `grown`: its take is the one that is shown, longer by now."""

    def page(self, name: str) -> Any:
        """Return one of the plain faces: ``opening``, ``listening`` or ``failed``."""

    def show_page(self, name: str) -> None:
        """Show one of the plain faces."""

    def is_on_page(self, name: str) -> bool:
        """Say whether one of the plain faces is shown."""

    def cancel_opening(self) -> None:
        """Stop opening and go back to where we were."""

    def go_to(self, area: str) -> None:
        """Go to an area by its name."""

    def go(self, way: Way) -> None:
        """Go to an area, or to a weave of the take's."""

    def is_in(self, area: str) -> bool:
        """Say whether an area is shown."""

    def view(self, area: str) -> Any:
        """Return the view of an area, made if need be."""

    def open_paths(self, paths: list[str]) -> None:
        """Open takes or streams in the background."""

    def save_to(self, path: str) -> None:
        """Save the open take in the background."""

    def ask_open(self) -> None:
        """Let the user choose a take or stream."""

    def open_demo(self) -> None:
        """Open the bakery's night."""

    def choose_look(self, choice: str) -> None:
        """Choose the ``day`` or ``night`` look, or follow the ``system``."""

    def explain(self) -> None:
        """Explain the view in focus."""

    def tell_about(self) -> None:
        """Say which Opossum this is, and under which licence."""

    def close(self) -> bool:
        """Close the window."""

    def ask(self, symptom: Symptom) -> None:
        """Open a take with a symptom's question asked."""


class Area(NamedTuple):
    """An area: its name, its title on the rail, the key that goes there, what it is for, and how its view is made.

    `needs_take`: it can only be gone to while a take is open.
    """

    name: str
    title: str
    key: str
    explained: str
    make: Callable[[Desk], AreaView]
    needs_take: bool = False


class Way(NamedTuple):
    """Somewhere to go to: an area, or a weave of the area of a take."""

    name: str
    title: str
    key: str
    explained: str
    needs_take: bool
    is_weave: bool = False
