"""Each form of sentence against small streams: where it holds, where it breaks, and where it has no occasion."""

from __future__ import annotations

import pytest

from opossum.rules.checking import check
from opossum.rules.parsing import parse_rules
from opossum.take.take import Take
from tape import Tape


def told(take: Take, sentence: str) -> tuple[int, list[tuple[int, str]]]:
    """Return (occasions, breaks as frame and note) of one sentence in a take."""
    book = parse_rules(sentence)
    assert book.errors == []
    (outcome,) = check(take, book.rules)
    assert outcome.broken == len(outcome.breaks) and outcome.occasions == len(outcome.held) >= outcome.broken
    return outcome.occasions, [(item.frame, item.note) for item in outcome.breaks]


@pytest.fixture
def shop() -> Tape:
    """Return a tape on which a counter and a shelf listen, and three loaves come; the second is heard twice by the counter."""
    tape = Tape(phases=["input", "update"]).frame()
    tape("spawn", o="oven#1", cls="Oven")("spawn", o="counter#1", cls="Counter")("spawn", o="shelf#1", cls="Shelf")
    counter = tape.bind("bread", "counter#1", "Counter.on_bread")
    shelf = tape.bind("bread", "shelf#1", "Shelf.on_bread")
    for turn in range(3):
        tape.frame()("phase", name="update" if turn else "input")
        send = tape.send("bread", o="oven#1", d={"loaf": turn})
        tape.call(send, counter, eff=1, takes_ms=2 if turn == 2 else 0.5)
        tape.call(send, shelf, eff=0)
        if turn == 1:
            tape.call(send, counter)
        tape.frame()
    return tape


def test_heard(shop):
    """By anybody, by somebody, by so many."""
    shop.send("bread", o="oven#2")
    take = shop.take()
    assert told(take, "every send of bread is heard") == (4, [(6, "bread was heard by 0")])
    assert told(take, "every send of bread from Oven is heard by Shelf") == (3, [])
    assert told(take, "every send of bread from oven#1 is heard by exactly 2 listeners") == (
        3,
        [(3, "bread was heard by 3")],
    )
    assert told(take, "every send of cake is heard") == (0, [])


def test_causes_and_springs():
    """Through what a call sends; each counts for the nearest cause."""
    tape = Tape().frame()
    first, second, third = (tape.bind(name, "x#1", f"X.on_{name}") for name in "abc")
    for turn in range(3):
        tape.frame()
        outer = tape.open_call(tape.send("a"), first)
        for _ in range(turn):
            inner = tape.open_call(tape.send("b", c=outer), second)
            tape.heard("c", third, c=inner)
            tape("ret", c=inner)
        tape("ret", c=outer)
    tape.frame().heard("c", third)
    take = tape.take()
    assert told(take, "every send of a causes exactly 1 call of X.on_c") == (
        3,
        [(1, "caused 0 × call of X.on_c"), (3, "caused 2 × call of X.on_c")],
    )
    assert told(take, "every send of b causes exactly 1 send of c") == (3, [])
    assert told(take, "every call of X.on_a causes at most 1 call of X.on_b") == (3, [(3, "caused 2 × call of X.on_b")])
    assert told(take, "every call of X.on_c springs from send of a") == (4, [(4, "does not spring from send of a")])
    assert told(take, "every send of c springs from call of X.on_b") == (
        4,
        [(4, "does not spring from call of X.on_b")],
    )


def test_followed_by():
    """In time and in frames, with the same data, and not judged where the take ends first."""
    tape = Tape().frame()
    for turn, gap in enumerate((2, 9, 1, 1)):
        tape.frame().send("knock", d={"who": turn})
        tape.frames(gap)
        if turn < 3:
            tape.send("open", d={"who": turn if turn != 2 else 7})
    take = tape.take()
    assert told(take, "every send of knock is followed by send of open within 3 frames") == (
        3,
        [(7, "line 13 was followed by 0 × send of open within 3 frames")],
    )
    occasions, breaks = told(take, "every send of knock is followed by send of open within 60 ms")
    assert occasions == 3 and [frame for frame, _ in breaks] == [7]
    occasions, breaks = told(
        take, "every send of knock is followed by send of open within 9 frames with the same data who"
    )
    assert occasions == 2 and breaks == []
    assert told(take, "every send of knock is followed by send of open before send of knock") == (3, [])
    occasions, breaks = told(take, "every send of knock is followed by at most 1 send of open within 20 frames")
    assert occasions >= 1 and all("2 ×" in note or "3 ×" in note for _, note in breaks)


