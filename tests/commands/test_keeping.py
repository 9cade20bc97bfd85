"""Recordings are kept: nothing goes before what was saved of it was opened again."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

import opossum_process
from opossum.take import archive
from opossum.take.opening import open_any
from opossum.take.unfinished import unfinished
from opossum_commands.keeping import free_part, keep
from opossum_commands.reading import CommandError
from tape import Tape

GAME = "from opossum_recorder.launch import recorder\nrecorder.frame(0)\nrecorder.idle()\n"


@pytest.fixture
def recorded(tmp_path):
    """Return a stream that was recorded, its take, and where it is to be saved."""
    stream = tmp_path / "night.take.part.flow.jsonl"
    stream.write_bytes(Tape().frames(5).bytes())
    return stream, open_any(str(stream)), tmp_path / "night.take"


def record(folder: Path, *arguments: str) -> subprocess.CompletedProcess:
    """Run `opossum record` on a small Python game in a folder."""
    (folder / "game.py").write_text(GAME)
    return opossum_process.run("record", *arguments, "--", sys.executable, "game.py", cwd=folder)


def test_the_stream_goes_when_the_take_is_the_same(recorded):
    """Opened again, compared, and only then."""
    stream, take, target = recorded
    keep(take, target, stream)
    assert not stream.exists() and open_any(str(target)).records == take.records


def test_the_stream_stays_when_what_was_saved_cannot_be_opened(recorded, monkeypatch):
    """A disk that lies, a bug of ours: one sentence, and nothing is lost."""
    stream, take, target = recorded

    def save_rubbish(take: object, path: object) -> None:
        Path(str(path)).write_bytes(b"PK\x03\x04rubbish")

    monkeypatch.setattr(archive, "save_take", save_rubbish)
    with pytest.raises(CommandError, match=r"cannot be opened again.*the stream is kept as .*part\.flow\.jsonl"):
        keep(take, target, stream)
    assert stream.exists()


def test_the_stream_stays_when_what_was_saved_is_something_else(recorded, monkeypatch):
    """What differs is said."""
    stream, take, target = recorded
    other = open_any(str(stream))
    other.tables["frame"].columns["n"] = other.tables["frame"]["n"] + 1
    save = archive.save_take
    monkeypatch.setattr(archive, "save_take", lambda take, path: save(other, path))
    with pytest.raises(CommandError, match="is not what was recorded \\(`n` of `frame` records\\)"):
        keep(take, target, stream)
    assert stream.exists()


def test_the_stream_stays_when_the_take_cannot_be_written(recorded, tmp_path):
    """No such folder, no right, no room."""
    stream, take, _ = recorded
    with pytest.raises(CommandError, match="cannot be written"):
        keep(take, tmp_path / "nowhere" / "night.take", stream)
    assert stream.exists()


def test_a_recording_that_was_left_unfinished_is_never_touched(tmp_path):
    """A run that was killed left its stream beside the same target: the next run takes another name, and says so."""
    left = tmp_path / "night.take.part.flow.jsonl"
    left.write_bytes(Tape().frames(3).bytes(bye=False))
    before = left.read_bytes()
    result = record(tmp_path, "--out", "night.take")
    assert result.returncode == 0, result.stderr
    assert left.read_bytes() == before
    assert "an unfinished recording lies at night.take.part.flow.jsonl; it is left as it is" in result.stderr
    assert (tmp_path / "night.take").exists()
    assert not (tmp_path / "night.take.part-2.flow.jsonl").exists()


def test_free_names_go_on_counting(tmp_path):
    """However many were left."""
    target = tmp_path / "a.take"
    for number, name in enumerate(("a.take.part.flow.jsonl", "a.take.part-2.flow.jsonl", "a.take.part-3.flow.jsonl")):
        part = free_part(target)
        assert part.name == name
        part.touch()
        os.utime(part, (number, number))
    assert [path.name for path in unfinished(target)] == [
        "a.take.part.flow.jsonl", "a.take.part-2.flow.jsonl", "a.take.part-3.flow.jsonl",
    ]  # fmt: skip


def test_one_record_at_the_limit_costs_no_recording(tmp_path):
    """What `listen` receives at the very edge of what is allowed is saved like all else."""
    import socket

    target = tmp_path / "edge.take"
    process = subprocess.Popen(
        [sys.executable, "-m", "opossum_commands", "listen", "--port", "0", "--out", str(target), "--until-bye"],
        stderr=subprocess.PIPE,
        text=True,
    )
    port = int(process.stderr.readline().rpartition(":")[2].partition(";")[0])
    with socket.create_connection(("127.0.0.1", port), timeout=5) as game:
        game.sendall(b'{"k":"head","opossum":1,"game":"edge","t":0}\n{"k":"frame","n":0,"t":1}\n')
        game.sendall(b'{"k":"idle","t":2305843009213693952}\n{"k":"bye","t":2305843009213693952}\n')
        game.shutdown(socket.SHUT_WR)
        while game.recv(4096):
            pass
    assert process.wait(30) == 0, process.stderr.read()
    process.stderr.close()
    assert int(open_any(str(target)).tables["idle"]["t"][0]) == 2**61


def test_names_do_nothing_to_the_terminal(tmp_path):
    """Escapes and turned writing are shown, not obeyed."""
    tape = Tape(game="evil\x1b[2J").frame().frame()
    pair = [tape.bind("b\u202eread", "cat\x1b[31m#1", "Cat.on\nbread") for _ in range(2)]
    tape.frame().heard("b\u202eread", *pair)
    path = tmp_path / "a.flow.jsonl"
    path.write_bytes(tape.bytes())
    for command in ("findings", "info", "check-stream"):
        result = subprocess.run(
            [sys.executable, "-m", "opossum_commands", command, str(path)], capture_output=True, text=True, timeout=60
        )
        assert not set(result.stdout + result.stderr) & {"\x1b", "\u202e"}, command
    told = subprocess.run(
        [sys.executable, "-m", "opossum_commands", "findings", str(path)], capture_output=True, text=True, timeout=60
    ).stdout
    assert "cat␛[31m#1" in told and "‹U+202E›" in told and "evil␛[2J" in told


def test_a_folder_that_cannot_be_written_to_is_said(tmp_path, monkeypatch):
    """Before anything is recorded."""
    monkeypatch.setattr(os, "access", lambda path, mode: not (path == tmp_path and mode == os.W_OK))
    with pytest.raises(CommandError, match="cannot be written to; give --out a file in another folder"):
        free_part(tmp_path / "night.take")


def test_whoever_opens_a_take_that_was_not_finished_is_told_what_lies_there(recorded):
    """And reads it."""
    stream, _, target = recorded
    command = [sys.executable, "-m", "opossum_commands", "findings"]
    result = subprocess.run([*command, str(target)], capture_output=True, text=True)

    assert result.returncode == 2 and f"was not finished; open {stream}" in result.stderr
    assert subprocess.run([*command, str(stream)], capture_output=True).returncode == 0


@pytest.mark.parametrize(
    ("text", "why"),
    [
        (b"secret word\n", ""),
        (b"", "must hold one line"),
        (b"a\nb", "must hold one line"),
        (b"\xff", "is no text"),
        (b"x" * 2000, "must hold"),
    ],
)
def test_the_token_comes_from_a_file(tmp_path, text, why):
    """No list of processes shows it; what is no token is said."""
    file = tmp_path / "token"
    file.write_bytes(text)
    command = [sys.executable, "-m", "opossum_commands", "listen", "--port", "0", "--token-file", str(file)]
    process = subprocess.Popen(
        [*command, "--host", "0.0.0.0", "--out", str(tmp_path / "a.take"), "--for", "0.3"],
        stderr=subprocess.PIPE,
        text=True,
    )
    with open(f"/proc/{process.pid}/cmdline", "rb") as shown:
        assert b"secret" not in shown.read()
    told = process.communicate(timeout=30)[1]
    assert process.returncode == 2
    assert (why or "no game connected") in told and "Traceback" not in told


def test_a_token_without_a_link_is_said(run, tmp_path):
    """It would be of no use: nothing is recorded, and no file is made."""
    (tmp_path / "token").write_text("word")
    ended = run("record", "--token-file", tmp_path / "token", "--out", tmp_path / "a.take", "game.py")
    assert ended.status == 2 and "give --link" in ended.err
    assert not (tmp_path / "a.take").exists()


def test_a_token_that_is_missing_is_said(tmp_path):
    """With its name; one on the command line is no option."""
    for option in ("--token-file", "--token"):
        command = [sys.executable, "-m", "opossum_commands", "listen", option, str(tmp_path / "none")]
        done = subprocess.run(command, capture_output=True, text=True, timeout=30)
        assert done.returncode == 2 and "Traceback" not in done.stderr
        assert ("cannot be read (No such file" if option == "--token-file" else "No such option") in done.stderr


def test_a_disk_that_fills_while_a_game_is_recorded_is_told(tmp_path):
    """By the command, with how many records are lost and why, and by its status; what came before is kept."""
    game = tmp_path / "game.py"
    game.write_text(
        "import resource\n"
        "from opossum_recorder.launch import recorder\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (600_000, 600_000))\n"
        "for n in range(4000):\n"
        "    recorder.frame(n); recorder.send('x', d='y' * 300); recorder.idle()\n"
    )
    done = opossum_process.run("record", "--out", "a.take", "game.py", cwd=tmp_path)
    take = open_any(str(tmp_path / "a.take"))
    lost = int(take.tables["lost"]["n"].sum())
    assert done.returncode == 2 and "Traceback" not in done.stderr
    assert (
        lost > 1000
        and f"{lost:,} records were lost while it was recorded ([Errno 28] the disk took only part of the data)"
        in done.stderr
    )
    assert take.records - len(take.tables["lost"]) + lost == 1 + 4000 * 3 + 1
    assert not take.damage and len(take.tables["bye"]) == 1


def test_a_disk_that_fills_while_listening_is_told(tmp_path):
    """To the game, to the user, and by the status; the take holds what came before."""
    import resource
    import socket

    def small_files() -> None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (100_000, 100_000))

    process = subprocess.Popen(
        [sys.executable, "-m", "opossum_commands", "listen", "--port", "0", "--out", "a.take"],
        cwd=tmp_path,
        stderr=subprocess.PIPE,
        text=True,
        preexec_fn=small_files,
    )
    port = int(process.stderr.readline().rpartition(":")[2].partition(";")[0])
    heard = b""
    with socket.create_connection(("127.0.0.1", port), timeout=10) as game:
        game.sendall(b'{"k":"head","opossum":1,"game":"g","t":0}\n')
        game.sendall(b"".join(b'{"k":"frame","n":%d,"t":%d}\n' % (number, number) for number in range(5000)))
        while received := game.recv(4096):
            heard += received
    told = process.communicate(timeout=60)[1]
    assert process.returncode == 2 and "Traceback" not in told
    assert b'{"k":"refuse","why":' in heard and b"cannot be written further (File too large)" in heard
    assert "cannot be written further (File too large); what came before is kept" in told
    take = open_any(str(tmp_path / "a.take"))
    assert 0 < len(take.tables["frame"]) < 5000 and not take.damage


@pytest.mark.parametrize(("level", "status"), [("fault", 1), ("risk", 1), (None, 0)])
def test_recording_fails_where_the_user_wants_it_to(tmp_path, level, status):
    """By what was found, and the take is kept; a game's own status comes first."""
    game = (
        "import sys\n"
        "from opossum_recorder.launch import recorder\n"
        "pair = [recorder.bind('bread', 'counter#1', 'Counter.on_bread') for _ in range(2)]\n"
        "for n in range(20):\n"
        "    recorder.frame(n); s = recorder.send('bread')\n"
        "    for b in pair:\n"
        "        with recorder.call(s, b, 'counter#1', 'Counter.on_bread') as call: call.changed()\n"
        "    recorder.idle()\n"
    )
    (tmp_path / "game.py").write_text(game)
    (tmp_path / "bad.py").write_text(game + "sys.exit(7)\n")
    command = ["record", *(["--fail-on", level] if level else [])]
    for name, ends in (("game", status), ("bad", 7)):
        done = opossum_process.run(*command, "--out", f"{name}.take", f"{name}.py", cwd=tmp_path)
        assert done.returncode == ends, done.stderr
        assert "fault: " in done.stderr and (tmp_path / f"{name}.take").exists()
