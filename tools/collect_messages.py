"""Collect every text that people see, keep the catalogues of its translations, and compile them.

Texts are what the code hands to `tr` and `counted`, and what is declared in tables: commands, areas, weaves, kinds, causes,
symptoms, help. A catalogue keeps what is translated already; what is new in it is empty, and stays English until somebody
translates it. `--check` says what is amiss and changes nothing.
"""

from __future__ import annotations

import ast
import io
import re
import sys
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

import click
from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

from moonrise_bakery.faults import FAULTS
from opossum.compare.wording import FOLLOWING
from opossum.findings.catalogue import KINDS
from opossum.findings.symptoms import SYMPTOMS
from opossum.stream.kinds import KINDS as KINDS_OF_RECORDS
from opossum.version import __version__
from opossum_commands.engines import ENGINES
from opossum_commands.main import COMMANDS as COMMANDS_OF_TERMINALS
from opossum_commands.main import cli
from opossum_commands.spoken import help_texts
from opossum_desk.areas import AREAS
from opossum_desk.commands import COMMANDS
from opossum_desk.explaining import _STATES, _VIAS, HANDS
from opossum_desk.layout.wording import SEVERITY_TITLES
from opossum_desk.menu_bar import LOOKS, MENUS
from opossum_desk.weaves import WEAVES

ROOT = Path(__file__).parent.parent
SOURCES = ROOT / "src"
LOCALE = SOURCES / "opossum" / "locale"

LONG_AGO = datetime(2026, 11, 29, tzinfo=UTC)

Message = str | tuple[str, str]

CLICKS: list[Message] = [
    "Usage:",
    "Options",
    "Positional arguments",
    "Commands",
    "Show this message and exit.",
    "default: {default}",
    "Missing command.",
    "Missing argument",
    "Missing option",
    "Missing parameter",
    "No such option {name!r}.",
    "Invalid value: {message}",
    "Invalid value for {param_hint}: {message}",
    "Option {name!r} does not take a value.",
    "{value!r} is not a valid {number_type}.",
    "{value} is not in the range {range}.",
    ("Did you mean {possibility}?", "(Did you mean one of: {possibilities}?)"),
    ("Got unexpected extra argument ({args})", "Got unexpected extra arguments ({args})"),
    ("Option {name!r} requires an argument.", "Option {name!r} requires {nargs} arguments."),
]
"""What Click, which reads commands, says of itself; it asks gettext."""


