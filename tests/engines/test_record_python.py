"""`opossum record -- python …`: five ways a game can end, and what the take says of each."""

from __future__ import annotations

import faulthandler
import os
import signal
import subprocess
import sys
import threading
import time
from functools import partial
from pathlib import Path

import pytest
from playing import EXAMPLES, causes, ended, found_in_the_game

from opossum.findings.examine import examine
from opossum.live.receiver import Receiver
from opossum.live.tripwires import parse_tripwire
from opossum.take.archive import open_take
from opossum.take.opening import open_any
from opossum_process import OpossumProcess, run
from opossum_recorder import black_box
from opossum_recorder.engines.recognising import engine_of

GAME = """
import sys, time
from opossum_recorder import launch
recorder = launch.recorder
bound = recorder.bind("work", "ledger#1", "Ledger.on_work")

def work(n):
    if n == 30:
        print("there", flush=True)
        {ending}

for n in range(40):
    with recorder.frame(n, 1 / 60):
        with recorder.call(recorder.send("work"), bound, "ledger#1", "Ledger.on_work", "ledger.py:7"):
            work(n)
"""

begin, record = partial(OpossumProcess, "record"), partial(run, "record")


def recorded(folder: Path, ending: str, kill_after_s: float = 0.0):
    """Run a game that ends so; return (status, what was said, the take or None)."""
    script, target = folder / "game.py", folder / "game.take"
    script.write_text(GAME.format(ending=ending))
    process = begin("--out", str(target), "--", sys.executable, str(script))
    if kill_after_s:
        assert process.stdout.readline() == "there\n"
        time.sleep(kill_after_s)
        for child in Path(f"/proc/{process.pid}/task/{process.pid}/children").read_text().split():
            os.kill(int(child), signal.SIGKILL)
    _, said = process.communicate(timeout=60)
    assert [path.name for path in folder.iterdir() if path.suffix == ".take"] == ["game.take"], said
    assert sorted(path.name for path in folder.iterdir()) == ["game.py", "game.take"]
    return process.returncode, said, open_take(str(target))


def test_a_game_that_exits_normally(tmp_path):
    """Its status is passed on, its take is closed, nothing is found."""
    status, said, take = recorded(tmp_path, "sys.exit(7)")

    assert status == 7
    assert take.recording.closed(0)
    assert "Nothing found" in said
    assert len(take.calls) == 31


def test_a_game_that_raises(tmp_path):
    """The error is in the call and in the log; the traceback is the user's as ever."""
    status, said, take = recorded(tmp_path, 'raise KeyError("flour")')

    assert status == 1
    assert "KeyError: 'flour'" in said
    assert not take.recording.closed(0)
    rets = take.tables["ret"]
    assert take.text(int(rets["err"][-1])) == "KeyError: 'flour'"
    assert "in work" in take.text(int(take.tables["say"]["text"][-1]))


@pytest.mark.parametrize(
    "ending",
    ["while True: pass", "sum(range(10 ** 12))"],
    ids=["a while without a call", "one C function that keeps the interpreter's lock"],
)
def test_a_game_that_is_stuck_and_killed(tmp_path, ending):
    """The take names the call, the place and the function it hung in, even where no Python thread could run."""
    status, said, take = recorded(tmp_path, ending, kill_after_s=2.5)
    finding = next(finding for finding in examine(take) if finding.kind == "freeze")

    assert status == 128 + signal.SIGKILL
    assert "did not end by itself" in said
    assert finding.cause == "endless-loop"
    assert finding.subject.fn == "Ledger.on_work"
    assert finding.frames == [30]
    stack = next(detail for detail in finding.details if detail.startswith("Stack"))
    assert stack.startswith("Stack, innermost first: work game.py:10")


def test_a_game_that_is_killed_while_it_plays(tmp_path):
    """What came before is there; between calls, nothing is called a freeze."""
    status, _, take = recorded(tmp_path, "import os, signal; os.kill(os.getpid(), signal.SIGKILL)")

    assert status == 128 + signal.SIGKILL
    assert len(take.calls) == 31
    assert take.calls.returned.tolist() == [True] * 30 + [False]


