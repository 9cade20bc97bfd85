"""A fix rehearsed: against the night that was truly played without the fault."""

from __future__ import annotations

import json

import numpy as np
import pytest

from opossum.compare.comparison import compared
from opossum.compare.differences import Sort
from opossum.compare.nodes import What
from opossum.compare.side import Side
from opossum.findings.examine import examine
from opossum.rehearse.consequences import what_goes
from opossum.rehearse.fixes import FIXES, can_be_rehearsed
from opossum.rehearse.plan import Plan, RehearsalError
from opossum.rehearse.rehearsal import Rehearsal, rehearse, rehearse_rule
from opossum.rehearse.retelling import retold
from opossum.rules.checking import check
from opossum.rules.parsing import parse_rules
from opossum.take.archive import open_take, save_take
from opossum.take.checks import check_take
from opossum.take.indexes.nesting import Nesting
from opossum.take.sameness import first_difference
from opossum.take.take import Take
from tape import Tape


def rehearsed(take: Take, kind: str = "") -> Rehearsal:
    """Rehearse the first finding of a take, or the first of a kind or cause."""
    findings = examine(take)
    chosen = next(finding for finding in findings if finding.id.startswith(kind))
    return rehearse(take, chosen, findings)


def difference(take: Take, other: Take):
    """Compare two takes."""
    return compared((Side(take, "HEALTHY"), Side(other, "REHEARSED")))


@pytest.mark.parametrize(
    "fault",
    [
        "bound-twice",
        "called-after-gone",
        "left-bound",
        "sender-gone",
        "event-storm",
        "many-calls",
        "slow-call",
        "waiting",
        "timer-left",
        "timer-for-nobody",
    ],
)
def test_the_fixed_night_is_the_healthy_one(night, fault):
    """To the very call: what the programmer would see is what would have come."""
    seconds = {"timer-left": 100.0, "sender-gone": 100.0, "event-storm": 60.0, "slow-call": 60.0}.get(fault, 40.0)
    healthy, take = night(seconds=seconds), night(fault, seconds=seconds)
    told = rehearsed(take)
    assert check_take(told.take) == [] and [finding.id for finding in examine(told.take)] == []
    assert told.comparison.findings.new == [] and told.about in [
        finding.id for finding in told.comparison.findings.gone
    ]
    against = difference(healthy, told.take)
    assert against.differences == [] and against.flips == [] and against.quality.calls == 1
    # and as long, frame by frame
    assert against.frames[1].over_budget == 0 and against.frames[0].frames == against.frames[1].frames
    assert told.take.duration_ns == pytest.approx(healthy.duration_ns, rel=0.001)


@pytest.mark.parametrize(
    ("fault", "left"),
    [
        ("two-routes", "`sale` is sent by Till"),
        ("held-input", "`Till.on_sell` is called for `key_sell_down`"),
        ("every-frame", "`Shelf.on_bread_ready` is bound to `bread_ready`"),
        ("short-timer", "`Window.on_cat` is bound to `spot_enter`"),
        ("delay-early", "`Waiter.on_tray_served` is bound to `tray_served`"),
    ],
)
def test_another_way_to_the_same_end_differs_in_the_way_alone(night, fault, left):
    """Where the healthy game is written otherwise, one difference is left, and it is how it is written."""
    told = rehearsed(night(fault))
    assert check_take(told.take) == []
    against = [item for item in difference(night(), told.take).differences if item.sort is Sort.CODE]
    assert len(against) == 1 and against[0].sentence(("", "")).startswith(left)


def test_what_was_there_before_is_not_touched(night):
    """The take that was recorded stays as it is."""
    take = night("bound-twice")
    before = {
        kind: {
            name: np.asarray(column).copy() for name, column in table.columns.items() if isinstance(column, np.ndarray)
        }
        for kind, table in take.tables.items()
    }
    rehearsed(take)
    for kind, columns in before.items():
        for name, column in columns.items():
            assert np.array_equal(take.tables[kind][name], column, equal_nan=column.dtype.kind == "f")


def test_what_a_removed_call_would_have_changed_is_in_doubt(night):
    """Doubt begins where the first that changed something goes, and is nobody else's."""
    told = rehearsed(night("bound-twice"))
    lost = np.flatnonzero(told.gone.flags["call"])
    assert len(lost) == 15
    doubtful = np.flatnonzero(told.gone.doubtful)
    take = told.comparison.sides[0].take
    assert {take.owner_of_call(int(call)) for call in doubtful} == {"counter#1"}
    assert doubtful.min() > lost.min() and told.certain_to == take.frames.number[take.calls.frame[doubtful[0]]]
    assert any("Certain up to frame 948" in line for line in told.lines())
    assert rehearsed(night("called-after-gone")).certain_to == -1


