"""Examining as a whole: the order, the story, the bakery's faults on and off."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from moonrise_bakery.branch import record_session
from moonrise_bakery.faults import DEMO_FAULTS, FAULTS
from moonrise_bakery.night import record_night
from opossum.findings.catalogue import KINDS, with_setting
from opossum.findings.double_fire.no_latch.repeating import LATCH_REPEATS
from opossum.findings.examine import doubled_calls, examine
from opossum.findings.freeze.frozen import FREEZE_LONGER_THAN_MS
from opossum.findings.settings import Settings
from opossum.take.opening import open_any
from tape import Tape, read

SAID = Path(__file__).parent / "said.json"
SECONDS = 60.0
SLOW = {"queue-never-pulled", "order-flips", "wrong-phase", "clock-midnight", "level-missed", "dead-end"}
"""Faults that take the whole night to show."""


def test_the_healthy_night_has_no_finding(night):
    """A warning in a healthy take is a defect of the product."""
    assert examine(night(seconds=SECONDS)) == []


@pytest.mark.parametrize("hz", [30, 144])
def test_the_healthy_night_has_none_at_other_rates(tmp_path, hz):
    """What counts in frames counts in any frames."""
    record_night(tmp_path / "night", seconds=120.0, hz=hz)
    assert [finding.id for finding in examine(open_any(str(tmp_path / "night")))] == []


@pytest.mark.parametrize("hz", [30, 60, 144])
def test_the_healthy_night_has_none_as_host_and_branch(tmp_path, hz):
    """What one peer sends and the other hears is heard; nobody is mirrored."""
    paths = record_session(tmp_path, 60.0, hz)
    take = open_any([str(path) for path in paths])

    assert [span.name for span in take.peers] == ["host", "branch"]
    assert len(take.tables["call"]) and (take.tables["send"]["net"] >= 0).sum() > 30
    assert [finding.id for finding in examine(take)] == []


def test_the_healthy_night_has_none_in_ten_minutes(tmp_path):
    """What is rare comes often enough in it to be called a fault by mistake."""
    record_night(tmp_path / "night", seconds=600.0)
    assert [finding.id for finding in examine(open_any(str(tmp_path / "night")))] == []


@pytest.mark.parametrize("fault", FAULTS.values(), ids=lambda fault: fault.name)
def test_each_fault_of_the_bakery_is_found_and_nothing_else(night, fault):
    """Switched on, a fault is named by kind and cause; it brings no false ones along.

    Of a fault that shows within a minute, what is found is what is kept of it, which `test_said` holds.
    """
    if fault.name in SLOW:
        found = [finding.as_dict() for finding in examine(night(fault.name, seconds=100.0))]
    else:
        found = json.loads(SAID.read_text())[fault.name]

    assert {(finding["kind"], finding["cause"]) for finding in found if not finding.get("root")} == {
        (fault.kind, fault.cause)
    }


def test_the_demo_night_has_its_handful(night):
    """All of the demo's faults show together as they do alone."""
    found = examine(night(*DEMO_FAULTS, seconds=100.0))

    assert {(one.kind, one.cause) for one in found if not one.root} == {
        (FAULTS[name].kind, FAULTS[name].cause) for name in DEMO_FAULTS
    }


def test_worst_comes_first(night):
    """Faults before waste before risks."""
    found = examine(night(*DEMO_FAULTS, "left-bound", seconds=SECONDS))
    ranks = [finding.severity.rank for finding in found if not finding.root]

    assert ranks == sorted(ranks)
    assert len(ranks) > len(DEMO_FAULTS)


def test_every_finding_proves_itself_by_lines_of_the_stream(night, tmp_path):
    """Each piece of evidence names a line that holds a record of that kind."""
    from opossum.stream.writing import stream_lines

    take = night(*DEMO_FAULTS, seconds=SECONDS)
    lines = list(stream_lines(take.tables, take.strings, take.peers))
    for finding in examine(take):
        assert finding.evidence
        for item in finding.evidence:
            assert json.loads(lines[item.line - 1])["k"] == item.k


def test_findings_as_plain_values_survive_json(night):
    """What the command prints holds plain values only."""
    for finding in examine(night(*DEMO_FAULTS, seconds=SECONDS)):
        plain = finding.as_dict()
        assert json.loads(json.dumps(plain)) == plain
        assert plain["frames"] == sorted(set(plain["frames"]))
        assert plain["summary"].endswith(".")
        assert plain["advice"].endswith(".")


def test_only_the_asked_kinds_are_looked_for(night):
    """`only` leaves the other kinds out."""
    found = examine(night(*DEMO_FAULTS, seconds=SECONDS), only=("freeze",))

    assert {finding.kind for finding in found} == {"freeze"}


def test_progress_is_told_kind_by_kind_and_may_cancel(night):
    """An examination can be stopped between kinds."""
    told: list[str] = []
    examine(night(seconds=SECONDS), progress=told.append)
    assert told == [kind.name for kind in KINDS]

    def cancel(kind: str) -> None:
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        examine(night(seconds=SECONDS), progress=cancel)


