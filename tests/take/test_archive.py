"""The `.take` file: written whole or not at all, opened exactly, refused with a reason."""

from __future__ import annotations

import io
import json
import os
import re
import zipfile
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pyarrow as pa
import pytest

from opossum.take import archive
from opossum.take.archive import TakeError, open_take, save_take
from opossum.take.manifest import sizes_of_members
from opossum.take.opening import open_any, take_name
from opossum.take.plain_arrow import plain_table
from tape import Tape


@pytest.fixture
def saved(tmp_path) -> Path:
    """Return a small take's file."""
    tape = Tape().frame().frame()
    door = tape.bind("open", "door#1", "Door.on_open")
    tape.heard("open", door, d={"who": "cat"})
    tape.frame().heard("open", door, d={"who": "dog"})
    path = tmp_path / "small.take"
    save_take(tape.take(), path)
    return path


def rewritten(path: Path, changes: dict[str, bytes | None], stored: bool = True) -> Path:
    """Return a copy of a take's file with members replaced, added, or (None) left out."""
    target = path.with_name("changed.take")
    with (
        zipfile.ZipFile(path) as source,
        zipfile.ZipFile(target, "w", zipfile.ZIP_STORED if stored else zipfile.ZIP_DEFLATED) as copy,
    ):
        for name in source.namelist():
            data = changes.get(name, source.read(name))
            if data is not None:
                copy.writestr(name, data)
        for name in set(changes) - set(source.namelist()):
            copy.writestr(name, changes[name])
    return target


def manifest_with(path: Path, **changes) -> bytes:
    """Return the file's manifest with fields changed."""
    with zipfile.ZipFile(path) as source:
        manifest = json.loads(source.read("manifest.json"))
    return json.dumps(manifest | changes).encode()


def arrow(**columns) -> bytes:
    """Return an Arrow file of one table."""
    sink = io.BytesIO()
    table = pa.table(columns)
    with pa.ipc.new_file(sink, table.schema) as writer:
        writer.write_table(table)
    return sink.getvalue()


def with_column(path: Path, kind: str, name: str, column: pa.Array) -> Path:
    """Return a copy of a take's file with another column in one of its tables."""
    with zipfile.ZipFile(path) as file:
        table = pa.ipc.open_file(io.BytesIO(file.read(f"tables/{kind}.arrow"))).read_all()
    columns = {known: table[known].combine_chunks() for known in table.column_names} | {name: column}
    return rewritten(path, {f"tables/{kind}.arrow": arrow(**columns)})


def refused(path: Path) -> str:
    """Return why a file is not opened; the file is named first."""
    with pytest.raises(TakeError) as caught:
        open_take(path)
    named, colon, reason = str(caught.value).partition(": ")
    assert (named, colon) == (str(path), ": ")
    return reason


SEND_ROWS = "table `send` does not have the 2 rows its manifest says; it was not opened"


def test_any_arrow_library_can_read_the_tables(saved):
    """The file is a plain ZIP with a JSON manifest and Arrow tables."""
    with zipfile.ZipFile(saved) as file:
        assert all(info.compress_type == zipfile.ZIP_STORED for info in file.infolist())
        manifest = json.loads(file.read("manifest.json"))
        strings = pa.ipc.open_file(io.BytesIO(file.read("strings.arrow"))).read_all()["text"].to_pylist()
        sends = pa.ipc.open_file(io.BytesIO(file.read("tables/send.arrow"))).read_all()

    assert manifest["format"] == "opossum-take"
    assert manifest["tables"]["send"]["rows"] == 2
    assert sends["d"].to_pylist() == ['{"who":"cat"}', '{"who":"dog"}']
    assert strings[manifest["tables"]["send"]["constants"]["ev"]] == "open"


def test_the_same_take_makes_the_same_file(saved):
    """Nothing in it depends on the hour."""
    other = saved.with_name("other.take")
    save_take(open_take(saved), other)

    assert other.read_bytes() == saved.read_bytes()


def test_a_failed_save_leaves_the_old_file_and_nothing_else(saved, monkeypatch):
    """Writing is atomic."""
    before = saved.read_bytes()

    def fail(take, file):
        file.write(b"half")
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(archive, "_write_archive", fail)
    with pytest.raises(OSError, match="No space left"):
        save_take(open_take(saved), saved)

    assert saved.read_bytes() == before
    assert os.listdir(saved.parent) == [saved.name]


