"""The attacks: each gives one part of Opossum an input made by chance, and says what became of it.

An attack returns one word (``read``, ``refused`` …) where the input was handled well, and raises where it was not.
"""

from __future__ import annotations

import io
import json
import string
import tempfile
from collections.abc import Callable
from pathlib import Path
from random import Random

import msgspec
import numpy as np

from fuzz.damaged import RUBBISH, WRONG, damaged_stream, damaged_take
from fuzz.everything_shown import show_everything
from fuzz.hostile_values import Memory, drive_with_hostile_values, hostile_clock, hostile_value
from fuzz.made_streams import NAMES, OWNERS, made_stream, made_value
from opossum.compare.comparison import compared
from opossum.compare.side import Side
from opossum.export.spans import write_spans
from opossum.export.tables import plain_tables
from opossum.findings.examine import examine
from opossum.learning.learn import learn, rule_file
from opossum.live.greeting import PeerLink, Refused
from opossum.live.tripwires import TripwireError, parse_tripwire
from opossum.rehearse.plan import RehearsalError
from opossum.rehearse.rehearsal import rehearse
from opossum.rules.checking import check
from opossum.rules.parsing import parse_rules
from opossum.stream.reading import StreamReader
from opossum.stream.writing import stream_lines
from opossum.take.archive import open_take, save_take
from opossum.take.opening import ReadError, open_any
from opossum.take.sameness import first_difference
from opossum.take.sieve import SieveError, parse_sieve, sieve_calls
from opossum.take.take import Take
from opossum_recorder import Recorder

Attack = Callable[[Random], str]
LONGEST_TOLD = 500
"""A refusal is one sentence: it does not go on for longer than this."""


def _told_well(error: Exception) -> None:
    """See that a refusal is one sentence, and no traceback's innards."""
    text = str(error)
    assert text, "a refusal that says nothing"
    assert len(text) < LONGEST_TOLD, text
    assert "Traceback" not in text, text
    assert "nobody foresaw" not in text, text


def _written(take: Take) -> bytes:
    return b"".join(stream_lines(take.tables, take.strings, take.peers))


def _file(data: bytes, folder: str, name: str) -> str:
    path = Path(folder, name)
    path.write_bytes(data)
    return str(path)


def stay_the_same(random: Random) -> str:
    """A sound stream becomes a take, is saved, opened, and written again: the same bytes."""
    data = made_stream(random)
    with tempfile.TemporaryDirectory() as folder:
        take = open_any(_file(data, folder, "a.flow.jsonl"))
        assert not take.damage or {item.code for item in take.damage} <= {"data-cut", "time-backwards"}, take.damage
        saved = str(Path(folder, "a.take"))
        save_take(take, saved)
        opened = open_take(saved)
    assert first_difference(take, opened) == ""
    again = _written(opened)
    if not any(item.code == "data-cut" for item in take.damage):
        assert again == data, _first_other_line(again, data)
    return "the same"


def _first_other_line(one: bytes, other: bytes) -> str:
    lines = zip(one.split(b"\n"), other.split(b"\n"), strict=False)
    return str(next((pair for pair in lines if pair[0] != pair[1]), "one is longer"))


def read_damaged_streams(random: Random) -> str:
    """A damaged stream is read as far as it is sound, shown, saved, opened and written again; or refused in a sentence."""
    data = damaged_stream(random, made_stream(random, 24))
    return read_and_shown(data)


def read_and_shown(data: bytes) -> str:
    """Read a stream's bytes, show all of it, and see that saving and writing it lose nothing."""
    with tempfile.TemporaryDirectory() as folder:
        try:
            take = open_any(_file(data, folder, "a.flow.jsonl"))
        except ReadError as error:
            _told_well(error)
            return "refused"
        show_everything(take)
        saved = str(Path(folder, "a.take"))
        save_take(take, saved)
        opened = open_take(saved)
        assert first_difference(take, opened) == "", first_difference(take, opened)
        lines = _written(opened)
        if not lines:
            return "nothing in it"
        again = open_any(_file(lines, folder, "b.flow.jsonl"))
    assert not again.damage or {item.code for item in again.damage} <= {"time-backwards", "other-version"}, again.damage
    assert _written(again) == lines, _first_other_line(_written(again), lines)
    return "damage told" if take.damage else "read"