def test_every_wrong_call_is_in_doubt(night):
    """What the true night has not, though it is still told, is said to be doubtful: by the calls' own ids."""
    take = night("armed-twice", seconds=100.0)
    told = rehearsed(take)
    against = difference(night(seconds=100.0), told.take)
    nodes = against.nodes[1]
    wrong = nodes.row[(nodes.what == What.CALL) & (against.matching.partner[1] < 0)]
    ids = np.asarray(told.take.tables["call"]["c"], np.int64)[wrong]
    rows = take.call_ids.rows(np.zeros(len(ids), np.int64), ids)
    # where the timer itself is cleared is said not to be known
    others = [row for row in rows.tolist() if take.function_of_call(row) != "Oven.on_steam"]
    assert len(others) >= 2 and told.gone.doubtful[others].all()
    assert any("cleared at another place" in item for item in told.plan.unknown)


def test_a_latch_leaves_the_calls_and_takes_what_they_send(night):
    """One who stays in a zone is still told of, and nothing is sent again."""
    take = night("no-latch")
    told = rehearsed(take)
    stays = [int((np.asarray(item.tables["send"]["edge"]) == item.code("stay")).sum()) for item in (take, told.take)]
    settles = [
        int((np.asarray(item.tables["send"]["ev"]) == item.code("cat_settles")).sum()) for item in (take, told.take)
    ]
    assert stays[0] == stays[1] and settles[0] > 10 * settles[1] > 0


def test_a_frame_that_was_too_long_lets_the_next_begin_sooner(night):
    """By what was taken out of it; one within its budget waits as before."""
    take = night("slow-call")
    told = rehearsed(take)
    lengths = [np.diff(item.frames.start_ns) for item in (take, told.take)]
    slow = np.flatnonzero(lengths[0] > 100e6)
    assert len(slow) and (lengths[1][slow] < 20e6).all()
    others = np.setdiff1d(np.arange(len(lengths[0])), slow)
    assert np.array_equal(lengths[0][others], lengths[1][others])


def test_moved_sends_come_with_all_that_ran_because_of_them():
    """A delay that came 300 ms before its mark: the send, its call and what that sent."""
    tape = Tape().frame()
    served, done = tape.bind("served", "waiter#1", "Waiter.on_served"), tape.bind("done", "bell#1", "Bell.on_done")
    for _ in range(4):
        tape.frame()("play", y=tape.number("y"), o="waiter#1", clip="lift", len=1.0, marks=[["up", 0.6]])
        arm = tape.arm("delay", "waiter#1", "served", sec=0.3, loop=False)
        tape.frames(18)
        call = tape.open_call(tape.send("served", via="delay", a=arm, o="waiter#1"), served)
        tape.heard("done", done, c=call)
        tape("ret", c=call)
        tape.frames(18)
        tape.send("up", via="clip", y=tape._counts["y"], mark="up", pos=0.6)
        tape.frames(30)("stop", y=tape._counts["y"], how="end")
    take = tape.take()
    told = rehearsed(take, "delay-off-mark/early")
    assert check_take(told.take) == []
    sends = told.take.tables["send"]
    up, moved, follows = (
        np.flatnonzero(np.asarray(sends["ev"]) == told.take.code(name)) for name in ("up", "served", "done")
    )
    apart = np.abs(np.asarray(sends["t"], np.int64)[up] - np.asarray(sends["t"], np.int64)[moved])
    assert (apart < 40e6).all() and (np.diff(np.asarray(sends["line"])) > 0).all()
    assert (told.take.calls.parent[told.take.calls.send >= 0] >= -1).all() and len(follows) == 4
    assert (np.asarray(sends["t"], np.int64)[follows] > np.asarray(sends["t"], np.int64)[moved]).all()


@pytest.mark.parametrize(
    ("late", "sort", "cause"),
    [
        ([8] * 8, "anim", "mark-late/late"),
        ([25, 0, 0, 0, 0, 0, 0, 0], "anim", "mark-late/burst"),
        ([-9] * 8, "track", "cue-off/early"),
        ([9] * 8, "track", "cue-off/late"),
        (list(range(0, 16, 2)), "track", "cue-off/drifts"),
    ],
)
def test_marks_and_cues_come_at_their_places(late, sort, cause):
    """What was recorded beside its place, by so many frames each, comes within a frame of it, and nothing is found any more."""
    tape = Tape(hz=50).frame().frame(length_ms=20).frame(length_ms=20)
    beat = tape.bind("beat", "band#1", "Band.on_beat")
    named = "beat {}" if sort == "track" else "beat"  # a track's cues are told together, a clip's marks by their names
    marks = [[named.format(n), n / 2] for n in range(1, 9)]
    tape("play", y=1, o="band#1", clip="song", what=sort, len=4.5, marks=marks)
    begun = tape.now_ns
    for number in range(260):
        tape.frame(length_ms=20)
        for place, off in enumerate(late, 1):
            if number == 25 * place + off:
                tape.heard("beat", beat, o="band#1", via="clip", y=1, mark=named.format(place), pos=place / 2, d=place)
    told = rehearsed(tape.take(), cause).take
    sends = told.tables["send"]
    assert np.asarray(sends["t"]) - begun == pytest.approx(np.arange(1, 9) * 5e8, abs=21e6)
    assert examine(told) == [] and len(told.calls) == 8


