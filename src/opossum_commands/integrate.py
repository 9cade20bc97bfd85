"""`opossum integrate`: the desktop learns of Opossum, or forgets it again."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import sys
from importlib import resources
from pathlib import Path
from typing import NamedTuple

import click

from opossum.whole_file import whole_file
from opossum_commands.reading import CommandError
from opossum_commands.terminal import remark

ICON_SIZES = (48, 128)
TAKE_ICON = "application-x-opossum-take"


class Kept(NamedTuple):
    """A file of the desktop's: where it lies below the folder for shared data, which file of ours it is."""

    place: str
    source: str


KIT = (
    Kept("applications/opossum.desktop", "opossum.desktop"),
    Kept("mime/packages/opossum.xml", "opossum.xml"),
    Kept("metainfo/example.opossum.desk.metainfo.xml", "example.opossum.desk.metainfo.xml"),
    Kept("man/man1/opossum.1", "opossum.1"),
    Kept("icons/hicolor/scalable/apps/opossum.svg", "icons/opossum.svg"),
    *(Kept(f"icons/hicolor/{size}x{size}/apps/opossum.png", f"icons/opossum-{size}.png") for size in ICON_SIZES),
    Kept(f"icons/hicolor/scalable/mimetypes/{TAKE_ICON}.svg", f"icons/{TAKE_ICON}.svg"),
)
COMPLETIONS = {
    "bash": "bash-completion/completions/opossum",
    "fish": "fish/vendor_completions.d/opossum.fish",
    "zsh": "zsh/site-functions/_opossum",
}
"""Where each shell looks for what completes a command's words."""
RENEWED_BY = (
    ("update-desktop-database", "applications"),
    ("update-mime-database", "mime"),
    ("gtk-update-icon-cache", "icons/hicolor"),
)
"""What has a desktop look again, and the folder it is told of."""


@click.command()
@click.option("--remove", is_flag=True, help="Take all of it away again.")
@click.option("--into", metavar="DIR", help="The folder for shared data (default: your own, ~/.local/share).")
@click.option("--exec", "command", metavar="COMMAND", help="What starts Opossum (default: this very one).")
def integrate(remove: bool, into: str | None, command: str | None) -> None:
    """Tell your desktop of Opossum: menu entry, icons, kinds of files, man page, shell completion.

    Takes and streams then open by a double click, and `man opossum` shows the manual. Nothing is written outside DIR.
    """
    folder = Path(into) if into is not None else _own_folder()
    try:
        if remove:
            _take_away(folder)
        else:
            _put(folder, command or _this_command())
        if into is None:
            _renew(folder)
        if remove:
            _clear_folders(folder)
    except OSError as error:
        raise CommandError(f"{error.filename or folder}: {error.strerror or error}.") from None
    remark(f"{folder}: {'all of Opossum is taken away' if remove else 'the desktop knows Opossum now'}.", error=False)


def _own_folder() -> Path:
    given = os.environ.get("XDG_DATA_HOME", "")
    return Path(given) if os.path.isabs(given) else Path.home() / ".local" / "share"


def _this_command() -> str:
    """Return what starts the Opossum that runs, as a desktop entry writes it."""
    called = shutil.which(sys.argv[0])
    if called is not None and Path(called).name == "opossum":
        return _quoted(os.path.abspath(called))
    return f"{_quoted(sys.executable)} -m opossum"


def _quoted(path: str) -> str:
    """Return a path as the entry of a desktop needs it (Desktop Entry Specification, "The Exec key")."""
    if all(letter.isalnum() or letter in "/._-+" for letter in path):
        return path
    for sign in ("\\", '"', "`", "$"):
        path = path.replace(sign, f"\\{sign}")
    return '"' + path.replace("\\", "\\\\").replace("%", "%%") + '"'


def _put(folder: Path, command: str) -> None:
    """Write all that the desktop is told.

    Raises:
        OSError: it cannot be written.
    """
    kit = resources.files("opossum_desk.desktop_kit")
    for place, source in KIT:
        data = kit.joinpath(source).read_bytes()
        if source.endswith(".desktop"):
            data = data.replace(b"Exec=opossum", f"Exec={command}".encode())
        _write(folder / place, data)
    for shell, place in COMPLETIONS.items():
        _write(folder / place, _completion(shell).encode())


def _completion(shell: str) -> str:
    from click.shell_completion import get_completion_class

    from opossum_commands.main import cli

    kind = get_completion_class(shell)
    assert kind is not None
    completion = kind(cli, {}, "opossum", "_OPOSSUM_COMPLETE")
    return completion.source_template % completion.source_vars()


def _write(path: Path, data: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    with whole_file(path) as file:
        file.write(data)


def _places() -> list[str]:
    return [*(kept.place for kept in KIT), *COMPLETIONS.values()]


def _take_away(folder: Path) -> None:
    """Remove what `_put` wrote.

    Raises:
        OSError: something cannot be removed.
    """
    for place in _places():
        (folder / place).unlink(missing_ok=True)


def _clear_folders(folder: Path) -> None:
    """Remove the folders that are empty without us; others keep theirs there too."""
    for place in _places():
        with contextlib.suppress(OSError):
            for parent in (folder / place).parents:
                if parent == folder:
                    break
                parent.rmdir()


def _renew(folder: Path) -> None:
    """Have the desktop look again, where it has the programs for it."""
    for program, place in RENEWED_BY:
        found = shutil.which(program)
        if found is not None and (folder / place).is_dir():
            subprocess.run(
                [found, str(folder / place)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=False
            )
