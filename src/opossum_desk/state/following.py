"""A stream that grows, read, counted and examined by a process of its own: the window's interpreter stays free.

The desk asks one thing at a time, from a thread that may wait: to read on, or to examine what was read.  Answers lie in
shared memory: columns, indexes and counts are mapped, not copied.  The process gives way to the game (`nice`), and
ends when the desk lets go of it or dies.

Cost of a growth, all of it in that process: reading what has come, and putting the whole take in order anew.
"""

from __future__ import annotations

import contextlib
import json
import os
import socket
import subprocess
import sys
import threading
from typing import Any, NamedTuple

from opossum.stream.contents import StreamError
from opossum.stream.damage import Damage
from opossum.stream.tables import Array
from opossum.words import tr, use_the_users
from opossum_desk.state.row_index import Flag
from opossum_desk.state.session import Session

GIVES_WAY = 5
"""How much later than others the process is served where processors are scarce: the game comes first."""
MOST_REQUEST_BYTES = 1 << 16
RUN = "import sys; from opossum_desk.state.following import serve; serve(int(sys.argv[1]), sys.argv[2])"


class ReaderEnded(StreamError):  # noqa: N818 - said of the process
    """The process that reads the stream is no more: it was killed, or was let go."""


class FoundInGrowth(NamedTuple):
    """What an examination found, in which growth, and which calls were doubled, counted for that growth.

    `starts`: where each peer's frames begin in that growth (`Frames.peer_starts`), to which `frame_rows` belong.
    """

    growth: int
    number: int
    findings: list[Any]
    damage: list[Damage]
    doubled: Flag
    starts: Array


class FollowedTake:
    """The desk's half: asks, and waits for the answer."""

    def __init__(self, path: str) -> None:
        self.path = path
        self._asking = threading.Lock()
        self._socket, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with theirs:
            own = {"PYTHONPATH": os.pathsep.join(filter(None, sys.path)), "OPENBLAS_NUM_THREADS": "1"}
            command = [sys.executable, "-S", "-c", RUN, str(theirs.fileno()), path]
            self._process = subprocess.Popen(command, env=os.environ | own, pass_fds=[theirs.fileno()])

    def close(self) -> None:
        """Let the process go; whoever waits for its answer learns that it has ended."""
        self._socket.shutdown(socket.SHUT_RDWR)
        self._process.kill()
        self._process.wait()
        with self._asking:
            self._socket.close()

    def read_on(self, sieve: str) -> tuple[int, Session] | None:
        """Return the growth's number and a session of the stream as it is now, sieved; None if it has not grown.

        Raises:
            StreamError: it cannot be read.
            ReaderEnded: who reads it is no more.
        """
        from opossum.take.handover import unpacked

        answer, memory = self._ask({"do": "read", "sieve": sieve})
        if memory is None:
            return None
        try:
            take, counted = unpacked(memory)
        finally:
            os.close(memory)
        return answer["growth"], Session(take, counted)

    def examine(self, playing: bool) -> FoundInGrowth:
        """Return what the process finds in what it has read.

        Raises:
            StreamError: it has ended.
        """
        from opossum.findings.finding import Evidence, Finding, Severity, Subject
        from opossum.take.handover import unpacked_values

        answer, memory = self._ask({"do": "examine", "playing": playing})
        assert memory is not None
        try:
            told = unpacked_values(memory, Finding, Subject, Evidence, Flag)
        finally:
            os.close(memory)
        for finding in told["findings"]:
            finding.severity = Severity(finding.severity)
        return FoundInGrowth(growth=answer["growth"], number=answer["number"], **told)

    def _ask(self, request: dict[str, Any]) -> tuple[dict[str, Any], int | None]:
        with self._asking:
            try:
                self._socket.sendall(json.dumps(request).encode())
                data, files, _, _ = socket.recv_fds(self._socket, MOST_REQUEST_BYTES, 1)
                answer = json.loads(data or b"{}")
            except (OSError, ValueError):
                answer, files = {}, []
        if not answer:
            raise ReaderEnded(self.path, tr("what reads it has ended; open it again"))
        if "error" in answer:
            raise StreamError(self.path, answer["error"])
        return answer, files[0] if files else None


class _Reader:
    """The process's half: the stream, the take as it was read last, and what was found in it last."""

    def __init__(self, path: str) -> None:
        from opossum.stream.following import FollowedStream
        from opossum.take.opening import take_name

        self._stream, self._name = FollowedStream(path), take_name(path)
        self._growth = 0
        self._examinations = 0
        self._session: Session | None = None
        self._findings: list[Any] = []
        self._handed: list[int] = []
        """Memory of the last growths: who lets go of it last has the work of freeing it, and that must not be the desk."""

    def read(self, sieve: str) -> tuple[dict[str, Any], int | None]:
        """Read on; answer with the take, indexed and counted, in memory."""
        from opossum.take.handover import pack
        from opossum.take.sieve import SieveError
        from opossum.take.take import Take

        while len(self._handed) > 1:  # whoever asks for more shows the last one, and has let go of those before
            os.close(self._handed.pop(0))
        if not self._stream.read_more():
            return {"growth": self._growth}, None
        self._session = None  # it need not take up memory beside its successor
        take = Take.from_contents(self._stream.contents(), self._name)
        session = self._session = Session(take)
        self._growth += 1
        if self._examinations:
            # records only follow those before: the calls of what was found still stand where they stood
            session.set_findings(self._findings)
            session.doubles_of = self._examinations
        with contextlib.suppress(SieveError):  # the desk, whose user is still writing it, says so
            session.set_sieve(sieve)
        values = session.as_values()
        memory = os.memfd_create("opossum-growth")
        pack(take, memory, values)
        self._handed.append(os.dup(memory))
        return {"growth": self._growth}, memory

    def examine(self, playing: bool) -> tuple[dict[str, Any], int | None]:
        """Examine what was read; answer with what was found in memory."""
        from opossum.findings.examine import examine
        from opossum.take.checks import check_take
        from opossum.take.handover import pack_values

        session = self._session
        if session is None:
            return {"error": tr("nothing of it was read yet")}, None
        self._findings = examine(session.take, playing=playing)
        self._examinations += 1
        doubled = session.doubled(self._findings)
        memory = os.memfd_create("opossum-findings")
        told = [_with_plain_severity(finding) for finding in self._findings]
        damage, starts = check_take(session.take), session.take.frames.peer_starts
        pack_values({"findings": told, "damage": damage, "doubled": doubled, "starts": starts}, memory)
        return {"growth": self._growth, "number": self._examinations}, memory


def _with_plain_severity(finding: Any) -> Any:
    from dataclasses import replace

    return replace(finding, severity=finding.severity.value, rated=None)


def serve(number: int, path: str) -> None:
    """Be the process: answer what is asked over a socket until it is closed."""
    os.nice(GIVES_WAY)
    use_the_users()
    reader = _Reader(path)
    with socket.socket(fileno=number) as desk:
        while request := desk.recv(MOST_REQUEST_BYTES):
            asked = json.loads(request)
            try:
                answer, memory = getattr(reader, {"read": "read", "examine": "examine"}[asked.pop("do")])(**asked)
            except StreamError as error:
                answer, memory = {"error": error.reason}, None
            except MemoryError:
                answer, memory = {"error": tr("it has become too large for this machine's memory")}, None
            try:
                socket.send_fds(desk, [json.dumps(answer).encode()], [] if memory is None else [memory])
            except OSError:
                return
            if memory is not None:
                os.close(memory)