@pytest.mark.parametrize(
    ("arguments", "sentence"),
    [
        (["--", "love", "game"], "game: is no LÖVE game"),
        (["--", "oven-that-is-nowhere"], "oven-that-is-nowhere: there is no such game and no such program"),
        (["-o", "x.take", "--", "python", "game.py"], "-o: `opossum record` has no such option"),
        (["--", "python"], "give a game, such as"),
        (["--", "python", "/nowhere/game.py"], "there is no such game"),
    ],
)
def test_what_cannot_be_recorded_is_said(arguments, sentence):
    """In one sentence, status 2."""
    result = record(*arguments, timeout=60)

    assert result.returncode == 2
    assert sentence in result.stderr
    assert result.stderr.count("\n") == 1


def test_a_game_can_be_held_although_it_was_not_edited(tmp_path):
    """Over the link: recorded by an adapter, stopped at a tripwire, let go, its status passed on."""
    listener = Receiver(tmp_path / "live.flow.jsonl", port=0)
    listener.start()
    listener.trip(parse_tripwire("fn:Counter.on_bread_ready count:2"))
    process = begin("--link", f"127.0.0.1:{listener.port}", "--", sys.executable, str(EXAMPLES / "pyglet_bakery.py"))
    end = time.monotonic() + 30
    while not any(peer.held for peer in listener.peers) and time.monotonic() < end:
        time.sleep(0.01)
    assert listener.peers[0].held is not None
    time.sleep(0.3)
    listener.go()
    assert process.wait(30) == 0
    take = ended(listener)
    assert take.recording.closed(0) and len(take.tables["held"]) == len(take.tables["went"]) == 1
    assert causes(take) == []


@pytest.mark.parametrize(
    ("options", "why"),
    [
        (["--link", "nowhere", "--", "python", "a.py"], "give HOST:PORT"),
        (["--love", "."], "is no LÖVE game"),
        (["--godot", "missing"], "is no Godot game"),
        (["--godot", ".", "--love", "."], "contradict each other"),
        (["--", "python", "missing.py"], "there is no such game"),
        ([], "give a game, such as"),
    ],
)
def test_options_that_cannot_be_are_said(tmp_path, options, why):
    """In one sentence, with exit status 2, and nothing is left behind."""
    result = record(*options, cwd=tmp_path)
    assert result.returncode == 2 and why in result.stderr and result.stderr.count("\n") == 1
    assert list(tmp_path.iterdir()) == []


def test_a_project_that_a_newer_engine_made_is_said_and_not_begun(tmp_path):
    """Not by the errors of an engine that cannot read it."""
    project = tmp_path / "kitchen" / "project.godot"
    project.parent.mkdir()
    project.write_text('config_version=5\n\n[application]\n\nconfig/name="Kitchen"\n')
    for game in ("kitchen", "kitchen/project.godot"):
        result = record(game, cwd=tmp_path)
        assert result.returncode == 2 and "is a project of Godot 4" in result.stderr and result.stderr.count("\n") == 1
    assert [entry.name for entry in tmp_path.rglob("*")] == ["kitchen", "project.godot"]


@pytest.mark.parametrize(("ending", "closed"), [("pass", True), ("while True: pass", False)])
def test_a_game_that_is_told_to_end_ended_on_purpose_unless_it_hung(tmp_path, ending, closed):
    """Ending a game that plays is no crash; ending one that hangs does not hide where."""
    script, target = tmp_path / "game.py", tmp_path / "game.take"
    game = GAME.format(ending=ending).replace("range(40)", "range(4000)")
    script.write_text(game + "    time.sleep(0.002)\n")
    process = begin("--out", str(target), "--", sys.executable, "-u", str(script))
    assert process.stdout.readline() == "there\n"
    time.sleep(1.5)
    process.terminate()
    process.communicate(timeout=60)
    take = open_any(str(target))

    assert process.returncode == 128 + signal.SIGTERM
    assert take.recording.closed(0) is closed
    assert "told to end (SIGTERM)" in take.strings
    assert [finding.cause for finding in found_in_the_game(take)] == ([] if closed else ["endless-loop"])