def test_what_others_do_while_a_call_is_suspended_is_not_its_doing():
    """It returns frames later; what came in its own frame goes with it."""
    tape = Tape().frame()
    walk = tape.bind("walk", "cat#1", "Cat.on_walk")
    call = tape.frame().open_call(tape.send("walk"), walk)
    tape("spawn", o="toy#1", cls="Toy")
    tape.frame()("spawn", o="dog#1", cls="Dog")("play", y=1, o="dog#1", clip="bark", len=1.0, marks=[])
    tape.frame()("ret", c=call)
    take = tape.take()
    gone = what_goes(take, Plan(done="", calls=np.array([0])))
    assert gone.flags["spawn"].tolist() == [True, False] and not gone.flags["play"].any()


def polled(how: str, beside: bool = False) -> Tape:
    """Return a poll by a timer, or by a delay that sets itself again: 100 calls, of which every 25th finds something."""
    tape = Tape().frame().frame()
    look = tape.bind("look", "cat#1", "Cat.on_look")
    heard = [look, tape.bind("look", "dog#1", "Dog.on_look")] if beside else [look]
    arm = tape.arm(how, "cat#1", "look", sec=0.016)
    for number in range(100):
        tape.frame()
        call = tape.open_call(tape.send("look", via=how, a=arm, o="cat#1"), look)
        if how == "delay":
            arm = tape.arm("delay", "cat#1", "look", sec=0.016, loop=False, c=call)
        tape("ret", c=call, eff=int(number % 25 == 24))
        for other in heard[1:]:
            tape.call(tape._counts["s"], other)
    return tape


@pytest.mark.parametrize(("how", "cause"), [("timer", "short-timer"), ("delay", "delay-loop")])
def test_what_asked_goes_and_what_it_found_comes_of_itself(how, cause):
    """No timer is left that nobody hears, and none that the finds would hang on."""
    told = rehearsed(polled(how).take(), f"polling-waste/{cause}").take
    assert check_take(told) == []
    assert [len(told.tables[kind]) for kind in ("arm", "send", "call")] == [0, 4, 4]
    assert (told.calls.effect == 1).all() and (np.asarray(told.tables["send"]["via"]) == -1).all()
    assert examine(told) == []


def test_a_timer_that_others_hear_too_goes_on():
    """Only the calls for nothing go."""
    told = rehearsed(polled("timer", beside=True).take(), "polling-waste/short-timer").take
    assert [len(told.tables[kind]) for kind in ("arm", "send", "call")] == [1, 100, 104]


def test_calls_that_nobody_looked_at_stay_and_it_is_said():
    """What they found is not known."""
    tape = Tape().frame().frame()
    look = tape.bind("look", "cat#1", "Cat.on_look")
    for number in range(300):
        tape.frame().heard("look", look, eff=None if number % 3 else 0, via="tick")
    told = rehearsed(tape.take(), "polling-waste/every-frame")
    assert len(told.take.calls) == 200
    assert "what 200 calls found that nobody looked at: they stay" in " ".join(told.plan.unknown)


def test_a_moved_send_comes_in_a_frame_in_its_phase_and_in_nobodys_call():
    """The mark's place lies between two frames, and where it comes somebody else works."""
    tape = Tape(phases=["input", "update"]).frame()
    served, hum = tape.bind("served", "waiter#1", "Waiter.on_served"), tape.bind("hum", "fan#1", "Fan.on_hum")
    for number in range(90):
        tape.frame()("phase", name="input")("phase", name="update")
        if number % 30 == 5:
            tape("play", y=tape.number("y"), o="waiter#1", clip="lift", len=0.5, marks=[["up", 0.15]])
            arm = tape.arm("delay", "waiter#1", "served", sec=0.3, loop=False)
        tape.ms(1)
        if number % 30 == 23:
            tape.heard("served", served, via="delay", a=arm, o="waiter#1")
        else:
            tape.heard("hum", hum, takes_ms=4)
    told = rehearsed(tape.take(), "delay-off-mark/late").take

    calls = np.flatnonzero(told.calls.event == told.code("served"))
    frames, own = told.frames, told.calls.frame[calls]
    assert len(calls) == 3 and (frames.number[own] % 30 < 23).all()
    assert (told.calls.start_ns[calls] >= frames.start_ns[own]).all()
    assert (told.calls.end_ns[calls] <= frames.work_end_ns[own]).all()
    assert [told.text(int(told.phase_of_call[call])) for call in calls.tolist()] == ["update"] * 3
    sends = told.calls.send[calls]
    table = told.tables["send"]
    around = Nesting(told.recording, told.calls.ret).call_at(
        *(np.asarray(table[name])[sends] for name in ("p", "th", "line"))
    )
    assert (around < 0).all()


