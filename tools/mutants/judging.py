"""What the tests say of mutants: each is tried in a process of its own, with the tests that run the line it changes.

All tests are collected once; a process that tries a mutant is a copy of the one that has them, so that beginning it costs
next to nothing. It takes the changed function in the place of the real one and runs test after test until one fails.
"""

from __future__ import annotations

import gc
import itertools
import json
import os
import resource
import signal
import sys
import time
import types
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import NamedTuple

import coverage
import numpy as np
import pytest
from _pytest.runner import runtestprotocol
from mutants.known import Known, digest_of
from mutants.making import Mutant, source_of

KILLED, SURVIVED, OUT_OF_TIME, NOT_JUDGED, NO_TEST = "killed", "survived", "out of time", "not judged", "no test"

NO_END = "no end"
"""What is told in the place of a test that killed: the mutant never came to an end."""
_WALL = 300
"""Seconds after which what does nothing at all is ended."""
ABOUT_IT = 2
"""How much more a test is worth that is more about what a mutant changes."""
_SIGNS_OF_NO_END = (signal.SIGPROF, signal.SIGALRM)


class Touched:
    """What tests run, as arrays of numbers: a copy of a process with millions of objects takes long to begin.

    `seconds`: processor time of each test, by its name; `numbers` is its place among `names`.
    """

    def __init__(self, noted: dict[str, tuple[float, dict[str, list[int]]]]):
        self.names = list(noted)
        self.numbers = {name: number for number, name in enumerate(self.names)}
        self.seconds = {name: seconds for name, (seconds, _) in noted.items()}
        pairs: dict[str, list[tuple[int, list[int]]]] = {}
        for number, (_, files) in enumerate(noted.values()):
            for path, lines in files.items():
                pairs.setdefault(path, []).append((number, lines))
        self._lines: dict[str, tuple[np.ndarray, np.ndarray]] = {}
        """By file: the lines that tests run, ascending, and, beside each, the number of the test."""
        self._in_all = np.array([sum(map(len, files.values())) for _, files in noted.values()])
        for path, of_tests in pairs.items():
            tests = np.repeat([number for number, _ in of_tests], [len(lines) for _, lines in of_tests]).astype(
                np.int32
            )
            lines = np.concatenate([np.array(lines, np.int32) for _, lines in of_tests])
            order = np.argsort(lines, kind="stable")
            self._lines[path] = lines[order], tests[order]

    def __bool__(self) -> bool:
        return any(len(lines) for lines, _ in self._lines.values())

    def who_runs(self, path: str, lines: range) -> np.ndarray:
        """Return the numbers of the tests that run one of the lines of a file at least, ascending."""
        all_lines, tests = self._lines.get(path, (np.zeros(0, np.int32),) * 2)
        low, high = np.searchsorted(all_lines, [lines.start, lines.stop])
        return np.unique(tests[low:high])

    def shares(self, path: str, lines: range) -> np.ndarray:
        """Return, (tests,), how much of all that each test runs are these lines of a file: most where it is about them alone."""
        all_lines, tests = self._lines.get(path, (np.zeros(0, np.int32),) * 2)
        low, high = np.searchsorted(all_lines, [lines.start, lines.stop])
        return np.bincount(tests[low:high], minlength=len(self.names)) / np.maximum(self._in_all, 1)

    def weights(self) -> dict[str, np.ndarray]:
        """Return, (tests,), how much each test is about each file and each folder.

        That is what the lines that it runs there tell of it, in bits: nothing where every test runs a line, most where no
        other does (the inverse document frequency of K. Spärck Jones, 1972).
        """
        count = len(self.names)
        found: dict[str, np.ndarray] = {}
        for path, (lines, tests) in self._lines.items():
            bits = np.log2(count / np.maximum(np.bincount(lines), 1))
            found[path] = np.bincount(tests, bits[lines], count)
            folder = path.rpartition("/")[0]
            found[folder] = found.get(folder, np.zeros(count)) + found[path]
        return found


class Verdict(NamedTuple):
    """What became of a mutant, and the test that killed it."""

    mutant: Mutant
    word: str
    by: str


def _apart(work: Callable[[], str]) -> tuple[int, int]:
    """Do some work in a copy of this process; return its number and the end of a pipe that will hold what it returned."""
    reading, writing = os.pipe()
    child = os.fork()
    if child:
        os.close(writing)
        return child, reading
    os.close(reading)
    try:
        signal.alarm(_WALL)
        with os.fdopen(writing, "w") as answer:
            answer.write(work())
            answer.flush()
    except BaseException as error:  # whatever it is, this copy must not go on as if it were the original
        print(f"{type(error).__name__}: {error}", file=sys.__stderr__)
        os._exit(1)
    os._exit(0)


