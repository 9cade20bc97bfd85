"""Two runs side by side: what has a counterpart, what differs first, and what is only a consequence."""

from __future__ import annotations

import json

import numpy as np
import pytest

from opossum.compare.comparison import Comparison, compared, findings_moved
from opossum.compare.differences import Sort
from opossum.compare.manner import Manner
from opossum.compare.nodes import What
from opossum.compare.side import Side
from opossum.compare.wording import sections
from opossum.findings.examine import examine
from opossum.take.take import Take
from tape import Tape


def side_by_side(before: Take, after: Take) -> Comparison:
    """Compare two takes with what is found in them."""
    return compared((Side(before, "BEFORE"), Side(after, "AFTER")), (examine(before), examine(after)))


def firsts(comparison: Comparison, sort: Sort = Sort.CODE) -> list[str]:
    """Return the first differences of a sort as sentences."""
    return [item.sentence(comparison.labels) for item in comparison.differences if item.sort is sort]


def test_a_run_against_itself_differs_in_nothing(night):
    """All has its counterpart, which is itself."""
    told = side_by_side(night(), night())
    assert told.differences == told.flips == told.otherwise == told.slower == told.renamed == []
    assert all(np.array_equal(partner, np.arange(len(partner))) for partner in told.matching.partner)
    assert told.quality.calls == 1 and told.quality.same_steps and told.quality.comparable
    assert not told.findings.gone and not told.findings.new


@pytest.mark.parametrize(
    ("fault", "sentence", "follows"),
    [
        ("bound-twice", "`Counter.on_bread_ready` is bound to `bread_ready` once more in AFTER", "call"),
        ("two-routes", "`Ledger.on_income` is bound to `coin` only in AFTER", "send"),
        ("held-input", "`Till.on_sell` is bound to `key_sell_down` only in BEFORE", "call"),
        ("called-after-gone", "`Customer.on_quarter` is unbound from `quarter` 11 times more in BEFORE", "call"),
        ("sent-before-bind", "`Sign.on_lit` is called for `first_oven_lit` only in BEFORE", ""),
        ("timer-left", "the timer `note` is cleared once more in BEFORE", "send"),
        ("every-frame", "`Shelf.on_bread_ready` is bound to `bread_ready` only in BEFORE", "stretch"),
    ],
)
def test_one_fault_is_one_first_difference(night, fault, sentence, follows):
    """What the programmer did; its calls, sends and timers are folded under it."""
    told = side_by_side(night(), night(fault))
    assert len(firsts(told)) == 1
    assert firsts(told) == [sentence]
    if follows:
        assert told.differences[0].follows[follows] > 0
    assert firsts(told, Sort.OUTSIDE) == [] and told.quality.played_alike_to == -1


def test_the_other_way_round_is_told_the_other_way_round(night):
    """Before and after are no more than labels."""
    told = side_by_side(night("bound-twice"), night())
    assert firsts(told) == ["`Counter.on_bread_ready` is bound to `bread_ready` once more in BEFORE"]
    assert [finding.cause for finding in told.findings.gone] == ["bound-twice"]
    assert (
        told.listeners[0]["Counter", "Counter.on_bread_ready", "bread_ready"].calls
        == 2 * told.listeners[1]["Counter", "Counter.on_bread_ready", "bread_ready"].calls
    )


def test_polling_that_became_an_event_shows_what_was_saved(night):
    """What ran on a timer before is not set at all, and of calls that are none nobody asks how many were for nothing."""
    told = dict(sections(side_by_side(night("short-timer"), night())))
    assert told["Timers and delays"] == ["timer `window_look`: set 1, fired 599, every 100 ms → never set"]
    polled = next(line for line in told["Listeners"] if line.startswith("`Window.on_look`"))
    assert polled.startswith("`Window.on_look` for `window_look`: 599 → 0 calls, ")
    assert polled.endswith(" → 0 ns, 98% of them for nothing")
    assert "Came otherwise" not in told


