"""`opossum` in a process of its own, begun as a copy of one that has all of it loaded: loading is paid for once a worker.

How the command starts from nothing is what the tests of packaging and of starting begin it for.
"""

from __future__ import annotations

import multiprocessing
import os
import subprocess
import sys
from collections.abc import Mapping, Sequence
from multiprocessing.connection import Connection
from pathlib import Path
from threading import Thread
from typing import TextIO

from opossum_commands.main import main

LOADED = [
    "opossum_process",
    "opossum_commands.record",
    "opossum_commands.listen",
    "opossum_commands.engines.called",
    "opossum.findings.catalogue",
    "opossum.take.archive",
]
"""What a copy finds loaded: the command, and what all of its kind load sooner or later."""

COPIES = multiprocessing.get_context("forkserver")
COPIES.set_forkserver_preload(LOADED)


def _be_opossum(
    arguments: Sequence[str], folder: str, environment: Mapping[str, str], out: Connection, err: Connection
) -> None:
    os.chdir(folder)
    os.environ.clear()
    os.environ.update(environment)
    for number, pipe in ((1, out), (2, err)):
        os.dup2(pipe.fileno(), number)
        pipe.close()
    sys.argv = ["opossum", *arguments]
    main()


class OpossumProcess:
    """The command with these arguments while it runs; what it says is text, as of `subprocess.Popen`."""

    def __init__(
        self, *arguments: str | Path, cwd: str | Path | None = None, env: Mapping[str, str] | None = None
    ) -> None:
        (out, told), (err, warned) = COPIES.Pipe(duplex=False), COPIES.Pipe(duplex=False)
        given = [os.fspath(argument) for argument in arguments]
        folder = os.fspath(cwd) if cwd is not None else os.getcwd()
        self.args = ["opossum", *given]
        self._process = COPIES.Process(
            target=_be_opossum,
            daemon=True,  # what a test that failed leaves running ends with the worker
            args=(given, folder, dict(os.environ if env is None else env), told, warned),
        )
        self._process.start()
        told.close()
        warned.close()
        self.stdout, self.stderr = (os.fdopen(os.dup(pipe.fileno()), encoding="utf-8") for pipe in (out, err))

    @property
    def pid(self) -> int:
        """The process's number."""
        return self._process.pid or 0

    @property
    def returncode(self) -> int | None:
        """How it ended: its status, less than 0 for a signal, None while it runs."""
        return self._process.exitcode

    def terminate(self) -> None:
        """Tell it to end."""
        self._process.terminate()

    def kill(self) -> None:
        """End it at once."""
        self._process.kill()

    def wait(self, timeout: float | None = None) -> int:
        """Wait for its end and return how it ended; what it says meanwhile is read, for a full pipe would hold it up.

        Raises:
            subprocess.TimeoutExpired: it still runs.
        """
        self.communicate(timeout)
        return self.returncode or 0

    def communicate(self, timeout: float | None = None) -> tuple[str, str]:
        """Wait for its end and return what it said on both outputs since they were last read.

        Raises:
            subprocess.TimeoutExpired: it still runs.
        """
        said = ["", ""]

        def read(number: int, file: TextIO) -> None:
            with file:
                said[number] = file.read()

        readers = [Thread(target=read, args=each, daemon=True) for each in enumerate((self.stdout, self.stderr))]
        for reader in readers:
            reader.start()
        self._process.join(timeout)
        if self.returncode is None:
            self.kill()
            raise subprocess.TimeoutExpired(self.args, timeout or 0.0)
        for reader in readers:
            reader.join(timeout)
        return said[0], said[1]


def run(
    *arguments: str | Path,
    cwd: str | Path | None = None,
    env: Mapping[str, str] | None = None,
    timeout: float = 120.0,
) -> subprocess.CompletedProcess[str]:
    """Run the command to its end; return how it ended and what it said."""
    process = OpossumProcess(*arguments, cwd=cwd, env=env)
    out, err = process.communicate(timeout)
    return subprocess.CompletedProcess(process.args, process.returncode or 0, out, err)
