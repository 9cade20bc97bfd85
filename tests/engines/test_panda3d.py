"""Panda3D: the real engine, headless, running a game that knows nothing of the recorder."""

from __future__ import annotations

import pytest
from playing import EXAMPLES, played

from opossum.findings.examine import examine
from opossum.take.checks import check_take
from opossum.take.take import Take

EXAMPLE = EXAMPLES / "panda3d_bakery.py"


@pytest.fixture(scope="module")
def healthy(tmp_path_factory) -> Take:
    """Return the take of the game without a fault."""
    return played(tmp_path_factory.mktemp("panda"), EXAMPLE)


def names(take: Take, event: str) -> list[str]:
    """Return who was called for an event, in order."""
    return [
        f"{take.owner_of_call(call)} {take.function_of_call(call)}"
        for call in range(len(take.calls))
        if take.event_of_call(call) == event
    ]


def test_the_stream_is_sound(healthy):
    """Nothing damaged, nothing dangling, closed on purpose."""
    assert check_take(healthy) == []
    assert int((healthy.frames.number >= 0).sum()) > 20


def test_events_are_heard_in_the_engines_own_order(healthy):
    """The ledger accepted first, then the customers; those who left are not called."""
    heard = names(healthy, "quarter")

    assert heard[:4] == ["ledger#1 Ledger.on_quarter", *(f"customer#{n} Customer.on_quarter" for n in (1, 2, 3))]
    assert heard[4:7] == ["ledger#1 Ledger.on_quarter", *(f"customer#{n} Customer.on_quarter" for n in (1, 2))]
    assert heard[-1] == "ledger#1 Ledger.on_quarter"


def test_a_send_from_a_listener_knows_its_cause(healthy):
    """Booked springs from paid, paid from the clock's task."""
    sends = healthy.tables["send"]
    booked = [row for row in range(len(sends)) if healthy.text(int(sends["ev"][row])) == "booked"]
    causes = [int(healthy.sends.cause[row]) for row in booked]

    assert [healthy.function_of_call(call) for call in causes] == ["Ledger.on_paid"] * 3
    assert healthy.function_of_call(int(healthy.calls.parent[causes[0]])) == "Bakery.strike"


def test_ticks_delays_and_phases_are_told_apart(healthy):
    """A task every frame is a tick; doMethodLater a delay that sets itself again."""
    calls = [call for call in range(len(healthy.calls)) if healthy.function_of_call(call).startswith("Bakery.")]
    vias = {(healthy.function_of_call(call), healthy.via_of_send(int(healthy.calls.send[call]))) for call in calls}

    assert vias == {("Bakery.bake", "tick"), ("Bakery.strike", "delay")}
    assert [healthy.text(int(code)) for code in healthy.tables["arm"]["ev"]] == ["task strike"] * 6
    phases = {healthy.text(int(code)) for code in healthy.tables["phase"]["name"]}
    assert {"tasks", "draw and wait"} <= phases


def test_the_engines_own_waiting_is_no_work(healthy):
    """The frame limit waits inside a task of the engine; frames are far shorter than that."""
    frames = healthy.frames
    usual = sorted(frames.work_ns[frames.settled].tolist())[len(frames.work_ns) // 2]
    lasted = sorted((frames.end_ns - frames.start_ns)[frames.settled].tolist())[len(frames.work_ns) // 2]

    assert usual < lasted / 3


def test_lives_end_where_the_game_ends_them(healthy):
    """`destroy` is an end; who ignored everything before leaves nothing behind."""
    gone = {healthy.text(int(code)) for code in healthy.tables["gone"]["o"]}

    assert gone == {"customer#1", "customer#2", "customer#3"}
    assert not [finding for finding in examine(healthy) if finding.kind == "stale-listener"]


def test_a_listener_that_stays_after_destroy_is_found(tmp_path):
    """The messenger holds it; it is called on every quarter."""
    found = [finding for finding in examine(played(tmp_path, EXAMPLE, "stale")) if finding.kind == "stale-listener"]

    assert [finding.cause for finding in found] == ["called-after-gone"]
    assert found[0].subject.fn == "Customer.on_quarter"
    assert found[0].count == 5 + 4 + 3


def test_a_slow_listener_is_found(tmp_path):
    """The call is named, not the frame."""
    found = [finding for finding in examine(played(tmp_path, EXAMPLE, "slow")) if finding.cause == "slow-call"]

    assert "Ledger.on_quarter" in [finding.subject.fn for finding in found]


def test_what_the_engine_allows_is_recorded_as_it_is(tmp_path):
    """Accepting again replaces; accepting once ends before its call; what no object can be is left alone."""
    game = tmp_path / "odd.py"
    game.write_text(
        "from panda3d.core import loadPrcFileData\n"
        "loadPrcFileData('', 'window-type none\\naudio-library-name null')\n"
        "from direct.showbase.ShowBase import ShowBase\n"
        "from direct.showbase.DirectObject import DirectObject\n"
        "import sys\n"
        "class Cat(DirectObject):\n"
        "    def first(self): print('first')\n"
        "    def second(self): print('second')\n"
        "    def once(self): print('once')\n"
        "base = ShowBase()\n"
        "cat = Cat()\n"
        "cat.accept('meow', cat.first)\n"
        "cat.accept('meow', cat.second)\n"
        "cat.acceptOnce('hiss', cat.once)\n"
        "messenger.send('meow')\n"
        "messenger.send('hiss')\n"
        "messenger.send('hiss')\n"
        "cat.ignore('meow')\n"
        "messenger.send('meow')\n"
        "for n in range(3): base.taskMgr.step()\n"
        "sys.exit(0)\n"
    )
    take = played(tmp_path, game)
    functions = [take.function_of_call(call) for call in range(len(take.calls))]

    assert check_take(take) == []
    assert functions == ["Cat.second", "Cat.once"]
    cats = [row for row in range(len(take.tables["bind"])) if take.text(int(take.tables["bind"]["o"][row])) == "cat#1"]
    assert len(cats) == 3
    assert len(take.tables["unbind"]) >= 3
