"""Words and numbers in the user's language: one place, and a German catalogue that lacks nothing."""

import importlib
import json
import locale
import os
import re
import string
import subprocess
import sys
from pathlib import Path

import pytest
from babel.messages.catalog import Catalog
from babel.messages.pofile import read_po

from findings.test_said import SCENES, TAPES, played
from moonrise_bakery import demo_take_path
from opossum import words
from opossum.findings.examine import examine
from opossum.findings.finding import Finding
from opossum.take.opening import open_here
from opossum.words import Signs, counted, number, tr, use, use_the_users
from opossum_commands.findings import findings
from opossum_commands.spoken import in_the_users_language

ROOT = Path(__file__).parent.parent
GERMAN = ROOT / "src" / "opossum" / "locale" / "de" / "LC_MESSAGES" / "opossum.po"


@pytest.fixture(autouse=True)
def english_afterwards():
    """Speak English again when a test is done."""
    yield
    use()


def test_without_a_language_texts_stay_as_they_stand_in_the_code():
    """And numbers have commas between thousands."""
    assert tr("Flow") == "Flow" and tr("") == ""
    assert tr("{awake} of {rows:,}, {share:.1%}", awake="x{}", rows=1234, share=0.5) == "x{} of 1,234, 50.0%"
    assert (counted(1, "loaf", "loaves"), counted(1200, "loaf", "loaves"), counted(2, "call")) == (
        "1 loaf",
        "1,200 loaves",
        "2 calls",
    )


def test_words_and_numbers_are_the_users():
    """In German, with German signs; what a catalogue lacks stays English."""
    use("de_DE", Signs(".", ","))
    assert tr("Flow") == "Fluss"
    assert (counted(1, "call"), counted(12345, "call")) == ("1 Aufruf", "12.345 Aufrufe")
    assert tr("clip {clip}, {seconds:.2f} s", clip="a.b", seconds=1234.5) == "Clip a.b, 1234,50 s"
    assert number(1234.25, ",.2f") == "1.234,25"
    assert tr("nobody has said this yet: {n:,}", n=1000) == "nobody has said this yet: 1.000"
    use("xx_XX")
    assert tr("Flow") == "Flow"


@pytest.mark.parametrize(
    ("environment", "told"),
    [
        ({"LANG": "de_DE.UTF-8"}, "Fluss"),
        ({"LANG": "en_US.UTF-8"}, "Flow"),
        ({"LANG": "C"}, "Flow"),
        ({"LANG": "en_US.UTF-8", "LC_ALL": "de_AT.UTF-8"}, "Fluss"),
        ({"LANG": "en_US.UTF-8", "LANGUAGE": "de:en"}, "Fluss"),
        ({}, "Flow"),
    ],
)
def test_the_environment_tells_the_language(monkeypatch, environment, told):
    """As for every program; that a system lacks the locale changes no words."""
    for name in words.LANGUAGE_VARIABLES:
        monkeypatch.delenv(name, raising=False)
    for name, value in environment.items():
        monkeypatch.setenv(name, value)
    use_the_users()
    assert tr("Flow") == told


def test_signs_are_the_locales_and_the_program_keeps_its_own(monkeypatch):
    """They are asked once; what the program itself writes and reads stays as it was."""
    before = locale.setlocale(locale.LC_NUMERIC)
    monkeypatch.setattr(locale, "localeconv", lambda: {"thousands_sep": "’", "decimal_point": "."})
    assert words._signs_of_the_user() == Signs("’", ".")
    assert locale.setlocale(locale.LC_NUMERIC) == before
    monkeypatch.setattr(locale, "localeconv", lambda: {"thousands_sep": "", "decimal_point": "."})
    assert words._signs_of_the_user() == Signs()


def test_the_catalogue_is_up_to_date_and_whole():
    """All texts of the desk are in it, translated, and compiled."""
    command = [sys.executable, ROOT / "tools" / "collect_messages.py", "--check"]
    done = subprocess.run(command, capture_output=True, text=True, timeout=120)
    assert done.returncode == 0 and ", 0 not translated" in done.stdout, done.stdout + done.stderr


def test_a_text_counts_as_translated_only_in_all_its_forms(monkeypatch):
    """An empty plural is as little a translation as an empty text."""
    monkeypatch.syspath_prepend(ROOT / "tools")
    collecting = importlib.import_module("collect_messages")
    catalogue = Catalog(locale="de")
    catalogue.add("Flow", "Fluss")
    catalogue.add("nobody", "")
    catalogue.add(("call", "calls"), ("Aufruf", "Aufrufe"))
    catalogue.add(("loaf", "loaves"), ("Laib", ""))
    catalogue.add(("tick", "ticks"), ("", ""))
    assert collecting.not_translated(catalogue) == ["nobody", ("loaf", "loaves"), ("tick", "ticks")]


def test_translations_name_the_same_values_in_the_same_way():
    """No place for a value is lost, invented, or formatted otherwise; line ends and signs of menus are kept."""
    with GERMAN.open("rb") as file:
        catalogue = read_po(file)
    for message in catalogue:
        pairs = (
            [(message.id, message.string)]
            if isinstance(message.id, str)
            else zip(message.id, message.string, strict=True)
        )
        for english, german in pairs:
            if not english:
                continue
            assert places(english) == places(german), english
            assert english.count("\n") == german.count("\n"), english
            assert english.count("&") == german.count("&"), english
            for end in ("…", ".", ":", "?"):
                assert english.endswith(end) == german.endswith(end), english


def places(text: str) -> list[tuple[str, str]]:
    """Return what values a template has places for, and how each is written."""
    return sorted((name, spec or "") for _, name, spec, _ in string.Formatter().parse(text) if name is not None)