def test_only_what_is_named(shop):
    """Each other name once, where it first came."""
    shop.send("cake")
    shop.frame().send("cake")
    take = shop.take()
    assert told(take, "only send of bread comes") == (4, [(6, "send of cake came")])
    assert told(take, "only send of bread or cake comes") == (5, [])
    assert told(take, "only call of Counter.* by Counter comes") == (4, [])


def test_preceded_by_and_before():
    """Some time before, or soon before; and none before the first of another."""
    tape = Tape().frame()
    tape.send("use")
    tape.frame().send("ready")
    tape.frames(9).send("use")
    take = tape.take()
    assert told(take, "every send of use is preceded by send of ready") == (2, [(0, "no send of ready before it")])
    occasions, breaks = told(take, "every send of use is preceded by send of ready within 3 frames")
    assert occasions == 2 and [frame for frame, _ in breaks] == [0, 10]
    assert told(take, "no send of use comes before send of ready") == (2, [(0, "came before the first send of ready")])
    assert told(take, "no send of ready comes") == (1, [(1, "came")])


def test_phases(shop):
    """Of calls, sends and whatever else is written in one."""
    take = shop.take()
    assert told(take, "every send of bread comes in phase update") == (3, [(1, "came in phase input")])
    assert told(take, "every call of Shelf.on_bread comes in phase update or input") == (3, [])


def test_intervals():
    """At least, at most, and exactly within what a frame gives; firings within one arming."""
    tape = Tape().frame()
    arms = [tape.arm("timer", "tap#1", "drop", sec=0.064) for _ in range(2)]
    for frame in range(1, 20):
        tape.frame(length_ms=16)
        if frame in (4, 8, 12, 18):
            tape.send("drop", via="timer", a=arms[0])
        if frame == 13:
            tape.send("drop", via="timer", a=arms[1])
    take = tape.frames(3).take()
    occasions, breaks = told(take, "every firing of drop comes 64 ms give or take 1 frame after the last")
    assert occasions == 3 and [frame for frame, _ in breaks] == [18]
    occasions, breaks = told(take, "every firing of drop comes 4 frames give or take 1 frame after the last")
    assert occasions == 3 and breaks == [(18, "came 6 frames after the last")]
    occasions, breaks = told(take, "every send of drop comes at least 3 frames after the last")
    assert occasions == 4 and breaks == [(13, "came 1 frame after the last")]
    occasions, breaks = told(take, "every send of drop comes at most 4 frames after the last")
    assert occasions == 4 and breaks == [(18, "came 5 frames after the last")]


def test_time_and_use(shop):
    """What a call takes, what all calls of a send take, what is called for nothing."""
    take = shop.take()
    occasions, breaks = told(take, "every call of Counter.on_bread takes at most 1 ms")
    assert occasions == 4 and breaks == [(5, "took 2.0 ms")]
    occasions, breaks = told(take, "every send of bread takes at most 1 ms")
    assert occasions == 3 and [frame for frame, _ in breaks] == [5]
    assert told(take, "every call of Shelf.on_bread changes something in at least 10 %") == (
        3,
        [(frame, "only 0.0% of Shelf.on_bread changed something") for frame in (1, 3, 5)],
    )
    assert told(take, "every call of Counter.on_bread changes something in at least 10 %") == (4, [])


