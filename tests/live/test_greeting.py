"""What is said on a link, driven by hand: no socket, no thread, no clock but the test's."""

from __future__ import annotations

import json

import pytest

from opossum.live.greeting import MOST_RUBBISH, ClockOffset, PeerLink, Refused

HEAD = {"k": "head", "t": 0, "opossum": 1, "game": "Bakery", "peer": "host"}


def head(**changes) -> bytes:
    """Return a head's line with fields changed."""
    return json.dumps(HEAD | changes).encode()


def test_a_head_is_accepted_and_named():
    """It is kept without its token, with its peer's name."""
    link = PeerLink()
    kept = json.loads(link.accept(head(token="secret")))

    assert kept == HEAD | {"p": "host"}
    assert (link.name, link.game, link.records) == ("host", "Bakery", 1)


def test_a_second_peer_of_the_same_name_gets_a_number():
    """Two games that both call themselves main are two peers."""
    names: set[str] = set()
    assert [PeerLink("", names).accept(head()) and sorted(names)[-1] for _ in range(3)] == [
        "host",
        "host (2)",
        "host (3)",
    ]


@pytest.mark.parametrize(
    ("line", "why"),
    [
        (b"GET / HTTP/1.1", "the first line must be a `head`"),
        (b"[1]", "the first line must be a `head`"),
        (b"\xff\xff", "the first line must be a `head`"),
        (b"[" * 100_000, "the first line must be a `head`"),
        (json.dumps({"k": "frame", "n": 0, "t": 0}).encode(), "the first line must be a `head`"),
        (head(opossum=2), "speaks version 1"),
    ],
)
def test_whoever_is_no_game_is_refused_with_a_reason(line, why):
    """One sentence for its log."""
    with pytest.raises(Refused, match=why):
        PeerLink().accept(line)


def test_nobody_speaks_for_another_peer():
    """A record that says so is none; the name that a game gave itself, and did not get, is its own."""
    link = PeerLink(taken_names={"host"})
    link.accept(head())
    assert link.name == "host (2)"
    assert json.loads(link.line(b'{"k":"send","t":1,"s":1,"ev":"x","p":"host"}', 0))["p"] == "host (2)"
    twice = b'{"k":"frame","t":1,"n":1,"p":"host (2)","p":"host"}'
    assert json.loads(link.chunk([twice], 0)[0])["p"] == "host (2)"
    assert link.rubbish == 0
    assert link.chunk([b'{"k":"frame","t":1,"n":1,"p":"guest"}', b'{"k":"bye","t":1,"p":""}'], 0) == []
    assert (link.rubbish, link.closed) == (2, False)


@pytest.mark.parametrize(("token", "welcome"), [("secret", True), ("guess", False), ("", False), (7, False)])
def test_where_a_token_is_demanded_only_the_right_one_is_let_in(token, welcome):
    """Whatever type it comes in."""
    link = PeerLink("secret")
    if welcome:
        assert link.accept(head(token=token))
    else:
        with pytest.raises(Refused, match="token is missing or wrong"):
            link.accept(head(token=token))


def test_records_are_kept_with_their_peers_name():
    """Those that say it already are kept as they are; data that looks like a peer changes nothing."""
    link = PeerLink(taken_names={"guest"})
    link.accept(head())
    sent = b'{"k":"send","t":1,"s":1,"ev":"x","d":{"p":"cat"}}\n'
    assert json.loads(link.line(sent, 0))["p"] == "host"
    own = b'{"k":"send","t":1,"s":1,"ev":"x","p":"host"}'
    assert link.line(own, 0) == own + b"\n"
    assert link.line(b"  \r\n", 0) is None
    assert link.records == 3
    assert not link.closed
    link.line(b'{"k":"bye","t":2}', 0)
    assert link.closed


def test_rubbish_is_counted_until_it_is_too_much():
    """A peer that sends rubbish harms nobody else, and not for long; whoever reads the stream tells of it, with its line."""
    link = PeerLink()
    link.accept(head())
    for line in (b"rubbish", b'{"k":"cake"}', b'{"t":1}', b'{"k":"frame","t":1,"n":0,"p":5}'):
        assert link.line(line, 0) == line + b"\n"
    for line in (head(), b'rubbish{"k":"head","opossum":1,"peer":"guest"}', b'{"k":"bye","trip":[],"p":"guest"}'):
        assert link.line(line, 0) is None
    assert link.rubbish == 7
    with pytest.raises(Refused, match="were no records"):
        for _ in range(MOST_RUBBISH):
            link.line(b"more", 0)


