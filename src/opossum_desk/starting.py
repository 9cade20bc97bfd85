"""Starting the desk. What is to be shown is opened while Qt is still being loaded, so this module loads Qt late."""

from __future__ import annotations

import ctypes
import gc
import os
import signal
import sys
import threading
from contextlib import suppress
from importlib import import_module
from importlib.util import find_spec
from typing import TYPE_CHECKING, Any

from opossum.take.helper import helper_for
from opossum_desk import quick_enums
from opossum_desk.loading import load_numpy, load_qt

if TYPE_CHECKING:
    from PySide6.QtWidgets import QApplication

    from opossum_desk.window import DeskWindow

SWITCH_S = 0.0005
WORTH_WAITING_S = 0.2
"""A take that is open this soon after the window is built is shown at once, without the page that tells of opening."""

COUNTED = "opossum_desk.state.tasks:counted"
"""What the process that opens a take hands over along with it."""
BEFORE_QT = (
    "opossum_desk.flow.layout.loom",
    "opossum_desk.take_area.layout.pulse",
    "opossum_desk.take_area.layout.frame",
    "opossum_desk.take_area.layout.story",
    "opossum_desk.flow.layout.strands",
)
"""What the first picture needs and knows nothing of Qt: with PySide6 loaded, every later import costs several times as much."""


def run_desk(paths: list[str], *, look: str | None = None, take: Any = None) -> int:
    """Open the desk on files, or on a take made in memory; return the exit status when it is closed."""
    # nearly all that is made until the window stands lives as long as it: collecting would only walk over it
    gc.disable()
    # the window's thread waits at most this long for the interpreter while others read and examine
    sys.setswitchinterval(SWITCH_S)
    # no matrix is ever multiplied here, and the threads for it would turn while everything else is being loaded
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    libraries = _mapping_qt()
    load_numpy()
    from opossum_desk.state.session import Session

    libraries.join()  # a copy of this process is made next, and must not be made while libraries are being mapped
    helper = helper_for(paths, COUNTED)
    from opossum_desk.state.tasks import HeadStart

    head_start = HeadStart(paths, helper) if paths else None
    for module in BEFORE_QT:
        import_module(module)
    quick_enums.begin()
    application, window = make_window(look)
    if head_start is not None:
        head_start.wait(WORTH_WAITING_S)
        window.open_paths(paths, head_start)
    elif take is not None:
        window.takes.show(Session(take))
    window.stands.connect(lambda: _once_painted(application))
    window.show()

    from PySide6.QtCore import QTimer

    # let Ctrl+C in the terminal close the window properly: Python sees signals only between its own steps
    for told in (signal.SIGINT, signal.SIGTERM):
        signal.signal(told, lambda *_: window.close())
    pulse = QTimer()
    pulse.timeout.connect(lambda: None)
    pulse.start(300)
    return int(application.exec())


def make_window(look: str | None) -> tuple[QApplication, DeskWindow]:
    """Return the application and the window, dressed and not yet shown."""
    load_qt()
    from opossum_desk.application import dress, make_application
    from opossum_desk.memory import Memory
    from opossum_desk.views.look import Look
    from opossum_desk.window import DeskWindow

    application = make_application([sys.argv[0]])
    memory = Memory()
    chosen = Look(look or memory.kept.look)
    # dressed once built: a style sheet that is there from the start is worked out for every widget as it is added
    window = DeskWindow(memory, chosen)
    dress(application, chosen)
    return application, window


def _mapping_qt() -> threading.Thread:
    """Begin to map Qt's libraries into memory beside what the interpreter loads; where that fails, the import tells why."""
    package = find_spec("PySide6")
    places = list(package.submodule_search_locations or ()) if package is not None else []

    def map_them() -> None:
        for place in places:
            with suppress(OSError), os.scandir(place) as files:
                for file in files:
                    if file.name.startswith("QtWidgets.") and file.name.endswith("so"):
                        ctypes.CDLL(file.path)

    thread = threading.Thread(target=map_them, name="opossum-libraries", daemon=True)
    thread.start()
    return thread


def _once_painted(application: QApplication) -> None:
    from opossum_desk.application import set_icon

    quick_enums.end()
    gc.freeze()
    gc.enable()
    set_icon(application)
