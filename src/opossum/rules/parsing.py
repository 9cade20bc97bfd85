"""Reading a rule file: each sentence by itself, so that one mistake hides no other."""

from __future__ import annotations

import re
from functools import cache
from importlib.resources import files
from typing import NamedTuple

from lark import Lark, Token, UnexpectedCharacters, UnexpectedEOF, UnexpectedInput, UnexpectedToken
from lark.exceptions import VisitError

from opossum.rules.sentence import Form, Reading, Rule
from opossum.words import tr, translatable

MOST_RULES = 10_000
"""Sentences that are read of one file."""

MOST_DIGITS = 12
"""Digits of a number: more is none that a game could reach."""

LONGEST_SENTENCE = 400_000
"""Characters of one sentence."""


class RuleError(NamedTuple):
    """What is wrong with a sentence: line and column (from 1), and what to write instead."""

    line: int
    column: int
    message: str


class RuleBook(NamedTuple):
    """A rule file as read: the game it is for, its rules, and what could not be understood."""

    game: str
    rules: list[Rule]
    errors: list[RuleError]


class Sentence(NamedTuple):
    """A sentence as it stands in a file: the line it begins in, and its text with its line ends."""

    line: int
    text: str


def parse_rules(text: str) -> RuleBook:
    """Read a rule file's text. Linear in the sentences."""
    game, section = "", ""
    rules: list[Rule] = []
    errors: list[RuleError] = []
    for number, sentence in enumerate(sentences(text)):
        if number >= MOST_RULES:
            errors.append(
                RuleError(
                    sentence.line,
                    1,
                    tr("a rule file may have {most_rules:,} sentences; part it", most_rules=MOST_RULES),
                )
            )
            break
        if len(sentence.text) > LONGEST_SENTENCE:
            errors.append(
                RuleError(
                    sentence.line,
                    1,
                    tr(
                        "a sentence may have {longest_sentence:,} characters; shorten it",
                        longest_sentence=LONGEST_SENTENCE,
                    ),
                )
            )
            continue
        read = parse_sentence(sentence)
        if isinstance(read, RuleError):
            errors.append(read)
        elif isinstance(read, Rule):
            read.section = section
            rules.append(read)
        elif read[0] == "title":
            game = read[1]
        else:
            section = read[1]
    return RuleBook(game, rules, errors)


def sentences(text: str) -> list[Sentence]:
    """Part a text into sentences: one a line, an indented line goes on; comments and empty lines are left out."""
    found: list[Sentence] = []
    for number, line in enumerate(text.splitlines(), 1):
        bare = _without_comment(line)
        if not bare.strip():
            continue
        if bare[0] in " \t" and found:
            begin, before = found[-1]
            # as many line ends as there are, so that an error's line is right
            missing = number - begin - before.count("\n")
            found[-1] = Sentence(begin, before + "\n" * missing + bare)
        else:
            found.append(Sentence(number, bare))
    return found


def _without_comment(line: str) -> str:
    """Cut a comment off; a `#` within quotes, back-ticks or a name (`oven#2`) begins none."""
    quote = ""
    for place, letter in enumerate(line):
        if quote:
            quote = "" if letter == quote else quote
        elif letter in '"`':
            quote = letter
        elif letter == "#" and (place == 0 or line[place - 1].isspace()):
            return line[:place]
    return line


@cache
def parser() -> Lark:
    """Return the parser of sentences."""
    grammar = files("opossum.rules").joinpath("grammar.lark").read_text(encoding="utf-8")
    return Lark(grammar, parser="lalr", propagate_positions=True)


def parse_sentence(sentence: Sentence) -> Rule | tuple[str, str] | RuleError:
    """Read one sentence: a rule, a title or section as (which, text), or what is wrong with it."""
    try:
        tree = parser().parse(sentence.text)
        for number in tree.scan_values(lambda token: isinstance(token, Token) and token.type in ("NUM", "PERCENT")):
            if len(number) > MOST_DIGITS:
                place = _place(sentence, int(number.start_pos or 0))
                return RuleError(*place, tr("a number may have {most_digits} digits", most_digits=MOST_DIGITS))
        read = Reading(sentence.text).transform(tree)
    except UnexpectedInput as error:
        return _explained(sentence, error)
    except (VisitError, ValueError, RecursionError) as error:
        return RuleError(sentence.line, 1, tr("cannot be understood ({error})", error=error))
    if read.data in ("title", "section"):
        return str(read.data), str(read.children[0]).strip('"')
    head, form, *scopes = read.children
    if head is None or not isinstance(head, Form) or head.data != "head":
        head = None
    severity, title = _head(head)
    wrong = _wrong_units(form, sentence)
    return wrong or Rule(
        form,
        " ".join(_body(sentence.text).split()),
        sentence.line,
        severity,
        title,
        "",
        [item for item in scopes if item],
    )


def _head(head: Form | None) -> tuple[str, str]:
    severity, title = "fault", ""
    for part in head.children if head is not None else ():
        if isinstance(part, Token) and part.type == "SEVERITY":
            severity = str(part)
        elif part is not None:
            title = str(part).strip('"')
    return severity, title


