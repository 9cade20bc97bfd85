"""Reading streams: bytes in, tables out, whatever the bytes are.

A `StreamReader` is fed bytes as they come (a file, standard input, a file still being written) and asked
for what it has at any time.  `read_streams` does so for whole files.  Cost: about 1.5 µs and 60 bytes a
record.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from opossum.stream.collecting import Collector
from opossum.stream.contents import PeerSpan, StreamContents, StreamError
from opossum.stream.damage import DamageLog
from opossum.stream.decoding import RECORD_TYPES, decode_all, decode_each
from opossum.stream.files import open_bytes, portions_of, refuse_other_kinds
from opossum.stream.kinds import STREAM_VERSION
from opossum.stream.limits import MOST_PEERS, MOST_RECORDS, SHIFT
from opossum.stream.strings import Interner

LONGEST_LINE = 8 << 20
"""A line longer than this is skipped: no recorder writes one, and it must not fill the memory."""

DEFAULT_PEER = "main"

Progress = Callable[[int], None]
"""Called with the number of bytes taken from the file so far; may raise to cancel."""


class StreamReader:
    """Takes a stream's bytes in any portions; keeps columns, never records."""

    def __init__(self, source: str = "stream", shifts: Mapping[str, tuple[int, int]] | None = None) -> None:
        """Begin to read; `shifts` gives peers' (shift, error) in ns, as `PeerSpan` keeps them."""
        self._shifts = dict(shifts or {})
        self.damage = DamageLog()
        self._strings = Interner()
        self._collector = Collector(self._strings, self.damage)
        self._peers: dict[str, int] = {}
        self._spans: list[PeerSpan] = []
        self._latest: dict[tuple[int, int], int] = {}
        """(peer, thread code) → latest t, to see time run backwards."""
        self._sources: list[tuple[str, int]] = []
        self._line = 1
        self._records = 0
        self._head_type = RECORD_TYPES["head"]
        self.begin_source(source)

    def begin_source(self, source: str) -> None:
        """Say that what is fed next is another file, with lines and a default peer of its own."""
        self._pending: list[bytes] = []
        self._pending_bytes = 0
        self._skipping = False
        self._default_peer: int | None = None
        self._source_peers: dict[str, int] = {}
        self._only_heads = True
        self._sources.append((source, self._line))

    @property
    def records(self) -> int:
        """Return how many records have been read so far."""
        return self._records

    def feed(self, data: bytes) -> None:
        """Take the next bytes; whole lines are read at once, an unfinished one waits for the rest."""
        cut = data.rfind(b"\n") + 1
        if not cut:
            self._hold(data)
            return
        head = data[:cut]
        if self._skipping:
            end = head.find(b"\n") + 1
            head = head[end:]
            self._skipping = False
            self._line += 1
        if self._pending:
            head = b"".join(self._pending) + head
        self._pending, self._pending_bytes = [], 0
        self._read_lines(head)
        self._hold(data[cut:])

    def _hold(self, data: bytes) -> None:
        if not data or self._skipping:
            return
        self._pending.append(data)
        self._pending_bytes += len(data)
        if self._pending_bytes > LONGEST_LINE:
            self._tell_long_line(self._line)
            self._pending, self._pending_bytes, self._skipping = [], 0, True

    def _tell_long_line(self, line: int) -> None:
        self.damage.add(
            "line-too-long", f"line longer than {LONGEST_LINE >> 20} MiB; it was left out", self._local(line)
        )

    def finish_source(self) -> None:
        """Say that the current file has ended; a line without its end is read if it is whole, else told."""
        rest = b"".join(self._pending)
        self._pending, self._pending_bytes, self._skipping = [], 0, False
        if not rest.strip(b"\0 \r\n\t"):
            return
        line = self._line
        records, _ = decode_each([rest], self._local(line), DamageLog())
        if records:
            self._take(records, [line])
        else:
            self.damage.add("cut-off", "last line is cut off; it was left out", self._local(line))
        self._line += 1

    def contents(self) -> StreamContents:
        """Return what has been read so far; reading may go on afterwards."""
        return StreamContents(
            self._collector.tables(), self._strings.texts(), list(self._spans), self.damage.sorts(), list(self._sources)
        )

    def _local(self, line: int) -> int:
        return line - self._sources[-1][1] + 1

    def _read_lines(self, data: bytes) -> None:
        count = data.count(b"\n")
        records = decode_all(data) if len(data) <= LONGEST_LINE else None
        if records is not None and len(records) == count:
            self._take(records, None)
        else:
            lines = data.split(b"\n")[:-1]
            for number, line in enumerate(lines):
                if len(line) > LONGEST_LINE:
                    self._tell_long_line(self._line + number)
                    lines[number] = b""
            first = self._local(self._line)
            records, numbers = decode_each(lines, first, self.damage)
            self._take(records, [number - first + self._line for number in numbers])
        self._line += count

    def _take(self, records: list[Any], numbers: list[int] | None) -> None:
        if self._records + len(records) > MOST_RECORDS:
            self.damage.add("too-many", f"stream goes on after {MOST_RECORDS:,} records; the rest was left out")
            return
        count = len(records)
        if not count:
            return
        if numbers is None:
            lines = np.arange(self._line, self._line + count, dtype=np.int64)
        else:
            lines = np.array(numbers, np.int64)
        peers = self._peer_column(records, count)
        if int(peers.min()) < 0:
            records, lines, peers = self._without_further_peers(records, lines, peers)
            count = len(records)
            if not count:
                return
        times = [record.t for record in records]
        if times.count(None):
            times = self._filled_times(times, peers)
        threads = [record.th for record in records]
        if threads.count(None) == count:
            thread_codes = np.full(count, -1, np.int64)
        else:
            thread_codes = np.fromiter(map(self._strings.__getitem__, threads), np.int64, count)
            main = self._strings.get("main")
            if main is not None:
                thread_codes[thread_codes == main] = -1
        t = np.array(times, np.int64)
        if self._shifts:
            t += np.array([span.shift_ns for span in self._spans], np.int64)[peers]
        self._watch_time(lines, t, peers, thread_codes)
        self._collector.add(records, (lines, t, peers, thread_codes))
        self._records += count

    def _peer_column(self, records: list[Any], count: int) -> Any:
        """Return the peer index of each record, following heads as they come.

        A head that opens the file sets the default peer.  A later one does so only when it carries no `p`
        and other records came before it (one stream appended to another): heads that stand together at
        the top name the peers of one merged stream, whose records say their `p`.
        """
        names = [record.p for record in records]
        heads = _places_of(self._head_type, list(map(type, records)))
        if not heads and names.count(None) == count:
            self._only_heads = False
            return np.full(count, self._default(), np.int64)
        peers = np.empty(count, np.int64)
        begin = 0
        for head in [*heads, count]:
            if begin < head:
                peers[begin:head] = self._peers_of(names[begin:head])
                self._only_heads = False
            if head < count:
                peers[head] = self._follow_head(records[head], names[head])
            begin = head + 1
        return peers

    def _follow_head(self, head: Any, name: str | None) -> int:
        """Return the peer index of a head, which may be the default from now on."""
        peer = self._peer_index(name or head.peer or DEFAULT_PEER)
        if self._default_peer is None or (name is None and not self._only_heads):
            self._default_peer = peer
        if head.opossum != STREAM_VERSION:
            self.damage.add(
                "other-version",
                f"head says stream version {head.opossum}, this Opossum reads version {STREAM_VERSION}; "
                "it was read all the same",
            )
        return peer

    def _peers_of(self, names: list[str | None]) -> Any:
        """Return the peer index of records between two heads by what each says of its peer, (names,) or one for all."""
        if names.count(None) == len(names):
            return self._default()
        known = {name: self._default() if name is None else self._peer_index(name) for name in dict.fromkeys(names)}
        return np.fromiter(map(known.__getitem__, names), np.int64, len(names))

    def _without_further_peers(self, records: list[Any], lines: Any, peers: Any) -> tuple[list[Any], Any, Any]:
        """Leave out the records of peers beyond the most that are taken (-1), and say so."""
        mine = peers >= 0
        self.damage.add_lines(
            "too-many-peers",
            f"record of a peer beyond the first {MOST_PEERS:,}; it was left out",
            [self._local(line) for line in lines[~mine].tolist()],
        )
        return [records[row] for row in np.flatnonzero(mine).tolist()], lines[mine], peers[mine]

    def _default(self) -> int:
        if self._default_peer is None:
            self._default_peer = self._peer_index(DEFAULT_PEER)
        return self._default_peer

    def _peer_index(self, name: str) -> int:
        """Return the number of a peer of the current source, a new one where it is new; -1 where there are too many."""
        index = self._source_peers.get(name)
        if index is None:
            if len(self._spans) >= MOST_PEERS:
                return -1
            unique, number = name, 2
            while unique in self._peers:
                unique, number = f"{name} ({number})", number + 1
            index = self._source_peers[name] = self._peers[unique] = len(self._spans)
            shift, error = self._shifts.get(name, (0, -1))
            if not SHIFT.hold(shift):  # a clock that lies shifts nothing
                shift, error = 0, -1
            self._spans.append(PeerSpan(unique, self._sources[-1][0], shift_ns=shift, shift_error_ns=error))
        return index

    def _filled_times(self, times: list[int | None], peers: Any) -> list[int]:
        """Give a record without `t` the time of the one before it, and say so (a head may go without)."""
        filled, last = [], {index: span.last_t for index, span in enumerate(self._spans)}
        for row, time in enumerate(times):
            peer = int(peers[row])
            if time is None:
                time = last.get(peer, 0)
            last[peer] = time
            filled.append(time)
        return filled

    def _watch_time(self, lines: Any, t: Any, peers: Any, threads: Any) -> None:
        """Keep each peer's span and tell of time that runs backwards within a peer's thread."""
        first_peer = int(peers[0])
        alone = len(self._spans) == 1 or bool((peers == first_peer).all())
        for peer in [first_peer] if alone else np.unique(peers).tolist():
            mine = slice(None) if alone else peers == peer
            span = self._spans[peer]
            own_t, own_lines, own_threads = t[mine], lines[mine], threads[mine]
            if not span.records:
                span.first_t, span.last_t = int(own_t.min()), int(own_t.max())
                span.first_line = int(own_lines[0])
            span.first_t = min(span.first_t, int(own_t.min()))
            span.last_t = max(span.last_t, int(own_t.max()))
            span.last_line = int(own_lines[-1])
            span.records += len(own_t)
            one_thread = bool((own_threads == own_threads[0]).all())
            for thread in [int(own_threads[0])] if one_thread else np.unique(own_threads).tolist():
                thread_rows = slice(None) if one_thread else own_threads == thread
                thread_t, thread_lines = own_t[thread_rows], own_lines[thread_rows]
                before = self._latest.get((peer, thread))
                if before is not None:
                    thread_t = np.concatenate(([before], thread_t))
                    thread_lines = np.concatenate((thread_lines[:1], thread_lines))
                backwards = np.flatnonzero(np.diff(thread_t) < 0) + 1
                if len(backwards):
                    base = self._sources[-1][1] - 1
                    self.damage.add_lines(
                        "time-backwards",
                        "record whose time is before that of the one before it; it was kept in stream order",
                        (thread_lines[backwards] - base).tolist(),
                    )
                self._latest[peer, thread] = int(thread_t[-1])


