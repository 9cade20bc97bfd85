"""Runs a Python game under the recorder: `python -m opossum_recorder.launch STREAM game.py|-m module|-c program [ARGUMENTS …]`.

The game is not edited.  Engines that are known are recorded when the game imports them; a game that uses the
recorder itself finds it as `opossum_recorder.launch.recorder`.  The exit status is the game's own.
"""

from __future__ import annotations

import faulthandler
import importlib.abc
import importlib.util
import os
import runpy
import signal
import sys
import threading
import time
import traceback
from types import ModuleType
from typing import Any

from opossum_recorder.black_box import (
    BLACK_BOX_AFTER_S,
    BLACK_BOX_SUFFIX,
    BLACK_BOX_VARIABLE,
    BoxedRecorder,
)
from opossum_recorder.engines.python_engines import ADAPTERS, waiting_phases
from opossum_recorder.game_code import name_game_called
from opossum_recorder.recorder import Recorder
from opossum_recorder.stacks import games_own

LINK = "link:"
ENGINE_VARIABLE = "OPOSSUM_ENGINE"
"""Which engine of the game was recognised."""

UNHEARD_S = 1.0
"""How long a game may take to hear that it is told to end."""
TOLD_TO_END = "told to end (SIGTERM)"


recorder: Recorder | None = None
"""The recorder of the game that is being run."""


class _AfterImport(importlib.abc.MetaPathFinder):
    """Puts an adapter on just after one module has been imported."""

    def __init__(self, module: str, put_on: Any) -> None:
        self._module, self._put_on = module, put_on

    def find_spec(self, name: str, path: Any = None, target: Any = None) -> Any:
        """Find that module as usual, and have it tell us when it has run."""
        if name != self._module:
            return None
        sys.meta_path.remove(self)
        spec = importlib.util.find_spec(name)
        if spec is not None and spec.loader is not None:
            run = spec.loader.exec_module

            def exec_module(module: ModuleType) -> None:
                run(module)
                self._put_on()

            spec.loader.exec_module = exec_module  # type: ignore[method-assign]
        return spec


def main(arguments: list[str]) -> None:
    """Run a game's script, or a module after ``-m``, or a program after ``-c``, under a recorder that writes to a stream,
    or (`link:HOST:PORT`) to whoever listens there.
    """
    global recorder
    stream, script = arguments[0], arguments[1]
    as_module, as_text = script == "-m", script == "-c"
    if as_module or as_text:
        del arguments[1]
        script = arguments[1]
    link = stream.removeprefix(LINK) if stream.startswith(LINK) else ""
    own = BoxedRecorder(
        None if link else stream,
        script if as_module else "program" if as_text else os.path.splitext(os.path.basename(script))[0],
        engine=os.environ.pop(ENGINE_VARIABLE, "") or "Python",
        waits=waiting_phases(),
        link=link,
        token=os.environ.get("OPOSSUM_TOKEN", ""),
    )
    box = os.environ.get(BLACK_BOX_VARIABLE, "") if link else stream + BLACK_BOX_SUFFIX
    if box:
        own.box = open(box, "w", encoding="utf-8")  # noqa: SIM115 - open as long as the game runs
        faulthandler.enable(own.box)
    recorder = own
    # as Python itself would have it: an empty entry is wherever the game goes
    sys.path[0] = os.getcwd() if as_module else "" if as_text else os.path.dirname(os.path.realpath(script))
    watched: dict[str, Any] = {}
    for make in ADAPTERS:
        watched |= make(own).watched
    for module, put_on in watched.items():
        sys.meta_path.insert(0, _AfterImport(module, put_on))
    if not as_text:
        name_game_called(script, as_module)  # may import a package that is watched for
    _end_when_told(own)
    sys.argv = ["-c", *arguments[2:]] if as_text else arguments[1:]
    try:
        if as_module:
            runpy.run_module(script, run_name="__main__", alter_sys=True)
        elif as_text:
            sys.modules["__main__"] = ModuleType("__main__")
            exec(compile(script, "<string>", "exec"), vars(sys.modules["__main__"]))
        else:
            runpy.run_path(script, run_name="__main__")
    except SystemExit:
        own.close()
        raise
    except KeyboardInterrupt:
        _close(own, "ended with Ctrl+C")
        _tell_the_games_lines_only()
        raise
    except BaseException as error:
        lines = traceback.format_exception(type(error), error, games_own(error.__traceback__, error))
        own.say("".join(lines)[-3000:], "error")
        own.flush()  # no bye: it died of this
        _tell_the_games_lines_only()
        raise
    else:
        own.close()
    finally:
        faulthandler.cancel_dump_traceback_later()


def _tell_the_games_lines_only() -> None:
    """Have the error that ends the game told as it would be without us, by whoever tells it."""
    tell = sys.excepthook
    sys.excepthook = lambda kind, error, trace: tell(
        kind, error.with_traceback(games_own(trace, error)), error.__traceback__
    )


def _end_when_told(own: Recorder) -> None:
    """Close the recording before SIGTERM ends the game, even where the interpreter waits in foreign code for ever."""
    heard, told = os.pipe()
    os.set_blocking(told, False)

    def end(*_: object) -> None:
        _close(own, TOLD_TO_END)
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        os.kill(os.getpid(), signal.SIGTERM)

    def listen() -> None:
        # a game that hears of it in its own way may take its time
        while os.read(heard, 1) != bytes([signal.SIGTERM]) or signal.getsignal(signal.SIGTERM) is not end:
            pass
        time.sleep(UNHEARD_S)  # the interpreter usually runs `end` by itself, and nothing comes after
        _close(own, TOLD_TO_END)
        os._exit(128 + signal.SIGTERM)

    signal.signal(signal.SIGTERM, end)
    signal.set_wakeup_fd(told, warn_on_full_buffer=False)
    # what ends a process that the game forks off is not told to the game
    os.register_at_fork(after_in_child=lambda: signal.set_wakeup_fd(-1))
    threading.Thread(target=listen, name="opossum-told-to-end", daemon=True).start()


def _close(own: Recorder, why: str) -> None:
    """Somebody ended the game from outside: on purpose if it was playing, because it hung if it was not."""
    own.say(why)
    if own.frame_lasts_s < BLACK_BOX_AFTER_S:
        own.close()
    else:
        own.flush()


if __name__ == "__main__":
    if len(sys.argv) < 3:
        sys.exit("usage: python -m opossum_recorder.launch STREAM game.py|-m module|-c program [ARGUMENTS …]")
    # the game must find this module by its own name, with the recorder in it
    from opossum_recorder import launch

    launch.main(sys.argv[1:])
