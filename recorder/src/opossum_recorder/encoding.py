"""Turning whatever a game hands over into JSON text: valid, of bounded length, and cut before it is built.

A value's own code may do anything: what it does wrong is told in the value's place, and nothing of it gets out but what ends
the game by the user's will (Ctrl+C).  A record that cannot do without a value that is none raises ValueError, and is lost.
"""

from __future__ import annotations

import json
import operator
import threading
from collections.abc import Callable
from itertools import islice
from typing import Any

LONGEST_DATA = 4096
"""Longer data is cut: a reader may cut it anyway, and one value must not fill the disk."""
LONGEST_NAME = 1000
"""Longer names and texts of records are cut."""
LONGEST_TEXT = 3000
"""Longer log lines and errors are cut."""
MOST_ITEMS, DEEPEST = 256, 8
"""Items of a value that are looked at, all collections in it together, and how deep they may lie."""
SMALL_ITEMS, SMALL_TEXT = 16, 256
"""What has at most so many items of plain types, and no longer text, is written as it stands."""
MOST_BITS = 256
"""Longer whole numbers are told by their length: writing them takes time that grows with its square."""
LARGEST_NUMBER = 1e12
"""Seconds, rates and the like beyond it are none."""
LARGEST_COUNT = 1 << 62
MOST_STEPS = 256
"""Lengths of frames whose text is remembered."""

MOST_TEXTS = 50_000
"""Escaped texts are remembered up to this many; a game that makes up names must not fill the memory."""

NUMBERS = frozenset(("sec", "len", "rate", "from", "pos", "due", "dt", "hz"))
IDS = frozenset(("s", "c", "b", "a", "y", "w", "trip"))
COUNTS = IDS | {"n", "frames", "pid", "opossum"}
FLAGS = frozenset(("loop", "paused", "holds"))
DATA = frozenset(("d", "v", "marks", "stack", "seed", "phases", "waits"))
"""Fields of records by what they hold; every other one holds a text."""

REQUIRED: dict[str, tuple[str, ...]] = {
    "phase": ("name",), "spawn": ("o",), "gone": ("o",), "bind": ("ev",), "unbind": ("b",), "call": ("s",), "put": ("q", "s"),
    "pull": ("q", "s"), "arm": ("what",), "play": ("clip",), "met": ("w",), "quit": ("w",), "watch": ("name", "v"),
    "say": ("text",), "frame": ("n",), "pause": ("a",), "resume": ("a",), "disarm": ("a",), "stop": ("y",),
}  # fmt: skip
"""Fields that a record of a kind cannot do without: a text is written though it is empty, without another the record
is lost."""

_CLOCK = "clock"
_PLAIN = (int, float, bool, type(None))


class QuotedTexts(dict[str, str]):
    """Maps a text to its JSON form; a text seen before costs one dictionary access."""

    def __missing__(self, text: str) -> str:
        made = quoted(text)
        if type(text) is not str or len(text) > LONGEST_NAME:
            return made
        if len(self) >= MOST_TEXTS:
            self.clear()
        self[text] = made
        return made

    def name(self, value: Any) -> str:
        """Return a name's JSON.

        Raises:
            ValueError: it cannot be compared with other names.
        """
        if type(value) is str:
            return self[value]
        answer_of(hash, value)
        return quoted(value)


class StepTexts(dict[float, str]):
    """Maps a frame's length, a float, to the field that tells it: the same few come again."""

    def __missing__(self, dt: float) -> str:
        made = f',"dt":{dt:.6g}' if abs(dt) <= LARGEST_NUMBER else field_text("dt", dt)
        if len(self) >= MOST_STEPS:
            self.clear()
        self[dt] = made
        return made


def given(value: Any) -> bool:
    """Say whether a field was given, and is not empty.

    Raises:
        ValueError: the value's own code failed.
    """
    if value is None or type(value) is str:
        return bool(value)
    return bool(answer_of(bool, value))


def quoted(text: Any, longest: int = LONGEST_NAME) -> str:
    """Return a text, or whatever a game gives for one, as JSON in ASCII: surrogates cannot be written as UTF-8."""
    return json.dumps(_cut(text, longest) if isinstance(text, str) else _shown(text, str, longest))


def _cut(text: str, longest: int) -> str:
    """Return the start of a text; none of its own methods run, if it is of a game's own class."""
    start = str.__getitem__(text, slice(0, longest))
    if not start.isascii():  # half of a pair of UTF-16 is no text elsewhere
        start = start.encode("utf-8", "backslashreplace").decode()
    return start if str.__len__(text) <= longest else start + "…"


def _shown(value: Any, show: Any = repr, longest: int = LONGEST_DATA) -> str:
    """Return a value as its own code shows it, or what it is where that code fails."""
    try:
        text = show(value)
        return _cut(text, longest)
    except KeyboardInterrupt:
        raise
    except BaseException:
        return f"a {_cut(type.__getattribute__(type(value), '__name__'), 100)} that cannot be shown"


def error_text(error: BaseException) -> str:
    """Return the field of a return that says what was raised."""
    arguments = BaseException.__dict__["args"].__get__(error)
    if (
        len(arguments) == 1
        and type(arguments[0]) is str
        and type(error).__str__ in (BaseException.__str__, KeyError.__str__)
    ):
        shown = _cut(arguments[0], 500)
        shown = repr(shown) if type(error).__str__ is KeyError.__str__ else shown
    else:
        shown = _shown(error, str, 500)
    name = type.__getattribute__(type(error), "__name__")
    return f',"err":{quoted(f"{name}: {shown}")}'