def _body(text: str) -> str:
    """Return a sentence without its severity and title."""
    found = re.match(r'\s*(?:(?:fault|waste|risk|note)\b\s*)?(?:"[^"]*"\s*)?:', text)
    return text[found.end() :] if found else text


def _wrong_units(form: Form, sentence: Sentence) -> RuleError | None:
    """Refuse frames where a time is meant: of a call, or of the game's clock."""
    for part in form.walk():
        frames = [item for item in part.children if getattr(item, "frames", False)]
        if frames and part.data in ("takes", "worktime", "cost", "e_long"):
            return RuleError(
                sentence.line, 1, tr("a call takes ms, s or min, not frames; write such as `at most 4 ms`")
            )
        if part.data == "clockevery" and part.children[0] in frames:
            return RuleError(sentence.line, 1, tr("the game's clock knows no frames; write such as `every 15 min`"))
    return None


# --- what is wrong, and what was meant ------------------------------------------------------------------


def _explained(sentence: Sentence, error: UnexpectedInput) -> RuleError:
    words = possible_words(error)
    if isinstance(error, UnexpectedEOF) or (isinstance(error, UnexpectedToken) and error.token.type == "$END"):
        last = sentence.text.rstrip()
        line, column = _place(sentence, len(last))
        return RuleError(line, column, tr("the sentence breaks off; what may follow: {listed}", listed=_listed(words)))
    place = error.pos_in_stream or 0
    line, column = _place(sentence, place)
    found = re.match(r"`[^`\n]*`|\"[^\"\n]*\"|[\w.#*/%-]+|\S", sentence.text[place:])
    written = found.group(0) if found else sentence.text[place : place + 20]
    meant = nearest(written, words)
    advice = (
        tr("did you mean `{meant}`?", meant=meant)
        if meant
        else tr("what may stand here: {listed}", listed=_listed(words))
    )
    return RuleError(line, column, tr("`{written}` is not understood here; {advice}", written=written, advice=advice))


def _place(sentence: Sentence, position: int) -> tuple[int, int]:
    before = sentence.text[:position]
    return sentence.line + before.count("\n"), position - (before.rfind("\n") + 1) + 1


_WORDS = {
    "NAME": translatable("a name"),
    "QUOTED": translatable("a name in back-ticks"),
    "STRING": translatable('a text in "quotes"'),
    "NUM": translatable("a number"),
    "UNIT": translatable("ms, s, min or frames"),
    "PERCENT": translatable("a share such as 10 %"),
    "CLOCK": translatable("a time of day such as 19:30"),
    "$END": translatable("the end of the sentence"),
}


def possible_words(error: UnexpectedInput) -> list[str]:
    """Return what could stand where a sentence goes wrong: words of the language, and descriptions of the rest."""
    names: set[str] = set()
    if isinstance(error, UnexpectedToken):
        names = set(error.accepts or error.expected or ())
    elif isinstance(error, UnexpectedCharacters):
        names = set(error.allowed or ())
    return sorted({word for name in names for word in words_of(name)})


@cache
def words_of(terminal: str) -> tuple[str, ...]:
    """Return the words a terminal stands for."""
    if terminal in _WORDS:
        return (tr(_WORDS[terminal]),)
    for item in parser().terminals:
        if item.name == terminal:
            pattern = item.pattern.value
            if item.pattern.type == "str":
                return (pattern,)
            plain = re.sub(r"\\b|\(\?:", "|", pattern)
            both = [re.findall(r"[a-z]+", plain.replace("s?", ending)) for ending in ("", "s")]
            words = dict.fromkeys(both[0] + both[1])
            return tuple(words) if all(len(word) > 1 for word in words) else ()
    return ()


@cache
def reserved_words() -> frozenset[str]:
    """Return the words of the language, which as names stand in back-ticks."""
    return frozenset(
        word for item in parser().terminals if item.name not in _WORDS for word in words_of(item.name) if word.isalpha()
    ) | {"ms", "s", "min", "frame", "frames"}


def nearest(written: str, words: list[str]) -> str:
    """Return the word that a mistyped one is nearest to, by edits of which a swap is one; empty if none is near."""
    best, word = 3, ""
    for candidate in words:
        if " " in candidate or not candidate.isalpha():
            continue
        edits = _edits(written.casefold(), candidate)
        if edits < best and edits <= max(1, len(candidate) // 3):
            best, word = edits, candidate
    return word


def _edits(one: str, other: str) -> int:
    """Return the number of letters inserted, deleted, replaced or swapped (optimal string alignment)."""
    before_last: list[int] = []
    last = list(range(len(other) + 1))
    for row, letter in enumerate(one, 1):
        now = [row]
        for column, against in enumerate(other, 1):
            cost = min(last[column] + 1, now[column - 1] + 1, last[column - 1] + (letter != against))
            if row > 1 and column > 1 and letter == other[column - 2] and one[row - 2] == against:
                cost = min(cost, before_last[column - 2] + 1)
            now.append(cost)
        before_last, last = last, now
    return last[-1]


def _listed(words: list[str], most: int = 12) -> str:
    return ", ".join(words[:most]) + (" …" if len(words) > most else "") if words else "nothing"
