"""What a shell is offered, asked as the shell asks, and typed into a real one."""

from __future__ import annotations

import os
import pty
import select
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from moonrise_bakery.faults import FAULTS
from opossum.findings.catalogue import KINDS, all_thresholds
from opossum_commands.main import COMMANDS

OPOSSUM = Path(sys.executable).parent / "opossum"


def offered(line: str) -> list[str]:
    """Return what bash is offered for the last word of a line."""
    words = line.split(" ")
    asked = {"_OPOSSUM_COMPLETE": "bash_complete", "COMP_WORDS": line, "COMP_CWORD": str(len(words) - 1)}
    done = subprocess.run([OPOSSUM], env=os.environ | asked, capture_output=True, text=True, timeout=60)
    assert done.stderr == ""
    return done.stdout.split()


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("opossum fin", ["plain,findings"]),
        ("opossum ", [f"plain,{name}" for name in COMMANDS]),
        ("opossum night.t", ["file,night.t"]),
        ("opossum findings --fa", ["plain,--fail-on"]),
        ("opossum findings --fail-on f", ["plain,fault"]),
        ("opossum findings --only ", [f"plain,{kind.name}" for kind in KINDS]),
        ("opossum findings --only double", ["plain,double-fire"]),
        ("opossum findings --set ", [f"plain,{name}=" for name in all_thresholds()]),
        ("opossum demo --with ", [f"plain,{name}" for name in FAULTS]),
        ("opossum demo --with queue-kept,bound-t", ["plain,queue-kept,bound-twice"]),
        ("opossum convert a.take b", ["file,b"]),
        ("opossum night.take o", ["file,o"]),
    ],
)
def test_words_are_offered(line, words):
    """Commands, options, kinds, thresholds, faults and files."""
    assert offered(line) == words


@pytest.mark.parametrize(("shell", "sign"), [("bash", "complete"), ("zsh", "compdef"), ("fish", "complete")])
def test_each_shell_gets_its_script(shell, sign):
    """As the help tells to ask for it."""
    asked = os.environ | {"_OPOSSUM_COMPLETE": f"{shell}_source"}
    done = subprocess.run([OPOSSUM], env=asked, capture_output=True, text=True, timeout=60)
    assert sign in done.stdout


SHELLS = {
    "bash": (["bash", "--norc", "--noprofile", "-i"], 'eval "$(_OPOSSUM_COMPLETE=bash_source opossum)"'),
    "zsh": (
        ["zsh", "-f", "-i"],
        'autoload -Uz compinit; compinit -u -D; eval "$(_OPOSSUM_COMPLETE=zsh_source opossum)"',
    ),
    "fish": (["fish", "--no-config", "-i"], "_OPOSSUM_COMPLETE=fish_source opossum | source"),
}
"""How each is started without what its user has set, and the line that the help tells to put into its settings."""


class Terminal:
    """A shell that is typed into, in a folder with a take."""

    def __init__(self, shell: str, folder: Path) -> None:
        (folder / "midnight.take").write_bytes(b"")
        command = SHELLS[shell][0]
        self._process, self._terminal = pty.fork()
        if not self._process:
            path = f"{OPOSSUM.parent}:{os.environ['PATH']}"
            own = {"PATH": path, "PS1": "$ ", "TERM": "dumb", "HOME": str(folder), "XDG_CONFIG_HOME": str(folder)}
            os.chdir(folder)
            os.execvpe(command[0], command, os.environ | own)

    def type(self, keys: bytes) -> None:
        """Type keys."""
        os.write(self._terminal, keys)

    def until(self, sign: bytes, seconds: float = 60.0) -> bytes:
        """Wait for what the terminal shows."""
        said, end = b"", time.monotonic() + seconds
        while sign not in said:
            assert time.monotonic() < end, said
            if select.select([self._terminal], [], [], 0.1)[0]:
                said += os.read(self._terminal, 4096)
        return said

    def close(self) -> None:
        """End the shell."""
        os.kill(self._process, signal.SIGKILL)
        os.waitpid(self._process, 0)
        os.close(self._terminal)


@pytest.mark.parametrize("shell", SHELLS)
def test_words_are_completed_in_a_real_shell(shell, tmp_path):
    """Typed letter by letter, with the tabulator: a command, an option, a kind, a threshold, a fault and a file."""
    if shutil.which(shell) is None:
        pytest.skip(f"there is no {shell}")
    terminal = Terminal(shell, tmp_path)
    try:
        terminal.type(SHELLS[shell][1].encode() + b'; echo re""ady\n')
        terminal.until(b"ready\r\n")
        for typed, whole in (
            (b"opossum fin", b"findings"),
            (b"opossum findings --bas", b"--baseline"),
            (b"opossum findings --only doub", b"double-fire"),
            (b"opossum findings --set polling_ca", b"polling_calls="),
            (b"opossum demo --with bound-tw", b"bound-twice"),
            (b"opossum info midni", b"midnight.take"),
        ):
            terminal.type(typed)
            terminal.until(typed[-1:])
            terminal.type(b"\t")
            terminal.until(whole[len(typed.rpartition(b" ")[2]) :])
            terminal.type(b"\x15")
    finally:
        terminal.close()


def test_the_package_is_the_command():
    """And its version tells which half of the recorder is active."""
    done = subprocess.run([sys.executable, "-m", "opossum", "--version"], capture_output=True, text=True, timeout=60)
    from opossum_recorder.halves import Inner

    half = "C" if Inner.__module__.endswith("._inner") else "Python"
    assert done.stdout.endswith(f"(the recorder's inner half: {half})\n") and done.returncode == 0
