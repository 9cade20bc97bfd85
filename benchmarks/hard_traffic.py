"""Streams that are hard on the finders: each sort fills one of them with candidates, as fast as it can be written.

The same sort and length make the same stream.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

FRAME_NS = 16_666_667


class _Stream:
    """Numbers and times for a stream that is being written."""

    def __init__(self) -> None:
        self.t = 0
        self.sends = self.calls = self.frames = 0

    def line(self, kind: str, fields: str = "") -> str:
        """Return a record."""
        self.t += 700
        return f'{{"k":"{kind}","t":{self.t}{fields}}}\n'

    def head(self) -> str:
        """Return the head."""
        return self.line("head", ',"opossum":1,"game":"hard","peer":"main","hz":60')

    def frame(self) -> str:
        """End the frame before, and begin the next."""
        ended = self.line("idle") if self.frames else ""
        self.t = max(self.t, self.frames * FRAME_NS)
        self.frames += 1
        return ended + self.line("frame", f',"n":{self.frames - 1}')

    def send(self, fields: str) -> str:
        """Return a send."""
        self.sends += 1
        return self.line("send", f',"s":{self.sends}{fields}')

    def call(self, owner: str, function: str, effect: int = 1, bind: int = 0) -> str:
        """Return a call of the last send, and its return."""
        self.calls += 1
        bound = f',"b":{bind}' if bind else ""
        begun = self.line("call", f',"c":{self.calls},"s":{self.sends}{bound},"o":"{owner}","fn":"{function}"')
        return begun + self.line("ret", f',"c":{self.calls},"eff":{effect}')


def two_routes(calls: int) -> Iterator[str]:
    """One cause sends again and again in a frame to the same listeners; only the data tells the sends apart."""
    stream = _Stream()
    yield stream.head()
    while stream.calls < calls:
        yield stream.frame()
        yield stream.send(',"ev":"turn","via":"timer"')
        stream.calls += 1
        root = stream.calls
        yield stream.line("call", f',"c":{root},"s":{stream.sends},"o":"rules#1","fn":"Rules.on_turn"')
        for number in range(24):
            yield stream.send(
                f',"ev":"dealt","o":"rules#1","c":{root},"d":{{"card":{number},"of":{stream.frames % 7}}}'
            )
            yield stream.call(f"seat#{number % 4}", "Seat.on_dealt")
        yield stream.line("ret", f',"c":{root},"eff":24')


def zone_stays(calls: int) -> Iterator[str]:
    """Many visitors stay in many zones, each told of with data."""
    stream = _Stream()
    yield stream.head()
    while stream.calls < calls:
        yield stream.frame()
        for visitor in range(40):
            edge = "enter" if stream.frames % 200 == 1 else "leave" if stream.frames % 200 == 0 else "stay"
            yield stream.send(
                f',"ev":"mat_{edge}","o":"mat#{visitor % 8}","via":"zone","edge":"{edge}","d":{{"other":"guest#{visitor}"}}'
            )
            yield stream.call(f"mat#{visitor % 8}", f"Mat.on_{edge}", int(stream.frames % 10 == 0))


def nameless_binds(calls: int) -> Iterator[str]:
    """Twenty thousand binds, and calls that do not say by which of them they came."""
    stream = _Stream()
    yield stream.head()
    for bind in range(1, 20_001):
        yield stream.line("bind", f',"b":{bind},"ev":"bell","o":"ear#{bind // 2}","fn":"Ear.on_bell"')
    while stream.calls < calls:
        yield stream.frame()
        for number in range(20):
            yield stream.send(',"ev":"bell","o":"door#1"')
            for _ in range(2):
                yield stream.call(f"ear#{(stream.frames * 20 + number) % 10_000}", "Ear.on_bell")


def one_key_held(calls: int) -> Iterator[str]:
    """One key is held for most of the time, and many listeners hear it."""
    stream = _Stream()
    yield stream.head()
    while stream.calls < calls:
        yield stream.frame()
        if stream.frames % 1000 == 2:
            yield stream.send(',"ev":"press","via":"input","key":"E","edge":"down"')
        yield stream.send(',"ev":"push","via":"input","key":"E","edge":"held"')
        for number in range(50):
            yield stream.call(f"cart#{number}", "Cart.on_push")


def come_and_go(calls: int) -> Iterator[str]:
    """Ten thousand objects of one class come and go, and half of them stay bound."""
    stream = _Stream()
    yield stream.head()
    objects, bind = 10_000, 0
    every = max(1, calls // objects)
    bound: list[tuple[int, str]] = []
    while stream.calls < calls:
        yield stream.frame()
        if stream.frames % 2:
            bind += 1
            name = f"moth#{bind}"
            yield stream.line("spawn", f',"o":"{name}","cls":"Moth"')
            yield stream.line("bind", f',"b":{bind},"ev":"dusk","o":"{name}","fn":"Moth.on_dusk"')
            bound.append((bind, name))
        yield stream.send(',"ev":"dusk"')
        for number, name in bound[-max(2, every // 2) :]:
            yield stream.call(name, "Moth.on_dusk", bind=number)
        if len(bound) > 4 and stream.frames % 2:
            number, name = bound[-4]
            if number % 2:
                yield stream.line("unbind", f',"b":{number}')
            yield stream.line("gone", f',"o":"{name}"')


SORTS: dict[str, Callable[[int], Iterator[str]]] = {
    "two routes with data": two_routes,
    "zone stays with data": zone_stays,
    "20,000 binds, calls without ids": nameless_binds,
    "one key held": one_key_held,
    "10,000 objects come and go": come_and_go,
}


def write_hard_traffic(path: Path, sort: str, calls: int) -> None:
    """Write a stream of one sort with about so many calls to a file."""
    with path.open("w", encoding="utf-8") as file:
        file.writelines(SORTS[sort](calls))
