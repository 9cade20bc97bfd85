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


def nobody_hears(calls: int) -> Iterator[str]:
    """Sends that nobody hears, of many names, while listeners of near names and of other senders come all the time."""
    stream = _Stream()
    yield stream.head()
    bind = 0
    while stream.calls + stream.sends < calls:
        yield stream.frame()
        if stream.frames % 3 == 0:
            bind += 1
            yield stream.line("spawn", f',"o":"ear#{bind}","cls":"Ear"')
            event = f"word_{bind % 500}"
            yield stream.line(
                "bind", f',"b":{bind},"ev":"{event}","o":"ear#{bind}","fn":"Ear.on_word","src":"mouth#{bind}"'
            )
        for number in range(40):
            yield stream.send(f',"ev":"word_{(stream.frames * 7 + number) % 600}","o":"mouth#{number}"')


def clips_with_marks(calls: int) -> Iterator[str]:
    """Clips with marks all the time, with a delay and a wait beside each, some cut, some without the mark."""
    stream = _Stream()
    yield stream.head()
    play = wait = arm = 0
    playing: list[tuple[int, int, int, int, int]] = []
    while stream.calls < calls:
        yield stream.frame()
        for _ in range(8):
            play, wait, arm = play + 1, wait + 1, arm + 1
            owner, clip = f"cook#{play % 400}", play % 7
            marks = "[]" if clip == 3 else '[["chop",0.1],["turn",0.15]]'
            yield stream.line("play", f',"y":{play},"o":"{owner}","clip":"clip{clip}","len":0.2,"marks":{marks}')
            yield stream.line("wait", f',"w":{wait},"o":"{owner}","ev":"chop"')
            yield stream.line("arm", f',"a":{arm},"what":"delay","o":"{owner}","ev":"serve","sec":0.12,"loop":false')
            playing.append((stream.frames, play, wait, arm, clip))
        while playing and playing[0][0] <= stream.frames - 12:
            _, y, w, a, clip = playing.pop(0)
            owner = f"cook#{y % 400}"
            if clip != 3 and y % 5:
                yield stream.send(f',"ev":"chop","o":"{owner}","via":"clip","y":{y},"mark":"chop","pos":0.1')
                yield stream.call(owner, "Cook.on_chop")
                yield stream.line("met", f',"w":{w},"s":{stream.sends}')
            yield stream.send(f',"ev":"serve","o":"{owner}","via":"delay","a":{a}')
            yield stream.call(owner, "Cook.on_serve")
            how = "cut" if y % 11 == 0 else "end"
            yield stream.line("stop", f',"y":{y},"how":"{how}","pos":{0.09 if how == "cut" else 0.2}')


def delays_piled_up(calls: int) -> Iterator[str]:
    """Delays set again and again while others are pending, for many owners."""
    stream = _Stream()
    yield stream.head()
    arm = 0
    pending: list[tuple[int, int]] = []
    while stream.calls < calls:
        yield stream.frame()
        for _ in range(20):
            arm += 1
            yield stream.line(
                "arm", f',"a":{arm},"what":"delay","o":"bell#{arm % 900}","ev":"ring","sec":1.0,"loop":false'
            )
            pending.append((stream.frames + 60, arm))
        while pending and pending[0][0] <= stream.frames:
            _, a = pending.pop(0)
            yield stream.send(f',"ev":"ring","o":"bell#{a % 900}","via":"delay","a":{a}')
            yield stream.call(f"bell#{a % 900}", "Bell.on_ring")
            yield stream.line("disarm", f',"a":{a},"how":"done"')


def any_order(calls: int) -> Iterator[str]:
    """Two hundred listeners of one tick, in an order that changes on every frame."""
    stream = _Stream()
    yield stream.head()
    while stream.calls < calls:
        yield stream.frame()
        yield stream.send(',"ev":"tick","via":"tick"')
        for number in range(200):
            yield stream.call(f"ant#{(number * (1 + 2 * (stream.frames % 90))) % 200}", "Ant.crawl")


def queues_and_circles(calls: int) -> Iterator[str]:
    """A queue that grows, and two who answer each other over frames through it for ever."""
    stream = _Stream()
    yield stream.head()
    waiting: list[tuple[int, int]] = []
    while stream.calls < calls:
        yield stream.frame()
        for _ in range(20):
            yield stream.send(',"ev":"job","o":"gate","via":"queue","q":"jobs"')
            yield stream.line("put", f',"q":"jobs","s":{stream.sends}')
            waiting.append((stream.sends, 0))
        for _ in range(19):
            s, side = waiting.pop(0)
            yield stream.line("pull", f',"q":"jobs","s":{s}')
            stream.calls += 1
            c = stream.calls
            yield stream.line("call", f',"c":{c},"s":{s},"o":"hand#{side}","fn":"Hand.on_job"')
            if c % 19 == 0:
                yield stream.send(f',"ev":"job","o":"hand#{side}","c":{c},"via":"queue","q":"jobs"')
                yield stream.line("put", f',"q":"jobs","s":{stream.sends}')
                waiting.append((stream.sends, 1 - side))
            yield stream.line("ret", f',"c":{c},"eff":1')


SORTS: dict[str, Callable[[int], Iterator[str]]] = {
    "two routes with data": two_routes,
    "zone stays with data": zone_stays,
    "20,000 binds, calls without ids": nameless_binds,
    "one key held": one_key_held,
    "10,000 objects come and go": come_and_go,
    "sends that nobody hears": nobody_hears,
    "clips with marks, delays, waits": clips_with_marks,
    "delays piled up": delays_piled_up,
    "200 listeners in any order": any_order,
    "queues and circles": queues_and_circles,
}


def write_hard_traffic(path: Path, sort: str, calls: int) -> None:
    """Write a stream of one sort with about so many calls to a file."""
    with path.open("w", encoding="utf-8") as file:
        file.writelines(SORTS[sort](calls))
