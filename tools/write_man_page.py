"""Write the man page from the commands themselves: what `opossum --help` and each command's help tell, as roff."""

from __future__ import annotations

import re
import sys
from pathlib import Path

import click

from opossum.version import __version__
from opossum_commands.engines import ENGINES
from opossum_commands.exit_status import MEANING, PASSED_ON
from opossum_commands.main import COMMANDS, COMPLETION, COMPLETION_PLACES, cli

PAGE = Path(__file__).parent.parent / "src" / "opossum_desk" / "desktop_kit" / "opossum.1"
FILES = {
    "opossum.toml": "beside a take: thresholds, and what does not count",
    "NAME.marks.json": "beside a take: marked frames and notes",
    "$XDG_CONFIG_HOME/opossum": "what was chosen on the desk",
    "$XDG_STATE_HOME/opossum": "how the desk was left, recent takes, bookmarks",
    "$XDG_DATA_HOME/opossum": "what the desk recorded of games that played",
}
ALL_HAVE = {"--help", "--quiet", "--verbose"}
DATE = "2026-11-29"
VARIABLES = {
    "OPOSSUM_TOKEN": "the word that a game must say to be let in",
    "OPOSSUM_BUILD": "which build of a game is recorded",
    "NO_COLOR": "nothing but text is printed, as with TERM=dumb",
    "QT_QPA_PLATFORM": "how Qt opens a window, where it is not to choose for itself",
}


def escaped(text: str) -> str:
    """Return a text as roff shows it."""
    text = text.replace("\\", "\\e").replace("-", "\\-").replace("'", "\\(aq").replace("`", "\\(ga")
    return f"\\&{text}" if text.startswith(".") else text


def paragraphs(text: str) -> list[str]:
    """Return the paragraphs of a command's help; those that click must not wrap stay as they are."""
    lines: list[str] = []
    for number, paragraph in enumerate(re.split(r"\n\s*\n", text.strip())):
        if number:
            lines.append(".PP")
        if paragraph.lstrip().startswith("\b"):
            lines += [".nf", *(escaped(line.strip()) for line in paragraph.split("\n")[1:]), ".fi"]
        else:
            lines.append(escaped(" ".join(paragraph.split())))
    return lines


def terms(said: dict[str, str]) -> list[str]:
    """Return terms, each with what is said of it."""
    return [line for term, text in said.items() for line in (".TP", f".B {escaped(term)}", escaped(text))]


def options(command: click.Command, context: click.Context) -> list[str]:
    """Return what a command's own options do; those that all commands have are told once."""
    own = [
        parameter
        for parameter in command.get_params(context)
        if isinstance(parameter, click.Option) and (context.parent is None or not ALL_HAVE.intersection(parameter.opts))
    ]
    said = [parameter.get_help_record(context) for parameter in own]
    return terms(dict(record for record in said if record is not None))


def page() -> str:
    """Return the man page."""
    context = click.Context(cli, info_name="opossum")
    lines = [
        '.\\" Written by tools/write_man_page.py from the commands themselves.',
        f'.TH OPOSSUM 1 {DATE} "Opossum {__version__}" "User Commands"',
        ".SH NAME",
        "opossum \\- see in what order the events of a game really ran, and what is wrong with it",
        ".SH SYNOPSIS",
        ".B opossum",
        ".RI [ TAKE | STREAM ...]",
        ".br",
        ".B opossum",
        ".I COMMAND",
        ".RI [ OPTION ...]",
        ".SH DESCRIPTION",
        *paragraphs(cli.help or ""),
        ".SH OPTIONS",
        *options(cli, context),
        ".PP",
        escaped("Each command knows --help, --quiet and --verbose too; `opossum record` hands them to the game."),
        ".SH COMMANDS",
    ]
    for name in COMMANDS:
        command = cli.get_command(context, name)
        assert command is not None
        own = click.Context(command, info_name=name, parent=context)
        usage = " ".join(command.collect_usage_pieces(own))
        lines += [f".SS opossum {name} {escaped(usage)}", *paragraphs(command.help or ""), *options(command, own)]
    lines += [
        ".SH ENGINES",
        *terms({engine.title: f"{engine.explained}: {engine.page}" for engine in ENGINES}),
        ".SH EXIT STATUS",
        *terms({str(int(status)): meaning for status, meaning in MEANING.items()}),
        ".PP",
        escaped(PASSED_ON),
        ".SH ENVIRONMENT",
        *terms(VARIABLES),
        ".SH FILES",
        *terms(FILES),
        ".SH SHELL COMPLETION",
        *terms(COMPLETION),
        ".PP",
        escaped(COMPLETION_PLACES),
    ]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    if sys.argv[1:] not in ([], ["--print"]):
        sys.exit("usage: write_man_page.py [--print]")
    if sys.argv[1:]:
        print(page(), end="")
    else:
        PAGE.write_text(page(), encoding="utf-8")
