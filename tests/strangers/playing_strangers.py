"""Getting and playing games that nobody here wrote, and holding what is seen of them against `games.toml`."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tarfile
import threading
import time
import tomllib
from pathlib import Path
from typing import Any, NamedTuple

from opossum.findings.blind_spots import error_that_ended
from opossum.findings.examine import examine
from opossum.findings.finding import Finding, Severity
from opossum.take.opening import open_any
from opossum.take.take import Take

HERE = Path(__file__).parent
KEPT = HERE.parent.parent / ".strangers"
"""Where environments and sources lie once they were got."""
ENGINES_BESIDE_SAMPLES = ("cocos", "pgzero")
SECONDS = 20.0
SCREEN = ":93"
PRESSED_EVERY_S = 0.4


class UnavailableError(Exception):
    """A game cannot be got or played here; the message says why."""


class Judged(NamedTuple):
    """A finding that was read in a game's source and judged to be true: its summary `says` so; `why`: what the source does."""

    kind: str
    cause: str
    says: str
    why: str

    def fits(self, finding: Finding) -> bool:
        """Say whether a finding is the one that was judged."""
        return (finding.kind, finding.cause) == (self.kind, self.cause) and self.says in finding.summary


class Stranger(NamedTuple):
    """One game: where it plays, how it is called, what must be seen of it, and what is truly wrong with it."""

    name: str
    environment: str
    call: tuple[str, ...]
    keys: tuple[str, ...] = ()
    source: str = ""
    package: str = ""
    folder: str = "/"
    started_by: str = ""
    quick: bool = False
    classes: tuple[str, ...] = ()
    functions: tuple[str, ...] = ()
    timers: tuple[str, ...] = ()
    findings: tuple[Judged, ...] = ()


def strangers() -> list[Stranger]:
    """Return the games of the list."""
    listed = tomllib.loads((HERE / "games.toml").read_text())
    return [_stranger(entry) for entry in listed["games"]]


def _stranger(entry: dict[str, Any]) -> Stranger:
    judged = tuple(Judged(**finding) for finding in entry.pop("findings", ()))
    given = {name: tuple(value) if isinstance(value, list) else value for name, value in entry.items() if name != "in"}
    return Stranger(**given, environment=entry["in"], findings=judged)


def interpreter(environment: str) -> str:
    """Return the Python of an environment, made when it is first asked for.

    Raises:
        UnavailableError: it cannot be installed.
    """
    if environment == "own":
        return sys.executable
    if environment == "system":
        return "/usr/bin/python3"
    wanted = tomllib.loads((HERE / "games.toml").read_text())["environments"][environment]
    folder = KEPT / environment
    python = folder / "bin" / "python"
    if not python.exists():
        shutil.rmtree(folder, ignore_errors=True)
        subprocess.run([sys.executable, "-m", "venv", str(folder)], check=True)
        cut = wanted.index("--no-deps") if "--no-deps" in wanted else len(wanted)
        for part in (wanted[:cut], wanted[cut:]):
            if part:
                _pip(python, "install", *part)
    return str(python)


def _pip(python: Path | str, *arguments: str) -> None:
    command = [str(python), "-m", "pip", "--quiet", "--disable-pip-version-check", *arguments]
    result = subprocess.run(command, capture_output=True, text=True)
    if result.returncode:
        raise UnavailableError(f"pip {' '.join(arguments)}: {result.stderr.strip().splitlines()[-1]}")


def _source(requirement: str) -> Path:
    """Return the folder of a source distribution, got and unpacked when it is first asked for."""
    folder = KEPT / "sources" / requirement
    if not folder.exists():
        with_archives = folder.with_suffix(".archives")
        _pip(sys.executable, "download", "--no-deps", "--no-binary", ":all:", "-d", str(with_archives), requirement)
        (archive,) = with_archives.glob("*.tar.gz")
        with tarfile.open(archive) as packed:
            packed.extractall(with_archives / "unpacked", filter="data")
        (inner,) = (with_archives / "unpacked").iterdir()
        for engine in ENGINES_BESIDE_SAMPLES:  # the one that is installed is played with
            shutil.rmtree(inner / engine, ignore_errors=True)
        inner.rename(folder)
    return folder


