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


def test_rubbish_is_left_out_and_counted_until_it_is_too_much():
    """A peer that sends rubbish harms nobody else, and not for long."""
    link = PeerLink()
    link.accept(head())
    for line in (b"rubbish", b'{"k":"cake"}', b'{"t":1}', head()):
        assert link.line(line, 0) is None
    assert link.rubbish == 4
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
    assert link.line(b'{"k":"pong","id":1,"t":1000,"g":6100}', 1200) is None
    assert (link.clock.offset_ns, link.records) == (5000, 1)
    assert link.line(b'{"k":"pong"}', 1200) is None
