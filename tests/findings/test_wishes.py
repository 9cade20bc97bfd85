"""`opossum.toml`: thresholds, and what does not count; written, read, refused, taken back."""

from __future__ import annotations

import re

import pytest

from findings.scenes import built, hearing, timing
from opossum.findings.wishes import (
    LARGEST_FILE,
    WishError,
    Wishes,
    add_wish,
    read_wishes,
    take_back,
    wish_for,
    wishes_beside,
)


def refused(file) -> str:
    """Return why a file of wishes is not read."""
    with pytest.raises(WishError) as caught:
        read_wishes(file)
    return str(caught.value)


def written(tmp_path, text: str):
    """Return a file of wishes."""
    (tmp_path / "opossum.toml").write_text(text)
    return tmp_path / "opossum.toml"


def test_thresholds_and_what_does_not_count(tmp_path):
    """Both are read; a take's own folder is where they stand."""
    written(tmp_path, '[thresholds]\nfirings_for_nobody = 50\n\n[[uncounted]]\nkind = "unheard"\nev = "Vent_Open"\n')
    assert wishes_beside(tmp_path) != Wishes()
    wishes = wishes_beside(tmp_path / "night.take")
    stage, frames = built(timing.a_lamp_blinks_for_nobody)
    assert stage.findings(frames, wishes.settings) == []
    stage, frames = built(hearing.a_name_in_other_letters)
    found = stage.findings(frames)
    assert len(found) == 1 and wishes.counted(found) == []
    assert wishes_beside(tmp_path / "elsewhere" / "night.take") == Wishes()


def test_what_follows_from_what_does_not_count_does_not_either():
    """The story goes with its root."""
    stage, frames = built(timing.a_kettle_steams_after_it_is_gone)
    stage.each(lambda number: None)
    (finding,) = stage.findings(frames)
    other = finding.changed(id="other", root=finding.id)
    assert Wishes(uncounted=(wish_for(finding, "cls"),)).counted([finding, other]) == []


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("[thresholds\n", "is no TOML"),
        ("[thresholds]\nburnt = 3\n", "there is no threshold `burnt`"),
        ('[thresholds]\npolling_calls = "many"\n', "`polling_calls` needs a number"),
        ("thresholds = 3\n", "`thresholds` must be a table"),
        ("[threshold]\n", "`threshold` is not known; there are: thresholds, uncounted"),
        ("[[uncounted]]\nkin = 'x'\n", "entry 1 of `uncounted`: `kin` is not known; there are: kind, cause, why, "),
        ("[[uncounted]]\ncls = 3\n", "`cls` needs a text"),
        ("[[uncounted]]\nwhy = 'no'\n", "says nothing"),
        ("[[uncounted]]\nkind = 'burnt'\n", "there is no kind `burnt`; there are: freeze, double-fire, "),
        ("uncounted = 1\n", "`uncounted` must be a list"),
        ("[thresholds]\npolling_calls = inf\n", "needs a number"),
        ("[thresholds]\npolling_calls = true\n", "`polling_calls` needs a number"),
        ('[thresholds]\npolling_calls = "70"\n', "`polling_calls` needs a number"),
    ],
)
def test_what_cannot_be_understood_is_said(tmp_path, text, said):
    """In a sentence with the file and the key."""
    file = written(tmp_path, text)
    with pytest.raises(WishError, match=said.replace("[", r"\[")) as caught:
        read_wishes(file)
    assert str(caught.value).startswith(str(file))


def test_a_wish_is_written_beside_what_stands_there_and_taken_back(tmp_path):
    """Comments stay; two wishes are undone one by one; an empty file goes."""
    stage, frames = built(hearing.a_name_in_other_letters)
    (finding,) = stage.findings(frames)
    file = tmp_path / "opossum.toml"
    first = add_wish(file, wish_for(finding, "ev"))
    assert read_wishes(file).counted([finding]) == []
    assert take_back(file, first) and not file.exists()

    written(tmp_path, "# mine\n[thresholds]\npolling_calls = 70\n")
    before = file.read_text()
    blocks = [add_wish(file, wish_for(finding, "ev")) for _ in range(2)]
    assert file.read_text().startswith(before) and len(read_wishes(file).uncounted) == 2
    for block in reversed(blocks):
        assert take_back(file, block)
    assert file.read_text() == before
    # of two that are alike the later one goes
    first, between = add_wish(file, wish_for(finding, "ev")), "\n# and\n\n"
    file.write_text(file.read_text() + between)
    assert add_wish(file, wish_for(finding, "ev")) in first and take_back(file, first.lstrip("\n"))
    assert file.read_text() == before + first + between
    file.write_text(before)
    assert not take_back(file, "[[uncounted]]\nev = 'gone'\n")
    file.unlink()
    assert not take_back(file, blocks[0])


