"""One story, once: what follows over kinds stands under its root, in real streams."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from findings.scenes import clips, hearing, order, timing
from opossum.findings.finding import Finding
from tape import Stage


def roots(found: list[Finding]) -> dict[str, str]:
    """Return, by kind/cause, the kind/cause of the root ('' for none)."""
    names = {finding.id: f"{finding.kind}/{finding.cause}" for finding in found}
    return {names[finding.id]: names.get(finding.root, "") for finding in found}


def a_mark_that_is_missing_is_waited_for(stage: Stage) -> int:
    """The left hand's clip lacks what is waited for to the end."""
    clips.a_clip_without_the_mark_that_is_waited_for(stage)
    return 800


def a_stale_listener_stumbles(stage: Stage) -> int:
    """Who left is called, and fails."""
    stage.spawn("cook#1", "Cook")
    cook = stage.bind("order", "cook#1", "Cook.on_order")
    stage.at(60, do=lambda: stage.heard("order", cook, o="till#1"))
    stage.at(90, do=lambda: stage("gone", o="cook#1"))
    stage.at(100, do=lambda: hearing._stumble(stage, cook))
    return 200


def a_queue_that_grows_is_never_emptied(stage: Stage) -> int:
    """What lies on it at the end was never pulled: for the last seconds nobody comes to."""
    return order._post(stage, list(range(1, 600, 2)), list(range(5, 450, 5)), 600)


def a_timer_left_running_is_heard_by_nobody(stage: Stage) -> int:
    """Its owner unbound, and did not clear it."""
    stage.spawn("kettle#1", "Kettle")
    bound = stage.bind("steam", "kettle#1", "Kettle.on_steam")
    made: dict[str, int] = {}
    stage.at(10, do=lambda: made.update(a=stage.arm("timer", "kettle#1", "steam", sec=0.5)))
    for frame in range(40, 100, 30):
        stage.at(frame, do=lambda: stage.heard("steam", bound, o="kettle#1", via="timer", a=made["a"]))
    stage.at(105, do=lambda: stage("unbind", b=bound.number)("gone", o="kettle#1"))
    stage.at(*range(130, 250, 30), do=lambda: stage.send("steam", o="kettle#1", via="timer", a=made["a"]))
    return 260


def a_race_at_start_leaves_sends_unheard(stage: Stage) -> int:
    """Each guest is told by its own name; some are bound too late."""
    for number in range(5):
        begin, late = 100 + 60 * number, number % 2 == 1
        who = f"guest#{number}"
        bound: list = []
        stage.at(begin, do=lambda who=who: stage.spawn(who, "Guest"))
        stage.at(
            begin + (4 if late else 0),
            do=lambda who=who, bound=bound: bound.append(stage.bind("seated", who, "Guest.on_seated", src=who)),
        )
        stage.at(begin + 2, do=lambda who=who, bound=bound: stage.heard("seated", *bound, o=who))
    return 480


def a_stall_holds_marks_up(stage: Stage) -> int:
    """Two marks that lie in a frame that froze come at once after it."""
    stage.spawn("cook#1", "Cook")
    slow = stage.bind("save", "book#1", "Book.on_save")
    made: dict[str, int] = {}
    stage.at(100, do=lambda: made.update(y=stage.play("cook#1", "dance", 1.2, [["left", 0.3], ["right", 0.5]])))
    stage.at(110, do=lambda: stage.heard("save", slow, takes_ms=500))
    for name, place in (("left", 0.3), ("right", 0.5)):
        stage.at(
            111,
            do=lambda name=name, place=place: stage.send(
                name, o="cook#1", via="clip", y=made["y"], mark=name, pos=place
            ),
        )
    stage.at(172, do=lambda: stage("stop", y=made["y"], how="end", pos=1.2))
    return 260


def a_mark_that_is_stepped_over_is_waited_for(stage: Stage) -> int:
    """The clip goes past it, nothing is sent, and the clip ends."""
    stage.at(101, do=lambda: stage.wait("cook#1", "left"))
    return clips.a_mark_is_stepped_over(stage)


@pytest.mark.parametrize(
    ("build", "consequence", "root"),
    [
        (a_mark_that_is_missing_is_waited_for, "wait-never-met/take-ended", "missing-mark/wait-without"),
        (clips.a_clip_is_cut_before_its_mark, "wait-never-met/clip-ended", "cut-before-mark/cut"),
        (a_stale_listener_stumbles, "raised/raised", "stale-listener/called-after-gone"),
        (a_queue_that_grows_is_never_emptied, "unheard/queued-never-pulled", "queue-backlog/grows"),
        (a_timer_left_running_is_heard_by_nobody, "unheard/receiver-gone", "timer-left-running/owner-gone"),
        (a_race_at_start_leaves_sends_unheard, "race-at-start/by-luck", "unheard/sent-before-bind"),
        (a_stall_holds_marks_up, "mark-late/burst", "freeze/slow-call"),
        (a_mark_that_is_stepped_over_is_waited_for, "mark-late/skipped", "wait-never-met/clip-ended"),
    ],
)
def test_what_follows_stands_under_its_root(build: Callable[[Stage], int], consequence: str, root: str) -> None:
    """And the root is nobody's consequence."""
    stage = Stage(catches_up=build is not a_stall_holds_marks_up)
    told = roots(stage.findings(build(stage)))
    assert told.get(consequence) == root, told
    assert told[root] == ""


