"""The mutants of a folder: mutmut's small changes, each as the source of the one function that it is in."""

from __future__ import annotations

import difflib
import textwrap
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import libcst
from libcst.metadata import MetadataWrapper, PositionProvider
from mutmut.mutation.file_mutation import Mutation, MutationVisitor
from mutmut.mutation.mutators import mutation_operators
from mutmut.mutation.pragma_handling import get_ignored_lines


class Mutant(NamedTuple):
    """One small change, not made yet: its name, its file, the line it is on, the function's lines, and what mutmut knows."""

    name: str
    path: Path
    line: int
    function: range
    owner: str
    """The class whose method it changes, or nothing."""
    change: Mutation

    @property
    def called(self) -> str:
        """The name of the function."""
        return self.name.rpartition(":")[0]


def mutants_of(path: Path, module: str) -> Iterator[Mutant]:
    """Yield each change that mutmut makes in a file, in its order.

    Time and memory grow with the file: some ten milliseconds and a hundred kilobytes a change are usual.
    """
    source = path.read_text()
    wrapper = MetadataWrapper(libcst.parse_module(source), unsafe_skip_copy=True)
    visitor = MutationVisitor(mutation_operators, get_ignored_lines(str(path), source, wrapper, None), None)
    wrapper.visit(visitor)
    places = wrapper.resolve(PositionProvider)
    owners = {
        method: statement.name.value
        for statement in wrapper.module.body
        if isinstance(statement, libcst.ClassDef)
        for method in statement.body.body
    }
    counted: dict[str, int] = {}
    for change in visitor.mutations:
        function = change.contained_by_top_level_function
        if not isinstance(function, libcst.FunctionDef):
            continue
        owner = owners.get(function, "")
        called = ".".join(filter(None, (module, owner, function.name.value)))
        counted[called] = counted.get(called, 0) + 1
        first = function.decorators[0] if function.decorators else function
        lines = range(places[first].start.line, places[function].end.line + 1)
        line = places[change.original_node].start.line
        yield Mutant(f"{called}:{counted[called]}", path, line, lines, owner, change)


def source_of(mutant: Mutant) -> str:
    """Return the source of the function as the mutant has it, without its decorators."""
    return _written(mutant, changed=True)


def difference(mutant: Mutant) -> str:
    """Return what the mutant changes, as lines that begin with - and +."""
    before, after = (_written(mutant, changed).splitlines() for changed in (False, True))
    lines = difflib.unified_diff(before, after, lineterm="", n=0)
    return "\n".join(line for line in lines if not line.startswith(("---", "+++", "@@")))


def _written(mutant: Mutant, changed: bool) -> str:
    function = mutant.change.contained_by_top_level_function
    if changed:
        function = function.deep_replace(mutant.change.original_node, mutant.change.mutated_node)
    bare = function.with_changes(decorators=(), leading_lines=())
    return textwrap.dedent(libcst.Module(body=()).code_for_node(bare))