def read_streams(
    paths: Sequence[str], progress: Progress | None = None, shifts: Mapping[str, tuple[int, int]] | None = None
) -> StreamContents:
    """Read whole streams into one set of tables; several files are several peers of one take.

    `shifts` sets peers' clocks against each other: by name, (ns to add, error in ns).

    Raises:
        StreamError: a path holds nothing that could be a stream, or no record was in any of them.
    """
    reader: StreamReader | None = None
    done = 0
    for path in paths:
        if reader is None:
            reader = StreamReader(path, shifts)
        else:
            reader.begin_source(path)
        before = reader.records
        first = True
        with open_bytes(path) as file:
            for data in portions_of(file, reader.damage):
                if first:
                    refuse_other_kinds(path, data)
                    first = False
                reader.feed(data)
                if progress is not None:
                    progress(done + (file.tell() if file.seekable() else 0))
        if progress is not None and path != "-":
            done += Path(path).stat().st_size
        reader.finish_source()
        if reader.records == before:
            if first:
                raise StreamError(path, "the file is empty; a stream starts with a `head` line")
            raise StreamError(
                path, "no line in it is a record of an event-flow stream (JSON Lines that start with a `head`)"
            )
    if reader is None:
        raise StreamError("", "no stream was named")
    return reader.contents()


def _places_of(kind: type, kinds: list[type]) -> list[int]:
    """Return where a kind stands among many; what is rare is sought quicker than all are looked at."""
    places: list[int] = []
    for _ in range(kinds.count(kind)):
        places.append(kinds.index(kind, places[-1] + 1 if places else 0))
    return places
