"""Reading streams: what is sound is kept, what is damaged is counted and told with its line."""

from __future__ import annotations

import gzip
import io
import json
import sys

import numpy as np
import pytest

from opossum.stream import files
from opossum.stream.contents import StreamError
from opossum.stream.damage import Damage, DamageLog
from opossum.stream.files import open_bytes
from opossum.stream.kinds import KINDS, FieldType
from opossum.stream.reading import LONGEST_LINE, StreamReader, read_streams
from tape import Tape, read

HEAD = b'{"k":"head","opossum":1,"game":"g","peer":"main","t":0}\n'


def damage_of(data: bytes) -> list[tuple[str, int, list[int]]]:
    """Return (code, count, lines) of what is damaged in a stream."""
    return [(item.code, item.count, item.lines) for item in read(data).damage]


def test_a_sound_stream_becomes_columns():
    """Every field lands in its column, absent ones stay absent."""
    take = read(
        HEAD + b'{"k":"send","t":5,"s":7,"ev":"open","o":"door#1","via":"zone","edge":"enter","d":{"other":"cat"}}\n'
    )
    table = take.tables["send"]

    assert len(table) == 1
    assert table["s"][0] == 7
    assert take.text(table["ev"][0]) == "open"
    assert take.text(table["edge"][0]) == "enter"
    assert table.json("d")[0] == '{"other":"cat"}'
    assert table["c"][0] == 0
    assert table["key"][0] == -1
    assert np.isnan(table["pos"][0])
    assert table["line"][0] == 2
    assert table["t"][0] == 5
    assert take.damage == []


@pytest.mark.parametrize("kind", KINDS.values(), ids=lambda kind: kind.name)
def test_every_kind_keeps_every_field(kind):
    """One record with all fields of a kind is read without loss."""
    values = {FieldType.ID: 3, FieldType.COUNT: 4, FieldType.NUMBER: 0.5, FieldType.FLAG: True, FieldType.TEXT: "x"}
    record = {"k": kind.name, "t": 9, "th": "loader"}
    record |= {f.name: ["a", "b"] if f.type is FieldType.JSON else values[f.type] for f in kind.fields}
    if kind.name == "head":
        record["opossum"] = 1
    take = read((json.dumps(record) + "\n").encode())
    table = take.tables[kind.name]

    assert len(table) == 1
    assert take.text(table["th"][0]) == "loader"
    for field, column in table.fields():
        if field.type is FieldType.JSON:
            assert json.loads(column[0]) == ["a", "b"]
        elif field.type is FieldType.TEXT:
            assert take.text(column[0]) == "x"
        else:
            assert column[0] == record[field.name]


@pytest.mark.parametrize(
    ("line", "code"),
    [
        (b"{not json", "not-json"),
        (b"[1, 2]", "no-kind"),
        (b'"text"', "no-kind"),
        (b'{"t":1}', "no-kind"),
        (b'{"k":"cake","t":1}', "unknown-kind"),
        (b'{"k":"frame","t":1}', "wrong-record"),
        (b'{"k":"frame","t":1,"n":"one"}', "wrong-field"),
        (b'{"k":"frame","t":"now","n":1}', "wrong-field"),
        (b'{"k":"frame","t":1,"n":NaN}', "not-json"),
        (b'{"k":"call","t":1,"c":0,"s":1}', "wrong-field"),
        (b'{"k":"call","t":1,"c":-4,"s":1}', "wrong-field"),
        (b'{"k":"send","t":99999999999999999999,"s":1,"ev":"x"}', "wrong-field"),
        (b'{"k":"say","t":1,"text":"\xff\xfe"}', "not-utf8"),
        (b'{"k":"send","t":1,"s":1,"ev":"x","d":' + b"[" * 1_000_000 + b"]" * 1_000_000 + b"}", "too-deep"),
    ],
)
def test_a_damaged_line_costs_itself_alone(line, code):
    """The line is counted with its number; the lines around it are read."""
    take = read(HEAD + b'{"k":"frame","t":1,"n":0}\n' + line + b'\n{"k":"idle","t":2}\n')

    assert [(item.code, item.count, item.lines) for item in take.damage] == [(code, 1, [3])]
    assert len(take.tables["frame"]) == 1
    assert len(take.tables["idle"]) == 1
    assert take.tables["idle"]["line"][0] == 4


