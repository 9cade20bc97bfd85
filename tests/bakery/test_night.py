"""The bakery's night: a real game in small, the same for a seed, recorded as any game is."""

from __future__ import annotations

import numpy as np
import pytest

from moonrise_bakery import demo_take_path
from moonrise_bakery.faults import DEMO_FAULTS, FAULTS
from moonrise_bakery.night import record_night
from opossum.findings.catalogue import KINDS
from opossum.findings.examine import examine
from opossum.take.checks import check_take
from opossum.take.indexes.objects import NEVER
from opossum.take.opening import open_any


def lines_without_start(path) -> list[bytes]:
    """Return a stream's lines without the head, which names process and hour."""
    return path.read_bytes().splitlines()[1:]


def test_the_same_seed_plays_the_same_night(tmp_path):
    """And another seed another one."""
    for name, seed in (("a", 3), ("b", 3), ("c", 4)):
        record_night(tmp_path / name, DEMO_FAULTS, seed=seed, seconds=15)
    a, b, c = (lines_without_start(tmp_path / name) for name in "abc")

    assert a == b
    assert a != c


def test_the_night_is_a_sound_stream(night):
    """Nothing lost, nothing that does not add up."""
    assert check_take(night()) == []


def test_the_night_uses_all_that_a_game_does(night):
    """Every kind of record that a healthy game writes, and every way of sending."""
    take = night(seconds=100.0)
    kinds = {kind for kind, table in take.tables.items() if len(table)}
    assert kinds >= {
        "head", "frame", "idle", "phase", "spawn", "gone", "bind", "unbind", "send", "call", "ret", "put", "pull", "arm",
        "disarm", "pause", "resume", "play", "stop", "wait", "met", "watch", "clock", "bye",
    }  # fmt: skip
    vias = {take.text(int(code)) for code in take.tables["send"]["via"]}
    assert vias >= {"", "tick", "input", "zone", "timer", "delay", "clip", "queue", "clock"}


def test_phases_come_in_the_order_the_head_says(night):
    """The engine keeps its promise."""
    take = night()
    order = {take.code(name): place for place, name in enumerate(take.recording.head_list(0, "phases"))}
    table = take.tables["phase"]
    frames = take.frames.rows_of_lines(table["p"], table["line"])
    places = [order[int(code)] for code in table["name"]]
    for (frame, place), (next_frame, next_place) in zip(
        zip(frames, places, strict=True), zip(frames[1:], places[1:], strict=True), strict=False
    ):
        assert frame != next_frame or place < next_place


def test_timers_keep_their_interval(night):
    """A looping timer carries over what is left of the frame."""
    take = night()
    table = take.tables["arm"]
    arm = next(row for row in range(len(table)) if take.text(int(table["ev"][row])) == "set_dough")
    times = take.tables["send"]["t"][take.arms.firings.rows(arm)]
    intervals = (times[1:] - times[:-1]) / 1e9

    assert len(intervals) > 10
    assert abs(intervals.mean() - 3.2) < 0.01


def test_a_paused_timer_keeps_what_was_left_of_its_interval(night):
    """The mixer stands still while the inspector looks, and mixes that much later."""
    take = night(seconds=100.0)
    pause, resume = take.tables["pause"], take.tables["resume"]
    held_s = (resume["t"][0] - pause["t"][0]) / 1e9
    arm = int(take.arm_ids.rows(pause["p"], pause["a"])[0])
    times = take.tables["send"]["t"][take.arms.firings.rows(arm)] / 1e9

    assert take.text(int(take.tables["arm"]["ev"][arm])) == "mix"
    assert held_s > 4
    assert sorted(times[1:] - times[:-1])[-1] == pytest.approx(9.0 + held_s, abs=0.05)


def test_a_delay_can_be_counted_in_frames(night):
    """The bell fades six frames after it rang."""
    take = night(seconds=100.0)
    table = take.tables["arm"]
    counted = [row for row in range(len(table)) if table["frames"][row] == 6]
    assert counted
    for row in counted:
        landed = int(take.arms.firings.rows(row)[0])
        armed = take.frames.rows_of_lines(table["p"][row : row + 1], table["line"][row : row + 1])[0]
        assert take.sends.frame[landed] - armed == 6


def test_marks_come_at_their_place_in_the_clip(night):
    """Within a frame of it."""
    take = night()
    marks = take.marks
    is_clip = np.asarray(take.tables["play"]["what"])[marks.play] == take.code("anim")
    came = np.flatnonzero((marks.send >= 0) & is_clip)
    assert len(came) > 20
    assert np.abs(take.tables["send"]["pos"][marks.send[came]] - marks.seconds[came]).max() < 0.02


def test_things_that_left_have_cleaned_up(night):
    """In the healthy night nobody leaves a listener or a timer behind."""
    take = night()
    gone = take.binds.owner_gone_line != NEVER
    assert gone.any()
    assert (take.binds.unbind_line[gone] < take.binds.owner_gone_line[gone]).all()


def test_every_call_of_a_night_runs_in_a_phase(night):
    """What follows a clip that ends, too: two nights are compared by where in a frame their calls run."""
    take = night()
    assert (take.phase_of_call >= 0).all()
    ran_in = {take.text(int(code)) for code in set(take.phase_of_call.tolist())}
    assert ran_in == set(take.recording.head_list(0, "phases"))


def test_a_fault_that_does_not_exist_is_said():
    """With those that do."""
    with pytest.raises(ValueError, match="the bakery has no fault `burnt-bread`; it has: bound-twice, two-routes"):
        record_night("/dev/null", ["burnt-bread"])


def test_every_cause_of_the_kinds_can_be_switched_on():
    """Each fault says which kind and cause it is of, and no cause is without one but what takes several peers or a busy machine."""
    causes = {(kind.name, cause.name) for kind in KINDS for cause in kind.causes}
    assert {(fault.kind, fault.cause) for fault in FAULTS.values()} == causes - {
        ("double-fire", "mirrored"),
        ("freeze", "machine-busy"),
    }
    assert all(fault.story and fault.name == name for name, fault in FAULTS.items())


def test_the_shipped_take_is_what_the_code_records_today(tmp_path):
    """The demo take in the package is not a leftover of an older game."""
    record_night(tmp_path / "now", DEMO_FAULTS)
    now, shipped = open_any(str(tmp_path / "now")), open_any(str(demo_take_path()))

    assert shipped.records == now.records
    assert [finding.as_dict() for finding in examine(shipped)] == [finding.as_dict() for finding in examine(now)]


def test_in_real_time_the_watchdog_is_real(tmp_path):
    """One second of play takes one second; the watchdog sees a true sleep."""
    record_night(tmp_path / "real", ["waiting"], seconds=1.0, real_time=True)
    take = open_any(str(tmp_path / "real"))

    assert 60 <= len(take.frames) <= 61
    assert len(take.tables["stuck"]) >= 1
    # in real time a busy machine may add a stall of its own; the one that was built in is always there
    assert "waiting" in [finding.cause for finding in examine(take)]