def handed_over(path: Path) -> Iterator[Message]:
    """Yield what a module hands to `tr` and `counted`; names of its own constants are looked up."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    constants = {
        target.id: node.value.value
        for node in tree.body
        if isinstance(node, ast.Assign) and isinstance(node.value, ast.Constant)
        for target in node.targets
        if isinstance(target, ast.Name)
    }
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.args:
            texts = [_text(argument, constants) for argument in node.args]
            if node.func.id in ("tr", "translatable") and texts[0]:
                yield texts[0]
            elif node.func.id == "counted" and len(texts) > 1 and texts[1]:
                yield texts[1], texts[2] if len(texts) > 2 and texts[2] else texts[1] + "s"
        elif isinstance(node, ast.Assign) and any(
            getattr(target, "id", "") == "gathering_told" for target in node.targets
        ):
            assert isinstance(node.value, ast.Constant)
            yield node.value.value


def _text(node: ast.expr, constants: dict[str, object]) -> str:
    value = (
        node.value if isinstance(node, ast.Constant) else constants.get(node.id) if isinstance(node, ast.Name) else ""
    )
    return value if isinstance(value, str) else ""


def declared() -> Iterator[tuple[Message, str]]:
    """Yield (text, where) of what stands in tables."""
    for command in COMMANDS:
        yield command.title, "commands"
    for title in MENUS:
        yield title, "menus"
    for area in AREAS:
        yield from ((area.title, "areas"), (area.explained, "areas"))
    for weave in WEAVES:
        yield from ((weave.title, "weaves"), (weave.explained, "weaves"), (weave.offer, "weaves"))
    for symptom in SYMPTOMS:
        yield from ((symptom.title, "symptoms"), (symptom.explained, "symptoms"))
    for kind in KINDS:
        yield from ((kind.title, "kinds"), (kind.group.title, "kinds"), (kind.question, "kinds"))
        for cause in kind.causes:
            yield cause.title, "causes"
            for threshold in cause.thresholds:
                yield from ((threshold.unit, "thresholds"), (threshold.reason, "thresholds"))
    for names in FOLLOWING.values():
        yield (names if len(names) > 1 else (names[0], f"{names[0]}s")), "what follows"
    for name in KINDS_OF_RECORDS:
        yield (name, f"{name}s"), "records"
    for fault in FAULTS.values():
        yield fault.story, "the demo's faults"
    for engine in ENGINES:
        yield engine.explained, "engines"
    for name in ("", *COMMANDS_OF_TERMINALS):
        command = cli.get_command(click.Context(cli), name) if name else cli
        assert command is not None
        yield from ((text, f"help of {name or 'opossum'}") for text in help_texts(command))
    yield from ((message, "Click's") for message in CLICKS)
    for text in SEVERITY_TITLES.values():
        yield text, "severities"
    for _, title in LOOKS:
        yield title, "looks"
    for table in (_STATES, _VIAS, HANDS):
        for _, text in table:
            yield text, "legend"
    for hand, _ in HANDS:
        yield hand, "legend"
    for name in ("Pulse", "Findings", "Strands", "Frame", "Story"):
        yield name, "panels"
    for mark in ("owner gone", "for nothing", "held here", "still runs", "never returned", "twice", "again"):
        yield mark, "marks of calls"


def template() -> Catalog:
    """Return all texts, without translations."""
    found: dict[Message, str] = {}
    for path in sorted(SOURCES.rglob("*.py")):
        for message in handed_over(path):
            found.setdefault(message, str(path.relative_to(ROOT)))
    for path in sorted(SOURCES.rglob("*.j2")):
        page = path.read_text(encoding="utf-8")
        for text in re.findall(r'\btr\("([^"]+)"', page):
            found.setdefault(text, str(path.relative_to(ROOT)))
        for one in re.findall(r'\bcounted\([^,()]+, "([^"]+)"\)', page):
            found.setdefault((one, f"{one}s"), str(path.relative_to(ROOT)))
    for message, where in declared():
        found.setdefault(message, f"declared: {where}")
    # a word that is counted somewhere too stands once, with its plural: alone, it is that one's first form
    counted = {message[0] for message in found if isinstance(message, tuple)}
    catalogue = Catalog(project="Opossum", version=__version__, charset="utf-8")
    for message, where in found.items():
        if message not in counted:
            catalogue.add(message, auto_comments=[where])
    return catalogue


def renewed(path: Path, texts: Catalog) -> Catalog:
    """Return a catalogue with all texts of now, and the translations it had."""
    with path.open("rb") as file:
        catalogue = read_po(file, locale=path.parent.parent.name)
    catalogue.update(texts, no_fuzzy_matching=True)
    catalogue.obsolete.clear()
    catalogue.creation_date = catalogue.revision_date = LONG_AGO  # so that the same texts make the same files
    return catalogue


def not_translated(catalogue: Catalog) -> list[Message]:
    """Return the texts that lack a translation, or one of their plural's forms."""
    return [
        message.id
        for message in catalogue
        if message.id
        and not (message.string and all([message.string] if isinstance(message.string, str) else message.string))
    ]


def as_bytes(catalogue: Catalog) -> bytes:
    """Return a catalogue as its file."""
    written = io.BytesIO()
    write_po(written, catalogue, width=120, sort_output=True, no_location=True, omit_header=False)
    return written.getvalue()


def compiled(catalogue: Catalog) -> bytes:
    """Return a catalogue as programs read it."""
    written = io.BytesIO()
    write_mo(written, catalogue)
    return written.getvalue()


def main() -> int:
    """Renew all catalogues; with `--check`, say what is amiss."""
    check = "--check" in sys.argv[1:]
    texts = template()
    amiss = 0
    for path in sorted(LOCALE.glob("*/LC_MESSAGES/opossum.po")):
        catalogue = renewed(path, texts)
        missing = not_translated(catalogue)
        print(f"{path.relative_to(ROOT)}: {len(catalogue)} texts, {len(missing)} not translated")
        for name, data in ((path, as_bytes(catalogue)), (path.with_suffix(".mo"), compiled(catalogue))):
            if not check:
                name.write_bytes(data)
            elif not name.exists() or name.read_bytes() != data:
                amiss += 1
                print(f"{name.relative_to(ROOT)} is not up to date: run tools/collect_messages.py")
    return 1 if amiss else 0


if __name__ == "__main__":
    sys.exit(main())