def test_damage_says_the_field_and_what_was_expected():
    """One sentence: what, where, and what became of it."""
    take = read(HEAD + b'{"k":"frame","t":1,"n":"one"}\n')

    assert take.damage[0].told() == (
        "1 × `frame` record whose `n` is wrong (Expected `int`, got `str`); it was left out (line 2)"
    )


def test_an_unknown_field_is_ignored():
    """Fields may be added compatibly."""
    assert damage_of(HEAD + b'{"k":"frame","t":1,"n":0,"mood":"good"}\n') == []


def test_empty_lines_mean_nothing_but_count_as_lines():
    """Line numbers are those an editor shows."""
    take = read(HEAD + b'\n\n{"k":"frame","t":1,"n":0}\n\r\n')

    assert take.damage == []
    assert take.tables["frame"]["line"][0] == 4


def test_a_line_cut_off_at_the_end_is_told():
    """A game that died mid-line left a valid take before it."""
    take = read(HEAD + b'{"k":"frame","t":1,"n":0}\n{"k":"idle","t"')

    assert [(item.code, item.lines) for item in take.damage] == [("cut-off", [3])]
    assert take.records == 2


def test_a_last_line_without_its_newline_is_read():
    """It is whole; only its end is missing."""
    assert read(HEAD + b'{"k":"frame","t":1,"n":0}').records == 2


def test_an_endless_line_is_skipped_and_told():
    """It must not fill the memory."""
    long = b'{"k":"say","t":1,"text":"' + b"x" * (LONGEST_LINE + 10) + b'"}\n'
    take = read(HEAD + long + b'{"k":"frame","t":2,"n":0}\n')

    assert [(item.code, item.lines) for item in take.damage] == [("line-too-long", [2])]
    assert len(take.tables["frame"]) == 1


