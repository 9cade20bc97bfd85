"""A take as OpenTelemetry's OTLP JSON: frames, calls and sends as spans, causes over frames as links.

The format of the OTLP file exporter (opentelemetry.io/docs/specs/otel/protocol/file-exporter): JSON Lines, each a whole
`TracesData`.  A frame is a trace of its own; a send is a span from when it was sent to when the last call for it returned,
below the call that sent it; a call is below its send.  A call that a timer, a delay or a clip led to is linked to the call
that set or started it.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from datetime import datetime
from typing import Any, BinaryIO

import msgspec
import numpy as np

from opossum.stream.strings import UNNAMED
from opossum.stream.tables import Array
from opossum.take.take import Take
from opossum.version import __version__

SPANS_A_LINE = 2_000
"""Spans in one line of the file: so much is in memory at a time."""

INTERNAL = 1
"""OTLP's SpanKind of what happens within a process."""

ERROR = 2
"""OTLP's status code of what raised."""


def write_spans(take: Take, file: BinaryIO) -> int:
    """Write a take as OTLP JSON Lines; return how many spans. About 10 µs a span."""
    spans = _Spans(take)
    total = 0
    encode = msgspec.json.Encoder().encode
    for peer in range(len(take.peers)):
        for chunk in spans.of_peer(peer):
            total += len(chunk)
            data = {
                "resourceSpans": [
                    {
                        "resource": {"attributes": spans.resource(peer)},
                        "scopeSpans": [{"scope": {"name": "opossum", "version": __version__}, "spans": chunk}],
                    }
                ]
            }
            file.write(encode(data) + b"\n")
    return total


