"""What survives a full disk, a broken one, and a process that is killed: tried at every system call that can fail."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

HERE = Path(__file__).parent
LEAST = {"saving": 60, "keeping": 60, "keeping_killed": 20, "recording": 60, "recording_killed": 10, "receiving": 2}
"""Calls that must have been tried, or the scenario shows nothing."""

pytestmark = pytest.mark.skipif(
    sys.platform != "linux" or shutil.which("cc") is None, reason="there is no C compiler: apt-get install gcc"
)


@pytest.fixture(scope="module")
def shim(tmp_path_factory) -> Path:
    """Return the library that makes calls fail, built."""
    made = tmp_path_factory.mktemp("shim") / "failing_calls.so"
    source = HERE / "failing_calls.c"
    subprocess.run(["cc", "-shared", "-fPIC", "-O1", "-Wall", "-Werror", "-o", made, source, "-ldl"], check=True)
    return made


@pytest.mark.parametrize("name", LEAST)
def test_whichever_call_fails(shim, name):
    """See `scenarios.py` for what must hold in each."""
    environment = os.environ | {"LD_PRELOAD": str(shim), "PYTHONPATH": str(HERE.parent)}
    done = subprocess.run(
        [sys.executable, "-m", "faults.scenarios", name], env=environment, capture_output=True, text=True, timeout=300
    )
    assert done.returncode == 0, done.stderr[-3000:]
    assert int(done.stdout.split()[-1]) >= LEAST[name]