@pytest.mark.parametrize(
    ("fault", "why"),
    [
        ("queue-kept", "cannot be foretold"),
        ("raised", "was never recorded"),
        ("near-name", "calls that were never recorded"),
    ],
)
def test_what_cannot_be_told_is_said(night, fault, why):
    """In a sentence, and nothing is made up."""
    take = night(fault)
    findings = examine(take)
    with pytest.raises(RehearsalError, match=why):
        rehearse(take, findings[0], findings)


def test_fixes_are_for_findings_there_are():
    """Each stands for a kind, or for a cause of one."""
    from opossum.findings.catalogue import KINDS

    known = {kind.name for kind in KINDS} | {f"{kind.name}/{cause.name}" for kind in KINDS for cause in kind.causes}
    assert set(FIXES) <= known


def test_a_rehearsed_take_is_a_take_like_any(night, tmp_path):
    """Saved, opened again, examined; and what is told of it is plain JSON."""
    told = rehearsed(night("two-routes"))
    assert all(can_be_rehearsed(finding) for finding in told.comparison.findings.gone)
    save_take(told.take, tmp_path / "fixed.take")
    assert first_difference(told.take, open_take(str(tmp_path / "fixed.take"))) == ""
    value = told.as_dict()
    assert json.loads(json.dumps(value)) == value and value["format"] == "opossum-rehearsal"


@pytest.mark.parametrize(
    ("fault", "sentence"),
    [
        ("bound-twice", "every send of bread_ready causes at most 1 call of Counter.on_bread_ready"),
        ("bound-twice", "never more than 1 listener of bread_ready at once for each owner"),
        ("called-after-gone", "no call of Customer.on_quarter comes after its owner is gone"),
    ],
)
def test_a_rule_can_be_held_instead(night, fault, sentence):
    """What is too much does not come; what is left is the healthy night, and the rule holds."""
    take = night(fault)
    (rule,) = parse_rules(sentence).rules
    assert check(take, [rule])[0].broken > 0
    told = rehearse_rule(take, rule, examine(take))
    assert check(told.take, [rule])[0].broken == 0 and check_take(told.take) == []
    calls = [item.quality.calls for item in (difference(night(), take), difference(night(), told.take))]
    assert calls[1] == 1 > calls[0]


@pytest.mark.parametrize(
    ("sentence", "why"),
    [
        ("every send of bread_ready is heard", "held are"),
        (
            "every send of bread_ready causes at least 3 call of Counter.on_bread_ready",
            "what never came cannot be told",
        ),
        ("never more than 2 listener of bread_ready at once", "held is one"),
        ("no cut of knead_slow comes", "only calls, sends, binds and timers"),
    ],
)
def test_what_cannot_be_held_is_said(night, sentence, why):
    """Not every rule can be held by taking away."""
    (rule,) = parse_rules(sentence).rules
    with pytest.raises(RehearsalError, match=why):
        rehearse_rule(night("bound-twice"), rule, [])


@pytest.mark.parametrize("seed", [1, 2])
def test_counterparts_are_right_in_a_copy_of_which_the_truth_is_known(night, seed):
    """One in a hundred calls is taken away with what hung on it: all others find themselves, by their ids, and none another."""
    take = night()
    chance = np.random.default_rng(seed)
    calls = np.flatnonzero(np.asarray(take.calls.parent) >= 0)
    plan = Plan(done="some calls are missing", calls=chance.choice(calls, len(calls) // 100, replace=False))
    after = retold(take, plan, what_goes(take, plan))
    told = difference(take, after)
    one, other = told.nodes
    mine = np.flatnonzero(one.what == What.CALL)
    partner = told.matching.partner[0][mine]
    ids = np.asarray(take.tables["call"]["c"], np.int64)[one.row[mine]]
    there = np.asarray(after.tables["call"]["c"], np.int64)
    found = np.where(partner >= 0, there[other.row[partner]], 0)
    kept = np.isin(ids, there)
    assert 0 < (~kept).sum() < len(kept) // 4
    assert (found[~kept] == 0).mean() > 0.9 and (found[kept] == ids[kept]).mean() > 0.995
    assert ((found != 0) & (found != ids)).mean() < 0.005