def test_alone():
    """Without what it called itself."""
    tape = Tape().frame()
    outer, inner = tape.bind("a", "x#1", "X.on_a"), tape.bind("b", "x#1", "X.on_b")
    call = tape.open_call(tape.send("a"), outer)
    tape.heard("b", inner, c=call, takes_ms=5)
    tape("ret", c=call)
    take = tape.take()
    assert told(take, "every call of X.on_a takes at most 1 ms alone") == (1, [])
    assert told(take, "every call of X.on_a takes at most 1 ms") == (1, [(0, "took 5.0 ms")])


def test_marks_and_clips():
    """What a clip must hold, when its marks come, and that it is not cut."""
    tape = Tape().frame()
    for clip, marks in (("slow", [["press", 0.1]]), ("quick", [["press", 0.1], ["fold", 0.2]])):
        tape.frame()("play", y=tape.number("y"), o="baker#1", clip=clip, len=1.0, marks=marks)
        play = tape._counts["y"]
        tape.ms(100).send("press", via="clip", y=play, mark="press", pos=0.1)
        tape.frame()("stop", y=play, how="cut" if clip == "slow" else "end", pos=0.3)
    take = tape.frames(40).take()
    assert told(take, "every play by baker#1 has mark fold") == (2, [(1, "slow has no mark fold")])
    assert told(take, "every play by baker#1 has mark fold or press") == (2, [])
    occasions, breaks = told(
        take, "every mark press of clip slow or quick is followed by stop of quick within 4 frames"
    )
    assert occasions == 2 and breaks == []
    assert told(take, "no cut of slow or quick comes") == (1, [(2, "came (baker#1)")])
    assert told(take, "never more than 1 clip of baker#1 at once") == (2, [])


def test_lives():
    """Listeners and timers that outlive their owners, and calls after the end."""
    tape = Tape().frame()
    for name in ("cat#1", "cat#2"):
        tape("spawn", o=name, cls="Cat")
    pair = [tape.bind("purr", name, "Cat.on_purr", src=name) for name in ("cat#1", "cat#2")]
    arm = tape.arm("timer", "cat#2", "stir")
    tape.frame()("gone", o="cat#1")("unbind", b=pair[0].number)
    tape.frame()("gone", o="cat#2")
    tape.frame().heard("purr", pair[1])
    tape("disarm", a=arm, how="owner")
    take = tape.take()
    occasions, breaks = told(take, "every bind by Cat ends with its owner")
    assert occasions == 2 and [frame for frame, _ in breaks] == [2] and "cat#2 went" in breaks[0][1]
    occasions, breaks = told(take, "every bind by Cat ends before its owner")
    assert occasions == 2 and [frame for frame, _ in breaks] == [1, 2]
    assert [frame for frame, _ in told(take, "every arming of stir ends before its owner")[1]] == [2]
    assert told(take, "no call by Cat comes after its owner is gone") == (
        1,
        [(3, "came after its owner was gone (cat#2)")],
    )
    assert told(take, "never more than 1 listener of purr at once") == (2, [(0, "2 at once")])
    assert told(take, "never more than 1 listener of purr at once for each owner") == (2, [])


def test_frames_seconds_and_the_take(shop):
    """How often something comes, and what it costs together."""
    take = shop.take()
    assert told(take, "in the take, exactly 3 send of bread come") == (1, [])
    assert told(take, "in the take, at most 2 send of bread come") == (1, [(5, "3 × send of bread")])
    occasions, breaks = told(take, "in each frame, at most 2 call of Counter.on_bread or Shelf.on_bread come")
    assert occasions == 7 and breaks == [(3, "3 × call of Counter.on_bread or Shelf.on_bread")]
    occasions, breaks = told(take, "in each second, at most 2 send of bread come")
    assert occasions == 1 and breaks == [(0, "3 × send of bread")]
    occasions, breaks = told(take, "in each frame, all call of Counter.on_bread take at most 1 ms")
    assert occasions == 3 and [frame for frame, _ in breaks] == [5]
    occasions, breaks = told(take, "in each frame, work takes at most 1 ms")
    assert occasions == 7 and [frame for frame, _ in breaks] == [5]
    assert told(take, "in each frame, call of Counter.on_bread comes before call of Shelf.on_bread") == (
        3,
        [(3, "call of Shelf.on_bread came before call of Counter.on_bread (line 26)")],
    )


