"""What was found once, kept in a file: written, read, refused."""

from __future__ import annotations

import json

import pytest

from findings.scenes import built, hearing
from opossum.findings.baseline import LARGEST_FILE, BaselineError, read_baseline, write_baseline
from opossum.findings.wishes import Wishes, not_counted


def test_what_was_written_is_known(tmp_path):
    """By its id; what it said stands beside it, for those who read the file."""
    stage, frames = built(hearing.a_name_in_other_letters)
    (finding,) = stage.findings(frames)
    file = tmp_path / "known.json"
    write_baseline(file, [finding])

    assert read_baseline(file) == {finding.id}
    assert json.loads(file.read_text()) == {
        "format": "opossum-baseline",
        "version": 1,
        "findings": [{"id": finding.id, "summary": finding.summary}],
    }
    assert file.read_bytes().endswith(b"}\n")
    assert len(file.read_text().splitlines()) == 10  # so that what changed in it can be read
    assert Wishes(known=read_baseline(str(file))).counted([finding]) == []
    assert Wishes(known=frozenset({"other"})).counted([finding]) == [finding]


def test_a_baseline_of_nothing_knows_nothing(tmp_path):
    """And takes the place of the one before."""
    file = tmp_path / "known.json"
    file.write_text("what was there before")
    write_baseline(file, [])
    assert read_baseline(file) == frozenset()
    assert [path.name for path in tmp_path.iterdir()] == ["known.json"]


WRITE = "write it with `opossum findings --write-baseline`"
LIST = "its `findings` are not a list of findings with an `id` each; write it anew"


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("{", f"is no JSON; {WRITE}"),
        pytest.param("[" * 100_000, f"is no JSON; {WRITE}", id="deeper than any file"),
        ("[]", f"is no baseline; {WRITE}"),
        ('{"format": "other", "version": 1, "findings": []}', f"is no baseline; {WRITE}"),
        ('{"version": 1, "findings": []}', f"is no baseline; {WRITE}"),
        (
            '{"format": "opossum-baseline", "version": 2, "findings": []}',
            "is a baseline of another version than 1; write it anew",
        ),
        ('{"format": "opossum-baseline", "version": 1}', LIST),
        ('{"format": "opossum-baseline", "version": 1, "findings": {}}', LIST),
        ('{"format": "opossum-baseline", "version": 1, "findings": ["x"]}', LIST),
        ('{"format": "opossum-baseline", "version": 1, "findings": [{"id": "x"}, {"id": 3}]}', LIST),
    ],
)
def test_what_is_no_baseline_is_said(tmp_path, text, said):
    """In a sentence with the file, and what to do."""
    file = tmp_path / "known.json"
    file.write_text(text)
    with pytest.raises(BaselineError) as caught:
        read_baseline(file)
    assert str(caught.value) == f"{file}: {said}"


def test_a_file_that_is_not_there_or_too_large(tmp_path):
    """The same; one that is just as large as it may be is read."""
    file = tmp_path / "known.json"
    with pytest.raises(BaselineError) as caught:
        read_baseline(file)
    assert str(caught.value) == f"{file}: cannot be read (No such file or directory)"
    text = b'{"format": "opossum-baseline", "version": 1, "findings": [{"id": "x"}]}'
    file.write_bytes(text + b" " * (LARGEST_FILE - len(text)))
    assert read_baseline(file) == {"x"}
    file.write_bytes(text + b" " * (LARGEST_FILE - len(text) + 1))
    with pytest.raises(BaselineError) as caught:
        read_baseline(file)
    assert str(caught.value) == f"{file}: too large; a baseline may have 16,777,216 bytes"


def test_how_many_do_not_count_is_said():
    """And why."""
    assert not_counted(1) == "1 finding not counted, as opossum.toml wishes."
    assert not_counted(2, known=True) == "2 findings not counted: known, or left out by opossum.toml."