def open_damaged_takes(random: Random) -> str:
    """A damaged take is opened and shown, or refused in a sentence."""
    with tempfile.TemporaryDirectory() as folder:
        saved = Path(folder, "a.take")
        save_take(open_any(_file(made_stream(random, 16), folder, "a.flow.jsonl")), saved)
        return opened_and_shown(damaged_take(random, saved.read_bytes()))


def opened_and_shown(data: bytes) -> str:
    """Open a saved take's bytes and show all of it; or be refused in a sentence."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "a.take")
        path.write_bytes(data)
        try:
            take = open_take(path)
            take.index()
        except ReadError as error:
            _told_well(error)
            return "refused"
        show_everything(take)
        again = Path(folder, "b.take")
        save_take(take, again)
        assert (difference := first_difference(take, open_take(again))) == "", difference
    return "opened"


def compare_damaged_streams(random: Random) -> str:
    """A take against a damaged copy of it: compared, or one of them refused."""
    data = made_stream(random, 20)
    with tempfile.TemporaryDirectory() as folder:
        try:
            before = open_any(_file(data, folder, "a.flow.jsonl"))
            after = open_any(_file(damaged_stream(random, data), folder, "b.flow.jsonl"))
        except ReadError as error:
            _told_well(error)
            return "refused"
        json.dumps(compared((Side(before, "before"), Side(after, "after"))).as_dict(), allow_nan=False)
    return "compared"


def learn_and_rehearse(random: Random) -> str:
    """A damaged take is learnt from, its faults are rehearsed, and it is written for other programs; or it is refused."""
    data = made_stream(random, 20)
    with tempfile.TemporaryDirectory() as folder:
        try:
            take = open_any(_file(damaged_stream(random, data), folder, "b.flow.jsonl"))
        except ReadError as error:
            _told_well(error)
            return "refused"
        learning = learn([open_any(_file(data, folder, "a.flow.jsonl")), take])
        assert not parse_rules(rule_file(learning, take.game)).errors
        findings = examine(take)
        for finding in findings[:4]:
            try:
                json.dumps(rehearse(take, finding, findings).as_dict(), allow_nan=False)
            except RehearsalError as error:
                _told_well(error)
        plain_tables(take)
        made = io.BytesIO()
        write_spans(take, made)
        for line in made.getvalue().splitlines():
            json.loads(line, parse_constant=_no_json)
    return "learnt from"


def _line_of_talk(random: Random) -> bytes:
    sort = random.randrange(6)
    if sort == 0:
        return random.choice(RUBBISH)
    if sort == 1:
        return random.choice(made_stream(random, 3).split(b"\n"))
    if sort == 2:
        pong = {"k": "pong", "id": made_value(random), "t": made_value(random), "g": made_value(random)}
        return msgspec.json.encode(pong) if random.random() < 0.5 else json.dumps(pong | {"g": 2**63 - 1}).encode()
    if sort == 3:
        record = {"k": random.choice(("held", "went", "bye", "head", "frame", "lost")), "p": random.choice(NAMES)}
        return json.dumps(record | {"n": made_value(random), "trip": made_value(random)}).encode()
    if sort == 4:
        return b'{"k":"send","t":%b,"s":1,"ev":"x","p":%b}' % (random.choice(WRONG), random.choice(WRONG))
    return bytes(random.randrange(256) for _ in range(random.randrange(60)))


def record_hostile_values(random: Random) -> str:
    """Whatever a game hands to its recorder: nothing raises, every line is JSON, and a reader takes every one."""
    memory = Memory()
    recorder = Recorder(None, hostile_value(random), sink=memory, watch_after=0, clock=hostile_clock(random))
    drive_with_hostile_values(recorder, random)
    recorder.close()
    reader = StreamReader()
    for line in memory.data.splitlines(keepends=True):
        assert line.endswith(b"\n")
        json.loads(line, parse_constant=_no_json)
        assert len(line) < 20_000, len(line)
        reader.feed(line)
    damage = {item.code: item.sentence for item in reader.damage.sorts()}
    assert not damage, damage
    return "lost some" if recorder.lost else "recorded"


def greet_rogues(random: Random) -> str:
    """Whatever a game says over the link: its head is accepted or refused, and only its own records are kept."""
    link = PeerLink(taken_names={"main"} if random.random() < 0.5 else set())
    head = made_stream(random, 1).split(b"\n")[0]
    if random.random() < 0.6:
        head = random.choice((_line_of_talk(random), damaged_stream(random, head).split(b"\n")[0]))
    try:
        kept = [link.accept(head)]
        for _ in range(4):
            lines = [line for _ in range(random.randrange(40)) for line in _line_of_talk(random).split(b"\n")]
            kept += link.chunk(lines, random.randrange(1 << 62))
    except Refused as refused:
        _told_well(refused)
        return "refused"
    for line in kept:
        assert line.endswith(b"\n")
        assert line.count(b"\n") == 1
        _is_own(line, link.name)
    return "kept"


def _is_own(line: bytes, name: str) -> None:
    """See that a reader finds no record in a line but one of this peer."""
    reader = StreamReader()
    reader.feed(b'{"k":"head","opossum":1,"peer":"unnamed"}\n' + line)
    for span in reader.contents().peers:
        assert span.name == name or (span.name == "unnamed" and span.records == 1), line


def _no_json(text: str) -> float:
    raise ValueError(f"{text} is no JSON")


_SIEVE_WORDS = (
    "ev:",
    "o:",
    "-",
    "cls:",
    "fn:",
    "via:",
    "frame:",
    "3-",
    "9-1",
    "slow",
    "gone",
    "*",
    "[",
    "oven",
    "peer:",
    '"',
    "\x00",
)
_RULE_WORDS = (
    "every", "bread_ready", "`", "oven#1", "is", "followed", "by", "within", "2 frames", "0 ms", "never", "more than", "3",
    "times", "in", "a", "frame", "only", "#", "(", ")", "while", "peer", "no", "faults", "but", "at", "least", "once", "\t",
)  # fmt: skip
_WIRE_WORDS = (
    "ev:pay",
    "count:",
    "count:3",
    "slow:1e400",
    "slow:nan",
    "d.x>",
    "d.coins>=3",
    "gone",
    "again",
    "send",
    "peer:",
    "o:*",
)


def _text(random: Random, words: tuple[str, ...]) -> str:
    text = random.choice(("", " ")).join(random.choice(words) for _ in range(random.randrange(12)))
    if random.random() < 0.3:
        text += "".join(random.choice(string.printable + "\u202eé\x00") for _ in range(random.randrange(20)))
    return text


def sieve_anything(random: Random) -> str:
    """Words for the sieve: understood, or refused in a sentence."""
    try:
        terms = parse_sieve(_text(random, _SIEVE_WORDS))
    except SieveError as error:
        _told_well(error)
        return "refused"
    take = _small_take()
    sieve_calls(take, terms, np.zeros(len(take.calls), bool))
    return "understood"


def set_any_tripwire(random: Random) -> str:
    """Words for a tripwire: understood, and said on the link as plain JSON; or refused in a sentence."""
    try:
        wire = parse_tripwire(_text(random, _WIRE_WORDS))
    except TripwireError as error:
        _told_well(error)
        return "refused"
    json.loads(msgspec.json.encode(wire.when), parse_constant=_no_json)
    return "understood"


def state_any_rule(random: Random) -> str:
    """A file of rules: understood and checked, or each mistake told with its place."""
    text = "\n".join(_text(random, (*_RULE_WORDS, *NAMES, *OWNERS)) for _ in range(random.randrange(4)))
    text = " ".join(text.split(" ")) if random.random() < 0.5 else text.replace(" ", "  ")
    book = parse_rules(text)
    for mistake in book.errors:
        assert str(mistake)
    check(_small_take(), book.rules)
    return "mistakes told" if book.errors else "understood"


_kept_takes: list[Take] = []


def _small_take() -> Take:
    if not _kept_takes:
        with tempfile.TemporaryDirectory() as folder:
            _kept_takes.append(open_any(_file(made_stream(Random(1), 40), folder, "a.flow.jsonl")))
    return _kept_takes[0]


ATTACKS: dict[str, tuple[Attack, int]] = {
    "sound streams, there and back": (stay_the_same, 3400),
    "damaged streams": (read_damaged_streams, 3400),
    "damaged takes": (open_damaged_takes, 1500),
    "takes against damaged ones": (compare_damaged_streams, 300),
    "takes learnt from and rehearsed": (learn_and_rehearse, 300),
    "values of games": (record_hostile_values, 1500),
    "games on the link": (greet_rogues, 1500),
    "words of the sieve": (sieve_anything, 1000),
    "words of tripwires": (set_any_tripwire, 1000),
    "rules": (state_any_rule, 500),
}
"""Every attack, and with how many inputs `make fuzz` makes it."""
