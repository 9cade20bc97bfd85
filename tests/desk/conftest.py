"""Fixtures of the desk's tests."""

import pytest

import opossum.findings.examine
import opossum.take.opening
from moonrise_bakery import demo_take_path
from opossum.findings.catalogue import all_thresholds

DEMO = str(demo_take_path())
_read: list = []
_examined: list = []


@pytest.fixture(autouse=True)
def demo_read_once(monkeypatch):
    """Let the bakery's night, which many tests look at and none changes, be read and examined once by each process."""
    open_any, examine = opossum.take.opening.open_any, opossum.findings.examine.examine

    def open_known(paths, *rest, **named):
        if paths not in (DEMO, [DEMO]):
            return open_any(paths, *rest, **named)
        if not _read:
            _read.append(open_any(paths, *rest, **named))
        return _read[0]

    def examine_known(take, settings=None, *rest, **named):
        changed = settings is not None and any(settings[each] != each.default for each in all_thresholds().values())
        asks_otherwise = changed or rest or named.get("only") or named.get("playing")
        if not _read or take is not _read[0] or asks_otherwise:
            return examine(take, settings, *rest, **named)
        if not _examined:
            _examined.append(examine(take, settings, *rest, **named))
        return list(_examined[0])

    monkeypatch.setattr(opossum.take.opening, "open_any", open_known)
    monkeypatch.setattr(opossum.findings.examine, "examine", examine_known)


@pytest.fixture
def opened(desk, qtbot):
    """Return the desk with the bakery's night, a finding shown."""
    desk.open_paths([DEMO])
    qtbot.waitUntil(lambda: desk.session is not None and desk.session.examined, timeout=30_000)
    desk.session.show_finding(next(item for item in desk.session.findings if item.cause == "bound-twice"))
    desk.session.settle()
    return desk
