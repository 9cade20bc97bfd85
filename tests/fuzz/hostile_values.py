"""What a game may hand to its recorder, on purpose or not: values whose own code fails, lies, or never ends well."""

from __future__ import annotations

import decimal
import enum
import math
from collections.abc import Callable
from random import Random
from typing import Any

from opossum_recorder import Recorder


class Memory:
    """A sink in memory."""

    def __init__(self) -> None:
        self.data = b""

    def write(self, data: bytes) -> bool:
        """Keep whole lines."""
        self.data += data
        return True

    def close(self) -> None:
        """Nothing to do."""


class Rude:
    """Everything that may be asked of it raises."""

    def __init__(self, error: type[BaseException]) -> None:
        self.error = error

    def _raise(self, *_: object) -> Any:
        raise self.error("no")

    __repr__ = __str__ = __bool__ = __eq__ = __lt__ = __len__ = __iter__ = __getitem__ = __float__ = __index__ = _raise
    __format__ = __int__ = __abs__ = _raise
    __hash__ = object.__hash__


class Unhashable(Rude):
    """Not even this."""

    __hash__ = Rude._raise  # type: ignore[assignment]


class RudeText(str):
    """A text with ideas of its own."""

    def _raise(self, *_: object) -> Any:
        raise ValueError("no")

    __len__ = __iter__ = __getitem__ = __str__ = __repr__ = __add__ = __eq__ = _raise  # type: ignore[assignment]
    __hash__ = str.__hash__


class RudeNumber(float):
    """A number with ideas of its own."""

    def __format__(self, _: str) -> str:
        return "]}"

    __repr__ = __str__ = lambda self: "nonsense"  # type: ignore[assignment]


class Flavour(enum.IntEnum):
    """A whole number with a name."""

    SWEET = 3


class LyingText:
    """Shows itself as what is no text."""

    def __repr__(self) -> str:
        return 5  # type: ignore[return-value]


def _circle() -> list[Any]:
    made: list[Any] = [1]
    made.append({"again": made})
    return made


def hostile_value(random: Random) -> Any:
    """Return any value."""
    sort = random.randrange(11)
    if sort == 0:
        return random.choice(
            (math.nan, math.inf, -math.inf, 1e308, 5e-324, 2 + 1j, RudeNumber(2.5), decimal.Decimal("NaN"))
        )
    if sort == 1:
        return random.choice((Rude, Unhashable))(random.choice((ValueError, SystemExit, MemoryError, RecursionError)))
    if sort == 2:
        return random.choice((RudeText("bread" * random.choice((1, 900))), LyingText(), Flavour.SWEET, object(), Rude))
    if sort == 3:
        return random.choice((_circle(), [[]] * 5000, {"a": "x" * 9000}, {(1, 2): 3, None: 4}, {1, 2}, set(range(900))))
    if sort == 4:
        return random.choice(("x" * 60_000, "\ud800", "\x1b[2J", "\u202e", "\n", '"', "\x00", "é" * 3000))
    if sort == 5:
        return random.choice((-1, 0, 2**62, 2**63, -(2**63), 2**70, 10**4000, 10**5000, True, False))
    if sort == 6:
        return random.choice((b"bytes", bytearray(9000), memoryview(b"x"), range(10**9), iter([1]), None, ...))
    if sort == 7:
        deep: Any = 1
        for _ in range(random.choice((3, 50, 3000))):
            deep = [deep] if random.random() < 0.5 else {"in": deep}
        return deep
    return random.choice(("tick", "oven#1", 1, 2, 3, 0.25, 16, {"to": "cat#1"}, ["a", 1], ""))


def hostile_clock(random: Random) -> Callable[[], Any]:
    """Return a clock that is set back, tells no number, or raises."""

    def clock() -> Any:
        if random.random() < 0.02:
            raise ValueError("no time")
        return random.choice((random.randrange(10**12), random.randrange(10**6), 2**70, -1, 1.5, math.inf, "late"))

    return clock


def drive_with_hostile_values(recorder: Recorder, random: Random) -> None:
    """Call every method of a recorder with such values; it raises nothing."""

    def some() -> Any:
        return hostile_value(random)

    def within(depth: int) -> None:
        for _ in range(random.randrange(5)):
            sort = random.randrange(9)
            if sort == 0 and depth < 4:
                with recorder.call(some(), some(), some(), some(), some()) as call:
                    call.changed(some())
                    call.seemed(some())
                    within(depth + 1)
            elif sort == 1:
                recorder.changed(some())
            elif sort == 2:
                recorder.send(
                    some(), some(), via=some(), d=some(), a=some(), pos=some(), mark=some(), key=some(), due=some()
                )
            elif sort == 3:
                recorder.send("tick", "oven#1", d=some(), at=some(), to=some(), net=some())
            else:
                random.choice(_METHODS)(recorder, some)

    for number in range(random.randrange(12)):
        recorder.frame(random.choice((number, some())), some())
        within(0)
        try:
            with recorder.call(1, None, "oven#1", "f"):
                raise random.choice((KeyError, ValueError, Exception))(
                    some(), *([some()] if random.random() < 0.3 else [])
                )
        except (KeyError, ValueError, Exception):
            pass
        recorder.idle()


_METHODS: tuple[Callable[[Recorder, Callable[[], Any]], Any], ...] = (
    lambda r, v: r.phase(v()),
    lambda r, v: r.spawn(v(), v(), v()),
    lambda r, v: r.gone(v()),
    lambda r, v: r.bind(v(), v(), v(), v(), v(), v()),
    lambda r, v: r.unbind(v()),
    lambda r, v: r.put(v(), v()),
    lambda r, v: r.pull(v(), v()),
    lambda r, v: r.arm(v(), v(), v(), sec=v(), frames=v(), loop=v(), paused=v(), at=v()),
    lambda r, v: r.pause(v()),
    lambda r, v: r.disarm(v(), v()),
    lambda r, v: r.play(v(), v(), v(), v(), rate=v(), what=v(), **{"from": v()}),
    lambda r, v: r.stop(v(), v(), v()),
    lambda r, v: r.wait(v(), v()),
    lambda r, v: r.met(v(), v()),
    lambda r, v: r.quit(v()),
    lambda r, v: r.watch(v(), v(), v()),
    lambda r, v: r.say(v(), v(), v()),
    lambda r, v: r.spin(v(), v()),
    lambda r, v: r.stuck(v(), v(), v()),
    lambda r, v: r.clock(v(), v()),
    lambda r, v: r.held(v(), v(), v()),
    lambda r, v: r.went(),
    lambda r, v: r.know(v(), v()),
)
