"""Make the pictures in docs/screenshots from the demo take: `python tools/take_screenshots.py [FOLDER] [NAME …]`."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtWidgets import QApplication

from moonrise_bakery import demo_take_path
from opossum_desk.application import dress, make_application
from opossum_desk.memory import Memory
from opossum_desk.rules_on_desk import check_files
from opossum_desk.views.look import Look
from opossum_desk.window import DeskWindow

SIZE = (1280, 800)


def wait(application: QApplication, condition: Callable[[], bool], seconds: float = 20.0) -> None:
    """Let the desk work until a condition holds."""
    end = time.monotonic() + seconds
    while not condition():
        application.processEvents()
        if time.monotonic() > end:
            raise SystemExit("the desk did not get ready in time")
        time.sleep(0.005)
    for _ in range(5):
        application.processEvents()


def main() -> None:
    """Make the pictures named on the command line, or all."""
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent.parent / "docs" / "screenshots"
    wanted = sys.argv[2:]
    folder.mkdir(parents=True, exist_ok=True)
    application = make_application()
    look = Look("day")
    dress(application, look)
    window = DeskWindow(Memory(Path(tempfile.mkdtemp())), look)
    window.resize(*SIZE)
    window.show()

    def shoot(name: str) -> None:
        wait(application, lambda: True)
        if not wanted or name in wanted:
            window.grab().save(str(folder / f"{name}.png"))
            print(folder / f"{name}.png")

    shoot("start")
    window.open_paths([str(demo_take_path())])
    wait(application, lambda: window.session is not None and window.session.examined)
    session = window.session
    assert session is not None
    findings = {finding.cause: finding for finding in reversed(session.findings)}
    shoot("flow-zoomed-out")
    session.show_finding(findings["bound-twice"])
    session.settle()
    shoot("flow-day")
    window.choose_look("night")
    shoot("flow-night")
    window.choose_look("day")
    session.show_finding(findings["slow-call"])
    session.settle()
    shoot("freeze")
    session.show_finding(findings["called-after-gone"])
    column = session.column
    session.set_window(float(session.axis.edges[column]) - 0.2, float(session.axis.edges[column]) + 1.4)
    session.settle()
    shoot("few-frames")
    session.show_finding(findings["near-name"])
    column = session.column
    session.set_window(float(session.axis.edges[column]) - 12, float(session.axis.edges[column]) + 14)
    session.settle()
    shoot("unheard")
    session.show_finding(findings["early"])
    column = session.column
    session.set_window(float(session.axis.edges[column]) - 20, float(session.axis.edges[column]) + 40)
    session.settle()
    shoot("beside-its-mark")
    session.show_finding(findings["called-after-gone"])
    session.selection.finding = None
    receipt = next(
        call for call in range(len(session.take.calls)) if session.take.function_of_call(call) == "Customer.on_receipt"
    )
    session.select_call(receipt)
    session.show_trail(receipt)
    columns = [int(session.row_index.column[hop.call]) for hop in session.trail.hops] if session.trail else []
    session.set_window(float(session.axis.edges[min(columns) - 4]), float(session.axis.edges[max(columns) + 8]))
    session.settle()
    shoot("trail")
    session.show_trail(-1)
    for name, cause in (("roster", "called-after-gone"), ("pacing", "every-frame"), ("clips", "early")):
        session.choose_weave(name)
        session.show_finding(findings[cause])
        session.settle()
        shoot(name)
    session.show_finding(findings["bound-twice"])
    window.beside.rehearse()
    wait(application, lambda: session.beside.comparison is not None)
    session.show_all()
    session.settle()
    shoot("compare")
    window.takes.rules.stop()
    session.rules.show(check_files(session, [Path(__file__).parent.parent / "docs" / "examples" / "bakery.rules"]))
    session.choose_weave("rules")
    shoot("rules")
    session.choose_weave("flow")
    if not wanted or {"live", "held", "two-peers"} & set(wanted):
        game = live(application, window)
        shoot("live")
        hold(application, window)
        shoot("held")
        guest = live(application, window, begin=False)
        shoot("two-peers")
        for process in (game, guest):
            process.kill()
            process.wait()
    window.close()


def hold(application: QApplication, window: DeskWindow) -> None:
    """Hold the bakery where an oven hears its timer, and show where it stands."""
    window.take_area.now.add("cls:Customer gone")
    window.take_area.now.add("ev:steam o:oven#2")
    wait(application, lambda: "Oven.on_steam" in window.take_area.story.toPlainText(), 60)
    session = window.session
    assert session is not None
    session.set_window(session.axis.extent[1] - 24, session.axis.extent[1])
    session.settle()


def live(application: QApplication, window: DeskWindow, begin: bool = True) -> subprocess.Popen[bytes]:
    """Let the bakery play to the desk for some seconds: a first game, or a second one beside it."""
    if begin:
        os.environ["XDG_DATA_HOME"] = tempfile.mkdtemp()
        window.games.listen(0)
    else:
        for number in window.games.receiver.tripwires if window.games.receiver else ():
            window.games.receiver.untrip(number)  # type: ignore[union-attr]
        window.games.receiver.go()  # type: ignore[union-attr]
    assert window.games.receiver is not None
    command = [sys.executable, "-m", "opossum_commands", "demo", "--link", f"127.0.0.1:{window.games.receiver.port}"]
    game = subprocess.Popen([*command, "--seconds", "30"], stdout=subprocess.DEVNULL)

    def has_played() -> bool:
        session = window.session
        live = session is not None and session.take.name.startswith("game-")
        return live and session.take.duration_ns > 15e9 and session.examined and len(session.findings) > 0

    def both_play() -> bool:
        peers = window.games.receiver.peers if window.games.receiver is not None else []
        return len(peers) == 2 and all(peer.records > 3000 and peer.error_ns is not None for peer in peers)

    wait(application, has_played if begin else both_play, 60)
    return game


if __name__ == "__main__":
    main()