def test_a_game_that_is_a_module(tmp_path):
    """Run with -m it finds its own modules where it is called from, its arguments, and its name."""
    (tmp_path / "bakery").mkdir()
    (tmp_path / "bakery" / "__main__.py").write_text(
        "import sys, bakery.oven\nfrom opossum_recorder import launch\n"
        "launch.recorder.say(' '.join([__name__, bakery.oven.heat, *sys.argv[1:]]))\n"
    )
    (tmp_path / "bakery" / "oven.py").write_text("heat = 'warm'\n")
    command = ["--out", "game.take", "--", sys.executable, "-W", "ignore", "-m", "bakery", "--tonight"]
    assert record(*command, cwd=tmp_path).returncode == 0
    take = open_take(str(tmp_path / "game.take"))

    assert take.game == "bakery" and take.recording.closed(0)
    assert "__main__ warm --tonight" in take.strings


def test_over_the_link_too_the_interpreter_says_where_it_stands(tmp_path):
    """Where one C call keeps its lock, no thread of the game's can tell the desk; the terminal is told."""
    listener = Receiver(tmp_path / "live.flow.jsonl", port=0)
    listener.start()
    script = tmp_path / "game.py"
    script.write_text(GAME.format(ending="sum(range(10**12))"))
    process = begin("--link", f"127.0.0.1:{listener.port}", "--", sys.executable, str(script))
    assert "recording game under" in process.stderr.readline()
    line = process.stderr.readline()
    child = Path(f"/proc/{process.pid}/task/{process.pid}/children").read_text().split()[0]
    os.kill(int(child), signal.SIGKILL)
    process.communicate(timeout=30)
    listener.stop()

    assert line == "The game stands still in work game.py:10, called by <module> game.py:15.\n"
    assert process.returncode == 128 + signal.SIGKILL


def test_nothing_that_is_installed_beside_opossum_comes_into_the_games_reach(tmp_path):
    """A game has its own packages: ours must not take their place."""
    script = tmp_path / "game.py"
    script.write_text(
        "import sys, opossum_recorder.launch as launch\n"
        "launch.recorder.say(' '.join(sys.path))\nassert launch.recorder\n"
        "try:\n    import opossum_desk\nexcept ImportError:\n    launch.recorder.say('out of reach')\n"
    )
    assert record("--out", "game.take", "--", sys.executable, "-S", str(script), cwd=tmp_path).returncode == 0

    assert "out of reach" in open_take(str(tmp_path / "game.take")).strings


TELLS_ITS_ARGUMENTS = (
    "import sys\nfrom opossum_recorder import launch\nlaunch.recorder.say('called with ' + ' '.join(sys.argv[1:]))\n"
)


