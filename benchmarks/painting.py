"""How long the desk's weaves take to paint, and the answers they give at a key, on a small take and on a large one."""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from table import Table

SIZE = (1280, 800)
MOVES, ROUNDS = 20, 4
ZOOMS = (1.0, 0.3, 0.05)
FRAMES = (200, 60, 15)
"""What is looked at: shares of the whole take, and so many frames."""
WORDS = ("oven", "ev:tick", "cls:Oven", "wasted", "-via:tick", "frame:10-400")
ANSWER_MS = 100.0
"""A key is answered within this."""
PREPARED_WITHIN_S = 120.0


class Desk:
    """A window with a take on it, its findings known and its weaves shown one after the other."""

    def __init__(self, application: Any, look: Any, path: Path) -> None:
        from opossum.findings.examine import examine
        from opossum.take.archive import open_take
        from opossum_desk.memory import Memory
        from opossum_desk.state.session import Session
        from opossum_desk.window import DeskWindow

        self.application = application
        self._folder = tempfile.TemporaryDirectory()
        self.window = DeskWindow(Memory(Path(self._folder.name)), look)
        self.window.resize(*SIZE)
        take = open_take(path)
        take.index()
        self.session = Session(take)
        self.session.set_findings(examine(take))
        self.window.set_session(self.session, grown=False)
        self.window.show()
        application.processEvents()

    def choose(self, weave: str) -> float:
        """Show a weave and wait until it is there; return how long the window's thread was busy with choosing it, in ms."""
        began = time.perf_counter()
        self.session.choose_weave(weave)
        self.application.processEvents()
        chosen = (time.perf_counter() - began) * 1000
        view = self.window.take_area.weave(weave).focusable()[0]
        end = time.monotonic() + PREPARED_WITHIN_S
        while not view.isVisible():
            self.application.processEvents()
            time.sleep(0.005)
            if time.monotonic() > end:
                raise SystemExit(f"{weave} was not gathered in time")
        self.application.processEvents()
        return chosen

    def strokes(self, weave: str, zoom: float, image: Any) -> list[float]:
        """Return how long each painting takes while one pans over a chosen weave, in ms; `zoom`: a share, or frames."""
        from PySide6.QtCore import QPoint
        from PySide6.QtGui import QPainter

        area, session = self.window.take_area, self.session
        views = [area.pulse, *area.weave(weave).focusable()]
        first, last = session.axis.extent
        width = (last - first) * zoom if zoom <= 1 else min(last - first, zoom)
        session.set_window((last - first - width) / 2, (last - first + width) / 2)
        session.settle()
        self.application.processEvents()
        times = []
        for move in range(MOVES):
            began = time.perf_counter()
            session.pan(width * 0.02 * (1 if move < MOVES / 2 else -1))
            for view in views:
                painter = QPainter(image)
                view.render(painter, QPoint(0, 0))
                painter.end()
            times.append((time.perf_counter() - began) * 1000)
        session.show_all()
        return times

    def timed(self, action: Callable[[], object]) -> float:
        """Return how long an action and what it has the window paint take, in ms."""
        began = time.perf_counter()
        action()
        self.application.processEvents()
        return (time.perf_counter() - began) * 1000

    def close(self) -> None:
        """Close the window."""
        self.window.close()
        self.application.processEvents()
        self._folder.cleanup()


def panned(desks: list[Desk], weave: str, image: Any) -> list[float]:
    """Return for each desk the 95th percentile over all moves at all zooms, in ms.

    The desks take turns, and of each move the quickest of several rounds counts: what other programs take of this machine
    is not the desk's.
    """
    for desk in desks:
        desk.choose(weave)
    least: list[list[float]] = [[] for _ in desks]
    for zoom in (*ZOOMS, *FRAMES):
        rounds = [[desk.strokes(weave, zoom, image) for desk in desks] for _ in range(ROUNDS)]
        for place, own in enumerate(zip(*rounds, strict=True)):
            least[place] += [min(times) for times in zip(*own, strict=True)]
    return [p95(times) for times in least]


def p95(values: list[float]) -> float:
    """Return the 95th percentile."""
    return statistics.quantiles(values, n=20)[-1]


def desks(*paths: Path) -> list[Desk]:
    """Return a desk for each take."""
    from opossum_desk.application import dress, make_application
    from opossum_desk.views.look import Look

    application = make_application()
    look = Look("day")
    dress(application, look)
    return [Desk(application, look, path) for path in paths]


def dense_strands(table: Table, large: Path, small: Path, usual: Path) -> None:
    """Painting takes full of values, delays, clips and waits: a long one beside a short one, and beside a usual take."""
    from PySide6.QtGui import QImage

    many, few, other = desks(large, small, usual)
    image = QImage(*SIZE, QImage.Format.Format_ARGB32_Premultiplied)
    for weave, title in (("flow", "Flow"), ("clips", "Clips")):
        large_ms, small_ms, usual_ms = panned([many, few, other], weave, image)
        told = f"{large_ms:.1f} ms / {small_ms:.1f} ms (aim: at most 8 ms)"
        table.row(f"painting {title}, dense strands, long take / short one", large_ms / small_ms, 1.1, told)
        if weave == "flow":
            told = f"{small_ms:.1f} ms / {usual_ms:.1f} ms"
            table.row("painting Flow, dense strands / usual ones", small_ms / usual_ms, 2.5, told)
    for desk in (many, few, other):
        desk.close()


def painting(table: Table, large: Path, small: Path) -> None:
    """Painting each weave while panning and zooming; then what a key, a word of the sieve and a weave cost."""
    from PySide6.QtGui import QImage

    from opossum_desk.state.stepping import step_finding
    from opossum_desk.weaves import WEAVES

    few, many = desks(small, large)
    image = QImage(*SIZE, QImage.Format.Format_ARGB32_Premultiplied)
    for weave in WEAVES:
        large_ms, small_ms = panned([many, few], weave.name, image)
        told = f"{large_ms:.1f} ms / {small_ms:.1f} ms (aim: at most 8 ms)"
        table.row(f"painting {weave.title}, 95th percentile, large take / small one", large_ms / small_ms, 1.1, told)
    session = many.session
    for title, times in (
        ("choosing a weave", [many.choose(weave.name) for weave in [*WEAVES, *WEAVES]]),
        ("next finding", [many.timed(lambda: step_finding(session, 1)) for _ in range(len(session.findings))]),
        ("a word of the sieve", [many.timed(lambda word=word: session.set_sieve(word)) for word in (*WORDS, "")]),
    ):
        worst = max(times, default=0.0)
        table.row(
            f"{title} on the large take, the slowest", worst, ANSWER_MS,
            f"median {statistics.median(times or [0.0]):.0f} ms of {len(times)}", "ms",
        )  # fmt: skip
    few.close()
    many.close()
