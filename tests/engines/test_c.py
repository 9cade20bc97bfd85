"""The C header: compiled as C and as C++, to a file and over the link, from several threads, and killed."""

from __future__ import annotations

import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest
from playing import EXAMPLES, causes, ended

from opossum.findings.examine import examine
from opossum.live.receiver import Receiver
from opossum.take.checks import check_take
from opossum.take.opening import open_any

pytestmark = pytest.mark.skipif(shutil.which("cc") is None, reason="there is no C compiler: apt-get install gcc")

THREADS = r"""
#define OPOSSUM_IMPLEMENTATION
#include "opossum.h"

static void *work(void *nothing) {
	int i;
	(void)nothing;
	for (i = 0; i < 500; i++) {
		unsigned long c = opossum_call(opossum_send("job", "worker", OPOSSUM_DIRECT, 0), 0, "worker", "work \"\\\n", OPOSSUM_HERE);
		unsigned long inner = opossum_call(opossum_send("part", "worker", OPOSSUM_DIRECT, "{\"i\":1}"), 0, "worker", "part", "");
		opossum_ret(inner, -1);
		opossum_ret(c, 0);
	}
	return 0;
}

int main(int argc, char **argv) {
	pthread_t threads[4];
	int i;
	char *longest = (char *)calloc(1, 9000);
	memset(longest, 'x', 8999);
	opossum_frame(0, 0);  /* before opening: nothing */
	if (argc < 2 || opossum_open(argv[1], "threads", 0) != 0) return 2;
	opossum_frame(0, 0.016);
	for (i = 0; i < 4; i++) pthread_create(&threads[i], 0, work, 0);
	for (i = 0; i < 4; i++) pthread_join(threads[i], 0);
	opossum_say(longest);
	opossum_watch("a", "b", 0.0 / 0.0);
	opossum_idle();
	opossum_close();
	opossum_frame(1, 0);  /* after closing: nothing */
	return opossum_lost() == 1 ? 0 : 1;
}
"""


@pytest.fixture(scope="module")
def folder(tmp_path_factory) -> Path:
    """Return a folder with the header as the command prints it."""
    folder = tmp_path_factory.mktemp("c")
    header = subprocess.run([sys.executable, "-m", "opossum_commands", "header"], capture_output=True, check=True)
    (folder / "opossum.h").write_bytes(header.stdout)
    return folder


def compiled(folder: Path, source: Path, *options: str, compiler: str = "cc") -> str:
    """Compile a program with every warning an error; return its path."""
    program = folder / f"{source.stem}-{compiler}"
    flags = ["-Wall", "-Wextra", "-Werror", "-I", str(folder), "-o", str(program), "-lpthread", "-lm"]
    subprocess.run([compiler, *options, str(source), *flags], check=True)
    return str(program)


@pytest.fixture(scope="module")
def bakery(folder) -> str:
    """Return the example, compiled."""
    return compiled(folder, EXAMPLES / "c_bakery.c", "-std=gnu99")


@pytest.mark.parametrize(
    ("fault", "found"),
    [
        ("none", []),
        ("double", ["double-fire/bound-twice"]),
        ("stale", ["stale-listener/called-after-gone"]),
        ("slow", ["freeze/slow-call"]),
    ],
)
def test_faults_are_found(bakery, tmp_path, fault, found):
    """In a stream that is sound."""
    stream = tmp_path / "a.flow.jsonl"
    subprocess.run([bakery, str(stream), fault], check=True, timeout=30)
    take = open_any(str(stream))
    assert check_take(take) == []
    assert causes(take) == found


def test_a_loop_without_end_is_named_when_the_game_is_killed(bakery, tmp_path):
    """Everything up to then is in the file, and where it stood."""
    stream = tmp_path / "a.flow.jsonl"
    process = subprocess.Popen([bakery, str(stream), "loop"])
    time.sleep(2)
    process.kill()
    process.wait()
    finding = next(finding for finding in examine(open_any(str(stream))) if finding.kind == "freeze")
    assert (finding.cause, finding.subject.fn) == ("endless-loop", "counter_on_bread")