def test_opening_any_tells_takes_from_streams(saved, tmp_path):
    """The content decides, not the name."""
    renamed = tmp_path / "no-suffix"
    renamed.write_bytes(saved.read_bytes())

    assert open_any(str(renamed)).records == open_take(saved).records


def test_opening_a_take_can_be_given_up(saved):
    """Whoever waits for it is asked meanwhile, and may raise what they like."""

    def give_up(*_: object) -> None:
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        open_any(str(saved), give_up)


def test_a_take_cannot_be_joined_with_other_files(saved):
    """Only streams are peers of one session."""
    with pytest.raises(TakeError) as error:
        open_any([str(saved), str(saved)])
    assert str(error.value) == f"{saved}: a saved take cannot be joined with other files; give streams only"


@pytest.mark.parametrize(
    ("path", "name"),
    [
        ("/x/night.flow.jsonl.gz", "night"),
        ("night.jsonl", "night"),
        ("a/b.c.take", "b.c"),
        ("night", "night"),
        ("-", "standard input"),
        (".take", "take"),
        (".flow.jsonl", "take"),
    ],
)
def test_a_take_is_named_after_its_file(path, name):
    """Without what tells of its kind."""
    assert take_name(path) == name


def test_a_recording_that_was_not_finished_is_named(tmp_path):
    """The last one, where the file itself is not there."""
    target = tmp_path / "night.take"
    for age, part in enumerate(("night.take.part2.flow.jsonl", "night.take.part1.flow.jsonl")):
        (tmp_path / part).touch()
        os.utime(tmp_path / part, (1000 + age, 1000 + age))
    with pytest.raises(TakeError) as error:
        open_any(str(target))
    assert str(error.value) == (
        f"{target}: there is no such file, but a recording of it that was not finished; "
        f"open {tmp_path / 'night.take.part1.flow.jsonl'}"
    )


@pytest.mark.parametrize(
    ("error", "reason"),
    [
        (ValueError("bad  number\nin it"), "bad number in it"),
        (IndexError(), "IndexError"),
        (KeyError("k" * 200), "'" + "k" * 119),
        (ValueError("k" * 120), "k" * 120),
    ],
)
def test_what_a_zip_says_of_itself_may_be_anything(saved, monkeypatch, error, reason):
    """One line of it is told, and no more than fits."""

    def fail(*_: object) -> None:
        raise error

    monkeypatch.setattr(archive, "_read_archive", fail)
    assert refused(saved) == f"the file is damaged ({reason}); record or convert the take again"


@pytest.mark.parametrize(
    ("size", "packing", "flags", "why"),
    [
        (10**15, zipfile.ZIP_STORED, 0, "is packed, locked or sized as no take's is"),
        (10, zipfile.ZIP_DEFLATED, 0, "is packed, locked or sized as no take's is"),
        (10, zipfile.ZIP_STORED, 1, "is packed, locked or sized as no take's is"),
        (10**6, zipfile.ZIP_STORED, 0, "says it is larger than the file"),
    ],
)
def test_what_a_member_says_of_itself_is_not_believed(saved, size, packing, flags, why):
    """Nothing is read before it fits the file."""
    member = zipfile.ZipInfo("strings.arrow")
    member.file_size, member.compress_type, member.flag_bits = size, packing, flags
    archive = SimpleNamespace(infolist=lambda: [member])
    with pytest.raises(TakeError) as error:
        sizes_of_members(archive, str(saved))
    assert str(error.value) == f"{saved}: `strings.arrow` in it {why}; it was not opened"


def test_a_member_may_be_there_once(saved):
    """Which of two would be read?"""
    with zipfile.ZipFile(saved, "a") as file, pytest.warns(UserWarning, match="Duplicate name"):
        file.writestr("manifest.json", b"{}")
    assert refused(saved) == "the file holds `manifest.json` twice; it was not opened"


def test_a_table_that_is_compressed_is_refused(saved):
    """It might be far larger than the file."""
    sink = io.BytesIO()
    table = pa.table({"text": pa.array(["a", "b"], pa.large_string())})
    with pa.ipc.new_file(sink, table.schema, options=pa.ipc.IpcWriteOptions(compression="lz4")) as writer:
        writer.write_table(table)
    assert refused(rewritten(saved, {"strings.arrow": sink.getvalue()})) == (
        "a table in it is damaged (`strings.arrow`: it is compressed, which no take's table is); it was not opened"
    )