@pytest.mark.parametrize(
    "call",
    [
        ("oven.py",),
        ("-m", "oven"),
        ("oven",),
        ("bakery",),
        ("whole",),
        ("--", "oven-script"),
        ("oven-shell",),
        ("./shell/oven-shell",),
        ("--", "python3", "-c", TELLS_ITS_ARGUMENTS),
    ],
    ids=[
        "a script",
        "a module",
        "a first line",
        "a folder with __main__.py",
        "a folder with main.py",
        "an installed one",
        "a shell script that ends in one",
        "a shell script with what it needs",
        "a program",
    ],
)
def test_a_game_is_taken_as_people_have_it(tmp_path, call):
    """No interpreter need be named where what is given tells it; the arguments come through."""
    (tmp_path / "oven.py").write_text(TELLS_ITS_ARGUMENTS)
    for path, text in (
        ("oven", f"#!/usr/bin/env python3\n{TELLS_ITS_ARGUMENTS}"),
        ("bin/oven-script", f"#!{sys.executable} -B\n{TELLS_ITS_ARGUMENTS}"),
        ("bin/oven-shell", '#!/bin/sh\nset -e\n\nexec python3 oven.py "$@"\n'),
        (
            "shell/oven-shell",
            '#!/bin/bash\n# the oven\nPLACE=./whole\nexport HEAT="low"\ncd $PLACE || exit\npython3 main.py \\\n  "$@"\n',
        ),
        ("bakery/__main__.py", TELLS_ITS_ARGUMENTS),
        ("whole/main.py", TELLS_ITS_ARGUMENTS),
    ):
        (tmp_path / path).parent.mkdir(exist_ok=True)
        (tmp_path / path).write_text(text)
        (tmp_path / path).chmod(0o755)
    path = os.pathsep.join([str(tmp_path / "bin"), str(Path(sys.executable).parent), os.environ["PATH"]])
    result = record("--out", "game.take", *call, "tonight", cwd=tmp_path, env=os.environ | {"PATH": path})

    assert result.returncode == 0, result.stderr
    assert "called with tonight" in open_take(str(tmp_path / "game.take")).strings
    version = ".".join(map(str, sys.version_info[:2]))
    assert f"under Python {version}; Ctrl+C ends it." in result.stderr.splitlines()[0]


@pytest.mark.parametrize("first_line", ["", "#!/bin/sh\n", "#!\n", "#!/usr/bin/env\n", "\0\1"])
def test_a_script_that_names_no_python_is_refused(tmp_path, first_line):
    """In a sentence; it is not run."""
    script = tmp_path / "oven"
    script.write_text(f"{first_line}touch {tmp_path}/ran\n")
    script.chmod(0o755)
    result = record(str(script), cwd=tmp_path)

    said = (
        "is a shell script in which no game was found"
        if "sh" in first_line
        else "oven: is no game that can be recorded"
    )
    assert result.returncode == 2 and said in result.stderr and result.stderr.count("\n") == 1
    assert [path.name for path in tmp_path.iterdir()] == ["oven"]


@pytest.mark.parametrize(
    ("script", "said"),
    [
        ("#!/bin/sh\nexec python3 game.py $options\n", "depends on what the shell does"),
        ("#!/bin/sh\nexec python3 `dirname $0`/game.py\n", "depends on what the shell does"),
        ("#!/bin/sh\nexec python3 other.py\n", "other.py: there is no such game"),
    ],
)
def test_a_shell_script_that_cannot_be_read_is_not_guessed_at(tmp_path, script, said):
    """One sentence says what to give instead."""
    (tmp_path / "oven").write_text(script)
    (tmp_path / "oven").chmod(0o755)
    result = record("./oven", cwd=tmp_path)

    assert result.returncode == 2 and said in result.stderr and result.stderr.count("\n") == 1


def test_what_a_shell_script_exports_and_where_it_goes_is_the_games(tmp_path):
    """And the take is named after the script, and lies where the user is."""
    (tmp_path / "whole").mkdir()
    (tmp_path / "whole" / "main.py").write_text(
        "import os\nfrom opossum_recorder import launch\n"
        "launch.recorder.say(f\"{os.environ['HEAT']} in {os.path.basename(os.getcwd())}\")\n"
    )
    (tmp_path / "oven").write_text("#!/bin/sh\nexport HEAT=low\ncd whole\npython3 ./main.py\n")
    (tmp_path / "oven").chmod(0o755)
    assert record("./oven", cwd=tmp_path).returncode == 0

    (take,) = tmp_path.glob("oven-*.take")
    assert "low in whole" in open_take(str(take)).strings


