"""What the processor did for a thread, as each half tells it."""

from __future__ import annotations

import json
import shutil
import threading
import time
from collections.abc import Iterator
from typing import Any

import pytest

from opossum_recorder import halves, thread_times
from opossum_recorder.thread_times import LITTLE_NS, QUIET_NS, READY_EVERY_NS

HALVES = [thread_times.ThreadTimes, halves.ThreadTimes]


@pytest.fixture(params=HALVES, ids=["Python", "built"])
def times(request) -> Iterator[Any]:
    """The one in Python, and the one that this interpreter uses."""
    made = request.param()
    yield made
    made.close()


def burn(ms: int) -> None:
    """Have this thread run for so long."""
    end = time.thread_time_ns() + ms * 10**6
    while time.thread_time_ns() < end:
        pass


def test_working_is_told_as_work(times):
    """All of it, and no more than the stretch lasted."""
    before = time.perf_counter_ns()
    begun = times.begin()
    burn(20)
    cpu, passed, _ = times.end()
    assert before <= begun <= time.perf_counter_ns()
    assert 20 * 10**6 <= cpu <= passed <= time.perf_counter_ns() - before


def test_sleeping_is_neither_work_nor_waiting_for_a_processor(times):
    """A thread that gave the processor up by itself did not wait for it, but for the moment until it was given one."""
    times.begin()
    time.sleep(0.05)
    cpu, passed, waited = times.end()
    assert passed >= 50 * 10**6 and cpu + waited <= passed - 45 * 10**6


def test_another_thread_is_told_nothing(times):
    """Nor is whoever ends what was not begun, or has been ended."""
    told = []
    assert times.end() is None
    times.begin()
    thread = threading.Thread(target=lambda: told.append(times.end()))
    thread.start()
    thread.join()
    assert told == [None]
    assert times.end() is not None
    assert times.end() is None


def test_each_thread_that_begins_is_measured_itself(times):
    """One after the other, by the same."""
    told = []

    def work() -> None:
        times.begin()
        burn(10)
        told.append(times.end())

    times.begin()
    thread = threading.Thread(target=work)
    thread.start()
    thread.join()
    assert times.end() is None and told[0][0] >= 10 * 10**6


@pytest.mark.parametrize(
    ("switches", "is_the_machines"),
    [
        ([(7, 2), (7, 2)], True),
        ([(7, 2), (7, 3)], True),
        ([(7, 2), (8, 2)], False),
        ([thread_times.UNKNOWN, thread_times.UNKNOWN], False),
    ],
)
def test_a_thread_that_never_gave_the_processor_up_was_kept_from_it(monkeypatch, switches, is_the_machines):
    """All it did not run is the machine's; one that gave it up, or of which that is not told, waited by itself."""
    monkeypatch.setattr(thread_times, "switches", lambda: switches.pop(0))
    times = thread_times.ThreadTimes()
    times.begin()
    time.sleep(0.03)
    cpu, _, waited = times.end()
    times.close()
    assert (waited >= 25 * 10**6) is is_the_machines and cpu < 20 * 10**6


def test_without_what_linux_tells_waiting_is_not_known(monkeypatch, tmp_path):
    """But where the thread gave the processor up not once."""
    monkeypatch.setattr(thread_times, "SCHEDSTAT", str(tmp_path / "none"))
    monkeypatch.setattr(thread_times, "switches", lambda: thread_times.UNKNOWN)
    times = thread_times.ThreadTimes()
    times.begin()
    assert times.end()[2] == -1


class Machine:
    """Stands in for what Linux tells: time passes as it is let, and the thread has waited as long as is said."""

    def __init__(self, monkeypatch) -> None:
        self.now = self.ran = self.ready = 0
        self.asked: list[str] = []
        monkeypatch.setattr(thread_times, "now_ns", lambda: self.now)
        monkeypatch.setattr(time, "thread_time_ns", lambda: self.ran)
        monkeypatch.setattr(thread_times, "switches", lambda: self._told("switches", (len(self.asked), 0)))
        monkeypatch.setattr(thread_times.ThreadTimes, "_ready", lambda _: self._told("ready", self.ready))

    def _told(self, what: str, told: Any) -> Any:
        self.asked.append(what)
        return told

    def passes(self, ns: int, ran: int = 0, waited: int = 0) -> None:
        """Let time pass, in which the thread ran and waited for so long."""
        self.now, self.ran, self.ready = self.now + ns, self.ran + ran, self.ready + waited

    def stretch(self, times: Any, ns: int, ran: int, waited: int = 0) -> tuple[int, int, int]:
        """Measure one stretch."""
        self.asked.clear()
        times.begin()
        self.passes(ns, ran, waited)
        told: tuple[int, int, int] = times.end()
        return told


