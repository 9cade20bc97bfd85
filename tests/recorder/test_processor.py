"""What the processor did for a frame, and what the machine did instead."""

from __future__ import annotations

import json
import os
import time
from typing import ClassVar

import pytest

from opossum_recorder import halves, processor, thread_times
from opossum_recorder.processor import MachineTaken, frame_times


@pytest.fixture(params=[thread_times.ThreadTimes, halves.ThreadTimes], ids=["Python", "built"])
def half(request, monkeypatch) -> type:
    """Have frames measured by either half."""
    monkeypatch.setattr(processor, "ThreadTimes", request.param)
    return request.param


class Told(thread_times.ThreadTimes):
    """A thread's times as the machine might tell them, in ms."""

    times: ClassVar[list[tuple[int, int, int] | None]] = []

    def end(self) -> tuple[int, int, int] | None:
        """Return the next of them."""
        times = Told.times.pop(0)
        return None if times is None else tuple(max(-1, ms * 10**6) for ms in times)


def telling(monkeypatch, stat: str, *times: tuple[int, int, int] | None) -> Told:
    """Return what measures frames, told these times and what lies in a file."""
    monkeypatch.setattr(processor, "ThreadTimes", Told)
    monkeypatch.setattr(Told, "times", list(times))
    return frame_times(stat)


@pytest.mark.parametrize(
    ("times", "fields"),
    [
        ((12, 30, 5), ',"cpu":12000000,"ready":5000000'),
        ((12, 30, 0), ',"cpu":12000000,"ready":0'),
        ((12, 30, -1), ',"cpu":12000000'),
        (None, ""),
    ],
)
def test_what_is_told_of_a_frame(tmp_path, monkeypatch, times, fields):
    """Nothing of one that another thread ended, and no waiting where that is not known."""
    frames = telling(monkeypatch, stat_file(tmp_path / "stat", ran=1000, steal=0), times)
    frames.begin()
    assert frames.told() == fields


def test_either_half_leaves_out_what_was_taken_of_a_long_frame(tmp_path, half):
    """And asks of no short one."""
    path = tmp_path / "stat"
    for ms, is_asked in ((70, True), (5, False)):
        frames = frame_times(stat_file(path, ran=1000, steal=0))
        began = time.perf_counter_ns()
        frames.begin()
        end = time.thread_time_ns() + ms * 10**6
        while time.thread_time_ns() < end:
            pass
        stat_file(path, ran=1000, steal=500)  # all that ran
        told = json.loads("{" + frames.told().removeprefix(",") + "}")
        # a busy machine may let the thread wait until the very end: only then the frame is over
        passed_ms = (time.perf_counter_ns() - began) / 1e6
        frames.close()
        # what is taken lies within the thread's time only as far as there is no room beside it
        if passed_ms < (1.8 * ms if is_asked else 50):
            assert (told["cpu"] < ms * 10**6) is is_asked


def stat_file(path, *, ran: int, steal: int) -> str:
    """Write a file such as the machine tells: so many hundredths of a second ran, so many were taken away."""
    path.write_text(f"cpu  {ran} 0 0 9999 0 0 0 {steal} 0 0\ncpu0 1 2 3\n")
    return str(path)


@pytest.mark.parametrize(
    ("ran", "steal", "cpu_ms", "passed_ms", "within_ms", "beside_ms"),
    [
        (15, 30, 450, 450, 300, 0),  # all that ran was this thread, and two thirds of it were taken
        (30, 60, 450, 450, 300, 0),  # another one ran as much beside it, and lost as much
        (45, 0, 450, 450, 0, 0),
        (15, 30, 150, 450, 0, 300),  # the kernel left it out of the thread's time already
        (15, 30, 150, 500, 0, 300),  # no more was taken than the machine tells: 50 ms it waited by itself
        (100, 5, 0, 450, 0, 50),  # this thread hardly ran
    ],
)
def test_what_a_host_took_is_not_the_threads(tmp_path, ran, steal, cpu_ms, passed_ms, within_ms, beside_ms):
    """By the thread's share of all that ran, as far as it is counted into the thread's time."""
    path = tmp_path / "stat"
    machine = MachineTaken(stat_file(path, ran=1000, steal=500))
    machine.renew()
    stat_file(path, ran=1000 + ran, steal=500 + steal)
    within, beside = machine.of(cpu_ms * 10**6, passed_ms * 10**6)
    assert (within, beside) == (pytest.approx(within_ms * 10**6, abs=2), beside_ms * 10**6)
    assert machine.of(cpu_ms * 10**6, passed_ms * 10**6, 400 * 10**6)[1] <= max(0, passed_ms - cpu_ms - 400) * 10**6