@pytest.mark.parametrize(
    ("source", "told"),
    [("import pygame\n", "pygame-ce "), ("from pyglet import app", "pyglet "), ("import json", "")],
)
def test_the_engine_is_told_by_what_the_game_imports(tmp_path, source, told):
    """Nothing of it is run for that; the head says it too."""
    (tmp_path / "beside.py").write_text(source)
    (tmp_path / "game.py").write_text("if False:\n    import beside\n")
    result = record("--out", "game.take", "--", sys.executable, "game.py", cwd=tmp_path)
    engine = open_take(str(tmp_path / "game.take")).recording.head_text(0, "engine")

    assert engine.startswith(told or "Python")
    assert (f"recording game ({engine}) under" if told else "recording game under") in result.stderr


def test_a_games_python_is_asked_once(tmp_path):
    """For its version and for the engine: it takes a while to begin."""
    (tmp_path / "python3").write_text(f'#!/bin/sh\necho "$1 $2" >> asked\nexec {sys.executable} "$@"\n')
    (tmp_path / "python3").chmod(0o755)
    (tmp_path / "game.py").write_text("pass\n")
    record("--", "./python3", "game.py", cwd=tmp_path)
    version, *rest = (tmp_path / "asked").read_text().splitlines()

    assert version.startswith("-c ")
    assert rest == ["-m opossum_recorder.engines.recognising", "-m opossum_recorder.launch"]


@pytest.mark.parametrize(
    ("module", "told"),
    [("parlour", "pygame-ce "), ("parlour.launch", "pygame-ce "), ("alone", ""), ("parlour.tools.count", "")],
)
def test_a_launchers_engine_is_that_of_its_package(tmp_path, monkeypatch, module, told):
    """What lies beside a module of no package may be any other game, and what lies above or below is another's."""
    folder = tmp_path / "parlour"
    (folder / "tools").mkdir(parents=True)
    for package in (folder, folder / "tools"):
        (package / "__init__.py").write_text("")
    (folder / "__main__.py").write_text("from parlour import launch\n")
    (folder / "launch.py").write_text("import runpy\n")
    (folder / "play.py").write_text("import pygame\n")
    (folder / "tools" / "count.py").write_text("import json\n")
    (tmp_path / "alone.py").write_text("import json\n")
    (tmp_path / "beside.py").write_text("import pyglet\n")
    monkeypatch.syspath_prepend(str(tmp_path))
    engine = engine_of(module, as_module=True)
    assert engine.startswith(told) and bool(engine) == bool(told)


def test_the_engine_of_another_game_in_the_folder_is_not_told(tmp_path):
    """Only what the script reaches counts: a module, a package and what that holds, each through another."""
    (tmp_path / "other.py").write_text("import pygame\n")
    (tmp_path / "main.py").write_text("import json, parlour\n")
    (tmp_path / "game.py").write_text("from main import play\n")
    (tmp_path / "parlour" / "rooms").mkdir(parents=True)
    (tmp_path / "parlour" / "__init__.py").write_text("import main\n")
    assert engine_of(str(tmp_path / "game.py")) == ""
    (tmp_path / "parlour" / "rooms" / "kitchen.py").write_text("import pyglet\n")
    assert engine_of(str(tmp_path / "game.py")).startswith("pyglet ")


@pytest.mark.parametrize("lies", ["oven/play/main.py", "oven.py"], ids=["a package", "a module"])
def test_the_engine_of_an_installed_game_is_told_of_its_starter(tmp_path, monkeypatch, lies):
    """The command that it was installed with; a script of that name elsewhere, or of another name there, runs something else."""
    game, told = tmp_path / "installed" / lies, tmp_path / "installed" / "oven-1.0.dist-info"
    for folder in (game.parent, told, tmp_path / "bin", tmp_path / "elsewhere"):
        folder.mkdir(parents=True, exist_ok=True)
    game.write_text("import pyglet\n")
    (told / "METADATA").write_text("Metadata-Version: 2.1\nName: oven\nVersion: 1.0\n")
    (told / "entry_points.txt").write_text("[gui_scripts]\nbake = oven.play.main:main\nlost = nowhere:main\n")
    if lies != "oven.py":
        (tmp_path / "installed" / "oven" / "__init__.py").write_text("raise SystemExit('it is not to be run')\n")
    starters = [tmp_path / name for name in ("bin/bake", "elsewhere/bake", "bin/other", "bin/lost")]
    for starter in starters:
        starter.write_text("import sys\nfrom oven.play.main import main\nsys.exit(main())\n")
    monkeypatch.syspath_prepend(str(tmp_path / "installed"))
    monkeypatch.setattr(sys, "executable", str(tmp_path / "bin" / "python"))

    first, *others = [engine_of(str(starter)) for starter in starters]
    assert first.startswith("pyglet ") and others == ["", "", ""]


