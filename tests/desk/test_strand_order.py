"""Strands: what belongs to the selection first, what does something in view next; sieved, with numbers and log lines."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from opossum.findings.examine import examine
from opossum.findings.finding import Subject
from opossum.take.indexes.objects import NEVER
from opossum.take.sieve import parse_sieve
from opossum_desk.flow.layout.strand_order import order_strands, passes, strands_of
from opossum_desk.flow.layout.strand_rows import StrandRow, gather_strands
from opossum_desk.flow.layout.strands import layout_strands
from opossum_desk.layout.heights import STRAND_PX
from opossum_desk.state.session import Session
from opossum_desk.state.stepping import step_finding
from tape import Stage


def square() -> Stage:
    """A bell that rings early, a clock that ticks throughout, a gate's delay that lands late; values and log lines."""
    stage = Stage()
    bell = stage.bind("ring", "bell#1", "Bell.on_ring")
    clock = stage.bind("chime", "clock#1", "Clock.on_chime")
    gate = stage.bind("shut", "gate#1", "Gate.on_shut")
    rings, chimes = stage.arm("timer", "bell#1", "ring"), stage.arm("timer", "clock#1", "chime")
    late = []
    stage.at(10, 20, do=lambda: stage.heard("ring", bell, via="timer", a=rings))
    stage.at(*range(10, 200, 10), do=lambda: stage.heard("chime", clock, via="timer", a=chimes))
    stage.at(150, do=lambda: late.append(stage.arm("delay", "gate#1", "shut", sec=0.1)))
    stage.at(156, do=lambda: stage.heard("shut", gate, via="delay", a=late[0]))
    stage.at(30, do=lambda: stage("watch", o="gate#1", name="height", v=3))
    stage.at(160, do=lambda: stage("watch", o="gate#1", name="height", v=0.5))
    stage.at(40, do=lambda: stage("say", text="the market opens"))
    return stage.run(200)


@pytest.fixture
def session() -> Session:
    session = Session(square().take())
    session.set_findings(examine(session.take))
    return session


def labels(session: Session) -> list[str]:
    """Return the strands as they stand."""
    return [strand.row.label for strand in order_strands(session, gather_strands(session.take))]


def test_what_does_something_in_view_stands_above_what_does_not(session):
    """Each part in the order of the take."""
    assert labels(session) == [
        "bell timer ring", "clock timer chime", "gate delay shut", "gate#1 height", "log lines",
    ]  # fmt: skip
    session.set_window(100, 140)
    assert labels(session)[0] == "clock timer chime"
    session.set_window(145, 170)
    assert labels(session)[:3] == ["clock timer chime", "gate delay shut", "gate#1 height"]


def test_what_the_selected_call_came_about_by_stands_first(session):
    """The delay that led to it, even where it does nothing in view."""
    call = next(
        call for call in range(len(session.take.calls)) if session.take.function_of_call(call) == "Gate.on_shut"
    )
    session.select_call(call)
    session.set_window(0, 40)
    assert labels(session)[0] == "gate delay shut"


@pytest.mark.parametrize(
    ("words", "left"),
    [
        ("ev:chime", {"clock timer chime"}),
        ("cls:gate", {"gate delay shut", "gate#1 height"}),
        ("o:bell#1", {"bell timer ring"}),
        ("via:delay", {"gate delay shut"}),
        ("-timer", {"gate delay shut", "gate#1 height", "log lines"}),
        ("height", {"gate#1 height"}),
        ("log", {"log lines"}),
        ("wasted", {"bell timer ring", "clock timer chime", "gate delay shut", "gate#1 height", "log lines"}),
    ],
)
def test_the_sieve_sieves_them_too(session, words, left):
    """By event, class, owner and kind; what only a call can be says nothing of a strand."""
    rows = gather_strands(session.take)
    assert {row.label for row in rows if passes(row, parse_sieve(words))} == left
    session.set_sieve(words)
    faded = {strand.row.label for strand in order_strands(session, rows) if strand.faded}
    assert faded == {row.label for row in rows} - left
    session.set_hide_unmatched(True)
    assert set(labels(session)) == left


