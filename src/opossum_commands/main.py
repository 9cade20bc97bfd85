"""`opossum`: the desk by default, and commands for scripts."""

from __future__ import annotations

import contextlib
import difflib
import importlib
import os
import sys
from collections.abc import Sequence

import click
from click.shell_completion import CompletionItem

from opossum.foreign_text import shown
from opossum.version import __version__
from opossum.words import tr, translatable
from opossum_commands.exit_status import MEANING, PASSED_ON, ExitStatus
from opossum_commands.help_text import Context, whole_sentence
from opossum_commands.loudness import QUIET, VERBOSE, usual_loudness, with_loudness
from opossum_commands.spoken import in_the_users_language, speak_for

COMPLETION = {
    "bash": 'eval "$(_OPOSSUM_COMPLETE=bash_source opossum)"',
    "zsh": 'eval "$(_OPOSSUM_COMPLETE=zsh_source opossum)"',
    "fish": "_OPOSSUM_COMPLETE=fish_source opossum | source",
}
COMPLETION_PLACES = translatable(
    "The line goes into ~/.bashrc, into ~/.zshrc after compinit, or into ~/.config/fish/config.fish."
)
PASSES_OPTIONS_ON = ("record",)
"""Commands that hand to a game whatever options they do not know: how loud they are is said before their name."""
LIKE_A_COMMAND = 0.6
"""How alike (from 0 to 1) a word is to the command that it may have been meant to be."""

COMMANDS = {
    "desk": "desk:open_desk",
    "demo": "demo:demo",
    "findings": "findings:findings",
    "report": "report:report",
    "compare": "compare:compare",
    "rehearse": "rehearse:rehearse",
    "check": "check:check",
    "learn": "learn:learn",
    "convert": "convert:convert",
    "check-stream": "check_stream:check_stream",
    "info": "info:info",
    "listen": "listen:listen",
    "record": "record:record",
    "header": "header:header",
    "schema": "schema:schema",
    "integrate": "integrate:integrate",
}
"""Every command, and where it lies in this package; loaded when it is called, for some load the whole core."""


class _Commands(click.Group):
    """Loads commands when they are named, and takes `opossum`, and `opossum TAKE`, to mean the desk."""

    context_class = Context

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Return the names of all commands."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Return a command by its name."""
        if cmd_name not in COMMANDS:
            return None
        module, _, name = COMMANDS[cmd_name].partition(":")
        if cmd_name not in PASSES_OPTIONS_ON:
            # no matrix is ever multiplied here, and a process with one thread opens a take by a copy of itself; what is set
            # here a game would heed as well
            os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
        command: click.Command = getattr(importlib.import_module(f"opossum_commands.{module}"), name)
        command.context_class = Context
        return in_the_users_language(command if cmd_name in PASSES_OPTIONS_ON else with_loudness(command))

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write each command with all that its first sentence says."""
        commands = [(name, self.get_command(ctx, name)) for name in self.list_commands(ctx)]
        with formatter.section(tr("Commands")):
            formatter.write_dl([(name, whole_sentence(command)) for name, command in commands if command is not None])

    def format_epilog(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the exit statuses, and how a shell learns to complete."""
        with formatter.section(tr("Exit status")):
            formatter.write_dl([(str(int(status)), tr(meaning)) for status, meaning in MEANING.items()])
        formatter.write_paragraph()
        formatter.write_text(tr(PASSED_ON))
        with formatter.section(tr("Shell completion")):
            formatter.write_dl(list(COMPLETION.items()))
        formatter.write_paragraph()
        formatter.write_text(tr(COMPLETION_PLACES))

    def shell_complete(self, ctx: click.Context, incomplete: str) -> list[CompletionItem]:
        """Offer commands, and files where no command begins so."""
        return super().shell_complete(ctx, incomplete) or [CompletionItem(incomplete, type="file")]

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Put `desk` before what is no command's name."""
        if ctx.resilient_parsing and not args:
            return super().parse_args(ctx, args)  # a shell completes the first word: a command's name, or a file
        if not args or (args[0] not in COMMANDS and not args[0].startswith("-")):
            if args and not ctx.resilient_parsing:
                _see_that_it_is_a_file(ctx, args[0])
            args = ["desk", *args]
        return super().parse_args(ctx, args)


