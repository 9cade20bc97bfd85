"""Takes as other programs read them: each written, and read back by a reader that is none of ours."""

from __future__ import annotations

import csv
import json

import numpy as np
import pyarrow as pa
import pytest
from google.protobuf import json_format
from opentelemetry.proto.trace.v1 import trace_pb2
from pyarrow import parquet

from opossum.export.folders import write_csv, write_parquet
from opossum.export.spans import write_spans
from opossum.export.whole_folder import whole_folder
from opossum.stream.kinds import KINDS
from tape import Tape


def test_parquet_tables_hold_every_record_by_name(night, tmp_path):
    """As many rows as records, names for codes, nulls for what is absent."""
    take = night("two-routes", seconds=20.0)
    count = write_parquet(take, tmp_path / "night.parquet")
    read = {path.stem: parquet.read_table(path) for path in (tmp_path / "night.parquet").iterdir()}
    assert len(read) == count and {"frames", "listeners"} <= set(read)
    for kind, table in take.tables.items():
        assert (len(read[kind]) if kind in read else 0) == len(table)
        if kind in read:
            assert {"line", "t", "p", "th", *(field.name for field in KINDS[kind].fields)} <= set(
                read[kind].column_names
            )
    sends = read["send"].to_pylist()
    for row in (0, 100, len(sends) - 1):
        assert sends[row]["ev"] == take.text(int(take.tables["send"]["ev"][row])) and sends[row]["p"] == "main"
        cause = int(take.tables["send"]["c"][row])
        assert sends[row]["c"] == (cause or None)
    assert sum(row["calls"] for row in read["listeners"].to_pylist()) == len(take.calls)
    assert pa.types.is_boolean(read["arm"].schema.field("loop").type)


def test_csv_can_be_read_by_anything(night, tmp_path):
    """A line of names, then as many lines as records."""
    take = night(seconds=20.0)
    write_csv(take, tmp_path / "night.csv")
    with (tmp_path / "night.csv" / "call.csv").open(encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == len(take.calls)
    assert [row["fn"] for row in rows[:50]] == [take.function_of_call(call) for call in range(50)]
    assert int(rows[7]["duration_ns"]) == take.calls.duration_ns[7] and rows[7]["event"] == take.event_of_call(7)


def test_spans_are_read_by_opentelemetrys_own_messages(night, tmp_path):
    """Every frame, send and call once; each below what led to it within its frame, links over frames."""
    take = night("delay-early", seconds=20.0)
    path = tmp_path / "night.otlp.jsonl"
    with path.open("wb") as file:
        count = write_spans(take, file)
    spans = []
    for line in path.read_bytes().splitlines():
        data = json_format.Parse(_ids_as_base64(line), trace_pb2.TracesData())
        (resource,) = data.resource_spans
        assert {item.key: item.value.string_value for item in resource.resource.attributes}["service.name"] == take.game
        spans += resource.scope_spans[0].spans
    assert len(spans) == count == len(take.frames) + len(take.tables["send"]) + len(take.calls)
    by_id = {span.span_id: span for span in spans}
    assert len(by_id) == count and all(len(span.trace_id) == 16 and len(span.span_id) == 8 for span in spans)
    roots = [span for span in spans if not span.parent_span_id]
    assert len(roots) == len(take.frames)
    for span in spans:
        if span.parent_span_id:
            assert by_id[span.parent_span_id].trace_id == span.trace_id
        assert span.start_time_unix_nano <= span.end_time_unix_nano
        for link in span.links:
            assert by_id[link.span_id].trace_id == link.trace_id
    linked = sum(bool(span.links) for span in spans)
    over_frames = int(((take.causes >= 0) & (take.causes != take.calls.parent)).sum())
    late = (take.sends.cause >= 0) & (np.append(take.calls.frame, -1)[take.sends.cause] != take.sends.frame)
    assert linked == over_frames + int(late.sum()) > 0


def _ids_as_base64(line: bytes) -> str:
    """OTLP's JSON has ids in hex, where protobuf's own mapping has base64: the one difference between the two."""
    import base64

    def turned(value):
        if isinstance(value, dict):
            return {
                key: base64.b64encode(bytes.fromhex(item)).decode()
                if key in ("traceId", "spanId", "parentSpanId")
                else turned(item)
                for key, item in value.items()
            }
        return [turned(item) for item in value] if isinstance(value, list) else value

    return json.dumps(turned(json.loads(line)))


def test_errors_are_the_status_of_their_span(tmp_path):
    """With the text that was raised."""
    tape = Tape(started="2026-01-01T00:00:00+00:00").frame()
    bell = tape.bind("a", "x#1", "X.on_a")
    call = tape.open_call(tape.send("a"), bell)
    tape("ret", c=call, err="KeyError: 'bulb'")
    with (tmp_path / "a.otlp.jsonl").open("w+b") as file:
        write_spans(tape.take(), file)
        file.seek(0)
        (span,) = [
            span
            for span in json.loads(file.read())["resourceSpans"][0]["scopeSpans"][0]["spans"]
            if span["name"] == "X.on_a"
        ]
    assert span["status"] == {"code": 2, "message": "KeyError: 'bulb'"}
    assert int(span["startTimeUnixNano"]) > 1_767_000_000_000_000_000


def test_a_folder_is_written_whole_or_not_at_all(tmp_path):
    """What was there stays until all is written, and nothing is left lying about."""
    target = tmp_path / "night.csv"
    with whole_folder(target) as folder:
        (folder / "a.csv").write_text("1")
    with pytest.raises(ValueError), whole_folder(target) as folder:
        (folder / "b.csv").write_text("2")
        raise ValueError
    assert [path.name for path in target.iterdir()] == ["a.csv"]
    with whole_folder(target) as folder:
        (folder / "c.csv").write_text("3")
    assert [path.name for path in target.iterdir()] == ["c.csv"] and [path.name for path in tmp_path.iterdir()] == [
        "night.csv"
    ]
    (tmp_path / "file.csv").write_text("")
    with pytest.raises(OSError), whole_folder(tmp_path / "file.csv"):
        pass


def test_an_empty_take_makes_what_there_is(tmp_path):
    """A head, and no frame."""
    assert write_parquet(Tape().take(), tmp_path / "a.parquet") == 2
    with (tmp_path / "a.jsonl").open("wb") as file:
        assert write_spans(Tape().take(), file) == 0


def test_the_command_tells_what_it_wrote(run, night, tmp_path):
    """By the ending, replacing nothing that was not given up."""
    from opossum.take.archive import save_take

    save_take(night(seconds=20.0), tmp_path / "night.take")
    for ending, word in (
        (".parquet", "tables"),
        (".csv", "tables"),
        (".otlp.jsonl", "spans"),
        (".flow.jsonl", "records"),
    ):
        target = tmp_path / f"night{ending}"
        assert word in run("convert", tmp_path / "night.take", target).out
        assert "give --force" in run("convert", tmp_path / "night.take", target).err
        assert run("convert", tmp_path / "night.take", target, "--force").status == 0
    assert "use .take, .flow.jsonl" in run("convert", tmp_path / "night.take", tmp_path / "night.xls").err