def test_a_wish_that_cannot_be_written_is_said(tmp_path):
    """What stood there stays."""
    stage, frames = built(hearing.a_name_in_other_letters)
    (finding,) = stage.findings(frames)
    file = tmp_path / "none" / "opossum.toml"
    with pytest.raises(
        WishError, match="^" + re.escape(f"{file}: cannot be written (No such file or directory)") + "$"
    ):
        add_wish(file, wish_for(finding, "ev"))


@pytest.mark.parametrize(
    ("before", "between"),
    [("", ""), ("# mine\n", "\n"), ("# mine", "\n\n"), ("# mine\n\n", "")],
    ids=["nothing", "a line", "a line without its end", "an empty line"],
)
def test_a_wish_stands_apart_from_what_was_there(tmp_path, before, between):
    """By one empty line, whatever the file ended with."""
    stage, frames = built(hearing.a_name_in_other_letters)
    (finding,) = stage.findings(frames)
    file = tmp_path / "opossum.toml"
    if before:
        file.write_text(before)
    add_wish(file, wish_for(finding, "ev"))
    lines = '[[uncounted]]\nkind = "unheard"\ncause = "near-name"\nev = "Vent_Open"\n'
    assert file.read_text() == before + between + lines


def test_a_broken_file_is_not_written_over(tmp_path):
    """What its writer meant stays for them to mend."""
    stage, frames = built(hearing.a_name_in_other_letters)
    (finding,) = stage.findings(frames)
    file = written(tmp_path, "[thresholds\n")
    with pytest.raises(WishError):
        add_wish(file, wish_for(finding, "ev"))
    assert file.read_text() == "[thresholds\n"


def test_names_with_quotes_and_backslashes_come_back_as_they_are(tmp_path):
    """A name is foreign text."""
    stage, frames = built(hearing.a_name_in_other_letters)
    (finding,) = stage.findings(frames)
    odd = finding.changed(subject=finding.subject._replace(ev='a "b" \\ \n é'))
    file = tmp_path / "opossum.toml"
    add_wish(file, wish_for(odd, "ev"))
    assert read_wishes(file).counted([odd]) == []
    assert read_wishes(file).counted([finding]) == [finding]


def test_a_file_that_cannot_be_read_or_is_too_large(tmp_path):
    """In a sentence; one that is just as large as it may be is read."""
    file = tmp_path / "opossum.toml"
    assert refused(file) == f"{file}: cannot be read (No such file or directory)"
    file.write_text("#" * LARGEST_FILE)
    assert read_wishes(file).uncounted == ()
    file.write_text("#" * (LARGEST_FILE + 1))
    assert refused(file) == f"{file}: too large for a file of wishes; it may have 1,000,000 bytes"


def test_a_finding_known_by_its_id_takes_what_follows_from_it_along():
    """Each of the three ways by itself, and what has none of them counts."""
    stage, frames = built(hearing.a_name_in_other_letters)
    (finding,) = stage.findings(frames)
    follows, other = finding.changed(id="b", root=finding.id), finding.changed(id="c", root="")
    assert Wishes(known=frozenset({finding.id})).counted([finding, follows, other]) == [other]
    assert Wishes(known=frozenset({"b"})).counted([finding, follows, other]) == [finding, other]
    wish = wish_for(finding, "ev")
    for more in ({"kind": "freeze"}, {"cause": "other"}, {"o": "nobody#1"}):
        assert not wish._replace(values={**wish.values, **more}).fits(finding)
    assert wish._replace(values={**wish.values, "why": "it is meant"}).fits(finding)
