"""Rules that takes suggest: what healthy nights taught, asked of other nights."""

from __future__ import annotations

import re

import pytest

from moonrise_bakery.night import record_night
from opossum.learning.candidate import either, seconds
from opossum.learning.learn import Learning, learn, rule_file
from opossum.rules.checking import check
from opossum.rules.parsing import parse_rules
from opossum.rules.writing import written
from opossum.take.opening import open_any
from opossum.take.take import Take
from tape import Tape, read


@pytest.fixture(scope="module")
def nights(tmp_path_factory):
    """Return a function that plays a healthy night of a seed."""
    folder = tmp_path_factory.mktemp("healthy")
    known: dict[int, Take] = {}

    def play(seed: int) -> Take:
        if seed not in known:
            record_night(folder / f"{seed}.flow.jsonl", (), seed=seed, seconds=60)
            known[seed] = open_any(str(folder / f"{seed}.flow.jsonl"))
        return known[seed]

    return play


@pytest.fixture(scope="module")
def learnt(nights) -> Learning:
    """Return what three healthy nights of different seeds taught."""
    return learn([nights(seed) for seed in (1, 2, 3)])


@pytest.fixture(scope="module")
def rules(learnt):
    """Return the same as rules, read back from the file."""
    book = parse_rules(rule_file(learnt, "Moonrise Bakery"))
    assert book.errors == [] and len(book.rules) == len(learnt.rules)
    return book.rules


def broken(take: Take, rules) -> list[str]:
    """Return the rules that broke."""
    return [outcome.rule.text for outcome in check(take, rules) if outcome.broken]


@pytest.mark.parametrize("seed", [4, 5, 6])
def test_nothing_is_broken_in_a_healthy_night_that_was_not_asked(nights, rules, seed):
    """Of another seed, with other customers and other chances."""
    assert broken(nights(seed), rules) == []


BROKEN_BY = {
    "bound-twice": "bread_ready causes exactly 1 call of Counter.on_bread_ready",
    "two-routes": "causes exactly 1 call of Ledger.on_income",
    "queue-kept": "causes exactly 1 call of Baker.on_knead_job",
    "armed-twice": "never more than 1 timer",
    "held-input": "between press of sell and release of sell, exactly 1 call of Till.on_sell comes",
    "no-latch": "at most 1 send of cat_settles comes",
    "called-after-gone": "no call comes after its owner is gone",
    "left-bound": "ends with its owner",
    "event-storm": "send of * come",
    "slow-call": "every call takes at most",
    "waiting": "work takes at most",
    "clip-cut": "is followed by send of tray_up within",
    "clip-without": "has mark tray_up",
    "queue-waits": "queue sink is empty at the end of each frame",
    "timer-off-by-one": "is followed by exactly 10 firing of drop within",
    "timer-drops-rest": "every firing of drop comes 0.5 s give or take 1 frame",
    "order-flips": "call of Counter.on_bread_ready comes before call of Shelf.on_bread_ready",
    "wrong-phase": "comes in phase `timers`",
    "raised": "no error comes",
    "wait-and-gone": "every wait for served",
    "clock-late": "on the game clock, send of quarter comes",
    "stay-loop": "only send of",
    "near-name": "only send of",
    "never-sent": "only bind of",
    "wait-for-nothing": "only wait for",
}
"""Faults, and a part of the learnt rule that each of them breaks."""

NIGHTS = [
    ("bound-twice", "held-input", "left-bound", "slow-call", "clip-cut", "raised", "never-sent", "timer-off-by-one"),
    ("two-routes", "no-latch", "called-after-gone", "queue-waits", "wrong-phase", "wait-for-nothing"),
    ("queue-kept", "armed-twice", "clip-without", "timer-drops-rest", "near-name"),
    ("event-storm", "order-flips", "wait-and-gone", "clock-late", "stay-loop", "waiting"),
]
"""The same, as many in a night as leave each other alone."""


def test_every_fault_has_its_night():
    """None is left out."""
    assert sorted(fault for faults in NIGHTS for fault in faults) == sorted(BROKEN_BY)


@pytest.mark.parametrize("faults", NIGHTS, ids=lambda faults: faults[0])
def test_a_fault_breaks_what_always_held(night, rules, faults):
    """For each of a night's faults the rule that speaks of it is among those that broke."""
    texts = broken(night(*faults, seconds=100.0), rules)
    assert [fault for fault in faults if not any(BROKEN_BY[fault] in text for text in texts)] == []


def test_every_rule_is_one_that_held_often_enough(nights, learnt):
    """In each of the takes, as many times as the file says."""
    rules = [item.candidate.sentence for item in learnt.rules]
    assert len(rules) == len(set(rules)) > 100
    text = "\n".join(rules)
    totals = [0] * len(rules)
    for seed in (1, 2, 3):
        for number, outcome in enumerate(check(nights(seed), parse_rules(text).rules)):
            assert outcome.broken == 0
            totals[number] += outcome.occasions
    # those told together count what each had, alone as together
    alone = [item.occasions for item in learnt.rules if item.candidate.one_of is None]
    assert [total for total, item in zip(totals, learnt.rules, strict=True) if item.candidate.one_of is None] == alone


