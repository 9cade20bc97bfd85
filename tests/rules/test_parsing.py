"""Sentences of rules: read one by one, and told where one goes wrong."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from opossum.rules.checking import check
from opossum.rules.files import RuleFileError, read_rules, rules_beside
from opossum.rules.parsing import LONGEST_SENTENCE, RuleError, nearest, parse_rules
from opossum.rules.sentence import Count, Moment, Span
from opossum.take.take import Take
from tape import Tape


def _small() -> Take:
    tape = Tape(phases=["update"]).frame()
    tape("spawn", o="B#1", cls="B")
    bound = tape.bind("a", "B#1", "B.c")
    tape.arm("timer", "B#1", "a")
    tape("play", y=1, o="B#1", clip="a", len=0.1, marks=[["a", 0.05]])
    for value in range(3):
        tape.frame()("phase", name="update")("watch", o="B#1", name="value", v=value)
        send = tape.heard("a", bound, via="input", key="a", edge="down")
        tape("put", q="queue", s=send)("pull", q="queue", s=send)
    return tape.frame()("gone", o="B#1")("idle").take()


SMALL = _small()
"""A take in which a little of everything happens."""

BAKERY = Path(__file__).parents[2] / "docs" / "examples" / "bakery.rules"


def only(text: str):
    """Return the one rule of a text."""
    book = parse_rules(text)
    assert not book.errors and len(book.rules) == 1
    return book.rules[0]


def test_a_rule_file_is_read_with_its_sections_and_titles():
    """Every sentence of the bakery's, in order, each with the line it stands in."""
    text = BAKERY.read_text(encoding="utf-8")
    book = parse_rules(text)
    assert book.game == "Moonrise Bakery" and book.errors == []
    lines = text.splitlines()
    assert len(book.rules) == sum(
        bool(line.strip()) and not line.startswith(("#", " ", "section", "rules")) for line in lines
    )
    for rule in book.rules:
        assert rule.text.split()[0] in lines[rule.line - 1]
    first = book.rules[0]
    assert (first.section, first.title, first.severity) == ("Start-up", "The shop opens once", "fault")
    assert [rule.severity for rule in book.rules if rule.title == "No polling"] == ["waste"]


def test_a_sentence_goes_on_where_it_is_indented_and_comments_are_none_of_it():
    """Though a `#` in a name or in quotes begins none."""
    rule = only("every call of A.b by oven#2 # who\n    comes in phase update\n\n    # why\n    except during loading")
    assert rule.text == "every call of A.b by oven#2 comes in phase update except during loading"
    assert rule.form.children[0] == Moment("call", ("A.b",), ("oven#2",), (), "call of A.b by oven#2")
    assert [scope.data for scope in rule.scopes] == ["s_except"]


@pytest.mark.parametrize(
    ("written", "count"),
    [
        ("exactly 2", Count(2, 2)),
        ("at least 3", Count(3, -1)),
        ("at most 4", Count(0, 4)),
        ("5", Count(5, 5)),
        ("once", Count(1, 1)),
        ("twice", Count(2, 2)),
        ("nothing", Count(0, 0)),
    ],
)
def test_counts(written, count):
    """As one says them."""
    assert only(f"every send of a causes {written} call of B.c").form.children[1].children[0] == count


@pytest.mark.parametrize(
    ("written", "span"),
    [
        ("3 frames", Span(3, True)),
        ("1 frame", Span(1, True)),
        ("250 ms", Span(250e6, False)),
        ("1.5 s", Span(1.5e9, False)),
        ("2 min", Span(120e9, False)),
    ],
)
def test_spans(written, span):
    """Of frames and of time."""
    assert (
        only(f"every send of a is followed by send of b within {written}").form.children[1].children[2].children[0]
        == span
    )


def test_odd_names_stand_in_back_ticks():
    """Words of the language, spaces, letters of any script."""
    rule = only("every send of `door slam ü` or `every` or Fenster_zu is heard")
    assert rule.form.children[0].of == ("door slam ü", "every", "Fenster_zu")