def test_where_no_record_differs_time_does(night):
    """A call that takes a second, and a queue that is pulled late."""
    slow = side_by_side(night(), night("slow-call"))
    assert firsts(slow) == [] and [item.name[1] for item in slow.slower] == ["Ledger.on_quarter"]
    assert slow.slower[0].side == 1 and slow.slower[0].worst_ns[1] > 1_000_000_000
    assert slow.frames[1].over_budget > slow.frames[0].over_budget == 0


def test_what_is_planned_and_comes_later_is_told(night):
    """Every cue by the same time; every third call by its error."""
    late = side_by_side(night(), night("cue-late"))
    shifted = [item for item in late.otherwise if item.manner is Manner.SHIFTED]
    assert {item.told.event for item in shifted} == {"cue_verse", "cue_chorus"}
    assert all(abs(item.seconds - 0.15) < 0.02 and item.times == item.among for item in shifted)
    raised = side_by_side(night(), night("raised"))
    assert [item.sentence(("A", "B")) for item in raised.otherwise] == [
        "`Lamp.on_quarter` raises in B: KeyError: 'bulb'"
    ]


def test_cues_of_other_names_that_come_later_are_told_as_one():
    """Each beat of a track is named for itself."""

    def song(late: int) -> Take:
        tape = Tape(hz=50).frame()
        tape(
            "play",
            y=1,
            o="band#1",
            clip="song",
            what="track",
            len=3.0,
            marks=[[f"beat {n}", n / 5] for n in range(1, 8)],
        )
        for number in range(120):
            tape.frame(length_ms=20)
            beat, at = divmod(number - late, 10)
            if at == 0 and 1 <= beat <= 7:
                tape.send("beat", o="band#1", via="clip", y=1, mark=f"beat {beat}", pos=beat / 5)
        return tape.take()

    (told,) = side_by_side(song(0), song(4)).otherwise
    assert (told.manner, told.told.name, told.times, told.among) == (Manner.SHIFTED, "beat", 7, 7)
    assert told.seconds == pytest.approx(0.08, abs=0.005)


def test_one_mark_of_several_that_comes_later_is_told():
    """Those of the same event that come as before do not hide it."""

    def walk(late: int) -> Take:
        tape = Tape(hz=50).frame()
        for number in range(200):
            tape.frame(length_ms=20)
            turn, at = divmod(number, 50)
            if at == 0:
                tape(
                    "play",
                    y=turn + 1,
                    o="cat#1",
                    clip="walk",
                    len=0.9,
                    marks=[["left", 0.2], ["right", 0.4], ["tail", 0.6]],
                )
            for mark, place in (("left", 10), ("right", 20 + late), ("tail", 30)):
                if at == place:
                    tape.send("step", o="cat#1", via="clip", y=turn + 1, mark=mark)
        return tape.take()

    (told,) = side_by_side(walk(0), walk(4)).otherwise
    assert (told.manner, told.times, told.among) == (Manner.SHIFTED, 4, 4)
    assert told.seconds == pytest.approx(0.08, abs=0.005)


def test_another_player_is_no_fault_of_the_code(tmp_path):
    """What comes from outside is apart, and later differences are put down to it."""
    takes = [_pressed(*frames) for frames in ((5, 9), (5, 9, 15))]
    told = side_by_side(*takes)
    assert firsts(told) == [] and firsts(told, Sort.OUTSIDE) == ["`sell` is sent (input) once more in AFTER"]
    assert told.differences[0].follows == {"call": 1} and told.quality.played_alike_to == 15


def _pressed(*frames: int) -> Take:
    tape = Tape().frame()
    till = tape.bind("sell", "till#1", "Till.on_sell")
    for frame in range(1, 30):
        tape.frame()
        if frame in frames:
            tape.heard("sell", till, via="input", key="e", edge="down")
    return tape.take()


