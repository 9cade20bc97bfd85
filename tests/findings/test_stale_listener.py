"""Stale listeners: each cause on a small stream, and the quiet case beside it."""

from __future__ import annotations

import pytest

from tape import Bound, Tape, only

KIND = "stale-listener"


def with_customer(name: str = "customer#1") -> tuple[Tape, Bound]:
    """Return a tape with a customer who listens to the clock."""
    tape = Tape().frame().frame()
    tape("spawn", o=name, cls="Customer")
    return tape, tape.bind("quarter", name, "Customer.on_quarter", at="customer.gd:12")


# --- called-after-gone ---------------------------------------------------------------------------


def test_a_listener_called_after_its_owner_went():
    """Calls and their cost are counted; the bind, the end and the calls are the proof."""
    tape, quarter = with_customer()
    tape.frame().heard("quarter", quarter)
    tape.frame()("gone", o="customer#1")
    for _ in range(2):
        tape.frame().heard("quarter", quarter, takes_ms=0.5)

    finding = only(tape.found(), "called-after-gone")

    assert finding.kind == KIND
    assert finding.severity.value == "fault"
    assert finding.frames == [4, 5]
    assert finding.count == 2
    assert finding.cost_ns == pytest.approx(1_000_000, rel=0.01)
    assert finding.subject.o == "customer#1"
    assert [item.k for item in finding.evidence] == ["bind", "gone", "call", "call"]
    assert "customer.gd:12" in finding.advice


def test_where_no_bind_is_known_the_end_before_the_calls_is_the_proof():
    """Neither that of a later life, nor that of somebody else."""
    tape, _ = with_customer()
    unknown = Bound(0, "quarter", "customer#1", "Customer.on_quarter")
    tape("spawn", o="cat#1", cls="Cat")
    tape.frame()("gone", o="cat#1")("gone", o="customer#1")
    ended = len(tape.lines)
    tape.frame().heard("quarter", unknown)
    tape.frame()("spawn", o="customer#1", cls="Customer")
    tape.frame()("gone", o="customer#1")
    tape.frame()

    finding = only(tape.found(), "called-after-gone")

    assert [(item.k, item.line) for item in finding.evidence] == [("gone", ended), ("call", ended + 4)]


def test_a_call_right_after_gone_in_the_same_frame_counts_if_nobody_unbinds():
    """Gone is gone, in the same frame too."""
    tape, quarter = with_customer()
    tape.frame()("gone", o="customer#1")
    tape.heard("quarter", quarter)
    tape.frame()

    assert only(tape.found(), "called-after-gone").frames == [2]


@pytest.mark.parametrize("order", ["before", "after"])
def test_unbound_in_the_frame_of_its_owners_end_is_quiet(order):
    """Before or after `gone`: the same frame is soon enough."""
    tape, quarter = with_customer()
    tape.frame()
    if order == "before":
        tape("unbind", b=quarter.number)("gone", o="customer#1")
    else:
        tape("gone", o="customer#1")
        tape.heard("quarter", quarter)
        tape("unbind", b=quarter.number)
    tape.frame().frame()

    assert tape.found() == []


def test_an_owner_that_was_never_spawned_is_unknown_not_stale():
    """Recording may have begun after it was made."""
    tape = Tape().frame().frame()
    quarter = tape.bind("quarter", "customer#1", "Customer.on_quarter")
    tape("gone", o="customer#1")
    tape.frame().heard("quarter", quarter)

    assert tape.found() == []


def test_a_class_that_leaves_one_behind_each_time_says_how_fast_they_pile_up():
    """Three customers are one finding, with a rate."""
    tape = Tape().frame().frame()
    left: list[Bound] = []
    for number in range(3):
        tape("spawn", o=f"customer#{number}", cls="Customer")
        left.append(tape.bind("quarter", f"customer#{number}", "Customer.on_quarter"))
        tape.frame()("gone", o=f"customer#{number}")
        tape.frame(length_ms=1000).heard("quarter", *left)

    finding = only(tape.found(), "called-after-gone")

    assert finding.count == 1 + 2 + 3
    assert finding.subject.cls == "Customer"
    assert finding.subject.o == ""
    assert "more pile up a minute" in finding.summary


def test_an_object_of_the_same_name_born_again_is_alive():
    """A name that is used again is a new life; its own bind is sound."""
    tape, quarter = with_customer()
    tape.frame()("unbind", b=quarter.number)("gone", o="customer#1")
    tape.frame()("spawn", o="customer#1", cls="Customer")
    again = tape.bind("quarter", "customer#1", "Customer.on_quarter")
    tape.frame().heard("quarter", again)

    assert tape.found() == []


def test_a_call_without_a_bind_counts_from_the_frame_after_the_end():
    """Groups that update what was dropped have no binds; the object is gone all the same."""
    tape = Tape().frame().frame()
    tape("spawn", o="crumb#1", cls="Crumb")
    update = Bound(0, "tick", "crumb#1", "Crumb.update")
    tape.frame()("gone", o="crumb#1")
    tape.heard("tick", update, via="tick")
    tape.frame().heard("tick", update, via="tick")

    assert only(tape.found(), "called-after-gone").frames == [3]