def _together(works: Iterator[Callable[[], str]], processes: int) -> Iterator[tuple[int, str, int]]:
    """Do works beside each other; yield for each, as they end, its place, what it returned and the signal that ended it."""
    running: dict[int, tuple[int, int]] = {}
    counted = enumerate(works)
    while True:
        while len(running) < processes and (following := next(counted, None)):
            place, work = following
            child, answer = _apart(work)
            running[child] = (place, answer)
        if not running:
            return
        child, status = os.wait()
        place, answer = running.pop(child)
        with os.fdopen(answer) as told:
            yield place, told.read(), os.WTERMSIG(status) if os.WIFSIGNALED(status) else 0


class Judge:
    """The tests of a pytest session, and what each of them runs of some files."""

    def __init__(self, session: pytest.Session, root: Path, processes: int, known: Known):
        self.session = session
        self.known = known
        self.root = root
        self.processes = processes
        self.touched = Touched({})
        self.weights: dict[str, np.ndarray] = {}
        self.items = {item.nodeid: item for item in session.items}
        self.kills = known.kills()
        self.kills_near: dict[str, Counter[str]] = {}
        """How many changes of a function each test killed, by the name of the function."""
        self.functions: dict[tuple[str, int], list[types.FunctionType]] = {}
        self.inner: dict[int, list[types.FunctionType]] = {}
        """Functions that others have made and returned by now, by the number of their code."""
        for found in gc.get_objects():
            if isinstance(found, types.FunctionType) and "<locals>" in found.__qualname__:
                self.inner.setdefault(id(found.__code__), []).append(found)
            elif isinstance(found, types.FunctionType):
                place = (found.__code__.co_filename, found.__code__.co_firstlineno)
                self.functions.setdefault(place, []).append(found)

    def look(self, kept: Path) -> None:
        """Run every test once and note the lines it runs; what was noted before for the same sources is taken from a file."""
        if kept.exists():
            noted = json.loads(kept.read_text())
        else:
            noted = self._noted()
            kept.write_text(json.dumps(noted))
        self.touched = Touched({test: what for test, what in noted.items() if test in self.items})
        if not self.touched:
            kept.unlink()
            raise pytest.UsageError(f"no test runs a line of {self.root}: is another copy of it on PYTHONPATH?")
        self.weights = self.touched.weights()

    def _noted(self) -> dict[str, tuple[float, dict[str, list[int]]]]:
        tests = list(self.items)
        noted = {}
        gc.freeze()
        works = ((lambda test=test: self._lines(test)) for test in tests)
        for place, told, ended_by in _together(works, self.processes):
            lines = json.loads(told) if told else f"ended by signal {ended_by}"
            if isinstance(lines, str):
                print(f"Left out, for it fails as it is: {tests[place]}: {lines}", file=sys.__stdout__)
            else:
                noted[tests[place]] = lines
        return noted

    def _lines(self, test: str) -> str:
        watch = coverage.Coverage(data_file=None, include=[f"{self.root}/*"])
        watch.set_option("run:disable_warnings", ["no-data-collected"])
        watch.start()
        begun = time.process_time()
        failed = self._failure(test)
        seconds = time.process_time() - begun
        watch.stop()
        data = watch.get_data()
        return json.dumps(failed or [seconds, {path: data.lines(path) for path in data.measured_files()}])

    def _failure(self, test: str, following: str | None = None) -> str:
        """Run a test; return what it says where it fails, or nothing."""
        reports = runtestprotocol(self.items[test], nextitem=self.items.get(following or ""), log=False)
        failed = next((report for report in reports if report.failed), None)
        return (failed.longreprtext.splitlines() or ["it fails"])[-1] if failed else ""

    def judge(self, chosen: list[Mutant], seconds: float) -> Iterator[Verdict]:
        """Try mutants; yield what became of each, as it is known. `seconds` is the processor time one may take in all."""
        gc.freeze()
        works = (lambda mutant=mutant: self._tried(mutant, seconds) for mutant in chosen)
        for place, told, ended_by in _together(works, self.processes):
            mutant = chosen[place]
            word, by, digest = json.loads(told) if told else (NOT_JUDGED, "", "")
            if ended_by in _SIGNS_OF_NO_END:
                word, by = KILLED, NO_END
            digest = digest or digest_of(mutant.name, source_of(mutant))
            if word == KILLED:
                self.kills[by] = self.kills.get(by, 0) + 1
                self.kills_near.setdefault(mutant.called, Counter())[by] += 1
            self.known.add(digest, word, by)
            yield Verdict(mutant, word, by)

    def failing_by_themselves(self, most: int = 20) -> list[str]:
        """Return those of the tests that killed the most that fail with nothing changed: what they say of mutants is nothing."""
        tests = sorted((test for test in self.kills if test in self.items), key=self.kills.__getitem__)[-most:]
        works = ((lambda test=test: self._failure(test)) for test in tests)
        return [tests[place] for place, failure, ended_by in _together(works, self.processes) if failure or ended_by]

    def tests_of(self, mutant: Mutant) -> list[str]:
        """Return the tests that run a mutant's line – or its function, where no test runs the line by itself.

        By turns one that killed most changes of the same function, one that runs little beside that function, one that is
        about the mutant's file and its folder more than others and has killed more, and one that is about it whatever it
        killed; the quick ones of each first.
        """
        path, folder = str(mutant.path), str(mutant.path.parent)
        numbers = self.touched.who_runs(path, range(mutant.line, mutant.line + 1))
        if not len(numbers):  # a definition's own line runs when it is loaded: it says nothing of who calls it
            numbers = self.touched.who_runs(path, mutant.function[1:])
        if not len(numbers):
            return []
        tests = [self.touched.names[number] for number in numbers.tolist()]
        weight = (self.weights[path] + self.weights[folder])[numbers]
        seconds = self.touched.seconds
        worth = {
            test: (1 + about) ** ABOUT_IT / seconds[test] for test, about in zip(tests, weight.tolist(), strict=True)
        }
        about_it = sorted(tests, key=worth.__getitem__, reverse=True)
        # what is about it and has killed much besides: it holds many words and numbers
        killing = sorted(tests, key=lambda test: worth[test] * (1 + self.kills.get(test, 0)), reverse=True)
        # what every test runs is told apart by no weight, and yet some test may be about nothing else
        shares = self.touched.shares(path, mutant.function[1:])[numbers]
        own = dict(zip(tests, shares.tolist(), strict=True))
        alone = sorted(tests, key=lambda test: own[test] / seconds[test], reverse=True)
        near = self.kills_near.get(mutant.called, {})
        near_it = sorted(
            (test for test in near if test in worth), key=lambda test: near[test] / seconds[test], reverse=True
        )
        by_turns = itertools.chain.from_iterable(itertools.zip_longest(near_it, alone, killing, about_it))
        return list(dict.fromkeys(test for test in by_turns if test))

    def _tried(self, mutant: Mutant, seconds: float) -> str:
        """Try a mutant, with the test that killed it before first; return what became of it, by which test, and its digest."""
        source = source_of(mutant)
        digest = digest_of(mutant.name, source)
        if outcome := self.known.settled(digest):
            return json.dumps([outcome.word, outcome.by, digest])
        tests = self.tests_of(mutant)
        if not tests:
            return json.dumps([NO_TEST, "", digest])
        killer = self.known.killer(digest)
        if killer in self.touched.numbers:
            tests = list(dict.fromkeys([killer, *tests]))
        place = (str(mutant.path), mutant.function[0])
        if not _put_in_place(mutant, source, self.functions.get(place, []), self.inner):
            return json.dumps([NOT_JUDGED, "", digest])
        end = time.process_time() + seconds
        for test, following in zip(tests, [*tests[1:], None], strict=True):
            if time.process_time() > end:
                return json.dumps([OUT_OF_TIME, "", digest])
            signal.setitimer(signal.ITIMER_PROF, 3 + 10 * self.touched.seconds[test])
            if self._failure(test, following):
                return json.dumps([KILLED, test, digest])
        return json.dumps([SURVIVED, "", digest])


