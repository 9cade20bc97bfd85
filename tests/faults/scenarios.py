"""What must hold whichever system call fails: run by `test_faults.py`, with `failing_calls.c` loaded before everything else.

`python -m faults.scenarios NAME` tries a scenario once for every call it makes, and prints how many those were.
"""

from __future__ import annotations

import ctypes
import errno
import os
import shutil
import socket
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from fuzz.attacks import Random
from fuzz.made_streams import made_stream
from opossum.live.receiver import Receiver
from opossum.stream.reading import read_streams
from opossum.take.archive import open_take, save_take
from opossum.take.opening import open_any
from opossum.take.sameness import first_difference
from opossum.take.take import Take
from opossum_commands.keeping import keep
from opossum_commands.reading import CommandError
from opossum_recorder import Recorder

FAILS, IS_CUT_SHORT, IS_KILLED = range(3)
WAYS = ((FAILS, errno.ENOSPC), (FAILS, errno.EIO), (IS_CUT_SHORT, errno.ENOSPC))
NEVER = -1
_shim = ctypes.CDLL(None)


def fail_from_now(folder: Path, nth: int, does: int = FAILS, error: int = errno.ENOSPC, for_ever: bool = False) -> None:
    """Have the n-th call on files below a folder fail, and all after it where it is for ever."""
    _shim.fail_from_now(str(folder).encode(), ctypes.c_long(nth), does, error, int(for_ever))


def calls_so_far() -> int:
    """Return how many calls there were since then."""
    return ctypes.c_long(_shim.calls_so_far()).value


def letters_so_far() -> str:
    """Return what they were: o(pen), w(rite), s(ync), t(runcate), r(ename), m(ode), u(nlink), c(lose), (ma)p."""
    _shim.letters_so_far.restype = ctypes.c_char_p
    return _shim.letters_so_far().decode()


def every_call(does: Callable[[Path], Any], prepared: Callable[[Path], None]) -> Iterator[tuple[int, int, int, Path]]:
    """Yield (n, way, error, folder) for every call that `does` makes in a folder that was prepared, and every way to fail."""
    with tempfile.TemporaryDirectory() as base:
        folder = Path(base, "counted")
        folder.mkdir()
        prepared(folder)
        fail_from_now(folder, NEVER)
        does(folder)
        count = calls_so_far()
        for way, error in WAYS:
            for n in range(1, count + 1):
                folder = Path(base, f"{way}-{error}-{n}")
                folder.mkdir()
                prepared(folder)
                yield n, way, error, folder
                fail_from_now(folder, NEVER)
                shutil.rmtree(folder)


def _take(seed: int, folder: Path) -> Take:
    stream = folder / "made.flow.jsonl"
    stream.write_bytes(made_stream(Random(seed), 6))
    take = open_any(str(stream))
    stream.unlink()
    return take


def saving() -> int:
    """Saving over an older take: whatever fails, there is the older one or the newer one, whole, and nothing beside it."""
    with tempfile.TemporaryDirectory() as base:
        old, new = _take(1, Path(base)), _take(2, Path(base))

    def prepared(folder: Path) -> None:
        save_take(old, folder / "a.take")

    tried = 0
    for n, way, error, folder in every_call(lambda folder: save_take(new, folder / "a.take"), prepared):
        tried += 1
        fail_from_now(folder, n, way, error, for_ever=way == FAILS and n % 2 == 0)
        try:
            save_take(new, folder / "a.take")
            told = ""
        except OSError as caught:
            told = str(caught.strerror)
        letters = letters_so_far()
        fail_from_now(folder, NEVER)
        found = open_take(folder / "a.take")
        same_as = [name for name, take in (("old", old), ("new", new)) if first_difference(found, take) == ""]
        assert same_as, (n, way)
        assert told or same_as == ["new"], (n, way, "failed and said nothing")
        left = [path.name for path in folder.iterdir() if path.name != "a.take"]
        assert not left or "u" in letters, (n, way, left)
    return tried


def keeping() -> int:
    """Keeping a recording: whatever fails, the stream is there until the take is there, whole."""
    with tempfile.TemporaryDirectory() as base:
        take = _take(3, Path(base))

    def prepared(folder: Path) -> None:
        (folder / "a.part.flow.jsonl").write_bytes(b"all that was recorded")

    tried = 0
    for n, way, error, folder in every_call(_keep(take), prepared):
        tried += 1
        fail_from_now(folder, n, way, error, for_ever=n % 2 == 0)
        try:
            _keep(take)(folder)
            told = ""
        except CommandError as caught:
            told = caught.message
        except OSError as caught:  # the stream could not be removed
            told = str(caught)
        fail_from_now(folder, NEVER)
        _is_kept(take, folder, told)
    return tried


def _keep(take: Take) -> Callable[[Path], None]:
    return lambda folder: keep(take, folder / "a.take", folder / "a.part.flow.jsonl")


def _is_kept(take: Take, folder: Path, told: str) -> None:
    if not (folder / "a.part.flow.jsonl").exists():
        assert first_difference(open_take(folder / "a.take"), take) == ""
    else:
        assert (folder / "a.part.flow.jsonl").read_bytes() == b"all that was recorded"
        assert told, "the stream is still there, and nothing was said"


