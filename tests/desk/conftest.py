"""The desk of the tests."""

import pytest

from opossum_desk.application import dress, make_application
from opossum_desk.memory import Memory
from opossum_desk.views.look import Look
from opossum_desk.window import DeskWindow


@pytest.fixture
def desk(qtbot, tmp_path):
    """Return a desk that remembers into the test's folder."""
    application = make_application()
    look = Look("day")
    dress(application, look)
    window = DeskWindow(Memory(tmp_path / "desk.json"), look)
    qtbot.addWidget(window)
    window.show()
    qtbot.waitExposed(window)
    yield window
    window.close()
