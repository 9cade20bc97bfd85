"""What a process does that opens a take for another one, asked here: what it hands over, how it ends, what it may use."""

from __future__ import annotations

import json
import os
import resource
import signal
from pathlib import Path

import numpy as np
import pytest

from moonrise_bakery import demo_take_path
from opossum.take import helper_process
from opossum.take.bounds import NO_MEMORY, REFUSED, Bounds
from opossum.take.handover import pack_values, unpacked, unpacked_values
from opossum.take.helper_process import hand_over, keep_within
from opossum.take.opening import open_here
from opossum.take.take_error import TakeError
from opossum.take.unfinished import unfinished


class Ended(BaseException):
    """The process would have ended with this status."""


@pytest.fixture
def memory(monkeypatch):
    """Return a file that stands for standard output; the process ends by an error of ours, and keeps the limits it has."""
    memory = os.memfd_create("test")

    def end(status: int) -> None:
        raise Ended(status)

    monkeypatch.setattr(helper_process, "STANDARD_OUTPUT", memory)
    monkeypatch.setattr(helper_process.os, "_exit", end)
    monkeypatch.setattr(helper_process, "keep_within", lambda bounds: None)
    yield memory
    os.close(memory)


def ended(path: Path, along: str = "") -> int:
    """Return the status that opening a file for another process ends with."""
    with pytest.raises(Ended) as end:
        hand_over(str(path), along)
    return end.value.args[0]


def records_of(take) -> dict[str, int]:
    """Return what goes along in these tests."""
    return {"records": take.records}


def test_a_take_is_handed_over_alone_or_with_what_is_asked_of_it(memory):
    """The file that was handed over holds the one, or both."""
    assert ended(demo_take_path()) == 0
    take, along = unpacked(memory)
    assert take.records == open_here(str(demo_take_path())).records and along == {}
    os.ftruncate(memory, 0)
    os.lseek(memory, 0, os.SEEK_SET)
    assert ended(demo_take_path(), f"{__name__}:records_of") == 0
    assert unpacked(memory)[1] == {"records": take.records}


def test_it_may_use_what_a_file_of_that_size_needs(memory, tmp_path, monkeypatch):
    """Known before the file is opened."""
    asked = []
    monkeypatch.setattr(helper_process, "keep_within", asked.append)
    path = tmp_path / "night.take"
    path.write_bytes(bytes(1000))
    assert ended(path) == REFUSED and asked == [Bounds.of(1000)]


@pytest.mark.parametrize(
    ("size", "memory_bytes", "seconds"),
    [
        (0, 1 << 31, 30),
        (1, (1 << 31) + 16, 30),
        ((4 << 20) - 1, (1 << 31) + 16 * ((4 << 20) - 1), 30),
        (8 << 20, 2281701376, 32),
    ],
)
def test_bounds_grow_with_the_file(size, memory_bytes, seconds):
    """Sixteen bytes a byte, a second for each four million."""
    assert Bounds.of(size) == (memory_bytes, seconds, 64)


def test_why_a_file_is_refused_stands_there_alone(memory, tmp_path):
    """In the words of whoever opens it here, over whatever was written before."""
    path = tmp_path / "night.take"
    path.write_bytes(b"PK\x03\x04 no take")
    os.write(memory, b"something begun " * 1000)
    assert ended(path) == REFUSED
    with pytest.raises(TakeError) as here:
        open_here(str(path))
    assert json.loads(os.pread(memory, 1 << 20, 0)) == here.value.reason


def test_other_errors_are_reasons_too(memory, tmp_path):
    """Such as a file that is gone."""
    missing = tmp_path / "missing.take"
    assert ended(missing) == REFUSED
    assert (
        json.loads(os.pread(memory, 1 << 20, 0)) == f"cannot be read ([Errno 2] No such file or directory: '{missing}')"
    )


def test_no_memory_has_a_status_of_its_own(memory, monkeypatch):
    """Nothing more is tried then."""

    def too_much(path: str) -> None:
        raise MemoryError

    monkeypatch.setattr(helper_process, "open_here", too_much)
    assert ended(demo_take_path()) == NO_MEMORY and os.lseek(memory, 0, os.SEEK_END) == 0