def test_a_value_stands_at_the_edge_of_what_is_seen(session):
    """With what it is there, not with its last one."""
    rows = [row for row in gather_strands(session.take) if row.kind == "value"]
    for window, number in (((50, 120), "3"), ((50, 190), "0.5")):
        session.set_window(*window)
        picture = layout_strands(session, rows, 800, 200, 0, 200)
        (shown,) = [stroke for stroke in picture.strokes if stroke.shape == "number"]
        assert shown.text == number and shown.x <= 800


def test_log_lines_are_ticks_with_their_words(session):
    """The words only where there is room for them; at most a tick a pixel."""
    rows = [row for row in gather_strands(session.take) if row.kind == "log"]
    picture = layout_strands(session, rows, 800, 200, 0, 200)
    tick, text = picture.strokes
    assert (tick.shape, text.shape, text.text) == ("tick", "text", "the market opens")
    assert tick.x == pytest.approx(picture.scale.x(41), abs=1.5) and tick.y2 - tick.y == STRAND_PX - 10
    stage = Stage()
    stage.each(lambda number: [stage("say", text=f"line {number}") for _ in range(5)])
    crowded = Session(stage.run(2000).take())
    picture = layout_strands(crowded, gather_strands(crowded.take), 500, 100, 0, 200)
    assert 290 <= len(picture.strokes) <= 301 and {stroke.shape for stroke in picture.strokes} <= {"tick", "text"}


@pytest.mark.parametrize(
    ("subject", "lit"),
    [
        (Subject(clip="walk", cls="Cat"), ["cat#1 clips", "cat#2 clips"]),
        (Subject(clip="walk", cls="Cat", o="cat#2"), ["cat#2 clips"]),
        (Subject(clip="walk", cls="Dog"), []),
        (Subject(ev="ring", cls="bell"), ["bell timer ring"]),
        (Subject(ev="ring", o="bell#1", cls="bell"), ["bell timer ring"]),
        (Subject(ev="ring", o="bell#2", cls="bell"), []),
        (Subject(ev="ring"), ["bell timer ring"]),
    ],
)
def test_a_finding_lights_the_strands_of_its_object_or_of_all_of_its_class(subject, lit):
    """Whether they have one strand together or one each."""
    stage = square()
    for cat in ("cat#1", "cat#2"):
        stage("spawn", o=cat, cls="Cat")
        stage.play(cat, "walk", 1.0, [])
    session = Session(stage.run(100).take())
    finding = replace(examine(session.take)[0], subject=subject, evidence=())
    session.set_findings([finding])
    step_finding(session, 1)
    rows = gather_strands(session.take)
    assert [rows[place].label for place in sorted(strands_of(session, rows))] == lit


@pytest.mark.parametrize("begin", ["one after the other", "in any order"])
def test_what_reaches_into_a_stretch_is_found_wherever_it_began(begin):
    """Also what began long before, lasts for ever or not at all, and where a damaged stream tells times backwards."""
    chance = np.random.default_rng(3)
    for count in (0, 1, 2, 40):
        starts = chance.integers(0, 10**10, count)
        ends = starts + chance.choice([0, 10**6, 10**9, NEVER - 10**10], count)
        order = np.argsort(starts, kind="stable") if begin == "one after the other" else np.arange(count)
        row = StrandRow("delay", "gate", np.arange(count), starts[order], ends[order])
        for low in (-5.5, 0.0, 4e9 + 0.5, 1e10, *starts.astype(float), *ends[ends < 10**12].astype(float)):
            for high in (low, low + 0.25, low + 2e9):
                expected = [
                    place
                    for place, (start, end) in enumerate(zip(row.starts_ns.tolist(), row.ends_ns.tolist(), strict=True))
                    if start <= high and end >= low
                ]
                assert row.visible(np.array([low, high])).tolist() == expected
