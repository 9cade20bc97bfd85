"""What is released: the same bytes each time, with all that belongs to it, and installable as it is."""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
import tarfile
import venv
import zipfile
from pathlib import Path

import pytest

from opossum.version import __version__

ROOT = Path(__file__).parents[2]


def build(target: Path, *options: str) -> Path:
    """Build both distributions, as of some day."""
    command = [sys.executable, ROOT / "tools" / "make_dist.py", target, *options]
    environment = {"SOURCE_DATE_EPOCH": "1790000000"}
    done = subprocess.run(command, env=os.environ | environment, capture_output=True, text=True, timeout=300)
    assert done.returncode == 0, done.stdout + done.stderr
    return target


@pytest.fixture(scope="module")
def dist(tmp_path_factory) -> Path:
    """Return a folder with what is released."""
    return build(tmp_path_factory.mktemp("dist"))


def the(dist: Path, pattern: str) -> Path:
    """Return the one file of that name."""
    (found,) = dist.glob(pattern)
    return found


def test_the_same_tree_makes_the_same_bytes(dist, tmp_path):
    """Wheels that are built twice, in other folders."""
    again = build(tmp_path / "again", "--wheels")
    sums = [
        {path.name: hashlib.sha256(path.read_bytes()).hexdigest() for path in folder.glob("*.whl")}
        for folder in (dist, again)
    ]
    assert len(sums[0]) == 2 and sums[0] == sums[1]


def test_the_wheel_holds_what_the_program_and_the_desktop_need(dist):
    """Grammar, template, schema, types, the bakery's night, and the desktop's files where it looks for them."""
    with zipfile.ZipFile(the(dist, "opossum-*.whl")) as wheel:
        names = wheel.namelist()
    for needed in (
        "opossum/rules/grammar.lark",
        "opossum/opossum.schema.json",
        "opossum/py.typed",
        "opossum_desk/report/report.html.j2",
        "opossum_desk/desktop_kit/icons/opossum-128.png",
        "moonrise_bakery/data/moonrise.take",
    ):
        assert needed in names, needed
    shared = {name.partition(".data/data/")[2] for name in names if ".data/data/" in name}
    assert {
        "share/applications/opossum.desktop",
        "share/mime/packages/opossum.xml",
        "share/man/man1/opossum.1",
    } < shared
    assert "share/icons/hicolor/scalable/apps/opossum.svg" in shared
    assert not [name for name in names if name.startswith(("tests/", "opossum_recorder/"))]


def test_the_source_archive_holds_docs_tests_and_the_recorder(dist):
    """So that who packages it can run what we run."""
    with tarfile.open(the(dist, "opossum-*.tar.gz")) as archive:
        names = {name.partition("/")[2] for name in archive.getnames()}
    for needed in (
        "docs/stream.md",
        "tests/conftest.py",
        "recorder/pyproject.toml",
        "Makefile",
        "CHANGELOG.md",
        "LICENSE",
    ):
        assert needed in names, needed
    assert not [name for name in names if "__pycache__" in name or name.endswith(".so")]


def test_the_page_of_an_index_has_links_that_lead_somewhere(dist):
    """The README's, made whole; what it tells of the project is there."""
    with zipfile.ZipFile(the(dist, "opossum-*.whl")) as wheel:
        page = wheel.read(f"opossum-{__version__}.dist-info/METADATA").decode()
    assert "](docs/" not in page and "https://opossum.example/main/docs/findings.md" in page
    for told in ("Project-URL: Changelog, ", "Typing :: Typed", f"Requires-Dist: opossum-recorder=={__version__}"):
        assert told in page


def test_links_are_made_whole_and_others_left_alone():
    """Pictures too; addresses and places of the page itself stay."""
    text = (ROOT / "setup.py").read_text().partition("\nsetup(")[0]
    names: dict = {"__file__": str(ROOT / "setup.py")}
    exec(compile(text, "setup.py", "exec"), names)
    whole = names["with_whole_links"]
    assert whole("![a](docs/a.png) [b](https://b.example) [c](#c)") == (
        "![a](https://opossum.example/main/docs/a.png) [b](https://b.example) [c](#c)"
    )


def test_a_games_environment_takes_the_recorder_alone(dist, tmp_path):
    """Kilobytes, nothing beside it, and it records."""
    wheel = the(dist, "opossum_recorder-*.whl")
    assert wheel.stat().st_size < 400_000
    venv.create(tmp_path / "game", with_pip=False)
    python = tmp_path / "game" / "bin" / "python"
    subprocess.run(
        [sys.executable, "-m", "pip", "--python", python, "install", "--quiet", "--no-index", wheel],
        check=True,
        timeout=120,
    )
    (site,) = (tmp_path / "game" / "lib").glob("python*/site-packages")
    assert {path.name.partition("-")[0] for path in site.iterdir()} == {"opossum_recorder"}
    code = (
        "from opossum_recorder import Recorder\nfrom opossum_recorder.halves import Inner\n"
        "r = Recorder('game.flow.jsonl', 'g')\nr.send('a')\nr.close()\nprint(r.lost, Inner.__module__)"
    )
    done = subprocess.run([python, "-c", code], cwd=tmp_path, capture_output=True, text=True, timeout=60)
    assert done.stdout in ("0 opossum_recorder._inner\n", "0 opossum_recorder.inner\n"), done.stderr
    assert (tmp_path / "game.flow.jsonl").read_text().count("\n") == 3


def test_versions_are_the_same_everywhere():
    """Of both distributions, of the code, and the latest of the list of changes."""
    import tomllib

    for place in ("pyproject.toml", "recorder/pyproject.toml"):
        assert tomllib.loads((ROOT / place).read_text())["project"]["version"] == __version__
    changes = (ROOT / "CHANGELOG.md").read_text()
    assert changes.partition("\n## ")[2].startswith(__version__)
