"""Fixtures of the desk's tests."""

import pytest

from moonrise_bakery import demo_take_path


@pytest.fixture
def opened(desk, qtbot):
    """Return the desk with the bakery's night, a finding shown."""
    desk.open_paths([str(demo_take_path())])
    qtbot.waitUntil(lambda: desk.session is not None and desk.session.examined, timeout=30_000)
    desk.session.show_finding(next(item for item in desk.session.findings if item.cause == "bound-twice"))
    desk.session.settle()
    return desk
