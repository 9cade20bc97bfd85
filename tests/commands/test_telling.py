"""How much commands tell, where they tell it, and with what status they end."""

import os
import pty
import re
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from moonrise_bakery import demo_take_path
from opossum_commands import steps
from opossum_commands.exit_status import MEANING, PASSED_ON
from opossum_commands.main import COMMANDS
from opossum_commands.steps import share_of, step

OPOSSUM = Path(sys.executable).parent / "opossum"
DOCS = Path(__file__).parents[2] / "docs"


@pytest.fixture
def at_once(run, monkeypatch):
    """Tell of a step after a moment."""
    monkeypatch.setattr(steps, "AFTER_S", 0.02)
    monkeypatch.setattr(steps, "AGAIN_S", 0.02)


def test_a_step_that_takes_long_is_told_once_and_then_with_its_time(at_once, capsys):
    """On standard error, with how far it is; nothing of it on standard output."""
    with step("reading a.take") as tell:
        share_of(tell, 200)(50)
        time.sleep(0.3)
    told = capsys.readouterr()
    lines = told.err.splitlines()
    assert told.out == "" and lines[0] == "opossum: reading a.take … 25 %"
    assert lines[1] == "opossum: reading a.take … 25 % (0 s)"


def test_what_is_not_known_to_end_is_told_in_megabytes():
    """Standard input has no length."""
    said: list[str] = []
    share_of(said.append, 0)(3_000_000)
    share_of(said.append, 10)(11)
    assert said == ["3 MB", "100 %"]


def test_a_step_that_is_short_is_not_told(capsys):
    """As nearly all are."""
    with step("reading a.take"):
        pass
    assert capsys.readouterr().err == ""


def test_quiet_tells_no_steps_and_no_remarks(run, at_once, tmp_path, monkeypatch, night):
    """Before the command or after it; the next command is as loud as ever."""
    from opossum.take import opening
    from opossum.take.archive import save_take

    save_take(night(seconds=10.0), tmp_path / "night.take")
    slow = opening.open_any
    monkeypatch.setattr(opening, "open_any", lambda *given, **more: (time.sleep(0.1), slow(*given, **more))[1])
    for number, words in enumerate((["-q", "convert"], ["convert", "-q"], ["convert"])):
        said = run(*words, tmp_path / "night.take", tmp_path / f"{number}.flow.jsonl")
        assert (said.out + said.err == "") is (number < 2)
    assert said.err.startswith("opossum: reading ") and "records" in said.out


def test_verbose_says_how_long_each_step_took(run):
    """On standard error; without it, nothing."""
    loud, usual = run("findings", "-v", demo_take_path()), run("findings", demo_take_path())
    assert re.search(r"opossum: reading .*moonrise.take took \d+\.\d\d s\n", loud.err)
    assert re.search(r"opossum: examining Moonrise Bakery took \d+\.\d\d s\n", loud.err)
    assert usual.err == "" and usual.out == loud.out


def test_what_follows_a_game_is_the_games(run, tmp_path):
    """-v and -q of a game are not ours."""
    game, said = tmp_path / "game.py", tmp_path / "said"
    game.write_text(f"import sys; open({str(said)!r}, 'w').write(' '.join(sys.argv[1:]))")
    out = tmp_path / "game.take"
    assert "recording game" in run("record", "--out", out, game, "-v", "-q").err
    assert said.read_text() == "-v -q"
    assert "recording game" not in run("-q", "record", "--force", "--out", out, game).err


def shown_on_a_terminal(**environment: str) -> bytes:
    """Return what a terminal is sent by `opossum findings`."""
    own, theirs = pty.openpty()
    command = [OPOSSUM, "findings", demo_take_path(), "--only", "freeze"]
    usual = {name: value for name, value in os.environ.items() if name not in ("NO_COLOR", "TERM")}
    process = subprocess.Popen(command, stdout=theirs, stderr=theirs, env=usual | environment)
    os.close(theirs)
    said = b""
    try:
        while piece := os.read(own, 65536):
            said += piece
    except OSError:
        pass  # the other end is closed
    os.close(own)
    assert process.wait(60) == 0
    return said


def test_a_terminal_that_wants_text_alone_gets_text_alone():
    """NO_COLOR and TERM=dumb."""
    assert b"\x1b[1m" in shown_on_a_terminal(TERM="xterm")
    for wish in ({"TERM": "dumb"}, {"TERM": "xterm", "NO_COLOR": "1"}):
        assert b"\x1b" not in shown_on_a_terminal(**wish)


def test_the_table_of_exit_statuses_is_the_same_everywhere(run):
    """In the help, in the documentation, in the code."""
    page = (DOCS / "commands.md").read_text()
    told = re.findall(r"^\| (\d+) \| (.+) \|$", page, re.MULTILINE)
    assert told == [(str(int(status)), meaning) for status, meaning in MEANING.items()]
    assert PASSED_ON in page
    said = " ".join(run("--help").out.split())
    assert PASSED_ON in said and all(f"{int(status)} {meaning}" in said for status, meaning in MEANING.items())


def test_exit_statuses_are_what_the_table_says(run, tmp_path):
    """One of each kind, as a script sees them."""
    (tmp_path / "torn.flow.jsonl").write_bytes(
        b'{"k":"head","v":1,"clock":"ns","game":"g"}\n{"k":"frame","t":1,"n":0}\n{torn\n'
    )
    (tmp_path / "bakery.rules").write_text("never a call of Counter.on_bread\n")
    take, torn = demo_take_path(), tmp_path / "torn.flow.jsonl"
    assert run("findings", take).status == 0
    assert run("findings", take, "--fail-on", "fault").status == 1
    assert run("check-stream", torn).status == 1
    assert run("findings", tmp_path / "none.take").status == 2
    assert run("check", take, "--rules", tmp_path / "none.rules").status == 2
    assert run("findings", take, "--set", "nonsense").status == 2
    full = subprocess.run([OPOSSUM, "-q", "findings", take], stdout=open("/dev/full", "w"), stderr=subprocess.PIPE)  # noqa: SIM115
    assert full.returncode == 2 and full.stderr.count(b"\n") == 1
    early = subprocess.run(
        f"{OPOSSUM} findings {take} | head -1; exit ${{PIPESTATUS[0]}}", shell=True, executable="bash"
    )
    assert early.returncode == 0
    waiting = subprocess.Popen([OPOSSUM, "findings", "-"], stdin=subprocess.PIPE, stderr=subprocess.PIPE)
    assert waiting.stderr is not None
    assert b"reading standard input" in waiting.stderr.readline()  # it has waited for a second
    waiting.send_signal(signal.SIGINT)
    assert waiting.wait(60) == 130


@pytest.mark.parametrize("command", [[], *([name] for name in COMMANDS)])
def test_no_line_of_help_is_cut_and_no_name_broken(run, command):
    """Of every command; names with hyphens stay whole where lines are broken."""
    said = run(*command, "--help").out
    assert "..." not in said.replace("[ARGS]...", "")
    assert [line for line in said.splitlines() if line.endswith("-")] == []
