"""A take of two peers: what each of them did stands apart, and says whose it is."""

from __future__ import annotations

import numpy as np
import pytest

from findings.any_game import beside_each_other, written
from opossum.findings.examine import examine
from opossum.findings.finding import Subject
from opossum.take.sieve import parse_sieve
from opossum_desk.flow.layout.loom import layout_loom
from opossum_desk.flow.layout.strand_order import passes, strands_of
from opossum_desk.flow.layout.strand_rows import gather_strands
from opossum_desk.layout.describing import describe_call, describe_send
from opossum_desk.layout.wording import finding_name, finding_title
from opossum_desk.state.session import Session
from opossum_desk.take_area.layout.frame import layout_frame
from tape import Stage, read


def game(heat: int, polls: bool) -> Stage:
    """Return an oven that is watched, rings by a timer, bakes a clip and may be asked for nothing on every frame."""
    stage = Stage(phases=("update", "late"))
    stage.spawn("oven#1", "Oven")
    ring, look = stage.bind("ring", "oven#1", "Oven.on_ring"), stage.bind("look", "oven#1", "Oven.on_look")
    rings = stage.arm("timer", "oven#1", "ring", sec=0.5)
    stage.at(*range(30, 200, 30), do=lambda: stage.heard("ring", ring, via="timer", a=rings))
    stage.at(20, do=lambda: stage("watch", o="oven#1", name="heat", v=heat))
    stage.at(40, do=lambda: stage("watch", o="oven#1", name="heat", v=heat + 1))
    stage.at(50, do=lambda: stage.play("oven#1", "bake", 1.0, [["done", 0.5]]))
    stage.at(60, do=lambda: stage("say", text="it smells good"))
    if polls:
        stage.at(*range(10, 190), do=lambda: stage("phase", name="late"))
        stage.at(
            *range(10, 190), do=lambda: stage.heard("look", look, eff=0, via="zone", edge="stay", d={"other": "cat#1"})
        )
    return stage.run(200)


@pytest.fixture
def session() -> Session:
    """Return a host and a guest that play the same, but only the guest asks for nothing."""
    session = Session(read(written(beside_each_other({"host": game(20, False), "guest": game(70, True)}))))
    session.set_findings(examine(session.take))
    return session


def test_each_peer_has_strands_of_its_own(session):
    """Above all values: those of two peers on one line would be one that was never so."""
    rows = gather_strands(session.take)
    labels = ["Oven timer ring", "Oven clips", "oven#1 heat", "log lines"]
    assert [row.label for row in rows] == [f"{peer}: {label}" for label in labels for peer in ("host", "guest")]
    assert all((np.diff(row.starts_ns) >= 0).all() for row in rows)
    values = {
        row.peer: [session.take.tables["watch"].json("v")[item] for item in row.items]
        for row in rows
        if row.kind == "value"
    }
    assert values == {"host": ["20", "21"], "guest": ["70", "71"]}


def test_a_strand_is_sieved_by_its_peer(session):
    """As calls are."""
    rows = gather_strands(session.take)
    terms = parse_sieve("peer:gue")
    assert {row.peer for row in rows if passes(row, terms)} == {"guest"}
    assert {row.peer for row in rows if passes(row, parse_sieve("-peer:guest"))} == {"host"}


def test_a_finding_says_on_which_peer_and_lights_that_ones_strands(session):
    """In the list, above its story, and beside the strands."""
    (finding,) = [item for item in session.findings if item.kind == "polling-waste"]
    assert finding_name(finding) == "guest: Oven.on_look"
    assert finding_title(finding).startswith("guest: Oven.on_look – ")
    rows = gather_strands(session.take)
    for peer, lit in (("guest", ["guest"]), ("host", ["host"]), ("", ["host", "guest"])):
        session.selection.finding = finding.changed(subject=Subject(ev="ring", cls="Oven", peer=peer), evidence=())
        labels = [rows[place].label for place in sorted(strands_of(session, rows))]
        assert labels == [f"{name}: Oven timer ring" for name in lit]
    lone = game(70, True).findings(200)
    assert [finding_name(item) for item in lone if item.kind == "polling-waste"] == ["Oven.on_look"]


def test_a_frames_calls_say_whose_they_are(session):
    """Two peers call the same at once: that is no double firing."""
    session.select_column(int(np.flatnonzero(session.axis.numbers == 60)[0]))
    told = [row.text for row in layout_frame(session).rows if row.kind == "call"]
    calls = session.calls_of_column(session.column).tolist()
    assert {describe_call(session, call).split("\n")[0] for call in calls} == {
        "guest: Oven.on_look of oven#1", "guest: Oven.on_ring of oven#1", "host: Oven.on_ring of oven#1",
    }  # fmt: skip
    sends = np.flatnonzero(np.asarray(session.take.tables["send"]["ev"]) == session.take.code("ring"))
    assert {describe_send(session, send).split("\n")[0] for send in sends.tolist()} == {"host: ring", "guest: ring"}
    assert sorted(set(told)) == ["guest: oven#1 on_look", "guest: oven#1 on_ring", "host: oven#1 on_ring"]


def test_the_values_at_a_frames_end_are_its_peers(session):
    """Not those that the other peer's stream told last."""
    session.show_data(True)
    for peer, values in enumerate(("21", "71")):
        session.set_peer(peer)
        session.select_column(int(np.flatnonzero(session.axis.numbers == 60)[0]))
        told = [row.text for row in layout_frame(session).rows if " = " in row.text]
        assert told == [f"oven#1 heat = {values}"]


def test_no_stitch_joins_two_peers():
    """Between them there is no order within a frame, whatever file is read first."""
    records = [*beside_each_other({"host": game(20, True)}), *beside_each_other({"guest": game(20, True)})]
    session = Session(read(written(records)))
    session.set_window(50.0, 70.0)
    picture = layout_loom(session, 1200, 400, 0.0, 200.0)
    assert {line.owner for line in picture.lines} == {"host: oven#1", "guest: oven#1"}
    assert picture.beads is not None and len(picture.beads) > 40
    assert [line.phase for line in picture.lines] == ["update", "update", "late", "late"]
    assert not len(picture.stitches)
