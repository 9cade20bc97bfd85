"""What a desktop is told of Opossum passes the desktop's own validators, and says what is so."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from importlib import resources
from pathlib import Path

import pytest

from moonrise_bakery import demo_take_path
from opossum.version import __version__
from opossum_commands.integrate import COMPLETIONS, KIT, _quoted

ROOT = Path(__file__).parents[2]
KIT_FOLDER = Path(str(resources.files("opossum_desk.desktop_kit")))


def validated(program: str, *arguments: object) -> str:
    """Run a validator; return what it says."""
    if shutil.which(program) is None:
        pytest.skip(f"there is no {program}")
    done = subprocess.run([program, *map(str, arguments)], capture_output=True, text=True, timeout=60)
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout + done.stderr


def test_the_entry_is_valid():
    """Without a word from the validator."""
    assert validated("desktop-file-validate", KIT_FOLDER / "opossum.desktop") == ""


def test_what_software_centres_show_is_valid():
    """No warning and no error; it tells of the version that this is."""
    page = KIT_FOLDER / "example.opossum.desk.metainfo.xml"
    said = validated("appstreamcli", "validate", "--no-net", page)
    assert "E:" not in said and "W:" not in said
    assert f'<release version="{__version__}"' in page.read_text()


def test_the_man_page_is_valid_and_up_to_date():
    """It is written from the commands."""
    written = subprocess.run(
        [sys.executable, ROOT / "tools" / "write_man_page.py", "--print"], capture_output=True, text=True, timeout=60
    )
    assert written.stdout == (KIT_FOLDER / "opossum.1").read_text(), "run tools/write_man_page.py"
    assert validated("mandoc", "-T", "lint", "-W", "warning", KIT_FOLDER / "opossum.1") == ""


def test_kinds_of_files_are_told_by_name_and_by_what_is_in_them(tmp_path):
    """Takes, streams and compressed streams; a take and a stream also where their names say nothing."""
    (tmp_path / "mime" / "packages").mkdir(parents=True)
    shutil.copy(KIT_FOLDER / "opossum.xml", tmp_path / "mime" / "packages")
    assert "rror" not in validated("update-mime-database", tmp_path / "mime")
    files = tmp_path / "files"
    files.mkdir()
    shutil.copy(demo_take_path(), files / "night.take")
    shutil.copy(demo_take_path(), files / "nameless")
    head = '{"k":"head","v":1,"clock":"ns","game":"g"}\n'
    for name in ("night.flow.jsonl", "headed", "night.flow.jsonl.gz", "other.jsonl"):
        (files / name).write_text(head if name != "other.jsonl" else "{}\n")
    code = (
        "import sys\nfrom PySide6.QtCore import QMimeDatabase\nkinds = QMimeDatabase()\n"
        "for path in sys.argv[1:]: print(kinds.mimeTypeForFile(path).name())"
    )
    names = ("night.take", "nameless", "night.flow.jsonl", "headed", "night.flow.jsonl.gz", "other.jsonl")
    done = subprocess.run(
        [sys.executable, "-c", code, *(str(files / name) for name in names)],
        env=os.environ | {"XDG_DATA_HOME": str(tmp_path)},
        capture_output=True,
        text=True,
        timeout=60,
    )
    take, flow = "application/x-opossum-take", "application/x-opossum-flow"
    told = done.stdout.split()
    assert told[:5] == [take, take, flow, flow, f"{flow}-compressed"]
    assert "opossum" not in told[5]


def test_the_desktop_is_told_and_forgets_again(run, tmp_path, monkeypatch):
    """Into the user's own folder; what others keep there stays."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "share"))
    others = tmp_path / "share" / "applications" / "other.desktop"
    others.parent.mkdir(parents=True)
    others.write_text("[Desktop Entry]")
    assert run("integrate", "--exec", "/opt/a b/opossum").status == 0
    for place in (*(kept.place for kept in KIT), *COMPLETIONS.values()):
        assert (tmp_path / "share" / place).stat().st_size > 0, place
    entry = (tmp_path / "share/applications/opossum.desktop").read_text()
    assert "Exec=/opt/a b/opossum desk %F\n" in entry and "Exec=/opt/a b/opossum demo\n" in entry
    assert "_OPOSSUM_COMPLETE=bash_complete" in (tmp_path / "share" / COMPLETIONS["bash"]).read_text()
    assert run("integrate", "--remove").status == 0
    ours = [str(path) for path in (tmp_path / "share").rglob("*opossum*") if path.is_file()]
    assert ours == [] and others.exists()
    assert run("integrate", "--remove").status == 0  # once more is no error


def test_the_entry_starts_the_opossum_that_wrote_it(tmp_path):
    """By its whole path, so that a desktop which knows no virtual environment finds it."""
    opossum = Path(sys.executable).parent / "opossum"
    subprocess.run([opossum, "integrate", "--into", tmp_path / "share"], check=True, timeout=60, capture_output=True)
    assert f"Exec={opossum} desk %F" in (tmp_path / "share/applications/opossum.desktop").read_text()
    validated("desktop-file-validate", tmp_path / "share/applications/opossum.desktop")


def test_a_path_is_quoted_as_an_entry_needs_it():
    """Blanks, signs that a shell knows, and hundredths."""
    assert _quoted("/usr/bin/opossum") == "/usr/bin/opossum"
    assert _quoted("/opt/a b/opossum") == '"/opt/a b/opossum"'
    assert _quoted("/opt/50%/op") == '"/opt/50%%/op"'
    assert _quoted('/opt/"$x"/op') == '"/opt/\\\\"\\\\$x\\\\"/op"'


def test_where_nothing_can_be_written_is_told(run, tmp_path):
    """One sentence, status 2."""
    (tmp_path / "file").write_text("")
    ended = run("integrate", "--into", tmp_path / "file")
    assert ended.status == 2 and "file" in ended.err and ended.err.count("\n") == 1