def _see_that_it_is_a_file(ctx: click.Context, word: str) -> None:
    """See that what is no command's name is a file for the desk.

    Raises:
        click.UsageError: it is neither; it says which command it may have been meant to be.
    """
    if os.path.exists(word):
        return
    meant = difflib.get_close_matches(word, COMMANDS, 1, LIKE_A_COMMAND)
    if meant and not any(sign in word for sign in "./"):
        raise click.UsageError(
            tr("there is no command `{word}`; did you mean `{meant}`?", word=word, meant=meant[0]), ctx
        )
    if not any(sign in word for sign in "./"):
        raise click.UsageError(tr("`{word}` is no command, and there is no such file.", word=word), ctx)


def _print_version(ctx: click.Context, _: click.Parameter, wanted: bool) -> None:
    """Print the version, and in what language the half of the recorder is that runs at every send and call here."""
    if wanted and not ctx.resilient_parsing:
        from opossum_recorder.halves import Inner

        half = "C" if Inner.__module__.endswith("._inner") else "Python"
        click.echo(tr("opossum {version} (the recorder's inner half: {half})", version=__version__, half=half))
        ctx.exit()


@click.group(
    cls=_Commands,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
)
@click.option(
    "--version",
    is_flag=True,
    expose_value=False,
    is_eager=True,
    callback=_print_version,
    help="Show the version, and which half of the recorder is active, and exit.",
)
@click.option("-q", "--quiet", **QUIET)
@click.option("-v", "--verbose", **VERBOSE)
def cli() -> None:
    """See in what order a game's events really ran, and what fires twice, never comes,
    comes too late, eats the frame or hangs.

    \b
    opossum                    open the desk
    opossum night.take         open the desk on a take or stream
    opossum findings night.take    print what is wrong, without a window
    """


def main(arguments: Sequence[str] | None = None) -> None:
    """Run the command line; errors are one sentence on standard error and exit status 2."""
    usual_loudness()
    speak_for(arguments if arguments is not None else sys.argv[1:])
    try:
        status = in_the_users_language(cli).main(
            args=list(arguments) if arguments is not None else None, prog_name="opossum", standalone_mode=False
        )
        sys.stdout.flush()
    except click.ClickException as error:
        message = " ".join(error.format_message().split())
        usage = isinstance(error, click.UsageError) and error.ctx is not None
        hint = tr(" See `{command_path} --help`.", command_path=error.ctx.command_path) if usage else ""  # type: ignore[attr-defined]
        print(tr("opossum: {shown}{hint}", shown=shown(message), hint=hint), file=sys.stderr)
        sys.exit(ExitStatus.ERROR)
    except (click.Abort, KeyboardInterrupt):
        print(tr("opossum: stopped."), file=sys.stderr)
        sys.exit(ExitStatus.STOPPED)
    except SystemExit:
        # so Click says that whoever read it has seen enough, and ends with 1
        if type(sys.stdout).__name__.endswith("PacifyFlushWrapper"):
            sys.exit(0)
        raise
    except BrokenPipeError:
        _forget_output()  # whoever read it has seen enough
        sys.exit(0)
    except OSError as error:
        _forget_output()
        where = f"{error.filename}: " if error.filename else ""
        print(
            tr(
                "opossum: {shown}{why}; not all could be written or read.",
                shown=shown(where),
                why=error.strerror or error,
            ),
            file=sys.stderr,
        )
        sys.exit(ExitStatus.ERROR)
    sys.exit(status if isinstance(status, int) else ExitStatus.WELL)


def _forget_output() -> None:
    """Let what was not written go, also what the interpreter would write when it ends."""
    with contextlib.suppress(OSError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