@pytest.mark.parametrize(
    ("hard", "soft_and_hard"),
    [
        (resource.RLIM_INFINITY, (1000, 1001)),
        (2000, (1000, 1001)),
        (1001, (1000, 1001)),
        (1000, (1000, 1000)),
        (10, (10, 10)),
    ],
)
def test_limits_are_never_raised(monkeypatch, hard, soft_and_hard):
    """What the system allows already is the most; where there is room, the hard limit is one above the soft one."""
    kept = {}
    monkeypatch.setattr(resource, "getrlimit", lambda limit: (resource.RLIM_INFINITY, hard))
    monkeypatch.setattr(resource, "setrlimit", kept.__setitem__)
    monkeypatch.setattr(helper_process, "_data_bytes", lambda: 0)
    before = signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    keep_within(Bounds(1000, 1000, 1000))
    assert signal.signal(signal.SIGXFSZ, before) is signal.SIG_DFL
    limits = (resource.RLIMIT_DATA, resource.RLIMIT_FSIZE, resource.RLIMIT_CPU, resource.RLIMIT_NOFILE)
    assert kept == dict.fromkeys(limits, soft_and_hard) | {resource.RLIMIT_CORE: (0, 1)}


def test_each_limit_is_that_of_its_own_bound(monkeypatch):
    """Memory is bounded beside what is there already."""
    kept = {}
    monkeypatch.setattr(resource, "getrlimit", lambda limit: (resource.RLIM_INFINITY, resource.RLIM_INFINITY))
    monkeypatch.setattr(resource, "setrlimit", lambda limit, most: kept.update({limit: most[0]}))
    monkeypatch.setattr(helper_process, "_data_bytes", lambda: 300)
    before = signal.getsignal(signal.SIGXFSZ)
    keep_within(Bounds(700, 20, 10))
    signal.signal(signal.SIGXFSZ, before)
    assert kept == {
        resource.RLIMIT_DATA: 1000,
        resource.RLIMIT_FSIZE: 700,
        resource.RLIMIT_CPU: 20,
        resource.RLIMIT_NOFILE: 10,
        resource.RLIMIT_CORE: 0,
    }


def test_memory_held_already_is_counted_as_its_limit_counts_it():
    """Bytes, data and stack together."""
    before = helper_process._data_bytes()
    held = np.empty(1 << 26, np.int8)
    grown = helper_process._data_bytes() - before
    assert held.nbytes <= grown < 1.5 * held.nbytes


def test_values_come_back_as_they_were(memory):
    """Numbers of NumPy as plain ones, texts that no file could hold, one value told for many, nothing, and what is nested."""
    values = {
        "number": np.int64(7),
        "text": "caf\udce9",
        "one": np.broadcast_to(np.int32(5), (4,)),
        "none of one": np.broadcast_to(np.int32(5), (0,)),
        "all": np.arange(5, dtype=np.int16)[::2],
        "plain": [1, "two", 3.5, None, True],
        "nested": {"list": [(1, np.arange(3.0)), (2, np.zeros(0))]},
    }
    pack_values(values, memory)
    back = unpacked_values(memory)
    assert list(back) == list(values)
    assert (back["number"], back["text"], back["plain"]) == (7, values["text"], values["plain"])
    for name in ("one", "none of one", "all"):
        assert back[name].dtype == values[name].dtype and back[name].tolist() == values[name].tolist()
    assert back["one"].strides == (0,)
    (first, second), (one, two) = back["nested"]["list"], values["nested"]["list"]
    assert isinstance(first, tuple) and first[0] == 1 and first[1].tolist() == one[1].tolist()
    assert second[0] == 2 and second[1].tolist() == two[1].tolist()


def test_an_array_that_two_share_is_handed_over_once(memory):
    """They share it afterwards, too."""
    shared = np.arange(100_000)
    pack_values({"one": shared, "other": shared}, memory)
    assert shared.nbytes < os.lseek(memory, 0, os.SEEK_END) < 1.1 * shared.nbytes
    back = unpacked_values(memory)
    assert np.shares_memory(back["one"], back["other"]) and back["other"].tolist() == shared.tolist()


def test_recordings_left_unfinished_are_found_oldest_first(tmp_path):
    """Those for this file and no other, whatever its name."""
    target = tmp_path / "night[1].take"
    for age, name in enumerate(("night[1].take.part2.flow.jsonl", "night[1].take.part.flow.jsonl")):
        (tmp_path / name).touch()
        os.utime(tmp_path / name, (1000 - age, 1000 - age))
    for name in ("night1.take.part.flow.jsonl", "night[1].take.part.txt", "night[1].flow.jsonl"):
        (tmp_path / name).touch()
    assert [path.name for path in unfinished(target)] == [
        "night[1].take.part.flow.jsonl",
        "night[1].take.part2.flow.jsonl",
    ]
