"""The report: one page with proof and pictures that needs no script, no network and no Opossum."""

from __future__ import annotations

import re
from html.parser import HTMLParser
from xml.etree import ElementTree as Xml

import pytest
from click.testing import CliRunner
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication, QFileDialog
from test_window import bakery, opened

from moonrise_bakery import demo_take_path
from opossum.findings.catalogue import weave_of
from opossum.findings.examine import examine
from opossum.take.opening import open_any
from opossum_commands.main import cli
from opossum_desk.picture_saving import save_picture
from opossum_desk.report.svg import cut
from opossum_desk.report.writing import report_html, write_report
from tape import Stage, Tape

__all__ = ["bakery"]


class Page(HTMLParser):
    """What a page is made of: its tags, links, and the ids one can go to."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags: list[str] = []
        self.links: list[str] = []
        self.ids: list[str] = []
        self.loads: list[str] = []
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Take note of a tag."""
        self.tags.append(tag)
        told = dict(attrs)
        self.links += [told["href"] or ""] if tag == "a" and "href" in told else []
        self.ids += [told["id"] or ""] if "id" in told else []
        self.loads += [
            value or "" for name, value in attrs if name in ("src", "srcset", "xlink:href") or name.startswith("on")
        ]


@pytest.fixture(scope="module")
def night():
    """Return the bakery's take and what is found in it."""
    take = open_any(str(demo_take_path()))
    return take, examine(take)


def test_every_finding_is_told_with_its_proof_and_its_picture(night):
    """In the words of the Story; each picture is well-formed and says what it shows."""
    take, findings = night
    text = report_html(take, findings, [])
    page = Page(text)
    assert page.tags.count("section") == page.tags.count("svg") == len(findings)
    for svg in re.findall(r"<svg.*?</svg>", text, re.S):
        root = Xml.fromstring(svg)
        assert root.find("title").text and len(list(root.iter())) > 20
    for finding in findings:
        for said in (finding.summary, finding.advice):
            assert (
                said.split("`")[0].replace("&", "&amp;").replace("'", "&#39;").replace(">", "&gt;").replace("<", "&lt;")
                in text
            )
        for item in finding.evidence:
            assert f"line {item.line:,}" in text
    assert {weave_of(finding.kind, finding.cause) for finding in findings} == {"flow", "roster", "pacing", "clips"}


def test_it_needs_nothing_but_itself(night):
    """No script, nothing loaded from anywhere; every link leads to a place in it."""
    take, findings = night
    text = report_html(take, findings, [])
    page = Page(text)
    assert page.loads == [] and not {"script", "link", "img", "iframe", "object"} & set(page.tags)
    assert "url(" not in text and "@import" not in text and "http" not in text
    assert all(link.startswith("#") and link[1:] in page.ids for link in page.links) and page.links


def test_names_are_foreign_text():
    """Neither markup nor control characters of a game's names reach the page as such."""
    stage = Stage(game="<script>alert(1)</script>\x1b[31m")
    bad = stage.bind("open", "door<b>#1", "Door.<img src=x onerror=y>")
    stage.bind("open", "door<b>#1", "Door.<img src=x onerror=y>")
    again = stage.bind("open", "door<b>#1", "Door.<img src=x onerror=y>")
    for frame in range(10, 100, 10):
        stage.at(frame, do=lambda: stage.heard("open", bad, again))
    take = stage.run(120).take()
    findings = examine(take)
    assert findings
    text = report_html(take, findings, [])
    page = Page(text)
    assert page.loads == [] and not {"script", "img"} & set(page.tags) and "\x1b" not in text
    assert "&lt;script&gt;" in text


def test_a_take_without_findings_says_what_was_not_seen():
    """An empty report is no all-clear."""
    text = report_html(Tape().take(), [], [])
    assert "Nothing was found in what was seen" in text and "Not seen" in text
    assert Page(text).tags.count("section") == 0