def test_the_quickest_exchange_tells_the_clocks_apart():
    """A slow one says little: its error is half its way there and back."""
    clock = ClockOffset()
    clock.take(1000, 9000, 105_000)
    assert (clock.offset_ns, clock.error_ns) == (100_000, 4000)
    clock.take(20_000, 20_200, 120_150)
    assert (clock.offset_ns, clock.error_ns) == (100_050, 100)
    clock.take(30_000, 50_000, 0)
    assert clock.offset_ns == 100_050


def test_a_pong_is_talk_not_a_record():
    """It sets the clock and is not kept."""
    link = PeerLink()
    link.accept(head())
    link.ping(1000)
    assert link.line(b'{"k":"pong","id":1,"t":1000,"g":6100}', 1200) is None
    assert (link.clock.offset_ns, link.records) == (5000, 1)
    assert link.line(b'{"k":"pong"}', 1200) is None


@pytest.mark.parametrize(
    "pong",
    [
        {"id": 1, "t": 1000, "g": 2**63 - 1},
        {"id": 1, "t": 1000, "g": -(2**70)},
        {"id": 1, "t": 999, "g": 6100},
        {"id": 2, "t": 1000, "g": 6100},
        {"t": 1000, "g": 6100},
        {"id": 1, "t": 1000},
    ],
)
def test_an_answer_that_is_none_sets_no_clock(pong):
    """Times beyond all times, and answers to what was never asked."""
    link = PeerLink()
    link.accept(head())
    link.ping(1000)
    assert link.line(json.dumps({"k": "pong"} | pong).encode(), 1200) is None
    assert (link.clock.error_ns, link.rubbish, link.clock_is_believable()) == (None, 0, False)


@pytest.mark.parametrize(
    ("told_ns", "believed"),
    [
        (0, True),
        (4 * 10**9, True),
        (-4 * 10**9, True),
        (6 * 10**9, True),
        (-6 * 10**9, False),
        (2**60, True),
        (-(2**60), False),
    ],
)
def test_a_clock_that_lies_is_not_believed(told_ns, believed):
    """No record was made after it came; one that was made more than a day before is told wrongly, too."""
    link = PeerLink()
    link.accept(head())
    link.ping(10**12)
    link.line(b'{"k":"pong","id":1,"t":%d,"g":%d}' % (10**12, told_ns), 10**12 + 100)
    link.chunk([b'{"k":"frame","n":1,"t":1000}'], 10**12 + 5000)
    assert link.clock_is_believable() is (believed and told_ns < 24 * 3600 * 10**9)


def test_a_link_that_is_made_anew_goes_on_where_it_broke():
    """What came already is passed over, what never came is told, to the line."""
    lines = [b'{"k":"frame","n":%d,"t":%d}' % (number, number * 10) for number in range(10)]
    link = PeerLink()
    link.begin(link.greeted(head(run="a run")))
    assert len(link.chunk([*lines[:4], b"", b'{"k":"pong","id":9,"t":1,"g":1}', b"rubbish"], 0)) == 5
    assert link.taken == 5
    assert link.came_back(link.greeted(head(run="a run", **{"from": 2}))) == b""
    assert [json.loads(line)["n"] for line in link.chunk([lines[2], b"rubbish", lines[3], *lines[4:6]], 0)] == [4, 5]
    assert (link.taken, link.missed, link.rubbish) == (7, 0, 1)
    said = json.loads(link.came_back(link.greeted(head(run="a run", **{"from": 10}))))
    assert said == {"k": "lost", "t": 50, "n": 3, "p": "host"}
    assert len(link.chunk(lines[6:], 0)) == 4
    assert (link.taken, link.missed) == (14, 3)


def test_what_came_before_this_recording_is_said():
    """The game's earlier lines are elsewhere: they are not lost, and not here."""
    link = PeerLink()
    first, said = link.begin(link.greeted(head(run="a run", **{"from": 70}))).splitlines()
    assert "run" not in json.loads(first) and "from" not in json.loads(first)
    assert json.loads(said)["text"] == "Opossum: the first 70 records of this game are not in this recording"
    assert link.taken == 70
