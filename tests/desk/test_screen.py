"""A desk that cannot open a window says why in one sentence: no abort, no traceback."""

import os
import subprocess
import sys

import pytest

from opossum_desk.screen import ALWAYS, SCREEN, install_line, missing, why_no_window


def opened(tmp_path, broken: str = "", **environment: str) -> subprocess.CompletedProcess:
    """Open the desk where a library cannot be loaded."""
    if broken:
        (tmp_path / broken).write_bytes(b"")
    own = {name: value for name, value in os.environ.items() if name not in SCREENS} | environment
    if broken:
        own["LD_LIBRARY_PATH"] = str(tmp_path)
    command = [sys.executable, "-m", "opossum_commands"]
    return subprocess.run(command, env=own, capture_output=True, text=True, timeout=60)


SCREENS = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")


@pytest.mark.parametrize(
    ("broken", "environment", "said"),
    [
        ("", {}, "there is no screen here (neither DISPLAY nor WAYLAND_DISPLAY is set)"),
        pytest.param(
            "",
            {"DISPLAY": ":7777"},
            "no screen answers at DISPLAY=:7777",
            marks=pytest.mark.skipif(bool(missing(SCREEN)), reason="libraries for a window on a screen are missing"),
        ),
        ("", {"QT_QPA_PLATFORM": "nonsense"}, "QT_QPA_PLATFORM is `nonsense`"),
        ("libEGL.so.1", {"QT_QPA_PLATFORM": "offscreen"}, "libegl1"),
        ("libxcb-cursor.so.0", {"DISPLAY": ":7777"}, "libxcb-cursor0"),
    ],
)
def test_what_is_in_the_way_of_a_window_is_one_sentence(tmp_path, broken, environment, said):
    """Told on standard error with status 2, with what to do."""
    ended = opened(tmp_path, broken, **environment)
    sentences = ended.stderr.strip().splitlines()
    assert ended.returncode == 2 and len(sentences) == 1, ended.stderr
    assert sentences[0].startswith("opossum: ") and said in sentences[0] and sentences[0].endswith(".")


def test_a_wayland_screen_that_is_not_there(tmp_path):
    """Qt adds a line of its own about the user's folder; the sentence comes last."""
    ended = opened(tmp_path, WAYLAND_DISPLAY="not-there", XDG_RUNTIME_DIR=str(tmp_path))
    assert ended.returncode == 2
    assert "no screen answers at WAYLAND_DISPLAY=not-there" in ended.stderr.splitlines()[-1]


def test_the_line_that_installs_names_packages_where_there_are_any(monkeypatch):
    """Elsewhere it names the libraries."""
    absent = {"libEGL.so.1": "libegl1", "libGL.so.1": "libgl1"}
    monkeypatch.setattr("shutil.which", lambda name: "/usr/bin/apt-get")
    assert install_line(absent) == "install them with:  sudo apt-get install -y libegl1 libgl1"
    monkeypatch.setattr("shutil.which", lambda name: None)
    assert install_line(absent) == "install the packages that hold libEGL.so.1, libGL.so.1"


def test_nothing_is_missing_where_tests_run(monkeypatch):
    """So that a sentence about libraries is true; one that is nowhere is missing."""
    assert missing(ALWAYS) == {}
    assert missing({"libnowhere.so.9": "libnowhere9"}) == {"libnowhere.so.9": "libnowhere9"}
    monkeypatch.setattr(
        "opossum_desk.screen.missing", lambda wanted: {"a.so": "a"} if set(SCREEN) <= set(wanted) else {}
    )
    for name in SCREENS:
        monkeypatch.delenv(name, raising=False)
    assert "no screen here" in why_no_window()
    monkeypatch.setenv("DISPLAY", ":0")
    assert "missing here" in why_no_window()