def test_between():
    """Closed windows alone; one that opens again begins anew."""
    tape = Tape().frame()
    for word in ("down", "sell", "up", "down", "sell", "sell", "up", "down", "down", "sell", "up", "down"):
        tape.frame()
        if word == "sell":
            tape.send("sell")
        else:
            tape.send("key", via="input", key="e", edge=word)
    take = tape.take()
    assert told(take, "between press of e and release of e, exactly 1 send of sell comes") == (
        3,
        [(6, "2 × send of sell between")],
    )


def test_queues():
    """Left over at the end of a frame, too long, too many."""
    tape = Tape().frame()
    sends = []
    for frame in range(6):
        tape.frame()
        if frame < 3:
            sends.append(tape.send("job"))
            tape("put", q="bench", s=sends[-1])
        if frame in (2, 3, 4):
            tape("pull", q="bench", s=sends.pop(0))
    take = tape.frame().take()
    occasions, breaks = told(take, "queue bench is empty at the end of each frame")
    assert occasions == 7 and breaks == [(1, "1 left"), (2, "2 left"), (3, "2 left"), (4, "1 left")]
    occasions, breaks = told(take, "queue bench holds at most 2")
    assert occasions == 6 and breaks == [(3, "holds 3")]
    assert told(take, "queue bench keeps nothing longer than 2 frames") == (3, [])
    assert told(take, "queue bench keeps nothing longer than 1 frame") == (
        3,
        [(n, "stayed 2 frames") for n in (1, 2, 3)],
    )
    assert told(take, "every put on bench is followed by exactly 1 pull from bench within 3 frames")[0] == 3


def test_values():
    """Where they stay, which way they go, and who changes them."""
    tape = Tape().frame()
    till = tape.bind("pay", "till#1", "Till.on_pay")
    tape("watch", o="till#1", name="money", v=0)
    for amount, inside in ((3, True), (7, True), (-2, False)):
        tape.frame()
        call = tape.open_call(tape.send("pay"), till) if inside else 0
        tape("watch", o="till#1", name="money", v=amount)
        if inside:
            tape("ret", c=call)
    take = tape.take()
    assert told(take, "value money of till#1 stays at least 0") == (4, [(3, "is -2")])
    assert told(take, "value money stays between -5 and 5") == (4, [(2, "is 7")])
    assert told(take, "value money never falls") == (4, [(3, "went to -2")])
    assert told(take, "value money never rises") == (4, [(1, "went to 3"), (2, "went to 7")])
    assert told(take, "value money of till#1 changes only in call of Till.on_pay") == (
        4,
        [(3, "changed elsewhere: to -2")],
    )
    assert told(take, "no send of pay comes while value money is over 2") == (1, [(2, "came")])


def test_a_value_may_be_larger_than_any_float():
    """It is more than any limit, or less."""
    tape = Tape().frame()
    for digits in ("1", "1" + "0" * 400, "-1" + "0" * 400):
        tape.lines.append(f'{{"k":"watch","t":{tape.now_ns},"o":"oven#1","name":"serial","v":{digits}}}')
    assert told(tape.take(), "value serial stays at most 5") == (3, [(0, "is inf")])
    assert told(tape.take(), "value serial stays at least 0") == (3, [(0, "is -inf")])


def test_scopes():
    """While, from, until and except narrow what is looked at."""
    tape = Tape().frame()
    lamp = tape.arm("timer", "lamp#1", "blink")
    for frame in range(1, 10):
        tape.frame()
        if frame == 4:
            tape("play", y=1, o="baker#1", clip="knead", len=0.1)
        if frame == 7:
            tape("stop", y=1, how="end")("disarm", a=lamp, how="cleared")
        tape.send("noise", o=f"cat#{frame}")
    take = tape.take()
    frames = {
        "while clip knead plays": [4, 5, 6],
        "while clip knead plays of baker#1": [4, 5, 6],
        "while timer blink is armed": [1, 2, 3, 4, 5, 6],
        "from play of knead on": [4, 5, 6, 7, 8, 9],
        "until stop of knead": [1, 2, 3, 4, 5, 6],
        "except from cat#3 or cat#9": [1, 2, 4, 5, 6, 7, 8],
        "except within 1 frame of play of knead": [1, 2, 6, 7, 8, 9],
        "from play of knead on until stop of knead": [4, 5, 6],
    }
    for scope, expected in frames.items():
        occasions, breaks = told(take, f"no send of noise comes {scope}")
        assert [frame for frame, _ in breaks] == expected, scope
        assert occasions == len(expected)


