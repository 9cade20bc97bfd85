"""Help in the user's language: what commands and their options say of themselves, and what Click itself says."""

from __future__ import annotations

import copy
import gettext
import inspect

import click

from opossum.words import DOMAIN, FOLDER, language, tr


def speak_as_the_user() -> None:
    """Have Click speak by our catalogue too: it asks gettext, in the language that the environment tells."""
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