@pytest.mark.parametrize(
    ("sentence", "column", "message"),
    [
        ("eveyr send of a is heard", 1, "`eveyr` is not understood here; did you mean `every`?"),
        ("every send of a is herad", 20, "`herad` is not understood here; did you mean `heard`?"),
        ("never more than 1 timer x at onec", 30, "`onec` is not understood here; did you mean `once`?"),
        ("every send of a within", 17, "`within` is not understood here; what may stand here: "),
        ("value stock stays at least", 27, "the sentence breaks off; what may follow: a number"),
        (
            "every call of a takes at most 3 frames",
            1,
            "a call takes ms, s or min, not frames; write such as `at most 4 ms`",
        ),
        (f"never more than {'9' * 400} timer x at once", 17, "a number may have 12 digits"),
        (f"every send of a is followed by send of b within {'9' * 400} s", 49, "a number may have 12 digits"),
        ("every 5 frames on the game clock, send of a comes", 1, "the game's clock knows no frames"),
        ("every send of a is heard !", 26, "`!` is not understood here; what may stand here: "),
    ],
)
def test_a_mistake_is_told_with_its_place_and_the_nearest_word(sentence, column, message):
    """In the second line of two, so that the line is right too."""
    book = parse_rules("every frame is heard\n" + sentence)
    (error,) = book.errors
    assert (error.line, error.column) == (2, column) and error.message.startswith(message)


def test_a_mistake_in_a_line_that_goes_on_is_told_there():
    """By line and column of the very word."""
    assert parse_rules("\nevery send of a\n   # why\n   is haerd").errors == [
        RuleError(4, 7, "`haerd` is not understood here; did you mean `heard`?")
    ]


def test_one_mistake_hides_no_other_and_no_rule():
    """All that can be read is, all that cannot be is told."""
    book = parse_rules("evry send of a is heard\nevery send of b is heard\nnvr\nno send of c comes")
    assert [rule.text for rule in book.rules] == ["every send of b is heard", "no send of c comes"]
    assert [error.line for error in book.errors] == [1, 3]


def test_swapped_letters_are_one_slip():
    """So that `eveyr` is `every`, not `never`."""
    assert nearest("eveyr", ["never", "every"]) == "every"
    assert nearest("zebra", ["never", "every"]) == ""


@given(st.text(max_size=300))
def test_whatever_is_written_is_read_or_told(text):
    """Never a stumble, and errors lie within the text."""
    book = parse_rules(text)
    lines = max(1, len(text.splitlines()))
    assert all(1 <= error.line <= lines for error in book.errors)


_words = st.sampled_from(
    [
        "every",
        "send",
        "call",
        "of",
        "by",
        "a",
        "B.c",
        "is",
        "heard",
        "causes",
        "exactly",
        "1",
        "at",
        "most",
        "3",
        "s",
        "frames",
        "followed",
        "within",
        "no",
        "comes",
        "before",
        "in",
        "each",
        "frame",
        ",",
        "between",
        "and",
        "press",
        "queue",
        "holds",
        "value",
        "stays",
        "never",
        "more",
        "than",
        "timer",
        "once",
        "clip",
        "plays",
        "while",
        "except",
        "during",
        "loading",
        ":",
        '"t"',
    ]
)


@given(st.lists(_words, max_size=18).map(" ".join))
def test_words_in_any_order_are_read_or_told(text):
    """Those that make a sentence can be read again as they are told."""
    for rule in parse_rules(text).rules:
        assert parse_rules(rule.text).errors == []
        (outcome,) = check(SMALL, [rule])
        assert 0 <= outcome.broken <= outcome.occasions


def test_long_things_are_refused(tmp_path):
    """A sentence, a file, and what is no text."""
    assert "characters" in parse_rules("every send of " + "a" * LONGEST_SENTENCE + " is heard").errors[0].message
    odd = tmp_path / "odd.rules"
    odd.write_bytes(b"\xff\xfe")
    with pytest.raises(RuleFileError, match="UTF-8"):
        read_rules(odd)
    with pytest.raises(RuleFileError, match="cannot be read"):
        read_rules(tmp_path / "none.rules")
    assert rules_beside(tmp_path / "night.take") == [odd]