def test_menus_have_no_letter_twice():
    """In German as in English: each letter opens one menu of the bar."""
    for language in ("", "de"):
        use(language)
        letters = [
            re.search("&(.)", tr(title)).group(1).lower() for title in ("&File", "&View", "&Go", "G&ame", "&Help")
        ]
        assert len(set(letters)) == len(letters), letters


def test_the_desk_speaks_german(desk, qtbot):
    """Menus, areas, findings, what is told of a take; names of the game stay as they are."""
    use("de", Signs(".", ","))
    from opossum_desk.memory import Memory
    from opossum_desk.window import DeskWindow

    window = DeskWindow(Memory(desk.memory._state.parent / "german"), desk.look)
    qtbot.addWidget(window)
    window.open_paths([str(demo_take_path())])
    qtbot.waitUntil(lambda: window.session is not None and window.session.examined, timeout=30_000)
    assert [action.text() for action in window.menuBar().actions()] == [
        "&Datei",
        "&Ansicht",
        "&Gehe zu",
        "&Spiel",
        "&Hilfe",
    ]
    assert window.rail.buttons["flow"].text() == "Fluss"
    assert "6.000 Frames · 100.234 Datensätze" in window.axis_told.text()
    window.session.show_finding(next(item for item in window.session.findings if item.cause == "bound-twice"))
    page = window.take_area.story.toPlainText()
    assert "Feuert doppelt" in page and "Was zu ändern ist" in page and "Counter.on_bread_ready" in page
    assert window.told.text().startswith("Counter.on_bread_ready von counter#1")
    window.close()


def test_about_tells_version_and_licence(desk, monkeypatch):
    """In the menu Help; its text can be selected."""
    from PySide6.QtWidgets import QMessageBox

    from opossum.version import __version__

    shown = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: shown.append(box.text()))
    desk.tell_about()
    assert __version__ in shown[0] and "Apache License 2.0" in shown[0] and "PySide6" in shown[0]


def test_a_report_speaks_the_users_language(night, tmp_path):
    """Its headings and numbers, and what was found."""
    from opossum_desk.report.writing import report_html

    use("de", Signs(".", ","))
    take = night("bound-twice")
    page = report_html(take, examine(take), [])
    assert '<html lang="de">' in page and "Was zu ändern ist" in page and "was falsch ist" in page
    assert "Entferne eine der Bindungen" in page and "Remove" not in page
    use()
    assert '<html lang="en">' in report_html(take, examine(take), [])


def told(finding: Finding) -> tuple:
    """Return what of a finding is no sentence."""
    subject = finding.subject
    proof = [(item.k, item.line) for item in finding.evidence]
    return finding.id, finding.severity, finding.count, finding.frames, subject, finding.root, proof


@pytest.mark.parametrize("name", ["the demo", *SCENES, *TAPES])
def test_findings_are_the_same_in_every_language(name):
    """Names, counts, proof; only their sentences are German, all of them, and no place in one stays unfilled."""

    def found() -> list[Finding]:
        if name == "the demo":
            return examine(open_here(str(demo_take_path())))
        return examine(played(SCENES[name]) if name in SCENES else TAPES[name]().take(bye=name != "cut off"))

    english = found()
    use("de", Signs(".", ","))
    german = found()
    assert english or name == "by name"
    assert [told(finding) for finding in german] == [told(finding) for finding in english]
    for one, other in zip(english, german, strict=True):
        assert one.summary != other.summary and one.advice != other.advice
        assert "{" not in other.summary + other.advice + "".join(other.details)


def opossum(*arguments: str, **variables: str) -> subprocess.CompletedProcess:
    """Run a command as somebody does who speaks German."""
    environment = os.environ | {"LANGUAGE": "de", "LC_ALL": "C.UTF-8"} | variables
    command = [sys.executable, "-m", "opossum", *arguments]
    return subprocess.run(command, env=environment, capture_output=True, text=True, timeout=60)


def test_commands_speak_german(tmp_path):
    """Results, errors, what Click says, help, and what the process says that opens a take."""
    said = opossum("findings", str(demo_take_path())).stdout
    assert "→ Entferne eine der Bindungen" in said and "Beweis: " in said and "Remove" not in said
    assert "es gibt keine solche Datei; prüfe den Namen" in opossum("findings", "missing.take").stderr
    assert "Es gibt keine Option '--bogus'" in opossum("findings", "--bogus").stderr
    said = opossum("compare", "--help").stdout
    assert "Aufruf: " in said and "Optionen:" in said and "Gibt JSON statt Sätzen aus." in said and "Print" not in said
    assert "• near-name            unheard            die Kasse sagt thank_yuo, und" in opossum("demo", "--list").stdout
    (tmp_path / "damaged.take").write_bytes(b"PK\x03\x04 no take")
    assert "die Datei ist beschädigt" in opossum("info", str(tmp_path / "damaged.take")).stderr
    assert "the file is damaged" in opossum("info", str(tmp_path / "damaged.take"), LANGUAGE="en").stderr


def test_what_programs_read_is_english():
    """Whoever asks for it."""
    told = json.loads(opossum("findings", "--json", str(demo_take_path())).stdout)
    assert any(finding["advice"].startswith("Remove one of the binds") for finding in told["findings"])
    assert "there is no such file; check the name" in opossum("findings", "--json", "missing.take").stderr


def test_help_is_english_again_afterwards():
    """What was translated is a copy: the commands themselves stay as they are written."""
    use("de")
    german = in_the_users_language(findings).help
    use()
    assert german != findings.help and in_the_users_language(findings) is findings
