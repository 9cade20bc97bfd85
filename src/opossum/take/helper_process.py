"""What the process runs that opens a saved take for another one (see `helper`)."""

from __future__ import annotations

import json
import os
import resource
import signal
from importlib import import_module
from typing import NoReturn

from opossum.take.bounds import NO_MEMORY, REFUSED, Bounds
from opossum.take.handover import pack
from opossum.take.opening import open_here
from opossum.take.take_error import TakeError
from opossum.words import tr, use_the_users

STANDARD_OUTPUT = 1


def hand_over(path: str, along: str = "") -> NoReturn:
    """Be the helper: open a `.take` file within bounds, write it, or why it is refused, to standard output, and end.

    `along`: see `Helper`.
    """
    out = STANDARD_OUTPUT
    use_the_users()
    try:
        keep_within(Bounds.of(os.path.getsize(path)))
        take = open_here(path)
        module, _, function = along.partition(":")
        pack(take, out, getattr(import_module(module), function)(take) if along else None)
    except MemoryError:
        os._exit(NO_MEMORY)
    except Exception as error:
        os.ftruncate(out, 0)
        os.lseek(out, 0, os.SEEK_SET)
        reason = error.reason if isinstance(error, TakeError) else tr("cannot be read ({error})", error=error)
        os.write(out, json.dumps(reason).encode())
        os._exit(REFUSED)
    os._exit(0)


def keep_within(bounds: Bounds) -> None:
    """Let the system end this process where it takes more than a take of that size could need, beside what it has already."""
    signal.signal(signal.SIGXFSZ, signal.SIG_DFL)
    for limit, most in (
        (resource.RLIMIT_DATA, bounds.memory_bytes + _data_bytes()),
        (resource.RLIMIT_FSIZE, bounds.memory_bytes),
        (resource.RLIMIT_CPU, bounds.processor_s),
        (resource.RLIMIT_NOFILE, bounds.files),
        (resource.RLIMIT_CORE, 0),
    ):
        _, hard = resource.getrlimit(limit)
        most = most if hard == resource.RLIM_INFINITY else min(most, hard)
        # a second more until the hard limit of time, which would end it without saying why
        above = min(most + 1, hard) if hard != resource.RLIM_INFINITY else most + 1
        resource.setrlimit(limit, (most, above))


def _data_bytes() -> int:
    """Return the memory that this process has for itself, as its limit counts it: a copy has that of its original."""
    with open("/proc/self/statm", encoding="ascii") as told:
        return int(told.read().split()[5]) * resource.getpagesize()