def test_an_old_lifes_bind_and_a_new_lifes_make_one_story():
    """The new life binds again: double fire, whose root is the stale listener."""
    tape, old = with_customer()
    tape.frame()("gone", o="customer#1")
    tape.frame()("spawn", o="customer#1", cls="Customer")
    new = tape.bind("quarter", "customer#1", "Customer.on_quarter")
    tape.frame().heard("quarter", old, new)

    found = tape.found()

    assert [finding.cause for finding in found] == ["called-after-gone", "bound-twice"]
    assert found[1].root == found[0].id
    assert found[0].consequences == (found[1].id,)


# --- left-bound ----------------------------------------------------------------------------------


def test_a_listener_left_bound_and_never_called_is_a_risk():
    """Nothing came of it yet."""
    tape, _ = with_customer()
    tape.frame()("gone", o="customer#1")
    tape.frame().frame()

    finding = only(tape.found(), "left-bound")

    assert finding.severity.value == "risk"
    assert finding.frames == [2]
    assert finding.count == 1
    assert [item.k for item in finding.evidence] == ["bind", "gone"]


@pytest.mark.parametrize(("named", "since"), [(True, "it was not called since"), (False, "no call since says that")])
def test_that_it_was_not_called_is_said_where_calls_name_their_bind(named, since):
    """An object of the same name bound it anew; a call that names no bind may be for either."""
    tape = Tape().frame().frame()
    for _ in range(2):
        tape("spawn", o="cat#1", cls="Cat")
        bound = tape.bind("bell", "cat#1", "Cat.on_bell")
        if bound.number == 1:
            tape.frame()("gone", o="cat#1")
            tape.frame()
    bound.number = bound.number if named else 0
    tape.frame().heard("bell", bound)
    tape.frames(3)

    assert since in only(tape.found("stale-listener"), "left-bound").summary


def test_an_end_in_the_takes_last_frame_is_quiet():
    """The unbind may simply not have been recorded any more."""
    tape, _ = with_customer()
    tape.frame()("gone", o="customer#1")

    assert tape.found() == []


# --- sender-gone ---------------------------------------------------------------------------------


def whistle(unbind: bool = False, born_again: bool = False, owner_goes: bool = False) -> Tape:
    """Return a tape with a bell that listens to an inspector who leaves."""
    tape = Tape().frame().frame()
    tape("spawn", o="bell#1", cls="Bell")("spawn", o="inspector#1", cls="Inspector")
    bell = tape.bind("whistle", "bell#1", "Bell.on_whistle", src="inspector#1")
    tape.frame().heard("whistle", bell, o="inspector#1")
    tape.frame()
    if unbind:
        tape("unbind", b=bell.number)
    tape("gone", o="inspector#1")
    if owner_goes:
        tape("unbind", b=bell.number)("gone", o="bell#1")
    tape.frame()
    if born_again:
        tape("spawn", o="inspector#1", cls="Inspector")
    return tape.frame()


def test_a_listener_whose_only_sender_went_can_never_be_called_again():
    """It waits for somebody who is not there."""
    finding = only(whistle().found(), "sender-gone")

    assert finding.severity.value == "risk"
    assert finding.subject.o == "bell#1"
    assert finding.frames == [3]
    assert "inspector#1" in finding.summary


@pytest.mark.parametrize("how", ["unbind", "born_again", "owner_goes"])
def test_a_listener_that_does_not_wait_in_vain_is_quiet(how):
    """Unbound in time, a sender of that name there again, or the owner gone as well."""
    assert whistle(**{how: True}).found() == []


def test_a_call_from_the_earlier_life_is_stale_though_the_name_lives_again():
    """The bind tells which life it was made in."""
    tape = Tape().frame().frame()
    tape("spawn", o="cat#1", cls="Cat")
    old = tape.bind("bell", "cat#1", "Cat.on_bell")
    tape.frame()("gone", o="cat#1")
    tape.frame()("spawn", o="cat#1", cls="Cat")
    new = tape.bind("bell", "cat#1", "Cat.on_bell")
    tape.frame().heard("bell", old)
    tape.frame().heard("bell", new)

    finding = only(tape.found("stale-listener"), "called-after-gone")

    assert (finding.count, finding.frames) == (1, [4])


@pytest.mark.parametrize("named", [True, False])
def test_what_was_called_stale_is_not_left_bound_as_well(named):
    """Called once, it is called-after-gone: one story, also where the calls do not name the bind."""
    tape = Tape().frame().frame()
    tape("spawn", o="cat#1", cls="Cat")
    old = tape.bind("bell", "cat#1", "Cat.on_bell")
    tape.frame()("gone", o="cat#1")
    old.number = old.number if named else 0
    tape.frame().heard("bell", old)
    tape.frames(3)

    assert [finding.cause for finding in tape.found("stale-listener")] == ["called-after-gone"]
