"""The interpreter's instructions, as far as they tell what a function changes and calls.

They differ from one version to the next; names of all since 3.10 stand side by side here.
"""

from __future__ import annotations

import builtins
import dis
import functools
import sys
from types import CodeType, FrameType, ModuleType
from typing import Any

from opossum_recorder.harmless import is_value_type

STORES = {
    "STORE_ATTR", "STORE_SUBSCR", "STORE_SLICE", "STORE_GLOBAL", "STORE_NAME", "STORE_DEREF",
    "DELETE_ATTR", "DELETE_SUBSCR", "DELETE_GLOBAL", "DELETE_NAME", "DELETE_DEREF",
}  # fmt: skip
UNJUDGED = {
    "IMPORT_NAME", "IMPORT_FROM", "IMPORT_STAR", "YIELD_VALUE", "YIELD_FROM", "RETURN_GENERATOR", "GEN_START", "SEND",
    "GET_AWAITABLE", "GET_AITER", "GET_ANEXT", "BEFORE_WITH", "BEFORE_ASYNC_WITH", "SETUP_WITH", "SETUP_ASYNC_WITH",
    "LOAD_SPECIAL", "LOAD_BUILD_CLASS", "GET_YIELD_FROM_ITER",
}  # fmt: skip
CALLS = {"CALL", "CALL_KW", "CALL_FUNCTION_EX", "CALL_FUNCTION", "CALL_FUNCTION_KW", "CALL_METHOD"}
_SHUFFLES = {"CACHE", "SWAP", "ROT_TWO", "ROT_THREE", "ROT_FOUR", "COPY", "EXTENDED_ARG"}
"""What may stand between an operation in place and the store of its result."""
_LOCAL_LOADS = {"LOAD_FAST", "LOAD_FAST_CHECK", "LOAD_FAST_BORROW"}
INPLACE = range(13, 26)
"""BINARY_OP's arguments that mean an operation in place (`+=` …); one behind them looks up an item (3.14)."""
_PLAIN = (int, float, complex, bool, str, bytes, tuple, frozenset, type(None))
COLLECTIONS = (list, tuple, dict, set, frozenset, str, range, enumerate, zip, reversed)


@functools.lru_cache(maxsize=2048)
def instructions_of(code: CodeType) -> tuple[bytes, list[str]]:
    """Return a function's code and the name of each of its instructions."""
    return code.co_code, [dis.opname[op] for op in code.co_code[::2]]


@functools.lru_cache(maxsize=2048)
def telling(code: CodeType) -> bytes:
    """Return for each of a function's instructions whether it may tell of a change or a call: 1, else 0."""
    text, names = instructions_of(code)
    return bytes(
        name in STORES
        or name in CALLS
        or name in UNJUDGED
        or name == "GET_ITER"
        or name.startswith("INPLACE_")
        or (name == "BINARY_OP" and text[2 * place + 1] in INPLACE)
        for place, name in enumerate(names)
    )


def loaded(frame: FrameType, text: bytes, names: list[str], place: int) -> Any:
    """Return what a local, or an attribute in a local's own dictionary, holds that was loaded just before; a collection
    where one of those was just made; else None.
    """
    before = [index for index in range(max(0, place - 24), place) if names[index] not in ("CACHE", "EXTENDED_ARG")][-2:]
    if not before:
        return None
    local_names, last = frame.f_code.co_varnames, before[-1]
    if names[last] in _LOCAL_LOADS:
        return frame.f_locals.get(local_names[text[2 * last + 1]])
    if names[last] == "LOAD_ATTR" and len(before) == 2 and names[before[0]] in _LOCAL_LOADS:
        number = text[2 * last + 1] >> (1 if sys.version_info >= (3, 12) else 0)
        thing = frame.f_locals.get(local_names[text[2 * before[0] + 1]])
        return getattr(thing, "__dict__", {}).get(frame.f_code.co_names[number])
    if names[last] in CALLS and called(frame, text, names, last) in COLLECTIONS:
        return ()
    return None


def called(frame: FrameType, text: bytes, names: list[str], place: int) -> Any:
    """Return the type that a call makes one of, if it is named by a global, or by an attribute of a module; else None.

    The stack is reckoned backwards from the call, over straight code, to what pushed the thing that is called.
    """
    at = _pushed_at(frame.f_code, place)
    return _type_named(frame, text, names, at) if at >= 0 else None


@functools.lru_cache(maxsize=8192)
def _pushed_at(code: CodeType, place: int) -> int:
    """Return which instruction pushed what a call calls, -1 where that cannot be told."""
    text, names = instructions_of(code)
    at = place
    while at > 0 and names[at - 1] in ("CACHE", "PRECALL", "KW_NAMES"):
        at -= 1
    wanted = text[2 * place + 1]
    if names[place] in ("CALL_FUNCTION_EX", "CALL_KW", "CALL_FUNCTION_KW"):
        return -1
    while at > 0 and wanted > 0:
        at -= 1
        name = names[at]
        if name in ("CACHE", "KW_NAMES"):
            continue
        if "JUMP" in name or name == "FOR_ITER" or name == "EXTENDED_ARG":
            return -1
        operation, argument = dis.opmap[name], text[2 * at + 1]
        wanted -= dis.stack_effect(operation, argument if operation >= dis.HAVE_ARGUMENT else None, jump=False)
    while at > 0 and names[at - 1] in ("CACHE", "PUSH_NULL"):
        at -= 1
    return at - 1 if wanted == 0 and at > 0 else -1


def _type_named(frame: FrameType, text: bytes, names: list[str], at: int) -> Any:
    argument = text[2 * at + 1]
    if names[at] == "LOAD_GLOBAL":
        found = _global(frame, argument)
    elif names[at] in ("LOAD_ATTR", "LOAD_METHOD"):
        shift = 1 if names[at] == "LOAD_ATTR" and sys.version_info >= (3, 12) else 0
        before = at - 1
        while before > 0 and names[before] == "CACHE":
            before -= 1
        module = _global(frame, text[2 * before + 1]) if names[before] == "LOAD_GLOBAL" else None
        if not isinstance(module, ModuleType):
            return None
        found = vars(module).get(frame.f_code.co_names[argument >> shift])
    else:
        return None
    if not isinstance(found, type):
        return None
    return tuple if is_value_type(found) else found


def adds_to_plain(frame: FrameType, text: bytes, names: list[str], place: int) -> bool:
    """Say whether `x += …` makes a new value: x is of a plain type (a list would be changed itself)."""
    following = place + 1
    while following < len(names) and names[following] in _SHUFFLES:
        following += 1
    if following >= len(names) or names[following] != "STORE_FAST":
        return following < len(names) and names[following] in STORES  # that store is counted
    name = frame.f_code.co_varnames[text[2 * following + 1]]
    return isinstance(frame.f_locals.get(name), _PLAIN)


def _global(frame: FrameType, argument: int) -> Any:
    name = frame.f_code.co_names[argument >> (1 if sys.version_info >= (3, 11) else 0)]
    return frame.f_globals.get(name, getattr(builtins, name, None))
