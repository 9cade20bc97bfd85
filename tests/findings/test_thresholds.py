"""Every threshold is met from below, exactly, and from above: a number that drifts by one shows here."""

from __future__ import annotations

import pytest

from findings.test_scene_thresholds import MEASURES
from opossum.findings.catalogue import all_thresholds
from opossum.findings.settings import Settings
from tape import Tape

CASES: dict[str, tuple[list[float], list[bool]]] = {
    "polling_calls": ([59, 60, 61], [False, True, True]),
    "polling_wasted_share": ([89, 90, 91], [False, True, True]),
    "polling_known_calls": ([9, 10, 11], [False, True, True]),
    "polling_event_share": ([8, 9, 10], [False, True, True]),
    "polling_unseen_share": ([0.24, 0.25, 0.26], [False, False, True]),
    "polling_sampled_budget_share": ([0.0049, 0.005, 0.0051], [False, True, True]),
    "freeze_longer_than_ms": ([99.99, 100, 100.01], [False, False, True]),
    "freeze_times_median": ([179.99, 180, 180.01], [False, False, True]),
    "freeze_own_share": ([0.49, 0.5, 0.51], [False, True, True]),
    "storm_rounds": ([7, 8, 9], [False, True, True]),
    "latch_repeats": ([1, 2, 3], [False, True, True]),
}
"""By threshold: what is measured (in its unit, of a hundred or ten for shares), and whether it speaks then."""


def polled(calls: int = 80, finds: int = 0, known: int | None = None, takes_ms: float = 0.1) -> Tape:
    """Return a shelf that looks on every frame; of the first `known` calls it is known what they did."""
    tape = Tape(hz=100).frame().frame()
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for number in range(calls):
        tape.frame(length_ms=10)
        # the known ones lie evenly among all
        is_known = known is None or number * known // calls != (number - 1) * known // calls
        eff = int(number < finds) if is_known else None
        tape.heard("tick", look, eff=eff, takes_ms=takes_ms, via="tick")
    return tape


def waste(tape: Tape, **settings: float) -> list:
    """Return the polling waste on a tape."""
    return tape.found("polling-waste", settings=Settings(settings))


def frame_of(length_ns: int, usual_ms: float) -> Tape:
    """Return a game whose frames take `usual_ms`, but one that takes `length_ns` in one call."""
    tape = Tape(hz=60).frame()
    for _ in range(6):
        tape.frame().ms(usual_ms)
    tape("idle")("frame", n=7)
    began = tape.now_ns
    s = tape.send("bell")
    tape("call", c=1, s=s, o="till#1", fn="Till.on_bell")
    tape.now_ns = began + length_ns - 2000
    tape("ret", c=1, eff=1)("idle")("frame", n=8)
    assert tape.now_ns == began + length_ns + 1000
    return tape


def measured(name: str, value: float) -> bool:
    """Say whether a take in which the threshold's quantity is `value` brings the finding."""
    if name == "polling_calls":
        return bool(waste(polled(calls=int(value))))
    if name == "polling_wasted_share":
        return bool(waste(polled(calls=100, finds=100 - int(value))))
    if name == "polling_known_calls":
        return bool(waste(polled(known=int(value))))
    if name == "polling_event_share":
        (finding,) = waste(spaced(int(value)))
        return "`bread`" in finding.advice
    if name == "polling_sampled_budget_share":
        # a frame has 10 ms; the call takes its share, less the microsecond of its return
        (finding,) = waste(polled(known=20, takes_ms=value * 10 - 0.001))
        return finding.severity.value == "waste"
    if name == "polling_unseen_share":
        tape = Tape(hz=60).frame()
        look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
        for number in range(100):
            tape.frame(length_ms=10)
            tape.heard("tick", look, eff=0 if number >= 100 * value else None, takes_ms=1, via="tick")
        (finding,) = waste(tape)
        return finding.severity.value == "note"
    if name == "freeze_longer_than_ms":
        return bool(frame_of(round(value * 1e6), 0.1).found("freeze"))
    if name == "freeze_times_median":
        # the other frames take 30 ms: a microsecond of it is the `idle`
        return bool(frame_of(round(value * 1e6), 30 - 0.001).found("freeze"))
    if name == "freeze_own_share":
        return "slow-call" in [finding.cause for finding in half(value).found("freeze")]
    if name == "storm_rounds":
        return "event-storm" in [finding.cause for finding in storm(int(value)).found("freeze")]
    assert name == "latch_repeats"
    return bool(stays(int(value)).found("double-fire"))


def spaced(with_cue: int) -> Tape:
    """Return a poll with ten finds, of which so many come in the frame of an event."""
    tape = Tape(hz=100).frame().frame()
    look = tape.bind("tick", "shelf#1", "Shelf.on_tick")
    for number in range(200):
        tape.frame(length_ms=10)
        finds = number % 20 == 10
        if finds and number // 20 < with_cue:
            tape.heard("bread", o="oven#1")
        tape.heard("tick", look, eff=int(finds), takes_ms=0.1, via="tick")
    return tape


def half(share: float) -> Tape:
    """Return a frame of 200 ms of which one call takes a share, and many others the rest."""
    tape = Tape(hz=60).frame()
    for _ in range(6):
        tape.frame().ms(0.1)
    tape("idle")("frame", n=7)
    began = tape.now_ns
    tape("send", s=1, ev="bell")
    tape("call", c=1, s=1, o="till#1", fn="Till.on_bell")
    tape.now_ns += round(share * 200e6) - 1000
    tape("ret", c=1, eff=1)
    for number in range(2, 12):
        tape("send", s=number, ev="crumb")("call", c=number, s=number, o="tray#1", fn="Tray.on_crumb")
        tape.ms((1 - share) * 19)("ret", c=number, eff=1)
    tape.now_ns = began + 200_000_000 - 1000
    tape("idle")("frame", n=8)
    return tape


def storm(rounds: int) -> Tape:
    """Return a frame in which two listeners call each other so many times, for 200 ms."""
    tape = Tape(hz=60).frame()
    low = tape.bind("flour_low", "pantry#1", "Pantry.on_low")
    added = tape.bind("flour_added", "mixer#1", "Mixer.on_added")
    for _ in range(6):
        tape.frame().ms(0.1)
    tape.frame()
    calls, cause = [], None
    for _ in range(rounds):
        for event, listener in (("flour_low", low), ("flour_added", added)):
            cause = tape.open_call(tape.send(event, c=cause), listener)
            calls.append(cause)
            tape.ms(100 / rounds)
    for c in reversed(calls):
        tape("ret", c=c, eff=1)
    return tape.frame()


def stays(again: int) -> Tape:
    """Return a visit in which a listener waits twice, acts, and acts again so many times."""
    tape = Tape().frame().frame()
    spot = tape.bind("stay", "spot#1", "Spot.on_stay")
    tape.frame()
    tape.send("enter", o="spot#1", via="zone", edge="enter", d={"other": "cat#1"})
    for eff in [0, 0, 1] + [1] * again:
        tape.frame().heard("stay", spot, eff=eff, o="spot#1", via="zone", edge="stay", d={"other": "cat#1"})
    return tape


@pytest.mark.parametrize("name", CASES)
def test_a_threshold_from_below_at_and_above(name):
    """It speaks from exactly where the catalogue says."""
    values, speaks = CASES[name]

    assert [measured(name, value) for value in values] == speaks


def test_no_threshold_is_left_out():
    """Whoever adds one, meets it here."""
    assert set(all_thresholds()) == set(CASES) | set(MEASURES)