def test_keys_and_lives_as_scopes():
    """While a key is held, while an object lives."""
    tape = Tape().frame()
    for frame in range(1, 9):
        tape.frame()
        if frame in (2, 5):
            tape.send("key", via="input", key="e", edge="down" if frame == 2 else "up")
        if frame == 3:
            tape("spawn", o="cat#1", cls="Cat")
        if frame == 7:
            tape("gone", o="cat#1")
        tape.send("noise")
    take = tape.take()
    assert [frame for frame, _ in told(take, "no send of noise comes while key e is held")[1]] == [2, 3, 4]
    # before its spawn is told an object may have been there all along
    assert 7 not in [frame for frame, _ in told(take, "no send of noise comes while object Cat lives")[1]]


def test_the_games_clock():
    """What is due at a time of day, and at every so many minutes."""
    tape = Tape()
    for n in range(400):
        tape.ms(10)("frame", n=n, dt=0.01)
        if n == 0:
            tape("clock", v=8 * 3600 - 60, rate=60)
        if n in (100, 200):
            tape.send("chime")
    take = tape.take()
    occasions, breaks = told(take, "at 08:00 on the game clock, send of chime comes within 2 frames")
    assert occasions == 1 and breaks == []
    occasions, breaks = told(take, "every 1 min on the game clock, send of chime comes within 2 frames")
    assert occasions == 3 and [frame for frame, _ in breaks] == [300]


def test_peers():
    """One logical event on all machines, by its key."""
    tape = Tape(peer="host")
    tape("head", opossum=1, game="test", peer="guest")
    for turn in range(3):
        for peer in ("host", "guest"):
            if (turn, peer) != (1, "guest"):
                tape("send", s=tape.number("s"), ev="hit", via="net", net=f"k{turn}", p=peer)
    take = tape.take()
    occasions, breaks = told(take, "every send of hit on peer host reaches every peer once within 150 ms")
    assert occasions == 3 and [note for _, note in breaks] == ["did not reach guest as it should"]


def test_findings_as_rules(night):
    """None at all, none but some, and not this one again."""
    take = night("bound-twice")
    (_, breaks) = told(take, "no faults")
    assert len(breaks) == 1 and breaks[0][1].startswith("double-fire/bound-twice")
    assert told(take, "no faults but double-fire/bound-twice") == (1, [])
    assert told(take, "no faults but double-fire") == (1, [])
    assert len(told(take, "no finding double-fire/bound-twice of Counter.on_bread_ready")[1]) == 1
    assert told(take, "no finding double-fire/bound-twice of Oven.on_tick") == (1, [])
    assert told(night(), "no faults") == (1, [])


def test_a_name_that_is_not_there_is_told_with_the_nearest(night):
    """A rule that never had occasion says why."""
    book = parse_rules(
        "every send of bread_raedy is heard\nevery send of xyz is heard\nno call of Oven.* comes after its owner is gone"
    )
    first, second, third = check(night(), book.rules)
    assert first.verdict == second.verdict == "no occasion"
    assert first.hint == "nothing is called `bread_raedy` in this take; did you mean `bread_ready`?"
    assert second.hint == "nothing is called `xyz` in this take" and third.verdict == "held"


def test_rules_on_nothing():
    """An empty take breaks none."""
    for sentence in (
        "no faults",
        "in the take, exactly 1 send of a comes",
        "queue q holds at most 1",
        "value v never falls",
    ):
        assert told(Tape().take(), sentence) == (0, [])