def play(stranger: Stranger, target: Path, seconds: float = SECONDS, screen: bool = True) -> Take:
    """Record a game for a while and return its take; on a screen, its keys are pressed.

    Raises:
        UnavailableError: it cannot be got or played here.
    """
    call, folder = _call(stranger)
    command = [sys.executable, "-m", "opossum_commands", "record", "--force", "--for", str(seconds)]
    command += ["--out", str(target), "--", *call]
    environment = os.environ | {"SDL_AUDIODRIVER": "dummy", "ALSOFT_DRIVERS": "null", "PATH": _path(stranger)}
    environment |= {"DISPLAY": SCREEN, "SDL_VIDEODRIVER": "x11"} if screen else {"SDL_VIDEODRIVER": "dummy"}
    process = subprocess.Popen(
        command, cwd=folder, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
    )
    ended = threading.Event()
    player = threading.Thread(target=_press, args=(stranger.keys, environment, ended))
    if screen:
        player.start()
    _, said = process.communicate(timeout=seconds + 60)
    ended.set()
    if screen:
        player.join()
    if not target.exists():
        raise UnavailableError(said.strip().splitlines()[-1] if said.strip() else "it could not be played")
    return open_any(str(target))


def _call(stranger: Stranger) -> tuple[list[str], Path]:
    if stranger.package:
        program = shutil.which(stranger.call[0], path=_path(stranger))
        if program is None or not Path(stranger.folder).is_dir():
            raise UnavailableError(f"it is not installed: apt-get install {stranger.package}")
        return [program, *stranger.call[1:]], Path(stranger.folder)
    python = interpreter(stranger.environment)
    folder = _source(stranger.source) if stranger.source else Path("/")
    call = list(stranger.call)
    if stranger.source:
        script = folder / call[0]
        folder, call = script.parent, [script.name]
    if stranger.started_by:
        call = [str(Path(python).parent / stranger.started_by), *call]
    return [python, *call], folder


def _path(stranger: Stranger) -> str:
    """Return where programs are looked for: the system's own first for what the system has."""
    rest = os.environ["PATH"]
    return os.pathsep.join(["/usr/games", "/usr/bin", "/bin", rest] if stranger.package else [rest])


def _press(keys: tuple[str, ...], environment: dict[str, str], ended: threading.Event) -> None:
    """Press keys in turn on the screen, where nothing but the game is, until it has ended."""

    def tell(*words: str) -> str:
        return subprocess.run(["xdotool", *words], env=environment, capture_output=True, text=True).stdout

    turn = 0
    while keys and not ended.wait(PRESSED_EVERY_S):
        key, turn = keys[turn % len(keys)], turn + 1
        # some games' windows must be given the focus, some cannot be found and have it
        for window in tell("search", "--onlyvisible", "--name", ".").split()[-1:]:
            tell("windowfocus", window)
        if key == "click":
            tell("mousemove", str(540 + turn * 37 % 200), str(300 + turn * 53 % 200), "click", "1")
        else:
            tell("keydown", key, "sleep", "0.15", "keyup", key)


class Screen:
    """A screen of our own, as long as it is held open."""

    def __enter__(self) -> Screen:
        for program in ("Xvfb", "xdotool"):
            if shutil.which(program) is None:
                raise UnavailableError(f"{program} is not installed: apt-get install xvfb xdotool")
        self._process = subprocess.Popen(
            ["Xvfb", SCREEN, "-screen", "0", "1280x800x24"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        time.sleep(2)
        return self

    def __exit__(self, *error: object) -> None:
        self._process.terminate()
        self._process.wait()


def seen_of(take: Take) -> tuple[set[str], set[str], set[str]]:
    """Return the classes, the functions and the timers and delays that a take tells of."""
    spawns, arms = take.tables["spawn"], take.tables["arm"]
    return (
        {take.text(int(code)) for code in spawns["cls"]},
        {take.text(int(code)) for code in take.listeners.function},
        {take.text(int(code)) for code in arms["ev"]},
    )


def missing(stranger: Stranger, take: Take) -> list[str]:
    """Return what must be seen of a game and is not."""
    if not take.game_frames:
        return [f"any frame {error_that_ended(take)}".strip()]
    classes, functions, timers = seen_of(take)
    wanted = ((stranger.classes, classes), (stranger.functions, functions), (stranger.timers, timers))
    return [name for names, seen in wanted for name in names if name not in seen]


def unjudged(stranger: Stranger, take: Take) -> list[Finding]:
    """Return what is found above a note and was not judged to be true."""
    return [
        finding
        for finding in examine(take)
        if finding.severity is not Severity.NOTE and not any(judged.fits(finding) for judged in stranger.findings)
    ]