def keeping_killed() -> int:
    """The same, the process killed at each call."""
    with tempfile.TemporaryDirectory() as base:
        take = _take(3, Path(base))
        folder = Path(base, "counted")
        folder.mkdir()
        (folder / "a.part.flow.jsonl").write_bytes(b"all that was recorded")
        fail_from_now(folder, NEVER)
        _keep(take)(folder)
        count, letters = calls_so_far(), letters_so_far()
        # for a machine that dies: the take and its name are on the disk before the stream goes
        assert "s" in letters[: letters.index("r")] and letters.index("u") > letters.rindex("s") > letters.index("r"), (
            letters
        )
        for n in range(1, count + 1):
            folder = Path(base, str(n))
            folder.mkdir()
            (folder / "a.part.flow.jsonl").write_bytes(b"all that was recorded")
            child = os.fork()
            if not child:
                fail_from_now(folder, n, IS_KILLED)
                _keep(take)(folder)
                os._exit(0)
            assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == -9
            _is_kept(take, folder, "it was killed")
    return count


RECORDS = 2500


def _record(folder: Path, told: Callable[[int], None] = lambda number: None) -> Recorder:
    recorder = Recorder(folder / "a.flow.jsonl", "g", watch_after=0, clock=iter(range(10**9)).__next__)
    data = "x" * 300
    for number in range(RECORDS):
        recorder.send("bread_ready", "oven#1", d=data)
        if number % 50 == 0:
            recorder.flush()
            told(number + 1)
    recorder.close()
    return recorder


def recording() -> int:
    """A recorder: whatever fails, the game goes on, every line is whole, and what is not there is counted and told."""
    tried = 0
    for n, way, error, folder in every_call(_record, lambda folder: None):
        for for_ever in (False, True):
            tried += 1
            (folder / "a.flow.jsonl").unlink(missing_ok=True)
            fail_from_now(folder, n, way, error, for_ever)
            recorder = _record(folder)
            letters = letters_so_far()
            fail_from_now(folder, NEVER)
            path = folder / "a.flow.jsonl"
            if not path.exists() or not path.read_bytes().strip(b"\n"):
                assert recorder.lost >= RECORDS and recorder.trouble, (n, way, letters)
                continue
            contents = read_streams([str(path)])
            assert not contents.damage, (n, way, for_ever, contents.damage[0].told())
            sends, lost = len(contents.tables["send"]), contents.tables["lost"]["n"]
            assert sends + recorder.lost == RECORDS, (n, way, for_ever, sends, recorder.lost, letters)
            assert int(lost.sum()) == recorder.lost, (n, way, for_ever, int(lost.sum()), recorder.lost, letters)
            assert len(contents.tables["bye"]) == 1
    return tried


def recording_killed() -> int:
    """The same, the game killed at each call: all that was said before is in the file."""
    with tempfile.TemporaryDirectory() as base:
        folder = Path(base, "counted")
        folder.mkdir()
        fail_from_now(folder, NEVER)
        _record(folder)
        count = calls_so_far()
        for n in range(2, count + 1):  # the first opens the file
            folder = Path(base, str(n))
            folder.mkdir()
            told = os.memfd_create("told")
            child = os.fork()
            if not child:
                fail_from_now(folder, n, IS_KILLED)
                _record(folder, lambda number: os.pwrite(told, b"%8d" % number, 0))  # noqa: B023 - used at once
                os._exit(0)
            assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == -9
            said = int(os.pread(told, 8, 0) or 0)
            os.close(told)
            path = folder / "a.flow.jsonl"
            sends = len(read_streams([str(path)]).tables["send"]) if path.stat().st_size and said else 0
            assert sends >= said, (n, sends, said)
    return count


def receiving() -> int:
    """A receiver whose disk is full from some call on: the game is told, every line is whole, and the receiver says why."""
    tried = 0
    for nth in range(1, 12):
        for way in (FAILS, IS_CUT_SHORT):
            with tempfile.TemporaryDirectory() as base:
                folder = Path(base)
                receiver = Receiver(folder / "a.flow.jsonl", port=0)
                receiver.start()
                fail_from_now(folder, nth, way, errno.ENOSPC, for_ever=True)
                sent = heard = b""
                with socket.create_connection(("127.0.0.1", receiver.port), timeout=5) as game:
                    try:
                        game.sendall(b'{"k":"head","t":0,"opossum":1,"game":"g"}\n')
                        for number in range(200):
                            sent = b'{"k":"frame","t":%d,"n":%d}\n' % (number, number) * 20
                            game.sendall(sent)
                        game.shutdown(socket.SHUT_WR)
                        while received := game.recv(65536):
                            heard += received
                    except OSError:
                        pass
                receiver.stop()
                fail_from_now(folder, NEVER)
                data = (folder / "a.flow.jsonl").read_bytes()
                if receiver.trouble:
                    tried += 1
                    assert b'{"k":"refuse","why":' in heard and b"cannot be written further (No space left" in heard, (
                        heard[-300:]
                    )
                # what was cut could not be cut off again where every call fails; else the lines are whole
                assert way == IS_CUT_SHORT or data.endswith(b"\n") or not data, (nth, data[-50:])
    assert tried
    return tried


SCENARIOS = (saving, keeping, keeping_killed, recording, recording_killed, receiving)

if __name__ == "__main__":
    print({scenario.__name__: scenario for scenario in SCENARIOS}[sys.argv[1]]())
