"""Each cause of the catalogue on a small readable stream, and its innocent twins."""

from __future__ import annotations

import re

import pytest

from findings.scenes import FAULTS, QUIET, Fault, Quiet, built, clips, hearing, one_thing_apart, order, timing  # noqa: F401
from opossum.findings.catalogue import KINDS, answers, weave_of
from opossum.findings.examine import examine
from opossum.findings.symptoms import SYMPTOMS
from tape import Stage, read

OLDER = {"freeze", "double-fire", "stale-listener", "polling-waste"}
"""Kinds that have test files of their own."""


@pytest.mark.parametrize("scene", FAULTS, ids=lambda scene: f"{scene.kind}-{scene.cause}-{scene.build.__name__}")
def test_a_fault_is_found_and_nothing_else(scene: Fault) -> None:
    stage, frames = built(scene.build, scene.stage)
    found = [finding for finding in stage.findings(frames) if not finding.root]
    assert [(finding.kind, finding.cause) for finding in found] == [(scene.kind, scene.cause)]
    (finding,) = found
    assert (finding.frames[0], finding.severity.value) == (scene.first, scene.severity)
    assert {name: finding.subject.as_dict().get(name) for name in scene.subject} == scene.subject
    assert finding.count >= 1 and finding.evidence and finding.summary.endswith(".") and finding.advice.endswith(".")


@pytest.mark.parametrize("scene", QUIET, ids=lambda scene: f"{scene.kind}-{scene.cause}-{scene.build.__name__}")
def test_its_innocent_twin_is_left_alone(scene: Quiet) -> None:
    stage, frames = built(scene.build, scene.stage)
    found = stage.findings(frames)
    assert [finding.id for finding in found if finding.severity.value != "note"] == []
    assert not [finding.id for finding in found if (finding.kind, finding.cause) == (scene.kind, scene.cause)]


def test_every_cause_has_a_fault_and_a_twin() -> None:
    causes = {(kind.name, cause.name) for kind in KINDS if kind.name not in OLDER for cause in kind.causes}
    assert causes - {(scene.kind, scene.cause) for scene in FAULTS} == set()
    assert causes - {(scene.kind, scene.cause) for scene in QUIET} == set()


@pytest.mark.parametrize("hz", [30, 144])
@pytest.mark.parametrize("scene", QUIET, ids=lambda scene: scene.build.__name__)
def test_the_twins_are_left_alone_at_other_rates(scene: Quiet, hz: int) -> None:
    stage, frames = built(scene.build, scene.stage | {"hz": hz})
    found = stage.findings(frames)
    assert [(finding.id, finding.summary) for finding in found if finding.severity.value in ("fault", "waste")] == []


@pytest.mark.parametrize("share", [0.5, 0.8, 0.97])
@pytest.mark.parametrize("scene", QUIET, ids=lambda scene: scene.build.__name__)
def test_the_twins_are_left_alone_where_the_stream_is_cut_off(scene: Quiet, share: float) -> None:
    """What had no time to come is not missed; only the call that it ends in is told of."""
    stage, frames = built(scene.build, scene.stage)
    stage.run(frames)
    stage.lines = stage.lines[: int(len(stage.lines) * share)]
    told = [finding for finding in stage.found(bye=False) if finding.severity.value != "note"]
    assert [finding.summary for finding in told if finding.cause != "endless-loop"] == []


def test_timers_of_two_classes_are_two_findings() -> None:
    """Their event alone is one: each has a place of its own to be cleared."""
    stage = Stage()
    listener = stage.bind("tick", "till#1", "Till.on_tick")
    stage.at(5, do=lambda: stage.heard("tick", listener, via="tick"))
    for o, cls in (("lamp#1", "Lamp"), ("sign#1", "Sign")):
        stage.spawn(o, cls)
        arm = stage.arm("timer", o, "blink", sec=None, frames=10)
        stage.at(*range(20, 240, 10), do=lambda o=o, arm=arm: stage.send("blink", o=o, via="timer", a=arm))

    assert [(found.cause, found.subject.o) for found in stage.findings(260)] == [
        ("nobody-listens", "lamp#1"),
        ("nobody-listens", "sign#1"),
    ]


@pytest.mark.parametrize(("sets", "causes"), [(4, []), (5, ["stacked"])])
def test_delays_of_which_most_land_are_stacked(sets: int, causes: list[str]) -> None:
    """Two of four are not most, three of five are; nor is it the first alone that counts, where two land."""
    stage = Stage()
    frames = timing._bell(stage, sets, "half")
    assert [finding.cause for finding in stage.findings(frames)] == causes