def test_an_endless_line_fed_in_portions_is_skipped_too():
    """The portions are thrown away as they come."""
    reader = StreamReader()
    reader.feed(HEAD)
    for _ in range(LONGEST_LINE // (1 << 20) + 2):
        reader.feed(b"x" * (1 << 20))
    reader.feed(b'y\n{"k":"frame","t":2,"n":0}\n')
    reader.finish_source()
    contents = reader.contents()

    assert [item.code for item in contents.damage] == ["line-too-long"]
    assert len(contents.tables["frame"]) == 1
    assert contents.tables["frame"]["line"][0] == 3


def test_a_megabyte_line_is_read_and_its_data_cut():
    """Long data is cut to a bounded text, the record stays."""
    big = json.dumps({"k": "send", "t": 1, "s": 1, "ev": "x", "d": "y" * 1_000_000}).encode() + b"\n"
    take = read(HEAD + big)

    assert [item.code for item in take.damage] == ["data-cut"]
    assert len(take.tables["send"].json("d")[0]) < 5000
    json.loads(take.tables["send"].json("d")[0])


def test_time_that_runs_backwards_is_told_and_kept_in_order():
    """Stream order counts; each thread has its own time."""
    lines = [
        {"k": "idle", "t": t, **({"th": th} if th else {})}
        for t, th in ((5, None), (9, None), (3, "b"), (7, None), (8, None))
    ]
    data = HEAD + b"".join(json.dumps(line).encode() + b"\n" for line in lines)

    assert damage_of(data) == [("time-backwards", 1, [5])]


def test_a_stream_fed_byte_by_byte_is_the_same():
    """Portions do not matter."""
    tape = Tape().frame()
    bound = tape.bind("open", "door#1", "Door.on_open")
    tape.heard("open", bound, d={"who": "cat"})
    data = tape.bytes()
    reader = StreamReader()
    for start in range(0, len(data), 7):
        reader.feed(data[start : start + 7])
    reader.finish_source()
    whole, parts = read(data), reader.contents()

    assert parts.records == whole.records
    assert sorted(parts.strings) == sorted(whole.strings)
    for kind, table in whole.tables.items():
        for name in ("line", "t"):
            assert parts.tables[kind][name].tolist() == table[name].tolist()


def test_a_record_without_a_time_takes_the_one_before():
    """A head may go without."""
    take = read(b'{"k":"head","opossum":1}\n{"k":"frame","t":4,"n":0}\n{"k":"idle"}\n')

    assert take.tables["idle"]["t"][0] == 4


def test_another_version_is_read_and_told():
    """The fields that are known keep their meaning."""
    assert [code for code, _, _ in damage_of(b'{"k":"head","opossum":9,"t":0}\n')] == ["other-version"]


# --- peers ---------------------------------------------------------------------------------------


def peers_of(data: bytes) -> list[tuple[str, int]]:
    """Return (name, records) of the peers of a stream."""
    return [(span.name, span.records) for span in read(data).peers]


def test_a_merged_stream_names_its_peers_by_p():
    """Heads at the top introduce; records say whose they are."""
    data = (
        b'{"k":"head","opossum":1,"peer":"host","t":0}\n{"k":"head","opossum":1,"peer":"guest","t":0}\n'
        b'{"k":"frame","t":1,"n":0}\n{"k":"frame","t":1,"n":0,"p":"guest"}\n{"k":"idle","t":2}\n'
    )

    assert peers_of(data) == [("host", 3), ("guest", 2)]


def test_an_appended_stream_begins_a_peer_of_its_own():
    """A head after other records sets the default for what follows."""
    second = b'{"k":"head","opossum":1,"peer":"guest","t":0}\n{"k":"frame","t":1,"n":0}\n'

    assert peers_of(HEAD + b'{"k":"frame","t":1,"n":0}\n' + second) == [("main", 2), ("guest", 2)]


def test_a_stream_without_a_head_has_one_peer():
    """What it is called does not matter."""
    assert peers_of(b'{"k":"frame","t":1,"n":0}\n') == [("main", 1)]


# --- files ---------------------------------------------------------------------------------------


def test_several_files_are_the_peers_of_one_take(tmp_path):
    """Lines are told by file; a name that two files share is told apart."""
    for name in ("a", "b"):
        (tmp_path / f"{name}.flow.jsonl").write_bytes(HEAD + b'{"k":"frame","t":1,"n":0}\nrubbish\n')
    contents = read_streams([str(tmp_path / "a.flow.jsonl"), str(tmp_path / "b.flow.jsonl")])

    assert [span.name for span in contents.peers] == ["main", "main (2)"]
    assert [item.lines for item in contents.damage] == [[3, 3]]
    assert [first for _, first in contents.sources] == [1, 4]


def test_gzip_is_known_by_its_first_bytes(tmp_path):
    """The name does not matter."""
    path = tmp_path / "night"
    path.write_bytes(gzip.compress(HEAD + b'{"k":"frame","t":1,"n":0}\n'))

    assert read_streams([str(path)]).records == 2


def test_a_cut_gzip_file_keeps_what_came_before(tmp_path):
    """It is told, not fatal."""
    tape = Tape()
    for number in range(3000):
        tape.say = tape("say", text=f"line {number * 7919}")
    whole = gzip.compress(tape.bytes())
    path = tmp_path / "cut.flow.jsonl.gz"
    path.write_bytes(whole[: len(whole) // 2])
    contents = read_streams([str(path)])

    assert "gzip-cut" in [item.code for item in contents.damage]
    assert contents.records > 500


def test_standard_input_is_a_dash(monkeypatch):
    """`-` reads what is piped in."""
    monkeypatch.setattr(sys, "stdin", type("Piped", (), {"buffer": io.BytesIO(HEAD)})())

    assert read_streams(["-"]).records == 1


@pytest.mark.parametrize(
    ("content", "sentence"),
    [
        (b"", "the file is empty; a stream starts with a `head` line"),
        (b"hello\nworld\n", "no line in it is a record of an event-flow stream"),
        (b"\x89PNG\r\n\x1a\n" + b"\0" * 50, "this is a picture, not an event-flow stream"),
        (b"\x7fELF" + b"\0" * 50, "this is a program, not an event-flow stream"),
        (b"\0\1\2" * 50, "this is a binary file, not an event-flow stream"),
    ],
    ids=["empty", "text", "picture", "program", "binary"],
)
def test_a_file_of_another_kind_is_refused_in_a_sentence(tmp_path, content, sentence):
    """What it is, and what would be right."""
    path = tmp_path / "some.file"
    path.write_bytes(content)
    with pytest.raises(StreamError) as caught:
        read_streams([str(path)])

    assert str(caught.value).startswith(f"{path}: {sentence}")
    assert caught.value.path == str(path)


def test_a_folder_and_a_missing_file_are_refused_in_a_sentence(tmp_path):
    """Each says what to do."""
    with pytest.raises(StreamError, match="this is a folder; name the stream or take inside it"):
        open_bytes(str(tmp_path))
    with pytest.raises(StreamError, match="there is no such file; check the name"):
        open_bytes(str(tmp_path / "none"))


def test_reading_tells_its_progress_and_can_be_cancelled(tmp_path):
    """The bytes taken so far never shrink."""
    path = tmp_path / "x.flow.jsonl"
    path.write_bytes(HEAD + b'{"k":"say","t":1,"text":"hello there, this is a log line"}\n' * 60_000)
    told: list[int] = []
    read_streams([str(path)], told.append)
    assert told == sorted(told)
    assert told[-1] == path.stat().st_size

    def cancel(done: int) -> None:
        raise InterruptedError

    with pytest.raises(InterruptedError):
        read_streams([str(path)], cancel)


def test_damage_is_bounded():
    """A stream of nothing but damage fills neither memory nor screen."""
    log = DamageLog()
    for number in range(10_000):
        log.add(f"code-{number}", "something", number)
    sorts = log.sorts()

    assert len(sorts) == DamageLog.MOST_SORTS + 1
    assert sum(item.count for item in sorts) == 10_000
    assert max(len(item.lines) for item in sorts) <= 20
    assert Damage("x", "broken", 3).told() == "3 × broken"


def test_a_bomb_ends_by_a_bound_on_expansion(tmp_path, monkeypatch):
    """What is packed as no stream is; before that, all is read, and a stream that packs well is read whole."""
    monkeypatch.setattr(files, "FREE_EXPANSION", 1 << 20)
    monkeypatch.setattr(files, "BATCH_BYTES", 1 << 16)
    bomb, fine = tmp_path / "bomb.flow.jsonl.gz", tmp_path / "fine.flow.jsonl.gz"
    head = b'{"k":"head","t":0,"opossum":1}\n'
    bomb.write_bytes(gzip.compress(head + b"\n" * (8 << 20)))
    contents = read_streams([str(bomb)])
    assert [item.code for item in contents.damage] == ["gzip-bomb"] and contents.records == 1
    frames = b"".join(b'{"k":"frame","t":%d,"n":%d}\n{"k":"idle","t":%d}\n' % (n, n, n) for n in range(40_000))
    fine.write_bytes(gzip.compress(head + frames))
    contents = read_streams([str(fine)])
    assert not contents.damage and contents.records == 80_001


def test_a_torn_line_does_not_swallow_the_next_head(tmp_path):
    """The game that wrote it died; the stream of the next was appended."""
    path = tmp_path / "a.flow.jsonl"
    torn = b'{"k":"head","t":0,"opossum":1,"peer":"host"}\n{"k":"frame","t":1,"n":0}\n{"k":"send","t":5,"ev":"a'
    path.write_bytes(torn + b'{"k": "head","t":0,"opossum":1,"peer":"guest"}\n{"k":"frame","t":1,"n":0}\n')
    contents = read_streams([str(path)])
    assert [(span.name, span.records) for span in contents.peers] == [("host", 2), ("guest", 2)]
    assert [(item.code, item.lines) for item in contents.damage] == [("not-json", [3])]


@pytest.mark.parametrize(("times", "whole"), [(150, True), (400, False)])
def test_how_much_larger_a_stream_may_become(tmp_path, monkeypatch, times, whole):
    """Two hundred times, once it has become more than is free."""
    monkeypatch.setattr(files, "FREE_EXPANSION", 1 << 16)
    monkeypatch.setattr(files, "BATCH_BYTES", 1 << 12)
    path = tmp_path / "a.flow.jsonl.gz"
    head = b'{"k":"head","t":0,"opossum":1}\n'
    noise = (
        np.random.default_rng(1).integers(33, 126, 3000, np.uint8).tobytes().replace(b'"', b"'").replace(b"\\", b"/")
    )
    text = head + b'{"k":"say","t":1,"text":"' + noise + b'"}\n'
    room = len(gzip.compress(text)) * times
    data = gzip.compress(text + b"\n" * room)
    ratio = (len(text) + room) / len(data)
    assert (ratio < 200) is whole
    path.write_bytes(data)
    codes = [item.code for item in read_streams([str(path)]).damage]
    assert codes == ([] if whole else ["gzip-bomb"])