@pytest.mark.parametrize(
    ("changes", "reason"),
    [
        ({"../../evil": b"x"}, "the file holds `../../evil`, which no take has; it was not opened"),
        ({"tables/cake.arrow": b"x"}, "the file holds `tables/cake.arrow`, which no take has; it was not opened"),
        (
            {"manifest.json": None},
            "this is a ZIP file but not a take (it has no manifest); give a .take or .flow.jsonl file",
        ),
        ({"manifest.json": b"{}"}, "its manifest is not a take's (Object missing required field `format`)"),
        (
            {"manifest.json": b"\xff\xfe"},
            "its manifest is not a take's (JSON is malformed: invalid character (byte 0))",
        ),
        ({"manifest.json": b"[" * 100_000}, "its manifest is not a take's (Expected `object`, got `array`)"),
        (
            {"strings.arrow": b"nonsense"},
            "a table in it is damaged (`strings.arrow`: it is no Arrow file); it was not opened",
        ),
        (
            {"strings.arrow": arrow(text=pa.array([1, 2]))},
            "its strings hold something that is no text; it was not opened",
        ),
        (
            {"strings.arrow": arrow(text=pa.array(["a", None], pa.large_string()))},
            "its strings hold something that is no text; it was not opened",
        ),
        (
            {"strings.arrow": arrow(words=pa.array(["a"], pa.large_string()))},
            "its strings are not one column `text`; it was not opened",
        ),
        (
            {"strings.arrow": arrow(text=pa.array(["a", "a"], pa.large_string()))},
            "its strings hold one text twice; it was not opened",
        ),
        (
            {"tables/send.arrow": b""},
            "a table in it is damaged (`tables/send.arrow`: it is no Arrow file); it was not opened",
        ),
        ({"tables/send.arrow": None}, SEND_ROWS),
        ({"tables/send.arrow": arrow(s=pa.array([1]))}, SEND_ROWS),
        ({"tables/send.arrow": arrow(s=pa.array([1, 2]))}, "table `send` has no column `line`; it was not opened"),
        (
            {"tables/send.arrow": arrow(s=pa.array([1, 2]), line=pa.array([2, 3]))},
            "table `send` has no column `t`; it was not opened",
        ),
        ({"tables/send.arrow": arrow(d=pa.array([1, 2]))}, "table `send` has no column `line`; it was not opened"),
    ],
)
def test_a_hostile_file_is_refused_with_a_reason(saved, changes, reason):
    """Path names, sizes that lie, wrong types: one sentence each, never a traceback."""
    assert refused(rewritten(saved, changes)) == reason


@pytest.mark.parametrize(
    ("column", "reason"),
    [
        (
            pa.array(["a", "b"]),
            "a table in it is damaged (`tables/call.arrow`: column `c` is of type string, which no take's is); "
            "it was not opened",
        ),
        (
            pa.array(["a", "b"], pa.large_string()),
            "table `call`, column `c` is of type large_string, expected integer numbers; it was not opened",
        ),
        (pa.array([1, None]), "table `call`, column `c` holds nulls, which no take has; it was not opened"),
        (
            pa.array([0.5, 1.5]),
            "table `call`, column `c` is of type double, expected integer numbers; it was not opened",
        ),
    ],
    ids=["text", "large text", "nulls", "floats"],
)
def test_a_column_of_the_wrong_type_is_refused(saved, column, reason):
    """Types are the contract's, or nothing."""
    assert refused(with_column(saved, "call", "c", column)) == reason


def test_codes_that_point_outside_the_strings_are_refused(saved):
    """No view could show them."""
    codes = pa.array(np.array([0, 999], np.int32))
    outside = "table `call`, column `fn` points outside what the take has; it was not opened"
    assert refused(with_column(saved, "call", "fn", codes)) == outside


OUTSIDE = "points outside what the take has"


