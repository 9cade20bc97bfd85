"""Fixtures of all tests: no window of the tests reaches a screen, no file of theirs a home."""

from __future__ import annotations

import json
import os
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest
from hypothesis import HealthCheck, settings

from moonrise_bakery.night import record_night
from opossum.take.opening import open_any
from opossum.take.take import Take

settings.register_profile("opossum", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("opossum")


WAITING = ("engines", "live", "recorder", "strangers")
"""Folders whose tests wait, for games that play, for links or for clocks."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Spread the files whose tests wait evenly among the others: a processor that one worker leaves is another's.

    The tests of a file stay together, for they share what is made once for it.
    """
    files: dict[Path, list[pytest.Item]] = {}
    for item in items:
        files.setdefault(item.path, []).append(item)
    places: list[tuple[float, Path]] = []
    for waits in (True, False):
        alike = [path for path in files if (path.parent.name in WAITING) is waits]
        counts = [len(files[path]) for path in alike]
        places += [(sum(counts[:number]) / sum(counts), path) for number, path in enumerate(alike)]
    items[:] = [item for _, path in sorted(places) for item in files[path]]


@pytest.fixture(autouse=True)
def own_home(tmp_path, monkeypatch):
    """Keep what the desk remembers away from the home of whoever runs the tests."""
    for folder in ("CONFIG", "STATE", "DATA"):
        monkeypatch.setenv(f"XDG_{folder}_HOME", str(tmp_path / folder.lower()))


@pytest.fixture(scope="session")
def night(tmp_path_factory):
    """Return a function that plays a night at the bakery with faults, once each, and returns its take.

    What one worker has played, the others only open.
    """
    known: dict[tuple, Take] = {}
    own = tmp_path_factory.getbasetemp()
    folder = (own.parent if "PYTEST_XDIST_WORKER" in os.environ else own) / "nights"
    folder.mkdir(exist_ok=True)

    def play(*faults: str, seconds: float = 60.0) -> Take:
        key = (faults, seconds)
        if key not in known:
            path = folder / f"{'-'.join(faults) or 'healthy'}-{seconds}.flow.jsonl"
            if not path.exists():
                played = path.with_name(f"{os.getpid()}-{path.name}")
                record_night(played, faults, seconds=seconds)
                played.replace(path)
            known[key] = open_any(str(path))
        return known[key]

    return play


@pytest.fixture(scope="session")
def qapp():
    """Return the application as the desk makes it: once for all tests."""
    from opossum_desk.application import make_application

    return make_application()


@pytest.fixture
def desk(qapp, qtbot, tmp_path):
    """Return a desk that remembers into the test's folder."""
    from opossum_desk.application import dress
    from opossum_desk.memory import Memory
    from opossum_desk.views.look import Look
    from opossum_desk.window import DeskWindow

    look = Look("day")
    dress(qapp, look)
    window = DeskWindow(Memory(tmp_path), look)
    qtbot.addWidget(window)
    window.show()
    qtbot.waitExposed(window)
    yield window
    window.close()


class Run:
    """How a command ended and what it said."""

    def __init__(self, status: int, out: str, err: str) -> None:
        self.status, self.out, self.err = status, out, err

    @property
    def json(self):
        return json.loads(self.out)


@pytest.fixture
def run(capsys, monkeypatch):
    """Return a function that runs `opossum` with arguments; that a step takes long here is not told."""

    from opossum_commands.main import main

    monkeypatch.setattr("opossum_commands.steps.AFTER_S", 60.0)

    def call(*arguments: object) -> Run:
        with pytest.raises(SystemExit) as ended:
            main([str(argument) for argument in arguments])
        captured = capsys.readouterr()
        return Run(int(ended.value.code or 0), captured.out, captured.err)

    return call
