"""One story, told once: what counts as another finding's consequence, and in which order stories are told."""

from __future__ import annotations

import numpy as np
import pytest

from opossum.findings.consequences import as_stories, first_shown, unique
from opossum.findings.finding import Evidence, Finding, Severity, Subject
from opossum.findings.links import shares_binds, shares_calls, within_its_frames
from opossum.findings.mark_late.skipped import waited_for
from opossum.findings.scene import Scene
from opossum.findings.settings import Settings
from tape import Tape


@pytest.fixture
def scene() -> Scene:
    """Return a take of ten calls, to speak of."""
    tape = Tape().frame().frame()
    bell = tape.bind("bell", "till#1", "Till.on_bell")
    for _ in range(10):
        tape.frame().heard("bell", bell)
    return Scene(tape.take(), Settings())


def finding(
    name: str, calls: list[int], kind: str = "double-fire", cause: str = "two-routes", binds: list[int] | None = None
) -> Finding:
    """Return a made-up finding about some calls, proved by some binds."""
    return Finding(
        kind=kind,
        cause=cause,
        id=name,
        severity=Severity.FAULT,
        subject=Subject(),
        frames=[],
        frame_rows=np.array(calls, np.int64),
        count=1,
        summary="",
        advice="",
        evidence=tuple(Evidence("bind", 0, row, "") for row in binds or ()),
        calls=np.array(calls, np.int64),
    )


@pytest.mark.parametrize(
    ("own", "roots", "follows"),
    [([], [1], False), ([1], [1, 2], True), ([1, 2], [1, 2], True), ([1, 3], [1, 2], False)],
)
def test_what_shows_in_the_roots_frames_alone_may_follow_from_it(scene, own, roots, follows):
    """What shows in none shows nothing."""
    assert within_its_frames(scene, finding("own", own), finding("root", roots)) is follows


@pytest.mark.parametrize("other", [{}, {"ev": "crumb"}, {"cls": "Bell"}, {"peer": "guest"}])
def test_a_mark_that_is_waited_for_is_that_very_mark(scene, other):
    """Of the same class, on the same peer."""
    own = finding("own", [1]).changed(subject=Subject(mark="sip", cls="Cup", peer="main"))
    root = finding("root", [1]).changed(subject=Subject(ev="sip", cls="Cup", peer="main")._replace(**other))
    assert waited_for(scene, own, root) is not bool(other)


def stale(name: str, calls: list[int]) -> Finding:
    """Return a made-up stale listener."""
    return finding(name, calls, "stale-listener", "called-after-gone")


@pytest.mark.parametrize(
    ("own", "roots", "follows"),
    [
        ([0, 1], [0, 1], True),
        ([0, 1], [1, 2, 3], True),
        ([0, 1, 2], [2, 3], False),
        ([0, 1, 2], [1, 2, 9], True),
        ([0, 1], [2, 3], False),
        ([], [0], False),
        ([0], [], False),
    ],
    ids=["all", "half", "a third", "two thirds", "none", "nothing of its own", "nothing of the root's"],
)
def test_half_of_its_calls_make_a_consequence(scene, own, roots, follows):
    """It is the finding's calls that count, however many the root has."""
    assert shares_calls(scene, finding("a", own), finding("b", roots)) is follows


def test_a_shared_bind_makes_a_consequence(scene):
    """Only binds do: a row of another table with the same number is another thing."""
    one = finding("a", [], binds=[3, 4])
    assert shares_binds(scene, one, finding("b", [], binds=[4, 5]))
    assert not shares_binds(scene, one, finding("b", [], binds=[5]))
    other = finding("b", [])
    other.evidence = (Evidence("call", 0, 4, ""),)
    assert not shares_binds(scene, one, other) and not shares_binds(scene, other, one)


def test_a_story_is_told_root_first_with_what_follows_right_behind(scene):
    """Others keep their places."""
    told = as_stories(
        scene, [finding("first", [8]), finding("twice", [0, 1]), finding("other", [9]), stale("stale", [0, 1, 2])]
    )

    assert [one.id for one in told] == ["first", "other", "stale", "twice"]
    assert [one.root for one in told] == ["", "", "", "stale"]
    assert [one.consequences for one in told] == [(), (), ("twice",), ()]


def test_several_follow_from_one_root_and_the_first_root_is_taken(scene):
    """Each finding is told once."""
    told = as_stories(scene, [stale("one", [0, 1]), stale("two", [0, 1]), finding("a", [0]), finding("b", [1])])

    assert [(one.id, one.root) for one in told] == [("one", ""), ("a", "one"), ("b", "one"), ("two", "")]
    assert told[0].consequences == ("a", "b")


def test_stories_do_not_go_round_in_circles(scene):
    """A stale listener springs from nothing of its own kind, however much it shares."""
    told = as_stories(scene, [stale("one", [0]), stale("two", [0])])

    assert [(one.root, one.consequences) for one in told] == [("", ()), ("", ())]


def test_ids_that_are_equal_are_numbered():
    """The first keeps its own; a number that is taken is passed over."""
    assert unique(["a", "a", "b", "a"]) == ["a", "a/2", "b", "a/3"]
    assert unique(["a", "a/2", "a"]) == ["a", "a/2", "a/3"]
    assert unique([]) == []


def test_where_a_finding_first_shows():
    """The lowest row, in whatever order they are given."""
    assert first_shown(finding("a", [7, 3, 9])) == 3
    assert first_shown(finding("a", [])) == -1