def test_of_delays_that_are_never_told_to_end_the_first_counts_again_and_again() -> None:
    """Each that lands was set when the one before it had landed."""
    stage = Stage()
    stage.spawn("bell#1", "Bell")
    bell = stage.bind("ring", "bell#1", "Bell.on_ring")
    made: list[int] = []
    for number in range(8):
        stage.at(100 + 10 * number, do=lambda: made.append(stage.arm("delay", "bell#1", "ring", sec=0.5)))
        if number in (0, 4):
            at = 100 + 10 * number
            ring = lambda number=number: stage.heard("ring", bell, o="bell#1", via="delay", a=made[number])  # noqa: E731
            stage.at(at + 30, do=ring)
    (finding,) = stage.findings(220)
    assert (finding.cause, finding.count) == ("ignored", 2)
    assert "was set 8 times while one was pending and landed 2 times: only the first counts" in finding.summary


def test_objects_without_a_class_are_told_as_objects() -> None:
    """A name may begin with the sign that ends its class."""
    stage, frames = built(hearing.guests_bind_now_before_now_after_the_wave)
    written = stage.run(frames).bytes().replace(b'"guest#', b'"#').replace(b'"cls":"Guest"', b'"cls":""')
    (finding,) = (one for one in examine(read(written)) if one.cause == "by-luck")
    assert finding.summary.startswith("Of 4 new objects 2 were bound to `wave_begins` before it was sent and 2 after:")
    assert finding.advice.startswith("Bind `wave_begins` where the object is made")


def test_a_delay_set_in_two_places_is_told_at_the_first() -> None:
    """Both are one delay, of one length."""
    stage, frames = built(clips.one_delay_for_a_short_clip_and_a_long_one)
    before, first, between, second, after = re.split(rb'("k":"arm")', stage.run(frames).bytes())
    places = (b',"at":"cook.gd:3"', b',"at":"cook.gd:9"')
    (finding,) = examine(read(before + first + places[0] + between + second + places[1] + after))
    assert (finding.cause, finding.subject.at) == ("one-delay-many-clips", "cook.gd:3")
    assert "(cook.gd:3)" in finding.advice


def test_a_clip_that_ends_with_the_take_may_be_followed_by_another() -> None:
    """A frame later one would be seen to begin; until then nobody knows what the wait is for."""
    for build, cause in (
        (clips.a_clip_without_the_mark_that_is_waited_for, "wait-without"),
        (clips.a_wait_outlives_its_clip, "clip-ended"),
    ):
        stage, frames = built(build)
        (finding,) = stage.findings(frames)
        ended = finding.frames[0]
        for kept, known in ((ended + 1, False), (ended + 2, True)):
            stage, _ = built(build)
            found = stage.findings(kept + 1, bye=False)
            assert [one.cause for one in found if one.cause == cause] == [cause] * known


def test_every_symptom_is_answered_and_every_cause_names_a_weave_that_proves_it() -> None:
    """What a cause says of itself goes before what its kind says."""
    for symptom in SYMPTOMS:
        told = answers(symptom)
        assert told and len(set(told)) == len(told)
        for kind in KINDS:
            for cause in kind.causes:
                assert ((kind.name, cause.name) in told) == (symptom in (cause.symptoms or kind.symptoms))
    assert {weave_of(kind.name, cause.name) for kind in KINDS for cause in kind.causes} == {
        "flow", "roster", "pacing", "clips",
    }  # fmt: skip
    own = [(kind, cause) for kind in KINDS for cause in kind.causes if cause.weave and cause.weave != kind.weave]
    assert own and all(weave_of(kind.name, cause.name) == cause.weave for kind, cause in own)
    assert weave_of("double-fire", "burnt") == next(kind.weave for kind in KINDS if kind.name == "double-fire")
    assert weave_of("burnt", "burnt") == "flow"


@pytest.mark.parametrize(
    ("off", "told"),
    [
        ([6, 6, 6, 0, 0, 0], [3]),
        ([6, 6, 6, 0, 0, 0, 0], [1, 1, 1]),  # less than half of its cues
        ([6, 6], [1, 1]),  # fewer than three
        ([6, -6, 6, -6, 6, -6], [3, 3]),
    ],
)
def test_a_track_of_which_half_the_cues_are_off_is_one_finding(off: list[int], told: list[int]) -> None:
    """At least three different ones; else each cue is told for itself."""
    stage = Stage()
    found = [finding for finding in stage.findings(timing._reel(stage, off)) if finding.kind == "cue-off"]
    assert [finding.count for finding in found] == told
    if off == [6, 6, 6, 0, 0, 0]:
        assert (
            "3 cues of track `reel` were sent 100 ms after their places (`bar 0`, `bar 1` and `bar 2`)"
            in found[0].summary
        )