def _put_in_place(
    mutant: Mutant, source: str, real: list[types.FunctionType], inner: dict[int, list[types.FunctionType]]
) -> bool:
    """Give the function its changed code, for whoever knows it by now; say whether it is there and fits.

    So it is with the functions that it has made and returned by now (`inner`): they would go on as they were made.
    """
    if not real:
        return False
    space = dict(real[0].__globals__)
    code = (
        f"class {mutant.owner}:\n" + "".join(f" {line}\n" for line in source.splitlines()) if mutant.owner else source
    )
    try:
        exec(compile(code, str(mutant.path), "exec"), space)
    except Exception:  # a default value that cannot be made: nothing could be loaded with it
        return False
    name = real[0].__name__
    changed = vars(space[mutant.owner])[name] if mutant.owner else space[name]
    changed = getattr(changed, "__func__", changed)
    if changed.__code__.co_freevars != real[0].__code__.co_freevars:
        return False
    for before, after in _codes_within(real[0].__code__, changed.__code__):
        for function in inner.get(id(before), ()):
            if after.co_freevars != before.co_freevars:
                return False
            function.__code__ = after
    for function in real:
        function.__code__ = changed.__code__
        function.__defaults__, function.__kwdefaults__ = changed.__defaults__, changed.__kwdefaults__
    return True


def _codes_within(before: types.CodeType, after: types.CodeType) -> Iterator[tuple[types.CodeType, types.CodeType]]:
    """Yield the code of what is defined in a function and the same code as the mutant has it, however deep."""
    inner = [[part for part in code.co_consts if isinstance(part, types.CodeType)] for code in (before, after)]
    if [part.co_name for part in inner[0]] == [part.co_name for part in inner[1]]:
        for pair in zip(*inner, strict=True):
            yield pair
            yield from _codes_within(*pair)


def no_core_files() -> None:
    """A mutant that is ended by a signal leaves no file behind."""
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
