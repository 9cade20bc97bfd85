"""What the black box adds to a stream that was cut off, and what it leaves alone."""

from __future__ import annotations

import json

import pytest

from opossum_commands.black_box import BLOCK, add_black_box

BOX = """Current thread 0x00007f (most recent call first):
  File "/game/oven.py", line 7 in bake
  File "/lib/opossum_recorder/launch.py", line 3 in main
"""
LINE = b'{"k":"frame","n":1,"t":5}'


@pytest.mark.parametrize("behind", [b"", b"\n", b"\n" * 300, b"\0" * 3 * BLOCK], ids=["cut", "whole", "some", "much"])
@pytest.mark.parametrize("before", [b"", b'{"k":"head"}\n', b'{"k":"say","text":"' + b"x" * 2 * BLOCK + b'"}\n'])
def test_where_the_game_stood_is_added_behind_the_last_line(tmp_path, before, behind):
    """Whatever was set aside behind it."""
    stream, box = tmp_path / "a.flow.jsonl", tmp_path / "box"
    stream.write_bytes(before + LINE + behind)
    box.write_text(BOX)

    add_black_box(stream, box)

    data = stream.read_bytes()
    assert data.startswith(before + LINE + b"\n")
    entry = json.loads(data[len(before + LINE) :])
    assert (entry["k"], entry["t"], entry["stack"]) == ("stuck", 5 + int(entry["sec"] * 1e9), ["bake oven.py:7"])


@pytest.mark.parametrize(("line", "box"), [(b'{"k":"bye","t":9}', BOX), (LINE, "")], ids=["it ended well", "empty box"])
def test_else_the_stream_is_left_as_it_is(tmp_path, line, box):
    """Byte for byte."""
    stream = tmp_path / "a.flow.jsonl"
    stream.write_bytes(LINE + b"\n" + line + b"\n")
    (tmp_path / "box").write_text(box)

    add_black_box(stream, tmp_path / "box")
    add_black_box(stream, tmp_path / "no box")

    assert stream.read_bytes() == LINE + b"\n" + line + b"\n"