def test_who_strays_from_its_phase_by_itself_too_is_a_story_of_its_own():
    """Every frame must be one in which the phases came out of order."""
    for strays, root in ((-1, "order-broken/phase-order"), (150, "")):
        stage = Stage(phases=("input", "move", "draw"))
        told = roots(stage.findings(order.what_hangs_on_a_phase_goes_astray_with_it(stage, strays)))
        assert told == {"order-broken/phase-order": "", "order-broken/wrong-phase": root}


@pytest.mark.parametrize("kind", ["nothing", "send", "bind", "arm", "play", "wait", "watch"])
def test_a_sender_that_did_anything_is_in_the_scene(kind: str):
    """It needs no spawn: what it set, played or waited for shows it."""
    stage = Stage()
    frames = hearing.the_only_sender_never_came(stage)
    did = {
        "nothing": lambda: None,
        "send": lambda: stage.send("sigh", o="guard#9"),
        "bind": lambda: stage.bind("dusk", "guard#9", "Guard.on_dusk", src="guard#9"),
        "arm": lambda: stage.arm("delay", "guard#9", "yawn", sec=60.0, loop=False),
        "play": lambda: stage.play("guard#9", "pace", 1.0, []),
        "wait": lambda: stage.wait("guard#9", "relief"),
        "watch": lambda: stage("watch", o="guard#9", name="tired", v=1),
    }
    stage.at(3, do=did[kind])
    found = [one for one in stage.findings(frames) if one.cause == "never-sent" and one.subject.ev == "whistle"]
    assert len(found) == (kind == "nothing")


def test_a_delay_that_ends_its_clip_stands_in_for_no_mark():
    """Its landing stops the clip in the same frame."""
    stage = Stage()
    stage.spawn("cook#1", "Cook")
    cook = stage.bind("stop_it", "cook#1", "Cook.on_stop")
    made: dict[str, int] = {}

    def start() -> None:
        made["y"] = stage.play("cook#1", "chop", 1.2, [["blade_down", 0.8]])
        made["a"] = stage.arm("delay", "cook#1", "stop_it", sec=0.5, loop=False)

    def land() -> None:
        stage.heard("stop_it", cook, o="cook#1", via="delay", a=made["a"])
        stage("disarm", a=made["a"], how="done")("stop", y=made["y"], how="cut", pos=0.5)

    stage.at(100, do=start)
    stage.at(130, do=land)
    assert [finding.kind for finding in stage.findings(200)] == ["cut-before-mark"]


def test_a_clip_that_is_gone_on_with_was_not_cut():
    """It goes on from where it had stopped."""
    stage = Stage()
    stage.spawn("cook#1", "Cook")
    stage.bind("grip", "hand#1", "Hand.on_grip")
    stage.at(100, do=lambda: stage.play("cook#1", "reach", 0.9, [["grip", 0.6]]))
    stage.at(120, do=lambda: stage("stop", y=1, how="cut", pos=0.333))
    stage.at(200, do=lambda: stage.play("cook#1", "reach", 0.9, [["grip", 0.6]], **{"from": 0.34}))
    stage.at(217, do=lambda: stage.send("grip", o="cook#1", via="clip", y=2, mark="grip", pos=0.6))
    stage.at(235, do=lambda: stage("stop", y=2, how="end", pos=0.9))
    assert [finding.id for finding in stage.findings(300) if finding.kind == "cut-before-mark"] == []


def test_drift_is_not_measured_in_a_loop_without_a_pace():
    """Frames that come whenever something happens are no measure of an interval."""
    stage = Stage(catches_up=False, hz=1000)
    assert timing._drip(stage, [10 + 150 * number for number in range(1, 12)], sec=0.1) > 0
    assert stage.findings(1800) == []


def test_who_listened_before_it_was_addressed_does_not_listen():
    """Both doors listened once; the one that a guest knocks at does no more."""
    stage = Stage()
    bound = {}
    for door in ("door#1", "door#2"):
        stage.spawn(door, "Door")
        bound[door] = stage.bind("knock", door, "Door.on_knock")
        stage.at(60, do=lambda door=door: stage.heard("knock", bound[door], o="guest#1", to=door))
    stage.at(80, do=lambda: stage("unbind", b=bound["door#2"].number))
    stage.at(100, do=lambda: stage.send("knock", o="guest#1", to="door#2"))
    (finding,) = stage.findings(300)

    assert (finding.cause, finding.frames) == ("wrong-object", [100])
    assert finding.summary == (
        "`knock` was sent 1 time to door#2, where nothing listens to it; what listens to it belongs to door#1."
    )


@pytest.mark.parametrize(
    ("listens_to", "cause"), [("till#2", "raised"), ("till#1", "rest-not-called"), (None, "rest-not-called")]
)
def test_who_listens_to_another_sender_is_not_left_out(listens_to: str | None, cause: str) -> None:
    """After an error, of a send that it would not have heard."""
    stage = Stage()
    cook = stage.bind("order", "cook#1", "Cook.on_order")
    ledger = stage.bind("order", "ledger#1", "Ledger.on_order", src=listens_to)
    stage.at(60, do=lambda: stage.heard("order", ledger, o=listens_to or "till#2"))
    stage.at(100, do=lambda: hearing._stumble(stage, cook, None))
    (finding,) = stage.findings(200)
    assert (finding.kind, finding.cause, finding.frames) == ("raised", cause, [100])
