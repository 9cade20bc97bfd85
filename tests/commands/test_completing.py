"""What a shell is offered, asked as the shell asks, and typed into a real one."""

from __future__ import annotations

import os
import pty
import select
import shutil
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


@pytest.mark.skipif(shutil.which("bash") is None, reason="there is no bash")
def test_a_command_is_completed_in_a_real_shell(tmp_path):
    """Typed letter by letter, with the tabulator."""
    process, terminal = pty.fork()
    if not process:
        environment = os.environ | {"PATH": f"{OPOSSUM.parent}:{os.environ['PATH']}", "PS1": "$ ", "TERM": "dumb"}
        os.chdir(tmp_path)
        os.execvpe("bash", ["bash", "--norc", "--noprofile", "-i"], environment)

    def until(sign: bytes, seconds: float = 30.0) -> bytes:
        said, end = b"", time.monotonic() + seconds
        while sign not in said:
            assert time.monotonic() < end, said
            if select.select([terminal], [], [], 0.1)[0]:
                said += os.read(terminal, 4096)
        return said

    until(b"$ ")
    os.write(terminal, b'eval "$(_OPOSSUM_COMPLETE=bash_source opossum)"; echo re""ady\n')
    until(b"ready\r\n")
    os.write(terminal, b"opossum fin\t")
    until(b"findings ")
    os.write(terminal, b"--only doub\t")
    until(b"double-fire ")
    os.write(terminal, b"\x15exit\n")
    os.waitpid(process, 0)
    os.close(terminal)


def test_the_package_is_the_command():
    """And its version tells which half of the recorder is active."""
    done = subprocess.run([sys.executable, "-m", "opossum", "--version"], capture_output=True, text=True, timeout=60)
    from opossum_recorder.halves import Inner

    half = "C" if Inner.__module__.endswith("._inner") else "Python"
    assert done.stdout.endswith(f"(the recorder's inner half: {half})\n") and done.returncode == 0