@pytest.mark.parametrize(
    "data", [b"", b'{"k":"head","opossum":1,"t":0}\n', b'{"k":"frame","n":0,"t":0}\n', b'{"k":"idle","t":5}\n']
)
def test_almost_empty_takes_are_examined_without_a_finding(data):
    """Nothing recorded, nothing found, nothing raised."""
    assert examine(read(data)) == []


def test_doubled_calls_marks_the_beads_of_double_fire():
    """Views learn from findings which beads are twins."""
    tape = Tape().frame().frame()
    pair = [tape.bind("bread", "counter#1", "Counter.on_bread") for _ in range(2)]
    tape.heard("bread", *pair)
    take = tape.take()

    assert doubled_calls(take, examine(take)).tolist() == [True, True]
    assert doubled_calls(take, []).tolist() == [False, False]


def test_a_threshold_is_set_by_name():
    """Settings come as text; what is not known is said with what is."""
    settings = with_setting(with_setting(Settings(), "latch_repeats=5"), "freeze_longer_than_ms=50.5")
    assert (settings[LATCH_REPEATS], settings[FREEZE_LONGER_THAN_MS]) == (5, 50.5)
    assert (Settings()[LATCH_REPEATS], Settings()[FREEZE_LONGER_THAN_MS]) == (2, 100)
    with pytest.raises(ValueError, match=r"^there is no threshold `speed`; there are: freeze_longer_than_ms, "):
        with_setting(Settings(), "speed=1")
    for wrong in ("many", "nan", "inf", "", "1=2"):
        with pytest.raises(ValueError, match=f"^threshold `polling_calls` needs a number, got `{wrong}`$"):
            with_setting(Settings(), f"polling_calls={wrong}")


def doubled(*things: tuple[str, str, dict]) -> Tape:
    """Return a tape on which each (owner, function, more about the bind) is bound twice and called."""
    tape = Tape().frame().frame()
    for owner, function, more in things:
        tape("spawn", o=owner, cls=owner.partition("#")[0].title())
        event = more.pop("ev", "bread")
        pair = [tape.bind(event, owner, function, **more) for _ in range(2)]
        tape.frame().heard(event, *pair, o=owner)
    return tape


def held_keys(*keys: str) -> Tape:
    """Return a tape on which one function hangs on several held keys."""
    tape = Tape().frame().frame()
    sell = tape.bind("held", "till#1", "Till.on_held")
    for key in keys:
        tape.frame().send("down", via="input", key=key, edge="down")
        for _ in range(3):
            tape.frame().heard("held", sell, via="input", key=key, edge="held")
    return tape


def two_peers() -> Tape:
    """Return a tape on which one fault shows on two peers."""
    tape = Tape(peer="host")
    tape("head", opossum=1, game="test", peer="guest", p="guest")
    for peer in ("host", "guest"):
        tape("frame", n=0, p=peer)("idle", p=peer)("frame", n=1, p=peer)
        for number in (1, 2):
            tape("bind", b=number, ev="bread", o="counter#1", fn="Counter.on_bread", p=peer)
        tape("send", s=1, ev="bread", p=peer)
        for number in (1, 2):
            tape("call", c=number, s=1, b=number, o="counter#1", fn="Counter.on_bread", p=peer)
            tape("ret", c=number, eff=1, p=peer)
    return tape


def marks(*names: str) -> Tape:
    """Return a tape on which a clip's marks are each heard twice by one listener."""
    tape = Tape().frame().frame()
    for name in names:
        pair = [tape.bind(name, "baker#1", "Baker.on_mark") for _ in range(2)]
        tape.frame().heard(name, *pair, o="baker#1", via="mark")
    return tape


@pytest.mark.parametrize(
    ("tape", "count"),
    [
        (lambda: doubled(("oven#1", "Oven.on_bread", {}), ("till#1", "Till.on_bread", {})), 2),
        (lambda: held_keys("E", "F"), 2),
        (lambda: marks("tray_up", "tray_down"), 2),
        (two_peers, 2),
        (lambda: doubled(("oven#1", "Oven.on_bread", {}), ("oven#2", "Oven.on_bread", {})), 1),
    ],
    ids=["two classes", "two keys", "two marks", "two peers", "two objects of one class are one finding"],
)
def test_ids_are_unique_in_a_take_and_the_same_in_the_next(tape, count):
    """A take of the same game names the same fault alike, whatever its stream counts."""
    found = [finding.id for finding in examine(tape().take())]
    later = tape()
    later.lines.insert(1, json.dumps({"k": "log", "t": 1, "text": "another run"}))
    again = [finding.id for finding in examine(later.take())]

    assert len(set(found)) == len(found) == count
    assert sorted(again) == sorted(found)


def test_an_id_does_not_change_because_another_fault_joined():
    """A new fault gets an id of its own and takes nobody's."""
    one = {finding.id for finding in examine(held_keys("F").take())}
    two = {finding.id for finding in examine(held_keys("E", "F").take())}

    assert one < two