def test_a_script_that_cannot_be_compiled_is_told_as_it_would_be_without_us(tmp_path):
    """Without a line of ours."""
    (tmp_path / "game.py").write_text("knead the dough\n")
    plain = subprocess.run([sys.executable, "game.py"], cwd=tmp_path, capture_output=True, text=True)
    result = record("--out", "game.take", "--", sys.executable, "game.py", cwd=tmp_path)
    # Python itself names a script by its whole path
    assert plain.stderr.splitlines()[1:] == result.stderr.splitlines()[2:5]


def test_a_game_that_waits_in_foreign_code_hears_that_it_is_to_end(tmp_path):
    """The interpreter itself would hear of it only when that code comes back."""
    script = tmp_path / "game.py"
    script.write_text(
        "import ctypes\nfrom opossum_recorder import launch\nlaunch.recorder.frame(0)\nlaunch.recorder.idle()\n"
        "lock = ctypes.create_string_buffer(64)\nforeign = ctypes.CDLL(None)\n"
        "foreign.pthread_mutex_lock(lock)\nforeign.pthread_mutex_lock(lock)\n"
    )
    result = record("--for", "1", "--out", "game.take", "--", sys.executable, str(script), cwd=tmp_path)
    assert result.returncode == 0 and "it was killed" not in result.stderr
    assert open_take(str(tmp_path / "game.take")).recording.closed(0)


def test_a_python_that_is_too_old_is_refused(tmp_path):
    """It is asked before the game is started, and named."""
    old = tmp_path / "python2.7"
    old.write_text("#!/bin/sh\necho 2.7\n")
    old.chmod(0o755)
    (tmp_path / "game.py").write_text("pass\n")
    result = record("--", str(old), "game.py", cwd=tmp_path)

    assert result.returncode == 2
    assert result.stderr == f"opossum: {old}: is Python 2.7; games are recorded from Python 3.10 on.\n"


@pytest.mark.parametrize(("heeds", "status"), [(True, 0), (False, 128 + signal.SIGKILL)])
def test_a_game_is_recorded_for_so_long(tmp_path, heeds, status):
    """It is told to end, which is a success; one that hangs is killed, which is said, and is none."""
    script = tmp_path / "game.py"
    stuck = "import signal; signal.signal(signal.SIGTERM, signal.SIG_IGN)"
    script.write_text(GAME.format(ending="pass" if heeds else stuck).replace("range(40)", "range(10 ** 9)"))
    script.write_text(script.read_text() + "    time.sleep(0.002)\n")
    result = record("--for", "1.5", "--out", "game.take", "--", sys.executable, str(script), cwd=tmp_path)
    take = open_take(str(tmp_path / "game.take"))

    assert result.returncode == status
    assert " for 1.5 s; Ctrl+C ends it." in result.stderr
    assert ("it was killed" in result.stderr) is not heeds
    assert take.recording.closed(0) is heeds and take.game_frames > 30


