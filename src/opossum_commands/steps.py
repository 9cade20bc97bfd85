"""The steps of a command: whoever waits longer than a second for one is told which it is, and how far it has come."""

from __future__ import annotations

import contextlib
import logging
import sys
import threading
import time
from collections.abc import Callable, Iterator

import click

from opossum.foreign_text import shown
from opossum.words import tr
from opossum_commands.terminal import is_plain, is_quiet

AFTER_S = 1.0
"""A step that takes less is not told."""
RENEW_S = 0.25
AGAIN_S = 10.0
"""How often a step is told where lines cannot be written over."""

Tell = Callable[[str], None]
"""Told what the step does now: a word or two, or how much of it is done."""

log = logging.getLogger("opossum")
"""With `--verbose`, each step tells how long it took."""


@contextlib.contextmanager
def step(doing: str) -> Iterator[Tell]:
    """Do a step of a command; yields what is to be told of how far it has come."""
    now = [""]
    ended = threading.Event()
    thread = None
    if not is_quiet():
        thread = threading.Thread(target=_keep_telling, args=(doing, now, ended), name="opossum-progress", daemon=True)
        thread.start()
    begun = time.monotonic()
    try:
        yield lambda text: now.__setitem__(0, text)
    finally:
        ended.set()
        if thread is not None:
            thread.join()
        log.info(tr("{doing} took {seconds:.2f} s", doing=doing, seconds=time.monotonic() - begun))


def share_of(tell: Tell, whole: int) -> Callable[[int], None]:
    """Return what tells how much of a whole is done, in hundredths; of a whole that is not known, megabytes."""

    def tell_share(done: int) -> None:
        if done > 0:  # who opens a saved take only says that it goes on
            tell(f"{min(100, done * 100 // whole)} %" if whole > 0 else tr("{done:,.0f} MB", done=done / 1e6))

    return tell_share


def _keep_telling(doing: str, now: list[str], ended: threading.Event) -> None:
    begun = time.monotonic()
    over = sys.stderr.isatty() and not is_plain()
    wait, told = AFTER_S, False
    while not ended.wait(wait):
        seconds = time.monotonic() - begun
        text = shown(tr("opossum: {doing} … {now}", doing=doing, now=now[0]).rstrip())
        with contextlib.suppress(OSError, ValueError):  # whoever reads it may be gone
            if over:
                click.echo(f"\r\x1b[K{text} ({seconds:.0f} s)", err=True, nl=False)
            else:
                click.echo(f"{text} ({seconds:.0f} s)" if told else text, err=True)
        wait, told = (RENEW_S if over else AGAIN_S), True
    if over and told:
        with contextlib.suppress(OSError, ValueError):
            click.echo("\r\x1b[K", err=True, nl=False)