@pytest.mark.parametrize(
    ("own", "taken_ms"), [("1 (a b) c) R " + "0 " * 35 + "1 9", 160), ("1 (a) R " + "0 " * 35 + "0 9", 64), ("", 64)]
)
def test_of_the_processor_it_is_on_others_took_no_part(tmp_path, own, taken_ms):
    """What ran elsewhere meanwhile makes the thread's part of what was taken no smaller."""
    path, own_path = tmp_path / "stat", tmp_path / "own"
    own_path.write_text(own)

    def told(first: int, second: int, steal: int) -> None:
        lines = ((" ", first + second, steal), ("0", first, 0), ("1", second, steal))
        path.write_text(
            "".join(f"cpu{name} {ran} 0 0 99 0 0 0 {taken} 0 0\n" for name, ran, taken in lines) + "intr 9\n"
        )

    told(100, 100, 50)
    machine = MachineTaken(str(path), str(own_path))
    machine.renew()
    told(124, 100, 66)
    assert machine.of(160 * 10**6, 160 * 10**6)[0] == pytest.approx(taken_ms * 10**6, abs=2)
    # on one of which nothing was taken, a thread that did not run waited by itself
    assert machine.of(10 * 10**6, 160 * 10**6)[1] == (0 if "0 0 9" in own else 150 * 10**6)


@pytest.mark.parametrize(
    ("began_on", "within_ms", "beside_ms"), [(0, 400, 240), (1, 0, 60), (-1, 200, 60), (7, 200, 60)]
)
def test_a_thread_that_was_moved_when_its_processor_came_back_was_on_both(tmp_path, began_on, within_ms, beside_ms):
    """What was taken of the one that it began on is no less the machine's; another one's would be."""
    path, own_path = tmp_path / "stat", tmp_path / "own"
    own_path.write_text("1 (a) R " + "0 " * 35 + "1 9")

    def told(ran: int, taken: tuple[int, int]) -> None:
        each = [(" ", 2 * ran, sum(taken)), *(("01"[number], ran, taken[number]) for number in (0, 1))]
        path.write_text("".join(f"cpu{name} {own} 0 0 99 0 0 0 {steal} 0 0\n" for name, own, steal in each))

    told(100, (10, 20))
    machine = MachineTaken(str(path), str(own_path))
    machine.renew()
    told(100, (50, 20))
    path.write_text(path.read_text().replace("cpu1 100", "cpu1 140").replace("cpu  200", "cpu  240"))
    assert machine.of(400 * 10**6, 400 * 10**6, 0, began_on)[0] == pytest.approx(within_ms * 10**6, abs=2)
    told(140, (28, 26))
    assert machine.of(10 * 10**6, 400 * 10**6, 0, began_on)[1] == pytest.approx(beside_ms * 10**6, abs=2)


@pytest.mark.parametrize(
    ("cpu_ms", "passed_ms", "waited_ms", "each", "within_ms", "beside_ms"),
    [
        # as one machine told of frames whose work takes 7 ms: some of what was taken was counted as the thread's own, some was not
        (266, 371, 11, ((48, 48), (36, 36)), 255, 94),
        (
            253,
            521,
            142,
            ((51, 50), (24, 21)),
            239,
            126,
        ),  # it was on the other one, too: its own had no time for all that
        (7, 447, 2, ((28, 20), (54, 47)), 6, 438),
        # what was taken is all beside: nothing of what it ran is left out
        (150, 450, 0, ((45, 0), (45, 30)), 0, 300),
        # what was taken of the other one alone is not its own
        (400, 400, 0, ((40, 40), (41, 0)), 0, 0),
        (100, 400, 0, ((40, 40), (41, 0)), 0, 0),
        # half of it was counted into what it ran
        (550, 700, 0, ((0, 0), (70, 30)), 150, 150),
    ],
)
def test_what_was_taken_is_beside_the_threads_time_first_and_the_rest_within_it(
    tmp_path, cpu_ms, passed_ms, waited_ms, each, within_ms, beside_ms
):
    """A thread that stays on the second processor, as far as it is known."""
    path, own_path = tmp_path / "stat", tmp_path / "own"
    own_path.write_text("1 (a) R " + "0 " * 35 + "1 9")

    def told(each: tuple[tuple[int, int], ...]) -> None:
        lines = [
            (" ", sum(busy for busy, _ in each), sum(steal for _, steal in each)),
            *((str(n), *own) for n, own in enumerate(each)),
        ]
        path.write_text(
            "".join(f"cpu{name} {100 + busy - steal} 0 0 99 0 0 0 {steal} 0 0\n" for name, busy, steal in lines)
        )

    told(((0, 0), (0, 0)))
    machine = MachineTaken(str(path), str(own_path))
    machine.renew()
    told(each)
    within, beside = machine.of(cpu_ms * 10**6, passed_ms * 10**6, waited_ms * 10**6, 1)
    assert (within / 1e6, beside / 1e6) == (pytest.approx(within_ms, abs=1), pytest.approx(beside_ms, abs=1))