@pytest.mark.parametrize("ending", ['raise KeyError("flour")', "import signal; signal.raise_signal(signal.SIGINT)"])
def test_an_error_is_told_as_it_would_be_without_us(tmp_path, ending):
    """The game's own lines, in their order, and none of ours; the status is the same too."""
    script = tmp_path / "game.py"
    script.write_text(f"def work():\n    {ending}\n\nwork()\n")
    plain = subprocess.run([sys.executable, str(script)], capture_output=True, text=True)
    result = record("--out", str(tmp_path / "game.take"), "--", sys.executable, str(script))
    told = result.stderr[result.stderr.index("Traceback") : result.stderr.index(str(tmp_path / "game.take"))]

    assert told == plain.stderr
    assert result.returncode == (128 - plain.returncode if plain.returncode < 0 else plain.returncode)
    if "flour" in ending:
        said = open_take(str(tmp_path / "game.take"))
        assert plain.stderr in [said.text(int(code)) for code in said.tables["say"]["text"]]


@pytest.mark.parametrize("waits", [False, True])
def test_the_black_boxs_clock_is_set_anew_while_the_game_moves_on(tmp_path, monkeypatch, waits):
    """Seldom, for setting it makes a thread, and before it runs out; in a game that hardly waits, the watchdog does."""
    setters = []
    plain = faulthandler.dump_traceback_later

    def dump_traceback_later(*arguments, **given):
        setters.append(threading.current_thread().name)
        plain(*arguments, **given)

    monkeypatch.setattr(faulthandler, "dump_traceback_later", dump_traceback_later)
    recorder = black_box.BoxedRecorder(os.devnull, "game")
    with (tmp_path / "blackbox").open("w") as file:
        recorder.box = file
        begun = time.monotonic()
        number = 0
        while time.monotonic() - begun < 2.5:
            recorder.frame(number)
            time.sleep(0 if waits else 0.002)
            recorder.idle()
            time.sleep(0.002 if waits else 0)
            number += 1
        assert (tmp_path / "blackbox").read_text() == ""
        faulthandler.cancel_dump_traceback_later()
        recorder.box = None
    recorder.close()
    assert 3 <= len(setters) <= 2 + 2.5 / black_box.BLACK_BOX_SET_EVERY_S
    assert waits or "opossum-watchdog" in setters


def test_a_folder_that_is_not_there_is_said_before_the_game_starts(tmp_path):
    """Nothing is run, and nothing is made."""
    (tmp_path / "game.py").write_text("open('ran', 'w')\n")
    result = record("--out", "takes/game.take", "game.py", cwd=tmp_path)

    assert result.returncode == 2 and [path.name for path in tmp_path.iterdir()] == ["game.py"]
    assert result.stderr == "opossum: takes: there is no such folder; give --out a file in one that is there.\n"


@pytest.mark.parametrize("ends_its_frames", [True, False])
def test_the_black_box_forgets_a_standstill_that_is_over(tmp_path, monkeypatch, ends_its_frames):
    """It holds where the game stands now: not while it waits as it may, and nothing of an earlier frame."""
    monkeypatch.setattr(black_box, "BLACK_BOX_AFTER_S", 0.3)
    monkeypatch.setattr(black_box, "BLACK_BOX_SET_EVERY_S", 0.1)
    box = tmp_path / "blackbox"
    recorder = black_box.BoxedRecorder(os.devnull, "game", waits=("rest",))
    with box.open("w") as file:
        recorder.box = file
        recorder.frame(0)
        time.sleep(0.8)
        assert "test_record_python.py" in box.read_text()
        if ends_its_frames:
            recorder.idle()
            assert box.read_text() == ""
        recorder.frame(1)
        assert box.read_text() == ""
        recorder.phase("rest")
        time.sleep(0.8)
        assert box.read_text() == ""
        recorder.phase("work")
        time.sleep(0.8)
        assert "test_record_python.py" in box.read_text()
        recorder.idle()
    recorder.box = None
    recorder.close()


