"""Names from a game do nothing on the desk: not in what is painted, nor in pages, tooltips, menus and what is read aloud."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage, QTextDocument

import opossum_desk
from hostile_night import HOSTILE, night
from opossum.findings.examine import examine
from opossum.foreign_text import shown, shown_in_menu
from opossum_desk.state.session import Session
from opossum_desk.take_area.layout.story import story_html
from opossum_desk.views.foreign_painter import ForeignPainter
from opossum_desk.views.plain import plain_tooltip
from tape import read


def painted(qapp, text: str, flags: Qt.AlignmentFlag | Qt.TextFlag) -> bytes:
    """Return the pixels of a text."""
    image = QImage(600, 60, QImage.Format.Format_ARGB32)
    image.fill(Qt.GlobalColor.white)
    painter = ForeignPainter(image)
    painter.drawText(QRectF(0, 0, 600, 60), flags, text)
    painter.end()
    return bytes(image.constBits())


def test_what_is_painted_is_what_can_be_seen(qapp):
    """As if it had been made visible before; lines of a text that is wrapped stay lines."""
    centre = Qt.AlignmentFlag.AlignVCenter
    assert painted(qapp, HOSTILE, centre) == painted(qapp, shown(HOSTILE), centre)
    assert painted(qapp, "\u202eevil", centre) != painted(qapp, "evil", centre)
    wraps = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
    assert painted(qapp, "one\ntwo", wraps) != painted(qapp, "one␊two", wraps)
    assert painted(qapp, "one\ntwo", centre) == painted(qapp, "one␊two", centre)


def test_no_view_paints_with_another_painter():
    """Those that do paint no text, or our own."""
    folder = Path(opossum_desk.__file__).parent
    others = {
        str(path.relative_to(folder)) for path in folder.rglob("*.py") if re.search(r"[^n]QPainter\(", path.read_text())
    }
    assert others == {"picture_saving.py", "explaining.py", "views/stamps.py"}


def test_a_story_shows_names_and_reads_none_of_them_as_markup(qapp):
    """Every character of it can be seen."""
    session = Session(read(night(60)))
    session.set_findings(examine(session.take))
    assert session.findings
    for finding in session.findings:
        document = QTextDocument()
        document.setHtml(story_html(session, finding, "#000", "#777", "#c00"))
        text = document.toPlainText()
        assert "evil" in text and "<script>" in text
        assert all(shown(character) == character for character in text if character not in "\n\xa0")


@pytest.mark.parametrize("name", [HOSTILE, "Pool<A>::on_tick", "a&b", "plain"])
def test_tooltips_and_menus_show_names_as_they_are(qapp, name):
    """Neither markup nor a sign for a key."""
    document = QTextDocument()
    tooltip = plain_tooltip(f"{name}\nsecond")
    if tooltip.startswith("<qt>"):
        document.setHtml(tooltip)
        tooltip = document.toPlainText()
    assert tooltip.split("\n") == [*map(shown, name.split("\n")), "second"]
    assert shown_in_menu(name).replace("&&", "&") == shown(name)