def test_it_streams_over_the_link(bakery, tmp_path):
    """Clocks are told apart by the pings its thread answers."""
    listener = Receiver(tmp_path / "live.flow.jsonl", port=0)
    listener.start()
    subprocess.run([bakery, f"127.0.0.1:{listener.port}", "slow"], check=True, timeout=30)
    end = time.monotonic() + 5
    while any(peer.connected for peer in listener.peers) and time.monotonic() < end:
        time.sleep(0.01)
    peer = listener.peers[0]
    listener.stop()
    assert peer.closed and peer.error_ns is not None and not peer.holds
    take = open_any(str(listener.out))
    assert check_take(take) == [] and take.game_frames == 150


def test_the_game_may_be_started_before_opossum(bakery, tmp_path):
    """What came meanwhile waits until somebody listens; where nobody ever does, the game ends as it would."""
    listener = Receiver(tmp_path / "first.flow.jsonl", port=0)
    listener.start()
    port = listener.port
    listener.stop()
    late = Receiver(tmp_path / "late.flow.jsonl", port=port)
    game = subprocess.Popen([bakery, f"127.0.0.1:{port}", "slow"])
    time.sleep(0.1)
    late.start()
    assert game.wait(30) == 0
    take = ended(late)

    assert take.recording.closed(0) and take.game_frames == 150 and check_take(take) == []
    assert subprocess.run([bakery, f"127.0.0.1:{port}", "none"], timeout=30).returncode == 0


@pytest.mark.parametrize(("compiler", "options"), [("cc", ("-std=gnu99",)), ("c++", ("-x", "c++"))])
def test_any_thread_may_record(folder, tmp_path, compiler, options):
    """Causes stay within a thread; odd texts are escaped, a line too long is dropped and counted, no NaN is written."""
    if shutil.which(compiler) is None:
        pytest.skip(f"there is no {compiler}")
    source = folder / "threads.c"
    source.write_text(THREADS)
    stream = tmp_path / "a.flow.jsonl"
    subprocess.run([compiled(folder, source, *options, compiler=compiler), str(stream)], check=True, timeout=30)
    take = open_any(str(stream))
    assert [damage.code for damage in check_take(take)] == ["lost"]
    assert (len(take.calls), len(take.tables["ret"]), len(take.tables["watch"])) == (4000, 4000, 0)
    inner = [call for call in range(4000) if take.event_of_call(call) == "part"]
    assert all(take.event_of_call(int(take.calls.parent[call])) == "job" for call in inner)
    assert 'work "\\\n' in take.strings
    assert int(take.tables["lost"]["n"].sum()) == 1


FULL = r"""
#define OPOSSUM_IMPLEMENTATION
#include "opossum.h"
extern void fail_from_now(const char *folder, long nth, int does, int error, int for_ever);

int main(int argc, char **argv) {
	int i;
	if (argc < 3 || opossum_open(argv[1], "full", 60) != 0) return 2;
	for (i = 0; i < 300; i++) {
		if (i == 100) fail_from_now(argv[2], 1, atoi(argv[3]), 28, 1); /* no space from here on */
		if (i == 200) fail_from_now(argv[2], -1, 0, 0, 0); /* and there is some again */
		opossum_frame(i, 0.016);
		opossum_idle();
	}
	opossum_close();
	return opossum_lost() == 200 ? 0 : 1;
}
"""


@pytest.mark.parametrize("does", [0, 1], ids=["fails", "is cut short"])
def test_a_full_disk_is_counted_and_told(folder, tmp_path, does):
    """Lines are whole or not there; where a torn one could not be taken back, it is ended before the next."""
    faults = Path(__file__).parent.parent / "faults" / "failing_calls.c"
    (tmp_path / "full.c").write_text(FULL)
    program = tmp_path / "full"
    subprocess.run(
        [
            "cc",
            str(tmp_path / "full.c"),
            str(faults),
            "-I",
            str(folder),
            "-o",
            str(program),
            "-lpthread",
            "-lm",
            "-ldl",
        ],
        check=True,
    )
    path = tmp_path / "a.flow.jsonl"
    assert subprocess.run([str(program), str(path), str(tmp_path), str(does)], timeout=60).returncode == 0
    take = open_any(str(path))
    assert take.tables["frame"]["n"].tolist() == [*range(100), *range(200, 300)]
    assert int(take.tables["lost"]["n"].sum()) == 200
    assert [item.code for item in take.damage] == (["not-json"] if does else [])
