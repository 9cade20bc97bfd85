"""Whatever a game calls its things, no command lets it do anything to the terminal, or to the page it writes."""

from __future__ import annotations

import json
import subprocess
from html.parser import HTMLParser

import pytest

import opossum_process
from hostile_night import HOSTILE, night

PLAIN = {"\n"}


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """Return a folder with two such nights, as streams and as takes, and a rule."""
    folder = tmp_path_factory.mktemp("hostile")
    for name, frames in (("a", 60), ("b", 61)):
        (folder / f"{name}.flow.jsonl").write_bytes(night(frames))
        made = run(folder, "convert", f"{name}.flow.jsonl", f"{name}.take")
        assert made.returncode == 0, made.stderr
    (folder / "night.rules").write_text("no faults\n")
    return folder


def run(folder, *arguments: str) -> subprocess.CompletedProcess[str]:
    """Run a command of Opossum's."""
    return opossum_process.run(*arguments, cwd=folder)


COMMANDS = [
    ("findings", "a.take"),
    ("findings", "a.take", "--json"),
    ("findings", "a.take", "--as-rules"),
    ("info", "a.take"),
    ("info", "a.take", "--json"),
    ("compare", "a.take", "b.take"),
    ("compare", "a.take", "b.take", "--json"),
    ("check", "a.take", "--rules", "night.rules"),
    ("check-stream", "a.flow.jsonl"),
    ("learn", "a.take", "b.take"),
    ("rehearse", "a.take", "1"),
]


@pytest.mark.parametrize("arguments", COMMANDS, ids=" ".join)
def test_no_name_does_anything_to_the_terminal(folder, arguments):
    """Names are there, and what cannot be seen in them is made visible."""
    done = run(folder, *arguments)
    assert done.returncode in (0, 1, 2), done.stderr
    said = done.stdout + done.stderr
    assert said and "Traceback" not in said
    loud = {character for character in said if not character.isprintable() and character not in PLAIN}
    assert not loud, (loud, said[:400])
    if "--json" in arguments:
        assert HOSTILE in json.dumps(json.loads(done.stdout), ensure_ascii=False) or "evil" in done.stdout


def test_no_name_does_anything_on_a_page(folder):
    """The report holds no element that a name brought along."""
    done = run(folder, "report", "a.take", "-o", "page.html")
    assert done.returncode == 0, done.stderr
    page = (folder / "page.html").read_text(encoding="utf-8")
    tags = []
    parser = HTMLParser()
    parser.handle_starttag = lambda tag, _: tags.append(tag)  # type: ignore[method-assign]
    parser.feed(page)
    assert "evil" in page and tags
    assert "script" not in tags
