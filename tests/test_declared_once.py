"""What there are many of is declared once: a made-up one of each shows everywhere by one declaration and one registration."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QVBoxLayout

from opossum.findings import catalogue
from opossum.findings.declaring import Cause, Kind, Spring
from opossum.findings.examine import examine
from opossum.findings.finding import Found, Severity, Subject
from opossum.findings.links import shares_calls
from opossum.findings.scene import Scene
from opossum.findings.settings import Settings, Threshold
from opossum.findings.symptoms import HANGS
from opossum.take.grouping import Groups
from opossum.take.handover import pack, unpacked
from opossum.take.index import Index
from opossum.take.indexes.calls import CALLS, Calls
from opossum.take.recording import Recording
from opossum.take.take import Take
from opossum_commands import engines
from opossum_commands.engines.engine import Engine, Launch
from opossum_commands.main import cli
from opossum_desk import areas, commands
from opossum_desk.area import Area, AreaView, Desk
from opossum_desk.command import Command
from opossum_desk.explaining import key_table
from opossum_desk.memory import Memory
from opossum_desk.state.session import Session
from opossum_desk.take_area.layout.story import story_html
from opossum_desk.views.look import Look
from opossum_desk.window import DeskWindow
from tape import Tape

# --- what a newcomer would write, one file each ----------------------------------------------------

MOST_CRUMBS = Threshold("most_crumbs", 2, "calls", "three crumbs are a mess")


def find_crumbs(scene: Scene) -> Iterator[Found]:
    """Yield a finding where crumbs were called for too often."""
    calls = np.flatnonzero(scene.take.calls.event == scene.take.code("crumb"))
    if len(calls) > scene[MOST_CRUMBS]:
        yield Found(
            subject=Subject(ev="crumb"),
            frame_rows=scene.take.calls.frame[calls],
            count=len(calls),
            summary=f"{len(calls)} crumbs fell.",
            advice="Sweep.",
            evidence=tuple(scene.evidence("call", calls.tolist(), "fell")),
            calls=calls,
        )


CRUMBS = Kind(
    "crumbs",
    "Crumbs about",
    "What crumbles?",
    (HANGS,),
    (
        Cause(
            "stale-bread",
            "the bread is old",
            Severity.RISK,
            find_crumbs,
            (MOST_CRUMBS,),
            springs_from=(Spring("stale-listener", shares_calls),),
        ),
    ),
)


def build_calls_by_effect(recording: Recording, calls: Calls) -> Groups:
    """Group calls by whether they did something."""
    return Groups((calls.effect > 0).astype(np.int64), 2)


CALLS_BY_EFFECT = Index("calls_by_effect", build_calls_by_effect, (CALLS,), holds=(Groups,), first=True)


class CellarView(AreaView):
    """A made-up area."""

    def __init__(self) -> None:
        super().__init__()
        self.label = QLabel("flour")
        QVBoxLayout(self).addWidget(self.label)

    def set_session(self, session: Session | None) -> None:
        self.label.setText(session.take.game if session is not None else "flour")


def make_cellar(desk: Desk) -> AreaView:
    """Return the cellar of a desk."""
    return CellarView()


CELLAR = Area("cellar", "Cellar", "Alt+7", "where the flour lies", make_cellar)
SWEEP = Command("Sweep the floor", ("W",), "&Go", lambda desk: desk.say("Swept."))


def launch_cart(destination: str, call: tuple[str, ...], folder: Path) -> Launch:
    """Return how to start a game of a made-up engine."""
    return Launch("cart", ["true"], {}, "Cart", folder)


CART = Engine("cart", "Cart", "cart", "wooden games", ("game.cart",), launch_cart, "docs/record-cart.md")


@pytest.fixture
def registered():
    """Register the made-up ones: a line each."""
    for registry, made in (
        (catalogue.KINDS, CRUMBS),
        (areas.AREAS, CELLAR),
        (commands.COMMANDS, SWEEP),
        (engines.ENGINES, CART),
    ):
        registry.append(made)
    Take.calls_by_effect = CALLS_BY_EFFECT
    yield
    for registry, made in (
        (catalogue.KINDS, CRUMBS),
        (areas.AREAS, CELLAR),
        (commands.COMMANDS, SWEEP),
        (engines.ENGINES, CART),
    ):
        registry.remove(made)
    del Take.calls_by_effect


def crumbly() -> Tape:
    """Return a tape on which a moth that is gone is called for three crumbs."""
    tape = Tape().frame().frame()
    tape("spawn", o="moth#1", cls="Moth")
    moth = tape.bind("crumb", "moth#1", "Moth.on_crumb")
    tape.frame()("gone", o="moth#1")
    for _ in range(3):
        tape.frame().heard("crumb", moth)
    return tape


# --- where it shows ----------------------------------------------------------------------------------


def test_a_kind_shows_in_the_command(registered, tmp_path):
    """Help, `--only`, `--set`, `--fail-on`, the table and the JSON."""
    path = tmp_path / "a.flow.jsonl"
    path.write_bytes(crumbly().bytes())
    run = CliRunner().invoke
    told = run(cli, ["findings", "--help"]).output
    assert "crumbs" in told and "stale-bread" in told and "most_crumbs=2" in told

    table = run(cli, ["findings", str(path), "--only", "crumbs"]).output
    assert "RISK  crumbs · stale-bread" in table and "3 crumbs fell." in table
    assert "3 crumbs" not in run(cli, ["findings", str(path), "--only", "crumbs", "--set", "most_crumbs=3"]).output
    assert run(cli, ["findings", str(path), "--only", "crumbs", "--fail-on", "risk"]).exit_code == 1
    assert run(cli, ["findings", str(path), "--only", "crumbs", "--fail-on", "fault"]).exit_code == 0
    wrong = run(cli, ["findings", str(path), "--only", "burnt"], standalone_mode=False)
    assert "crumbs" in wrong.exception.format_message()


def test_a_consequence_stands_under_its_root(registered):
    """The stale listener is the root, whatever the severities; the made-up cause says so itself."""
    found = examine(crumbly().take())
    assert [(finding.kind, finding.root) for finding in found] == [
        ("stale-listener", ""),
        ("crumbs", found[0].id),
    ]
    assert found[0].consequences == (found[1].id,)
    assert found[1].id == "crumbs/stale-bread/crumb"


def test_a_kind_shows_on_the_desk(registered, desk, qtbot, tmp_path):
    """In the list, under its root or in a group of its own; in the Story; and it answers its symptom."""
    path = tmp_path / "a.flow.jsonl"
    path.write_bytes(crumbly().bytes())
    desk.open_paths([str(path)])
    qtbot.waitUntil(lambda: desk.session is not None and desk.session.examined, timeout=20_000)
    shown = [item.text() for item in desk.take_area.findings.items()]
    assert shown[0] == "It waits for nothing\u00a0\u00a02"
    assert shown[2] == "crumb – the bread is old, Risk, follows from the one above"
    crumbs = desk.session.findings[1]
    page = story_html(desk.session, crumbs, "#000", "#555", "#c05")
    assert "Crumbs about" in page and "the bread is old" in page and "Follows from" in page
    desk.takes.ask(HANGS)
    assert [finding.kind for finding in desk.take_area.findings.shown()] == ["crumbs"]
    assert next(item.text() for item in desk.take_area.findings.items()) == "It never comes\u00a0\u00a01"


def test_an_index_is_built_counted_and_handed_over(registered):
    """By its declaration alone."""
    take = crumbly().take()
    assert [take.calls_by_effect.rows(group).tolist() for group in (0, 1)] == [[], [0, 1, 2]]
    assert "calls_by_effect" in take.built()
    with_it = take.nbytes
    del take.__dict__["calls_by_effect"]
    assert take.nbytes < with_it

    take.index()  # it is among the first
    memory = os.memfd_create("test")
    pack(take, memory)
    other = unpacked(memory)[0]
    os.close(memory)
    assert other.built()["calls_by_effect"].rows(1).tolist() == [0, 1, 2]


def test_an_area_and_a_command_show_in_the_window(registered, qtbot, tmp_path):
    """Rail, menus, keys, F1; the area is told of the take, and its key goes there."""
    window = DeskWindow(Memory(tmp_path), Look("day"))
    qtbot.addWidget(window)
    window.show()
    assert window.rail.buttons["cellar"].toolTip() == "where the flour lies (Alt+7)"
    window.rail.buttons["cellar"].click()
    assert window.is_in("cellar") and window.rail.buttons["cellar"].isChecked()
    window.takes.show(Session(crumbly().take()))
    assert window.view("cellar").label.text() == "test"

    titles = [action.text() for action in window.menus.menus["&Go"].actions()]
    assert "Sweep the floor\tW" in titles and "Area Cellar: where the flour lies" in titles
    assert ("W", "Sweep the floor") in key_table() and ("Alt+7", "Area Cellar: where the flour lies") in key_table()
    window.go_to("take")
    qtbot.keyClick(window.take_area.flow.loom, Qt.Key.Key_W)
    assert window.told.toolTip() == "Swept."
    window.close()


def test_an_engine_shows_in_the_command(registered, tmp_path):
    """Its option, its line below them, and its games are known by what lies in their folder."""
    told = " ".join(CliRunner().invoke(cli, ["record", "--help"]).output.split())
    assert "--cart DIR A Cart game's folder" in told and "Cart wooden games: docs/record-cart.md" in told
    (tmp_path / "game.cart").touch()
    assert engines.engine_at(tmp_path) is CART


def test_every_root_that_a_cause_names_is_there():
    """A consequence of what is never found would be a promise nobody keeps."""
    known = {
        name for kind in catalogue.KINDS for cause in kind.causes for name in (kind.name, f"{kind.name}/{cause.name}")
    }
    for kind in catalogue.KINDS:
        for cause in kind.causes:
            assert all(spring.root in known for spring in cause.springs_from), (kind.name, cause.name)


def test_names_are_unique_and_thresholds_have_reasons():
    """Two kinds, two causes of one kind, or two thresholds of one name would hide each other."""
    kinds = [kind.name for kind in catalogue.KINDS]
    assert len(set(kinds)) == len(kinds)
    for kind in catalogue.KINDS:
        causes = [cause.name for cause in kind.causes]
        assert len(set(causes)) == len(causes)
        for threshold in kind.thresholds:
            assert threshold.unit and threshold.reason and catalogue.all_thresholds()[threshold.name] is threshold
            assert Settings()[threshold] == threshold.default