def test_it_is_written_whole_or_not_at_all(night, tmp_path, monkeypatch):
    """What was there stays where writing fails; nothing is left behind."""
    take, findings = night
    target = tmp_path / "night.html"
    target.write_text("before")
    monkeypatch.setattr("os.replace", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    with pytest.raises(OSError, match="No space"):
        write_report(take, findings[:1], [], target)
    assert target.read_text() == "before" and list(tmp_path.iterdir()) == [target]


def test_the_command_writes_it_and_replaces_nothing_unasked(tmp_path):
    """With one sentence for what cannot be."""
    target = tmp_path / "night.html"
    run = CliRunner().invoke
    done = run(cli, ["report", str(demo_take_path()), "-o", str(target)])
    assert done.exit_code == 0 and "findings" in done.output and target.read_text().startswith("<!doctype html>")
    again = run(cli, ["report", str(demo_take_path()), "-o", str(target)])
    assert again.exit_code == 2 and "give --force" in again.output
    nowhere = run(cli, ["report", str(demo_take_path()), "-o", str(tmp_path / "no" / "night.html")])
    assert nowhere.exit_code == 2 and "cannot be written" in nowhere.output


def test_names_are_cut_in_the_middle():
    """To about the width there is."""
    assert cut("short", 200) == "short"
    assert cut("a_very_long_name_of_a_listener", 64) == "a_ve…ener"


def test_the_desk_writes_it_off_its_thread(bakery, qtbot, tmp_path, monkeypatch):
    """From the menu; progress and end are said."""
    target = tmp_path / "night"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    bakery.asking.report()
    qtbot.waitUntil(lambda: f"Wrote {target}.html" in bakery.told.toolTip(), timeout=20_000)
    assert target.with_suffix(".html").stat().st_size > 50_000


def test_a_picture_of_each_view_is_saved_as_png_and_svg(bakery, tmp_path, monkeypatch):
    """As it is seen; any other ending is refused in a sentence."""
    for view in (bakery.take_area.flow.loom, bakery.take_area.pulse, bakery.take_area.story):
        for ending in ("png", "svg"):
            path = tmp_path / f"{view.accessibleName()}.{ending}"
            save_picture(view, str(path))
            if ending == "png":
                assert QImage(str(path)).size() == view.size()
            else:
                assert Xml.parse(path).getroot().tag.endswith("svg")
    with pytest.raises(ValueError, match=r"a \.png or a \.svg"):
        save_picture(bakery.take_area.pulse, str(tmp_path / "view.jpg"))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "window"), ""))
    bakery.take_area.pulse.setFocus()
    bakery.asking.picture()
    assert (tmp_path / "window.png").exists()


def test_a_finding_is_copied_as_text(bakery, qtbot):
    """What, what to change, where, and its proof, ready to be pasted."""
    loom = bakery.take_area.flow.loom
    loom.setFocus()
    qtbot.keyClick(loom, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert "Choose a finding first" in bakery.told.toolTip()
    finding = next(finding for finding in bakery.session.findings if finding.cause == "bound-twice")
    bakery.session.show_finding(finding)
    qtbot.keyClick(loom, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    lines = QApplication.clipboard().text().split("\n")
    assert lines[0] == "Fault: Counter.on_bread_ready – bound twice"
    assert lines[1] == finding.summary.replace("`", "") and lines[2].startswith("What to change: Remove one")
    assert lines[3].startswith("Frames: 792, ") and lines[3].endswith("more")
    assert lines[4].startswith("- bind bread_ready counter#1 Counter.on_bread_ready") and "line " in lines[4]


def test_a_report_waits_for_the_examination(desk, qtbot, tmp_path):
    """Without a take there is nothing to write."""
    desk.asking.report()
    assert "examined first" in desk.told.toolTip()
    path = tmp_path / "x.flow.jsonl"
    path.write_bytes(Stage().run(5).bytes())
    opened(desk, qtbot, path)