@pytest.mark.parametrize(
    ("after", "asked"), [((7, 2), 1), ((7, 3), 2), ((8, 2), 2), (thread_times.UNKNOWN, 2)], ids=str
)
def test_who_was_not_switched_is_not_asked_how_long_it_waited(monkeypatch, after, asked):
    """It did not wait; asking is the dearest part."""
    before = thread_times.UNKNOWN if after == thread_times.UNKNOWN else (7, 2)
    told, machine = [before, after], Machine(monkeypatch)
    monkeypatch.setattr(thread_times, "switches", lambda: told.pop(0))
    machine.stretch(thread_times.ThreadTimes(), 10**7, 10**6)
    assert machine.asked.count("ready") == asked


@pytest.mark.parametrize(("lost", "asked"), [(LITTLE_NS - 1, False), (LITTLE_NS, True)])
def test_a_stretch_of_which_little_was_lost_is_not_looked_into(monkeypatch, lost, asked):
    """What the thread did not run of it may be anything, and tells nothing."""
    machine, times = Machine(monkeypatch), thread_times.ThreadTimes()
    told = machine.stretch(times, 10**7, 10**7 - lost, waited=lost // 2)
    assert told == (10**7 - lost, 10**7, lost // 2 if asked else -1)
    assert machine.asked[2:] == (["switches", "ready"] if asked else [])


@pytest.mark.parametrize(
    ("passed", "waited", "asked"),
    [
        (READY_EVERY_NS - 1, QUIET_NS, False),
        (READY_EVERY_NS, 0, True),
        (10**6, QUIET_NS + 1, False),
    ],
    ids=["lately", "long ago", "just before"],
)
def test_how_long_a_quiet_thread_waited_is_asked_now_and_then(monkeypatch, passed, waited, asked):
    """One that waited more from one asking to the next is asked at every beginning from then on, until it does not."""
    machine, times = Machine(monkeypatch), thread_times.ThreadTimes()
    assert machine.stretch(times, 0, 0) and machine.asked == ["ready", "switches"]
    machine.passes(passed, waited=waited)
    machine.stretch(times, 0, 0)
    assert ("ready" in machine.asked) is asked
    machine.passes(READY_EVERY_NS)
    machine.stretch(times, 0, 0)
    assert machine.asked[0] == "ready"
    machine.stretch(times, 0, 0)
    assert ("ready" in machine.asked) is (waited > QUIET_NS)
    machine.stretch(times, 0, 0)
    assert machine.asked == ["switches"]


def test_what_a_quiet_thread_waits_in_a_stretch_is_told(monkeypatch):
    """Though it was not asked as that began: no more than the thread did not run."""
    machine, times = Machine(monkeypatch), thread_times.ThreadTimes()
    machine.stretch(times, 0, 0)
    machine.passes(10**6, waited=QUIET_NS)
    assert machine.stretch(times, 30 * 10**6, 10**6, waited=28 * 10**6)[2] == 29 * 10**6
    # it waited, and is asked as the next begins
    assert machine.stretch(times, 30 * 10**6, 10**6, waited=10**6)[2] == 10**6
    assert machine.asked == ["ready", "switches", "switches", "ready"]


def test_a_stretch_is_told_as_fields(times):
    """One that another ended, or nobody began, is told as nothing."""
    assert times.told() == ""
    times.begin()
    told = json.loads("{" + times.told().removeprefix(",") + "}")
    assert set(told) <= {"cpu", "ready"} and 0 < told["cpu"] < 10**9


TRIES = 4


@pytest.mark.skipif(shutil.which("cc") is None, reason="there is no C compiler")
@pytest.mark.skipif("halves.os.environ.get('OPOSSUM_PURE')", reason="the half in Python was asked for")
def test_the_half_in_c_tells_what_the_one_in_python_tells():
    """Of the same stretch, but for what asking takes."""
    assert halves.ThreadTimes.__module__ == "opossum_recorder._thread_times"
    in_c, in_python = halves.ThreadTimes(), thread_times.ThreadTimes()
    for stretch in (lambda: burn(30), lambda: time.sleep(0.03), lambda: (burn(10), time.sleep(0.01))):
        apart = []
        for _ in range(TRIES):  # between the one's end and the other's the machine may be taken away
            # the one within the other: what the outer one tells can only be more
            in_python.begin(), in_c.begin()
            stretch()
            inner, outer = in_c.end(), in_python.end()
            assert inner[0] <= outer[0] and inner[1] <= outer[1]
            apart.append([abs(mine - other) for mine, other in zip(outer, inner, strict=True)])
        ran, waited, rest = (min(column) for column in zip(*apart, strict=True))
        assert ran < 10 * 10**6 and waited < 100 * 10**6 and rest < 100 * 10**6
    in_c.close(), in_python.close()
