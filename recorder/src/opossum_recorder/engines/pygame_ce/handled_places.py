"""Where in an event loop's source events are handled: the lines at which handling begins, past the tests that choose.

`for event in …: if event.type == QUIT: running = False` is handled at the line of `running = False`.  A call that is given
the event and stands among the tests passes it on: the functions that the game then runs are read in the same way.
"""

from __future__ import annotations

import ast
import functools
import inspect
import linecache
import textwrap
from types import CodeType, FrameType
from typing import Any, NamedTuple

from opossum_recorder.engines.loop_functions import plain


class Places(NamedTuple):
    """Lines at which handling begins, and calls that pass the event on, by their line: what is called, as names."""

    begins: frozenset[int]
    passed_on: dict[int, tuple[str, ...]]


@functools.lru_cache(maxsize=256)
def _tree(code: CodeType) -> ast.Module | None:
    """Return a function's source parsed, with the line numbers of its file; None where it does not tell.

    Only the function's own lines are parsed: of a large file it would take so long that one saw the game stumble.
    """
    lines = linecache.getlines(code.co_filename)
    first, last = code.co_firstlineno, _last_line(code)
    if code.co_name != "<module>" and lines:
        tree = _parsed(textwrap.dedent("".join(lines[first - 1 : last])))
        if tree is not None:
            return ast.increment_lineno(tree, first - 1)
    return _parsed("".join(lines)) if lines else None


def _parsed(text: str) -> ast.Module | None:
    try:
        return ast.parse(text)
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return None


def _last_line(code: CodeType) -> int:
    """Return the last line of a function's code, that of the functions in it too."""
    inner = [_last_line(constant) for constant in code.co_consts if isinstance(constant, CodeType)]
    return max([code.co_firstlineno, *inner, *(line for _, _, line in code.co_lines() if line is not None)])


@functools.lru_cache(maxsize=256)
def places_of_loop(code: CodeType, line: int) -> Places | None:
    """Return where the loop at a line of a function handles its events; None where the source does not tell."""
    tree = _tree(code)
    if tree is None:
        return None
    loops = [node for node in ast.walk(tree) if isinstance(node, ast.For) and node.lineno <= line <= _head_end(node)]
    if len(loops) != 1 or not isinstance(loops[0].target, ast.Name):
        return None
    return _places(loops[0].body, loops[0].target.id)


@functools.lru_cache(maxsize=256)
def places_of_function(code: CodeType, parameter: str) -> Places | None:
    """Return where a function that is given an event handles it; None where the source does not tell."""
    tree = _tree(code)
    if tree is None:
        return None
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef) and node.name == code.co_name:
            first = min([node.lineno, *(decorator.lineno for decorator in node.decorator_list)])
            if first == code.co_firstlineno:
                return _places(node.body, parameter)
    return None


def called(frame: FrameType, names: tuple[str, ...]) -> CodeType | None:
    """Return the code that a call of these names would run in a frame, without running any of the game's."""
    thing: Any = frame.f_locals.get(names[0], frame.f_globals.get(names[0]))
    for name in names[1:]:
        try:
            thing = inspect.getattr_static(thing, name)
        except AttributeError:
            return None
    function = plain(getattr(thing, "__func__", thing))
    code = getattr(function, "__code__", None)
    return code if isinstance(code, CodeType) else None


def event_parameter(code: CodeType, frame: FrameType, event: Any) -> str:
    """Return the parameter of a function that holds an event where it begins, empty for none."""
    for name in code.co_varnames[: code.co_argcount]:
        if frame.f_locals.get(name) is event:
            return name
    return ""


def _head_end(loop: ast.For) -> int:
    return max(loop.iter.end_lineno or loop.lineno, loop.lineno)


def _places(body: list[ast.stmt], event: str) -> Places:
    begins: set[int] = set()
    passed: dict[int, tuple[str, ...]] = {}
    _walk(body, event, begins, passed, chosen=False)
    return Places(frozenset(begins), passed)


def _walk(body: list[ast.stmt], event: str, begins: set[int], passed: dict[int, tuple[str, ...]], chosen: bool) -> None:
    """Collect the places of statements; `chosen`: a test has chosen this event already."""
    tested = any(isinstance(statement, ast.If | ast.Match) for statement in body)
    for statement in body:
        if isinstance(statement, ast.If):
            _walk_test(statement, event, begins, passed)
            _walk(statement.orelse, event, begins, passed, chosen=False)
        elif isinstance(statement, ast.Match):
            for case in statement.cases:
                _walk(case.body, event, begins, passed, chosen=True)
        elif isinstance(statement, ast.With | ast.Try):
            _walk(statement.body, event, begins, passed, chosen)
        elif isinstance(statement, ast.Pass | ast.Continue):
            continue
        else:
            names = _passes_on(statement, event)
            if names and not chosen:
                passed[statement.lineno] = names
            elif chosen or not tested:
                begins.add(statement.lineno)


def _walk_test(test: ast.If, event: str, begins: set[int], passed: dict[int, tuple[str, ...]]) -> None:
    names = _call_given(test.test, event)
    if names:
        passed[test.lineno] = names
    _walk(test.body, event, begins, passed, chosen=True)


def _passes_on(statement: ast.stmt, event: str) -> tuple[str, ...]:
    value = statement.value if isinstance(statement, ast.Expr | ast.Assign | ast.Return) else None
    return _call_given(value, event)


def _call_given(value: ast.expr | None, event: str) -> tuple[str, ...]:
    """Return the names of what is called with the event as an argument, nothing if it is no such call."""
    if not isinstance(value, ast.Call):
        return ()
    given = [*value.args, *(keyword.value for keyword in value.keywords)]
    if not any(isinstance(argument, ast.Name) and argument.id == event for argument in given):
        return ()
    names: list[str] = []
    thing: ast.expr = value.func
    while isinstance(thing, ast.Attribute):
        names.append(thing.attr)
        thing = thing.value
    return (thing.id, *reversed(names)) if isinstance(thing, ast.Name) else ()