def test_a_game_that_raises_later_did_not_stand_still_at_its_end(tmp_path):
    """A long frame is told where it was, and not again where the stream is cut off."""
    script = tmp_path / "game.py"
    script.write_text(GAME.format(ending="time.sleep(1.4)") + "raise KeyError('flour')\n")
    record("--out", "game.take", "--", sys.executable, str(script), cwd=tmp_path)
    take = open_take(str(tmp_path / "game.take"))
    stuck, frames = take.tables["stuck"], take.tables["frame"]

    assert not take.recording.closed(0) and len(frames) == 40
    assert len(stuck) and int(stuck["t"].max()) < int(frames["t"][31])


def test_a_game_that_raises_before_it_plays_is_told_so(tmp_path):
    """What was not seen is no news then."""
    (tmp_path / "game.py").write_text("import bakery_that_is_not_there\n")
    result = record("--out", "game.take", "game.py", cwd=tmp_path)

    told = "  The game raised before its first frame: ModuleNotFoundError: No module named 'bakery_that_is_not_there'"
    assert result.returncode == 1 and result.stderr.splitlines()[-2] == told
    assert result.stderr.splitlines()[-1].endswith("opossum record -- path/to/python game.py")
    assert "not seen" not in result.stderr and "Nothing found" not in result.stderr


def test_what_lies_beside_the_game_is_heeded_and_what_does_not_count_is_said(tmp_path):
    """The take may lie elsewhere."""
    game, takes = tmp_path / "game", tmp_path / "takes"
    game.mkdir(), takes.mkdir()
    (game / "game.py").write_text(GAME.format(ending="time.sleep(0.5)"))
    command = ["--force", "--out", str(takes / "game.take"), "--", sys.executable, str(game / "game.py")]
    plain = record(*command, cwd=takes)
    (game / "opossum.toml").write_text('[[uncounted]]\nkind = "freeze"\n')
    heeded = record(*command, cwd=takes)
    (game / "opossum.toml").write_text("[[uncounted]\n")
    broken = record(*command, cwd=takes)

    assert "fault: Frame 30 took" in plain.stderr and "not counted" not in plain.stderr
    assert "Frame 30" not in heeded.stderr and "1 finding not counted, as opossum.toml wishes." in heeded.stderr
    assert broken.returncode == 2 and "is no TOML" in broken.stderr and "Frame 30 took" not in broken.stderr


def test_a_process_that_the_game_ends_does_not_end_the_game(tmp_path):
    """One that it forked off and told to end, as it would a helper of its own."""
    (tmp_path / "game.py").write_text(
        "import multiprocessing, time\nfrom opossum_recorder import launch\n"
        "helper = multiprocessing.get_context('fork').Process(target=time.sleep, args=(60,))\n"
        "helper.start()\ntime.sleep(0.3)\nhelper.terminate()\nhelper.join()\ntime.sleep(1.5)\n"
        "launch.recorder.say('played on')\n"
    )
    command = ["--out", "game.take", "--", sys.executable, "game.py"]
    result = record(*command, cwd=tmp_path)

    assert result.returncode == 0 and "played on" in open_take(str(tmp_path / "game.take")).strings


@pytest.mark.parametrize("ending", [".flow.jsonl", ".flow.jsonl.gz", ".take"])
def test_the_ending_says_what_is_saved(tmp_path, ending):
    """A stream that others read, or a take; what the ending does not tell is refused before the game begins."""
    (tmp_path / "game.py").write_text(GAME.format(ending="pass"))
    target = tmp_path / f"night{ending}"
    for name in (target, tmp_path / "night"):
        command = ["--out", str(name), "--", sys.executable, "game.py"]
        result = record(*command, cwd=tmp_path)
        assert result.returncode == (0 if name is target else 2), result.stderr
    assert "the ending does not say what to make" in result.stderr
    start = {".flow.jsonl": b'{"k":"head"', ".flow.jsonl.gz": b"\x1f\x8b", ".take": b"PK"}[ending]
    assert target.read_bytes().startswith(start) and len(open_any(str(target)).calls) == 40
    assert sorted(path.name for path in tmp_path.iterdir() if path.suffix != ".pyc") == ["game.py", target.name]