class _Spans:
    """Makes spans of a take's frames, sends and calls."""

    def __init__(self, take: Take) -> None:
        self.take = take
        self.seed = hashlib.blake2b(f"{take.name}|{take.game}|{take.records}".encode(), digest_size=8).digest()
        table = take.tables["send"]
        self.send_end = np.asarray(table["t"], np.int64).copy()
        send = np.asarray(take.calls.send, np.int64)
        known = send >= 0
        np.maximum.at(self.send_end, send[known], np.asarray(take.calls.end_ns, np.int64)[known])
        self.begins = [_started_ns(take, peer) for peer in range(max(1, len(take.peers)))]

    def resource(self, peer: int) -> list[dict[str, Any]]:
        """Return what is known of a peer's process."""
        recording = self.take.recording
        told = {
            "service.name": self.take.game,
            "service.instance.id": self.take.peers[peer].name,
            "service.version": recording.head_text(peer, "build"),
            "host.name": recording.head_text(peer, "host"),
            "opossum.engine": recording.head_text(peer, "engine"),
        }
        return [_attribute(name, value) for name, value in told.items() if value]

    def of_peer(self, peer: int) -> Iterator[list[dict[str, Any]]]:
        """Yield a peer's spans, some thousand at a time, frame after frame."""
        take = self.take
        frames = take.frames
        rows = frames.of_peer(peer)
        sends = np.flatnonzero(np.asarray(take.tables["send"]["p"]) == peer)
        calls = np.flatnonzero(np.asarray(take.tables["call"]["p"]) == peer)
        send_frame, call_frame = take.sends.frame[sends], take.calls.frame[calls]
        chunk: list[dict[str, Any]] = []
        for frame in range(rows.start, rows.stop):
            chunk.append(self._frame(frame))
            for send in _rows_of(sends, send_frame, frame):
                chunk.append(self._send(int(send)))
            for call in _rows_of(calls, call_frame, frame):
                chunk.append(self._call(int(call)))
            if len(chunk) >= SPANS_A_LINE:
                yield chunk
                chunk = []
        if chunk:
            yield chunk

    def _trace(self, frame: int) -> str:
        return (self.seed + int(frame + 1).to_bytes(8, "big")).hex()

    def _span(self, kind: int, row: int) -> str:
        # never all zeros, which OTLP forbids
        return (kind << 60 | row).to_bytes(8, "big").hex()

    def _made(self, kind: int, row: int, frame: int, name: str, peer: int, begin: int, end: int) -> dict[str, Any]:
        start = self.begins[peer]
        return {
            "traceId": self._trace(frame),
            "spanId": self._span(kind, row),
            "name": name,
            "kind": INTERNAL,
            "startTimeUnixNano": str(start + begin),
            "endTimeUnixNano": str(start + max(begin, end)),
        }

    def _frame(self, row: int) -> dict[str, Any]:
        frames = self.take.frames
        peer = int(frames.peer[row])
        span = self._made(1, row, row, "frame", peer, int(frames.start_ns[row]), int(frames.end_ns[row]))
        span["attributes"] = [
            _attribute("opossum.frame", int(frames.number[row])),
            _attribute("opossum.work_ns", int(frames.work_ns[row])),
        ]
        return span

    def _send(self, row: int) -> dict[str, Any]:
        take, table = self.take, self.take.tables["send"]
        frame, cause = int(take.sends.frame[row]), int(take.sends.cause[row])
        name = take.text(int(table["ev"][row])) or "send"
        span = self._made(2, row, frame, name, int(table["p"][row]), int(table["t"][row]), int(self.send_end[row]))
        same_frame = cause >= 0 and int(take.calls.frame[cause]) == frame
        span["parentSpanId"] = self._span(3, cause) if same_frame else self._span(1, frame) if frame >= 0 else ""
        told = {
            "opossum.record": "send",
            "opossum.object": take.text(int(table["o"][row])),
            "opossum.via": take.via_of_send(row),
        }
        span["attributes"] = [_attribute(key, value) for key, value in told.items() if value]
        if cause >= 0 and not same_frame:
            span["links"] = [self._link(cause)]
        return span

    def _call(self, row: int) -> dict[str, Any]:
        take, calls = self.take, self.take.calls
        frame, send = int(calls.frame[row]), int(calls.send[row])
        peer = int(take.tables["call"]["p"][row])
        name = take.function_of_call(row)
        span = self._made(3, row, frame, name, peer, int(calls.start_ns[row]), int(calls.end_ns[row]))
        same_frame = send >= 0 and int(take.sends.frame[send]) == frame
        span["parentSpanId"] = self._span(2, send) if same_frame else self._span(1, frame) if frame >= 0 else ""
        told: dict[str, str | int] = {
            "opossum.record": "call",
            "opossum.object": take.owner_of_call(row),
            "opossum.event": take.event_of_call(row),
            "code.function.name": name,
        }
        if int(calls.effect[row]) >= 0:
            told["opossum.effect"] = int(calls.effect[row])
        span["attributes"] = [_attribute(key, value) for key, value in told.items() if value not in ("", UNNAMED)]
        cause = int(take.causes[row])
        if cause >= 0 and cause != int(calls.parent[row]):
            span["links"] = [self._link(cause)]
        error = take.text(int(take.tables["ret"]["err"][calls.ret[row]])) if int(calls.ret[row]) >= 0 else ""
        if error:
            span["status"] = {"code": ERROR, "message": error}
        return span

    def _link(self, call: int) -> dict[str, Any]:
        return {"traceId": self._trace(int(self.take.calls.frame[call])), "spanId": self._span(3, call)}


def _rows_of(rows: Array, frames: Array, frame: int) -> Array:
    low, high = np.searchsorted(frames, [frame, frame + 1])
    return rows[low:high]


def _attribute(key: str, value: str | int) -> dict[str, Any]:
    # OTLP's JSON writes 64-bit integers as texts
    return {"key": key, "value": {"intValue": str(value)} if isinstance(value, int) else {"stringValue": value}}


def _started_ns(take: Take, peer: int) -> int:
    """Return when a peer's stream began in Unix ns, by its head; 0 where that is not told."""
    try:
        return int(datetime.fromisoformat(take.recording.head_text(peer, "started")).timestamp() * 1e9)
    except ValueError:
        return 0