@pytest.mark.parametrize(
    ("kind", "name", "value", "reason"),
    [
        ("bind", "b", 1, ""),
        ("bind", "b", 0, OUTSIDE),
        ("bind", "b", 2**62, ""),
        ("bind", "b", 2**62 + 1, "is 4611686018427387905, expected an integer"),
        ("bind", "b", 1.0, "is 1.0, expected an integer"),
        ("bind", "ev", 0, ""),
        ("bind", "ev", -1, OUTSIDE),
        ("bind", "src", -1, ""),
        ("bind", "src", -2, OUTSIDE),
        ("bind", "ev", 4, ""),
        ("bind", "ev", 5, OUTSIDE),
        ("bind", "c", 0, ""),
        ("bind", "c", -1, OUTSIDE),
        ("bind", "p", 0, ""),
        ("bind", "p", 1, OUTSIDE),
        ("bind", "line", 0, ""),
        ("bind", "line", -1, OUTSIDE),
        ("bind", "line", 2**40, ""),
        ("bind", "line", 2**40 + 1, OUTSIDE),
        ("bind", "t", -(2**61), ""),
        ("bind", "t", -(2**61) - 1, OUTSIDE),
        ("bind", "t", 2**61, ""),
        ("bind", "t", 2**61 + 1, OUTSIDE),
        ("head", "holds", -1, ""),
        ("head", "holds", -2, OUTSIDE),
        ("head", "holds", 1, ""),
        ("head", "holds", 2, OUTSIDE),
        ("head", "hz", 1e12, ""),
        ("head", "hz", 1.1e12, "holds a number beyond all bounds"),
        ("head", "hz", -1.1e12, "holds a number beyond all bounds"),
    ],
)
def test_what_a_column_holds_is_bounded(saved, kind, name, value, reason):
    """Just within, and just beyond."""
    with zipfile.ZipFile(saved) as file:
        tables = json.loads(file.read("manifest.json"))["tables"]
        assert len(pa.ipc.open_file(io.BytesIO(file.read("strings.arrow"))).read_all()) == 5
    tables[kind]["constants"][name] = value
    path = rewritten(saved, {"manifest.json": manifest_with(saved, tables=tables)})
    if reason:
        assert refused(path) == f"table `{kind}`, column `{name}` {reason}; it was not opened"
    else:
        assert open_take(path).records == open_take(saved).records


def test_json_is_text_and_there_where_it_must_be(saved, tmp_path):
    """Data of another type, and a watched value that has none."""
    wrong = with_column(saved, "send", "d", pa.array([1, 2]))
    assert refused(wrong) == "table `send`, column `d` is of type int64, expected large_string; it was not opened"
    tape = Tape().frame()("watch", o="cat#1", name="mood", v=1)("watch", o="cat#1", name="mood", v=2)
    path = tmp_path / "watched.take"
    save_take(tape.take(), path)
    empty = with_column(path, "watch", "v", pa.array(["1", ""], pa.large_string()))
    assert refused(empty) == "table `watch` lacks values in column `v`; it was not opened"


def test_what_is_not_there_or_no_file_is_said(tmp_path):
    """In the words of the system."""
    assert refused(tmp_path / "nowhere.take") == "cannot be read (No such file or directory)"
    assert refused(tmp_path) == "cannot be read (Is a directory)"


@pytest.mark.parametrize(
    ("field", "value", "reason"),
    [
        ("format", "cake", "its manifest says `cake`, not `opossum-take`; it was not opened"),
        ("version", 99, "it was saved by a newer Opossum (format 99); update Opossum to open it"),
        ("tables", {"send": {"rows": 10**15}}, "it says it has more than 100,000,000 records; it was not opened"),
        (
            "tables",
            {"send": {"rows": -5}},
            "table `send` does not have the -5 rows its manifest says; it was not opened",
        ),
        (
            "tables",
            {"frame": {"rows": 10**7, "constants": {"n": 0, "line": 0, "t": 0, "p": 0}}},
            "table `frame` does not have the 10,000,000 rows its manifest says; it was not opened",
        ),
        ("peers", [], "table `head`, column `p` points outside what the take has; it was not opened"),
        ("peers", [{"name": "many"}] * 1025, "it says it has 1,025 peers, more than 1,024; it was not opened"),
    ],
)
def test_a_lying_manifest_is_refused(saved, field, value, reason):
    """Nothing is believed that no bytes stand behind."""
    assert refused(rewritten(saved, {"manifest.json": manifest_with(saved, **{field: value})})) == reason


BEYOND = 2**62 + 1


