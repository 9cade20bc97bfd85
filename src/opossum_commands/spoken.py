"""Help in the user's language: what commands and their options say of themselves, and what Click itself says."""

from __future__ import annotations

import copy
import gettext
import inspect
from collections.abc import Sequence

import click

from opossum.words import DOMAIN, FOLDER, language, tr, use, use_the_users

NO_DOMAIN = "messages"
"""What gettext asks where nothing else is named (Python's own default)."""


FOR_PROGRAMS = ("--json", "--junit", "--sarif")
"""Options by which what is written is for programs, or for people elsewhere: that is English, whoever asks."""


def speak_for(arguments: Sequence[str]) -> None:
    """Speak the user's language, and have Click speak it too, which asks gettext; English where programs read it."""
    if any(argument.partition("=")[0] in FOR_PROGRAMS for argument in arguments):
        use()
        gettext.textdomain(NO_DOMAIN)
        return
    use_the_users()
    gettext.bindtextdomain(DOMAIN, str(FOLDER))
    gettext.textdomain(DOMAIN)


def help_texts(command: click.Command) -> list[str]:
    """Return what a command and its options say of themselves, in English."""
    options = [parameter.help for parameter in command.params if isinstance(parameter, click.Option)]
    return [inspect.cleandoc(text) for text in (command.help, *options) if text]


def in_the_users_language(command: click.Command) -> click.Command:
    """Return a command whose help is in the user's language: the same one for who speaks English, else a copy."""
    if language() == "en":
        return command
    spoken = copy.copy(command)
    spoken.help = tr(inspect.cleandoc(command.help or ""))
    spoken.params = [copy.copy(parameter) for parameter in command.params]
    for parameter in spoken.params:
        if isinstance(parameter, click.Option) and parameter.help:
            parameter.help = tr(inspect.cleandoc(parameter.help))
    return spoken