def thread_suffix() -> str:
    """Return how a line of this thread ends: the main thread's name goes without saying."""
    try:
        thread = threading.current_thread()
        return "}\n" if thread is threading.main_thread() else f',"th":{quoted(thread.name)}}}\n'
    except Exception:  # the interpreter is ending
        return ',"th":"?"}\n'


def answer_of(ask: Callable[[Any], Any], value: Any) -> Any:
    """Return what a value's own code answers.

    Raises:
        ValueError: that code failed, in whatever way.
    """
    try:
        return ask(value)
    except KeyboardInterrupt:
        raise
    except BaseException as error:
        raise ValueError(f"{type(error).__name__} in the game's own code") from None


def field_text(name: str, value: Any, kind: str = "") -> str:
    """Return one field of a record as `,"name":value`, nothing where its value is none that it can hold.

    Raises:
        ValueError: a record of that kind cannot do without the field.
    """
    needed = name in REQUIRED.get(kind, ())
    if name in DATA and kind != _CLOCK:
        return "" if value is None and not needed else f',"{name}":{data_text(value)}'
    if name in NUMBERS or kind == _CLOCK:
        number = _number(value)
        return "" if number is None else f',"{name}":{number!r}'
    if name in COUNTS:
        if value is None and not needed:
            return ""
        count = _count(value)
        if count is None or (count < 1 and name in IDS):
            raise ValueError(f"{name} is no number")
        return f',"{name}":{count}'
    if name in FLAGS:
        flag = value is True or (isinstance(value, int) and int.__ne__(value, 0))
        return f',"{name}":{"true" if flag else "false"}'
    text = '""' if value is None else quoted(value, LONGEST_TEXT if name == "text" else LONGEST_NAME)
    return "" if text == '""' and not needed else f",{quoted(name)}:{text}"


def _number(value: Any) -> float | int | None:
    """Return a plain, finite number that is a game's, or None."""
    if value is None:
        return None
    try:
        plain = int.__int__(value) if isinstance(value, int) else answer_of(float, value)
        return plain if abs(plain) <= LARGEST_NUMBER else None
    except (ValueError, OverflowError):
        return None


def _count(value: Any) -> int | None:
    try:
        plain = int.__int__(value) if isinstance(value, int) else answer_of(operator.index, value)
        return plain if abs(plain) <= LARGEST_COUNT else None
    except ValueError:
        return None


def data_text(value: Any) -> str:
    """Return any value as JSON of bounded length; what JSON cannot hold is shown by its `repr`."""
    try:
        text = json.dumps(value if _is_small(value) else _plain(value, [MOST_ITEMS]), allow_nan=False)
    except KeyboardInterrupt:
        raise
    except BaseException:  # a number that is none, or what changed while it was looked at
        text = json.dumps(_shown(value))
    if len(text) > LONGEST_DATA:
        text = json.dumps(text[: LONGEST_DATA // 2] + "…")
    return text


def _is_small(value: Any) -> bool:
    """Say whether a value can be written as it stands: of plain types, short, and without more in it."""
    kind = type(value)
    if kind is str:
        return len(value) <= SMALL_TEXT and value.isascii()
    if kind is int:
        return value.bit_length() <= MOST_BITS
    if kind in _PLAIN:
        return True
    if kind is dict:
        if len(value) > SMALL_ITEMS:
            return False
        for name, item in value.items():
            if type(name) is not str or not _is_small_item(name) or not _is_small_item(item):
                return False
        return True
    if kind is list or kind is tuple:
        return len(value) <= SMALL_ITEMS and all(map(_is_small_item, value))
    return False


def _is_small_item(item: Any) -> bool:
    kind = type(item)
    if kind is str:
        return len(item) <= SMALL_TEXT and item.isascii()
    return kind in _PLAIN and (kind is not int or item.bit_length() <= MOST_BITS)


def _plain(value: Any, left: list[int], depth: int = 0) -> Any:
    """Return what JSON can hold of a value; `left[0]` items are still looked at. Collections' own methods do not run."""
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, int):
        plain = int.__int__(value)
        return plain if plain.bit_length() <= MOST_BITS else f"a number of {plain.bit_length()} bits"
    if isinstance(value, float):
        plain_float = float.__float__(value)
        return plain_float if abs(plain_float) <= 1e308 else repr(plain_float)
    if isinstance(value, str):
        return _cut(value, LONGEST_DATA)
    if depth >= DEEPEST:
        return "…"
    if isinstance(value, dict):
        made: dict[str, Any] = {}
        for name, item in islice(dict.items(value), max(0, left[0])):
            left[0] -= 1
            made[_cut(name, LONGEST_NAME) if isinstance(name, str) else _shown(name, longest=100)] = _plain(
                item, left, depth + 1
            )
        if len(made) < dict.__len__(value):
            made["…"] = f"{dict.__len__(value):,} in all"
        return made
    if isinstance(value, list | tuple):
        kind = list if isinstance(value, list) else tuple
        items = []
        for item in islice(kind.__iter__(value), max(0, left[0])):  # type: ignore[arg-type]
            left[0] -= 1
            items.append(_plain(item, left, depth + 1))
        whole = kind.__len__(value)  # type: ignore[arg-type]
        return items if len(items) == whole else [*items, f"… {whole:,} in all"]
    if isinstance(value, set | frozenset | bytes | bytearray) and len(value) > MOST_ITEMS:
        return f"{type(value).__name__} of {len(value):,}"
    return _shown(value)