@pytest.mark.parametrize(
    ("field", "one"),
    [
        *(
            ("peers", {name: BEYOND})
            for name in ("first_t", "last_t", "first_line", "last_line", "records", "shift_ns")
        ),
        *(("peers", {name: -BEYOND}) for name in ("first_t", "last_t", "shift_ns")),
        *(("peers", {name: -1}) for name in ("first_line", "last_line", "records")),
        ("peers", {"shift_error_ns": BEYOND}),
        ("peers", {"shift_error_ns": -2}),
        ("sources", ["a.flow.jsonl", -1]),
        ("damage", {"code": "no-bye", "sentence": "it", "count": -1, "lines": []}),
        ("damage", {"code": "no-bye", "sentence": "it", "count": 1, "lines": [7, -7]}),
    ],
)
def test_a_number_in_a_manifest_that_no_take_has_is_refused(saved, field, one):
    """Whichever it is, and though all others are as they should be."""
    with zipfile.ZipFile(saved) as file:
        known = json.loads(file.read("manifest.json"))[field]
    wrong = [known[0] | one] if field == "peers" else [*known, one]
    path = rewritten(saved, {"manifest.json": manifest_with(saved, **{field: wrong})})
    assert refused(path) == "its manifest holds numbers that no take has; it was not opened"


def test_a_manifest_larger_than_any_takes_is_refused(saved, monkeypatch):
    """It is not even read."""
    monkeypatch.setattr("opossum.take.manifest.LARGEST_MANIFEST", 99)
    assert refused(saved) == "its manifest is larger than any take's; it was not opened"


def test_records_of_nobody_are_refused(saved):
    """Whose they are stands in a column, or once for all."""
    with zipfile.ZipFile(saved) as source:
        tables = json.loads(source.read("manifest.json"))["tables"]
    del tables["send"]["constants"]["p"]
    changed = rewritten(saved, {"manifest.json": manifest_with(saved, tables=tables)})
    assert refused(changed) == "table `send` has no column `p`; it was not opened"


def test_a_packed_member_is_refused(saved):
    """Takes are stored, so nothing can unpack to more than it is."""
    with pytest.raises(TakeError, match="is packed, locked or sized as no take's is"):
        open_take(rewritten(saved, {}, stored=False))


@pytest.mark.parametrize("share", [0.1, 0.5, 0.9, 0.99])
def test_a_cut_file_is_refused(saved, share):
    """A broken copy says so."""
    cut = saved.with_name("cut.take")
    data = saved.read_bytes()
    cut.write_bytes(data[: int(len(data) * share)])
    assert re.fullmatch(r"the file is damaged \([A-Z].+ .+\); record or convert the take again", refused(cut))


@pytest.mark.parametrize("place", range(40, 3000, 131))
def test_a_flipped_byte_is_refused_or_harmless(saved, place):
    """No byte of a file can make opening raise anything but a refusal."""
    data = bytearray(saved.read_bytes())
    data[place % len(data)] ^= 0xFF
    broken = saved.with_name("flipped.take")
    broken.write_bytes(bytes(data))
    try:
        open_any(str(broken))
    except TakeError as error:
        assert str(error)


@pytest.mark.parametrize(("batches", "refused"), [(64, ""), (65, "(`strings.arrow`: it holds more than 64 batches)")])
def test_the_batches_of_a_table_are_bounded(saved, batches, refused):
    """Opossum writes one; many of nothing would take time for nothing."""
    with zipfile.ZipFile(saved) as file:
        table = pa.ipc.open_file(io.BytesIO(file.read("strings.arrow"))).read_all()
    sink = io.BytesIO()
    with pa.ipc.new_file(sink, table.schema) as writer:
        writer.write_table(table)
        for _ in range(batches - 1):
            writer.write_batch(pa.RecordBatch.from_arrays([pa.array([], pa.large_string())], ["text"]))
    path = rewritten(saved, {"strings.arrow": sink.getvalue()})
    if refused:
        with pytest.raises(TakeError, match=re.escape(refused)):
            open_take(path)
    else:
        assert open_take(path).records


def test_a_table_holds_nothing_but_a_schema_and_batches():
    """Nor more columns than any take's."""
    schema = pa.schema([("text", pa.large_string())]).serialize().to_pybytes()
    with pytest.raises(ValueError, match=r"^it holds a schema, which no take has$"):
        plain_table(b"ARROW1\0\0" + schema + schema)
    wide = pa.schema([(f"c{number}", pa.int64()) for number in range(65)]).serialize().to_pybytes()
    with pytest.raises(ValueError, match=r"^it has more than 64 columns$"):
        plain_table(b"ARROW1\0\0" + wide)