def test_with_a_fault_in_one_take_the_rule_is_told_as_disputed(night, nights):
    """It cannot be a rule any more, and is not kept silent."""
    told = learn([nights(1), nights(2), night("bound-twice")])
    sentence = "every send of bread_ready causes exactly 1 call of Counter.on_bread_ready"
    assert sentence not in [item.candidate.sentence for item in told.rules]
    (dispute,) = [item for item in told.disputed if item.candidate.sentence == sentence]
    assert dispute.broke_in == [night("bound-twice").name] and len(dispute.held_in) == 2
    assert f"#   {sentence}    (broke in {night('bound-twice').name})" in rule_file(told, "x")


def test_odd_names_are_written_so_that_they_are_read_back():
    """Words of the language, spaces, brackets."""
    tape = Tape().frame()
    pair = [tape.bind(name, "a b#1", "Pool<A>::on tick") for name in ("every", "door slam ü")]
    for _ in range(15):
        for bound in pair:
            tape.frame().heard(bound.event, bound)
    told = learn([tape.take()])
    book = parse_rules(rule_file(told, 'a "quoted" game'))
    assert book.errors == [] and broken(tape.take(), book.rules) == []
    assert any("`door slam ü`" in item.candidate.sentence for item in told.rules)


def test_an_interval_is_told_once_for_all_takes():
    """Each take's clock says it a little otherwise; a hundredth of a frame is nobody's meaning."""
    takes = []
    for off_ms in (0.0, 0.003, -0.004):
        tape = Tape(hz=50).frame()
        chime = tape.bind("chime", "clock#1", "Clock.on_chime")
        arm = tape.arm("timer", "clock#1", "chime", frames=10, sec=None)
        for number in range(120):
            tape.frame(length_ms=20 + off_ms)
            if number % 10 == 9:
                tape.heard("chime", chime, via="timer", a=arm, o="clock#1")
        takes.append(tape.take())
    told = [item.candidate.sentence for item in learn(takes).rules if item.candidate.section == "Intervals"]
    assert told == ["every firing of chime comes 0.2 s give or take 1 frame after the last with the same owner"]


def test_a_take_whose_clock_stands_still_teaches_what_it_can():
    """Its frames take no time: to a hundredth of nothing there is no number of digits."""
    tape = Tape().frame()
    chime = tape.bind("chime", "clock#1", "Clock.on_chime")
    arm = tape.arm("timer", "clock#1", "chime", sec=0.2)
    for _ in range(60):
        tape.frame().heard("chime", chime, via="timer", a=arm, o="clock#1")
    still = re.sub(rb'"t":\d+', b'"t":7', tape.bytes())
    assert not any("comes 0.2 s" in item.candidate.sentence for item in learn([read(still)]).rules)


def test_parts_of_sentences():
    """Names, lists of them, and times a person would write."""
    assert written("Oven.on_tick") == "Oven.on_tick" and written("call") == "`call`" and written("a b") == "`a b`"
    assert either(["b", "a", "b"]) == "a or b"
    assert [seconds(ns) for ns in (0, 4.2e6, 133e6, 2.04e9, 90e9)] == ["1 ms", "5 ms", "135 ms", "2.05 s", "90 s"]


def test_nothing_is_learnt_from_nothing(run, tmp_path):
    """And the command says so."""
    assert learn([Tape().take()]).rules == []
    (tmp_path / "a.flow.jsonl").write_bytes(Tape().bytes())
    assert "nothing held often enough" in run("learn", tmp_path / "a.flow.jsonl", "-o", tmp_path / "a.rules").err
    assert not (tmp_path / "a.rules").exists()


def test_the_command_writes_a_file_that_check_takes(run, nights, night, tmp_path):
    """From takes to rules to what a later take does not keep."""
    from opossum.take.archive import save_take

    for seed in (1, 2):
        save_take(nights(seed), tmp_path / f"{seed}.take")
    save_take(night("bound-twice"), tmp_path / "today.take")
    told = run("learn", tmp_path / "1.take", tmp_path / "2.take", "-o", tmp_path / "game.rules")
    assert told.status == 0 and "rules from 2 takes" in told.out
    assert "give --force" in run("learn", tmp_path / "1.take", "-o", tmp_path / "game.rules").err
    assert "give two or more" in run("learn", tmp_path / "1.take", "-o", tmp_path / "game.rules", "--force").out
    checked = run("check", tmp_path / "today.take", "--rules", tmp_path / "game.rules")
    assert checked.status == 1 and checked.out.splitlines()[1].startswith("FAULT  every send of b")