def test_what_the_other_run_unbound_is_missing_for_that_reason():
    """The end is the difference; the calls that do not come any more follow from it."""
    takes = []
    for unbinds in (False, True):
        tape = Tape().frame()
        bell = tape.bind("open", "bell#1", "Bell.on_open")
        for frame in range(1, 20):
            tape.frame()
            if frame == 8 and unbinds:
                tape("unbind", b=bell.number)
            if frame % 3 == 0:
                tape.heard("open", *(() if unbinds and frame > 8 else (bell,)))
        takes.append(tape.take())
    told = side_by_side(*takes)
    assert firsts(told) == ["`Bell.on_open` is unbound from `open` only in AFTER"]
    assert told.differences[0].follows == {"call": 4}


def test_an_object_more_in_the_middle_shifts_nobody():
    """Lives are told by when they came, not by their names, and what belongs to them follows."""
    takes = []
    for spawned in ((2, 10, 20), (2, 6, 10, 20)):
        tape = Tape().frame()
        for frame in range(1, 160):
            tape.frame()
            if frame in [8 * moment for moment in spawned]:
                name = f"cat#{spawned.index(frame // 8) + 1}"
                tape("spawn", o=name, cls="Cat")
                tape.heard("purr", tape.bind("purr", name, "Cat.on_purr", src=name), o=name)
        takes.append(tape.take())
    told = side_by_side(*takes)
    assert firsts(told) == [] and firsts(told, Sort.OUTSIDE) == ["Cat is spawned once more in AFTER"]
    assert told.differences[0].follows == {"bind": 1, "send": 1, "call": 1}


def test_order_within_a_frame_is_told_and_across_frames_is_not():
    """Two that listen to one event, and two that run with every frame."""
    takes = []
    for turned in (False, True):
        tape = Tape().frame()
        pair = [tape.bind("tick", name, f"{name}.on_tick") for name in ("Oven", "Lamp")]
        other = [tape.bind("bread", name, f"{name}.on_bread") for name in ("Shelf", "Counter")]
        for frame in range(60):
            tape.frame().heard("tick", *(pair[::-1] if turned else pair), via="tick")
            if frame % 7 == 0:
                tape.heard("bread", *(other[::-1] if turned else other))
        takes.append(tape.take())
    told = side_by_side(*takes)
    assert {(flip.first, flip.second) for flip in told.flips} == {
        ("Oven.on_tick", "Lamp.on_tick"),
        ("Shelf.on_bread", "Counter.on_bread"),
    }
    assert [flip.times for flip in told.flips] == [60, 9] and firsts(told) == []


def test_a_clip_chosen_otherwise_is_chance():
    """From the same cause, for the same owner."""
    takes = []
    for clip in ("slow", "quick"):
        tape = Tape().frame()
        job = tape.bind("job", "baker#1", "Baker.on_job")
        for _ in range(4):
            tape.frame()
            call = tape.open_call(tape.send("job"), job)
            tape("play", y=tape.number("y"), o="baker#1", clip=clip, len=1.0, c=call)
            tape("ret", c=call)
        takes.append(tape.frames(10).take())
    told = side_by_side(*takes)
    assert firsts(told) == [] and firsts(told, Sort.CHANCE) == ["chosen differently (`slow` / `quick`): may be chance"]
    assert told.differences[0].more == [4, 4]


def test_a_run_that_ends_earlier_lacks_only_the_end():
    """What came after is under way, not missing."""
    takes = []
    for length in (30, 90):
        tape = Tape().frame()
        drop = tape.bind("drop", "tap#1", "Tap.on_drop")
        arm = tape.arm("timer", "tap#1", "drop", sec=0.2)
        for frame in range(1, length):
            tape.frame()
            if frame % 12 == 0:
                tape.heard("drop", drop, via="timer", a=arm)
        takes.append(tape.take())
    told = side_by_side(*takes)
    assert firsts(told) == [] and firsts(told, Sort.TAIL) == ["`drop` is sent (timer) 5 times more in AFTER"]


