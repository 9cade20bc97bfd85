"""`opossum`: the desk by default, and commands for scripts."""

from __future__ import annotations

import contextlib
import os
import sys
from collections.abc import Sequence

import click

from opossum import __version__
from opossum_commands.check_stream import check_stream
from opossum_commands.convert import convert
from opossum_commands.demo import demo
from opossum_commands.desk import open_desk
from opossum_commands.findings import findings
from opossum_commands.header import header
from opossum_commands.info import info
from opossum_commands.listen import listen
from opossum_commands.record import record

EXIT_ERROR = 2


class _DeskByDefault(click.Group):
    """Takes `opossum`, and `opossum TAKE`, to mean the desk."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Put `desk` before what is no command's name."""
        if not args or (args[0] not in self.commands and not args[0].startswith("-")):
            args = ["desk", *args]
        return super().parse_args(ctx, args)


@click.group(
    cls=_DeskByDefault,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
    epilog='Shell completion: put  eval "$(_OPOSSUM_COMPLETE=bash_source opossum)"  into ~/.bashrc (zsh, fish alike).',
)
@click.version_option(__version__, prog_name="opossum", message="%(prog)s %(version)s")
def cli() -> None:
    """See in what order a game's events really ran, and what fires twice, listens past its life,
    polls for nothing, or froze.

    \b
    opossum                    open the desk
    opossum night.take         open the desk on a take or stream
    opossum findings night.take    print what is wrong, without a window
    """


cli.add_command(open_desk)
cli.add_command(demo)
cli.add_command(findings)
cli.add_command(convert)
cli.add_command(check_stream)
cli.add_command(info)
cli.add_command(listen)
cli.add_command(record)
cli.add_command(header)


def main(arguments: Sequence[str] | None = None) -> None:
    """Run the command line; errors are one sentence on standard error and exit status 2."""
    try:
        status = cli.main(
            args=list(arguments) if arguments is not None else None, prog_name="opossum", standalone_mode=False
        )
    except click.ClickException as error:
        message = " ".join(error.format_message().split())
        usage = isinstance(error, click.UsageError) and error.ctx is not None
        hint = f" See `{error.ctx.command_path} --help`." if usage else ""  # type: ignore[attr-defined]
        print(f"opossum: {message}{hint}", file=sys.stderr)
        sys.exit(EXIT_ERROR)
    except (click.Abort, KeyboardInterrupt):
        print("opossum: stopped.", file=sys.stderr)
        sys.exit(130)
    except BrokenPipeError:
        # whoever read our output has seen enough
        with contextlib.suppress(OSError):
            os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)
    sys.exit(status if isinstance(status, int) else 0)
