"""Running commands as a user or a script does."""

from __future__ import annotations

import json

import pytest

from opossum_commands.main import main


class Run:
    """How a command ended and what it said."""

    def __init__(self, status: int, out: str, err: str) -> None:
        self.status, self.out, self.err = status, out, err

    @property
    def json(self):
        return json.loads(self.out)


@pytest.fixture
def run(capsys):
    """Return a function that runs `opossum` with arguments."""

    def call(*arguments: object) -> Run:
        with pytest.raises(SystemExit) as ended:
            main([str(argument) for argument in arguments])
        captured = capsys.readouterr()
        return Run(int(ended.value.code or 0), captured.out, captured.err)

    return call