def test_a_new_name_is_told_once(night):
    """One event and its listener's function, not all their calls."""
    takes = []
    for event in ("bread", "loaf"):
        tape = Tape().frame()
        counter = tape.bind(event, "counter#1", f"Counter.on_{event}")
        for _ in range(9):
            tape.frame().heard(event, counter)
        takes.append(tape.take())
    told = side_by_side(*takes)
    assert told.differences == []
    assert [tuple(item) for item in told.renamed] == [
        ("event", "bread", "loaf"),
        ("function", "Counter.on_bread", "Counter.on_loaf"),
    ]


def test_unlike_runs_are_not_told_apart(night):
    """What has nothing in common has no first difference worth telling."""
    tape = Tape().frame()
    one = tape.bind("a", "x#1", "X.on_a")
    for _ in range(20):
        tape.frame().heard("a", one)
    told = side_by_side(tape.take(), night())
    assert not told.quality.comparable
    assert "First differences" not in [section.title for section in sections(told)]
    assert any("too little in common" in line for line in sections(told)[0].lines)


def test_other_steps_of_time_make_no_differences(tmp_path):
    """A game at 30 frames a second does the same as one at 60: what runs with frames is a stretch."""
    takes = [_at(hertz) for hertz in (30, 60)]
    told = side_by_side(*takes)
    assert told.differences == [] and not told.quality.same_steps
    assert told.quality.stretches == 1


def _at(hertz: int) -> Take:
    tape = Tape()
    tick = tape.bind("tick", "oven#1", "Oven.on_tick")
    ready = tape.bind("ready", "shelf#1", "Shelf.on_ready")
    for frame in range(4 * hertz):
        tape.ms(1000 / hertz)("frame", n=frame, dt=1 / hertz)
        send = tape.send("tick", via="tick")
        call = tape.open_call(send, tick)
        if frame % hertz == hertz - 1:
            tape.heard("ready", ready, c=call)
        tape("ret", c=call, eff=0)
    return tape.take()


def test_peers_of_one_take_are_compared(night, tmp_path):
    """Host against client: what one got and the other did not."""
    tape = Tape(peer="host")
    tape("head", opossum=1, game="test", peer="client")
    listeners = {}
    for peer in ("host", "client"):
        tape("frame", n=0, p=peer)
        number = tape.number("b")
        tape("bind", b=number, ev="hit", o="door#1", fn="Door.on_hit", p=peer)
        listeners[peer] = number
    for turn in range(12):
        for peer in ("host", "client"):
            if peer == "client" and turn == 5:
                continue
            send, call = tape.number("s"), tape.number("c")
            tape("send", s=send, ev="hit", via="net", net=f"k{turn}", p=peer)
            tape("call", c=call, s=send, b=listeners[peer], o="door#1", fn="Door.on_hit", p=peer)
            tape("ret", c=call, eff=1, p=peer)
        tape.ms(300)
    take = tape.take()
    told = compared((Side(take, "host", 0), Side(take, "client", 1)))
    assert firsts(told, Sort.OUTSIDE) == ["`hit` is sent (net) once more in host"]
    assert told.differences[0].follows == {"call": 1}


def test_findings_are_told_by_their_names(night):
    """Gone, new, and still there with what they count."""
    before, after = examine(night("bound-twice", "slow-call")), examine(night("bound-twice", "two-routes"))
    moved = findings_moved(before, after)
    assert [finding.cause for finding in moved.gone] == ["slow-call"]
    assert [finding.cause for finding in moved.new] == ["two-routes"]
    assert [(one.cause, one.count == other.count) for one, other in moved.still] == [("bound-twice", True)]


def test_what_is_told_is_plain_json(night):
    """With a format and a version."""
    value = side_by_side(night(), night("bound-twice")).as_dict()
    assert json.loads(json.dumps(value)) == value
    assert (value["format"], value["version"]) == ("opossum-compare", 1)
    assert value["differences"][0]["more"] == [0, 1] and value["differences"][0]["what"] == What.BIND.name.lower()


def test_nothing_against_nothing():
    """Empty takes are compared without a stumble."""
    told = side_by_side(Tape().take(), Tape().take())
    assert told.differences == [] and told.quality.calls == -1
    assert sections(told)