@pytest.mark.parametrize("text", ["", "cpu", "cpu a b c d e f g h", "intr 1 2 3 4 5 6 7 8 9"])
def test_a_machine_that_does_not_tell_takes_nothing(tmp_path, text):
    """Nor does one without the file."""
    path = tmp_path / "stat"
    path.write_text(text)
    for name in (path, tmp_path / "gone"):
        machine = MachineTaken(str(name))
        machine.renew()
        assert machine.of(10**9, 10**9) == machine.of(0, 10**9) == (0, 0)


def test_a_long_frame_that_was_taken_away_says_so(tmp_path, monkeypatch):
    """In `ready`, and no longer in `cpu`; a short frame is not asked."""
    path = tmp_path / "stat"
    frames = telling(monkeypatch, stat_file(path, ran=1000, steal=0), (400, 400, 0), (40, 40, 0))
    frames.begin()
    stat_file(path, ran=1010, steal=30)
    assert frames.told() == f',"cpu":{100 * 10**6},"ready":{300 * 10**6}'
    frames.begin()
    stat_file(path, ran=1010, steal=40)
    assert frames.told() == f',"cpu":{40 * 10**6},"ready":0'


@pytest.mark.parametrize(("begun_ms", "told"), [(1249, 228_571_428), (1250, 100_000_000)])
def test_the_machine_is_asked_anew_four_times_a_second(tmp_path, monkeypatch, begun_ms, told):
    """Of a frame that begins sooner, what was taken just before it counts along."""
    path = tmp_path / "stat"
    frames = telling(monkeypatch, stat_file(path, ran=1000, steal=0), (1, 1, 0), (400, 400, 0))
    monkeypatch.setattr(thread_times, "now_ns", lambda: 1000 * 10**6)
    frames.begin()
    frames.told()
    stat_file(path, ran=1000, steal=30)
    monkeypatch.setattr(thread_times, "now_ns", lambda: begun_ms * 10**6)
    frames.begin()
    stat_file(path, ran=1030, steal=40)
    # since the frame began 10 hundredths were taken of 40; since the machine was asked first, 40 of 70
    assert frames.told() == f',"cpu":{400 * 10**6 - told},"ready":{told}'


def test_either_half_asks_the_machine_anew_four_times_a_second(tmp_path, half, monkeypatch):
    """Not at every frame: that would take longer than many a frame."""
    asked = []
    monkeypatch.setattr(MachineTaken, "renew", lambda self: asked.append(time.perf_counter_ns()))
    frames = frame_times(stat_file(tmp_path / "stat", ran=1000, steal=0))
    began = time.perf_counter_ns()
    while time.perf_counter_ns() - began < 900 * 10**6:
        frames.begin()
        frames.told()
        time.sleep(0.001)
    frames.close()
    assert 2 <= len(asked) <= 1 + (time.perf_counter_ns() - began) // (250 * 10**6)


def test_the_built_half_tells_which_processor_a_frame_began_on(tmp_path, half, monkeypatch):
    """One of those that this thread may be on; the half in Python does not know."""
    asked = []
    monkeypatch.setattr(MachineTaken, "of", lambda self, *told: (asked.append(told), (0, 0))[1])
    frames = frame_times(stat_file(tmp_path / "stat", ran=1000, steal=0))
    frames.begin()
    time.sleep(0.06)
    assert frames.told()
    frames.close()
    ((_, passed_ns, _, *began_on),) = asked
    assert passed_ns >= 60 * 10**6
    if half is thread_times.ThreadTimes:
        assert began_on == []
    else:
        assert began_on[0] in os.sched_getaffinity(0)
