"""Make a Debian package of the tree: `dist/opossum_VERSION_ARCHITECTURE.deb`, looked through by lintian where it is installed.

What Debian lacks (PySide6, pyarrow, msgspec) or has in too old a version comes along as wheels, of which the package makes an
environment of its own when it is installed; nothing is downloaded then. Files for the desktop are those of `opossum integrate`.
"""

from __future__ import annotations

import email.utils
import gzip
import hashlib
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from make_dist import ROOT, last_change
from make_dist import build as build_distribution

from opossum.version import __version__
from opossum_desk.screen import ALWAYS, SCREEN

TEMPLATES = Path(__file__).parent / "debian"
REVISION = 1


class PackageError(Exception):
    """The package cannot be made; the message says why and what to do."""


def wheels(folder: Path, when: int) -> None:
    """Put Opossum's wheels into a folder, and those of all that they need.

    Raises:
        PackageError: Debian's Python is of another version than the one this runs under; or something cannot be had.
    """
    debians = subprocess.run(
        ["/usr/bin/python3", "-c", "import sys; print('%d.%d' % sys.version_info[:2])"], capture_output=True, text=True
    ).stdout.strip()
    ours = f"{sys.version_info.major}.{sys.version_info.minor}"
    if debians != ours:
        raise PackageError(
            f"Debian's python3 here is {debians or 'not there'}, and this is {ours}; "
            "run: make clean, then make PYTHON=/usr/bin/python3 deb"
        )
    with tempfile.TemporaryDirectory() as built:
        for source in (ROOT / "recorder", ROOT):
            build_distribution(source, Path(built), when, wheel_only=True)
        for wheel in Path(built).glob("*.whl"):
            shutil.copy(wheel, folder)
    command = [sys.executable, "-m", "pip", "download", "--quiet", "--disable-pip-version-check", "--only-binary=:all:"]
    # the wheels themselves are named: what an index calls `opossum` need not be this
    own = sorted(str(wheel) for wheel in folder.glob("*.whl"))
    ended = subprocess.run([*command, "--dest", folder, *own], stderr=subprocess.PIPE, text=True)
    if ended.returncode:
        raise PackageError(f"wheels of what Opossum needs cannot be had: {ended.stderr.strip().splitlines()[-1]}")


def fill(tree: Path, when: int) -> None:
    """Put all files of the package into a tree, but for what tells of the package itself."""
    wheelhouse = tree / "usr/share/opossum/wheels"
    wheelhouse.mkdir(parents=True)
    wheels(wheelhouse, when)
    share = tree / "usr/share"
    command = [sys.executable, "-m", "opossum", "-q", "integrate", "--into", str(share), "--exec", "opossum"]
    subprocess.run(command, check=True)
    page = share / "man/man1/opossum.1"
    pack(page, page.read_bytes())
    page.unlink()
    (share / "zsh/site-functions").rename(share / "zsh/vendor-completions")
    (tree / "usr/bin").mkdir()
    shutil.copy(TEMPLATES / "opossum", tree / "usr/bin/opossum")
    documents = share / "doc/opossum"
    documents.mkdir(parents=True)
    shutil.copy(TEMPLATES / "copyright", documents)
    said = (TEMPLATES / "changelog").read_text()
    pack(
        documents / "changelog.Debian",
        said.format(version=f"{__version__}-{REVISION}", date=email.utils.formatdate(when)).encode(),
    )
    pack(documents / "changelog", (ROOT / "CHANGELOG.md").read_bytes())


def pack(path: Path, data: bytes) -> None:
    """Write a file compressed, with no time in it."""
    with path.with_name(f"{path.name}.gz").open("wb") as plain, gzip.GzipFile("", "wb", 9, plain, mtime=0) as packed:
        packed.write(data)


def tell(tree: Path, architecture: str) -> None:
    """Write what tells of the package: what it needs, what is done when it is installed, the sums of its files."""
    files = sorted(path for path in tree.rglob("*") if path.is_file())
    about = tree / "DEBIAN"
    about.mkdir()
    needed = ALWAYS | SCREEN
    control = (
        (TEMPLATES / "control")
        .read_text()
        .format(
            version=f"{__version__}-{REVISION}",
            architecture=architecture,
            size=sum(path.stat().st_size for path in files) // 1024,
            python=f"3.{sys.version_info.minor}~",
            next_python=f"3.{sys.version_info.minor + 1}",
            libraries=", ".join(needed.values()),
        )
    )
    (about / "control").write_text(control)
    sums = [f"{hashlib.md5(path.read_bytes()).hexdigest()}  {path.relative_to(tree)}\n" for path in files]
    (about / "md5sums").write_text("".join(sums))
    for script in ("postinst", "prerm"):
        shutil.copy(TEMPLATES / script, about)
    for path in tree.rglob("*"):
        runs = path.is_dir() or path.name in ("postinst", "prerm") or path.parent.name == "bin"
        path.chmod(0o755 if runs else 0o644)


def main() -> int:
    """Make it into the folder that is named, `dist` by default."""
    target = Path(sys.argv[1] if len(sys.argv) > 1 else ROOT / "dist").absolute()
    if shutil.which("dpkg-deb") is None:
        print("There is no dpkg-deb here: a Debian package is made on Debian, or on what comes of it.", file=sys.stderr)
        return 1
    when = last_change()
    target.mkdir(parents=True, exist_ok=True)
    architecture = subprocess.run(["dpkg", "--print-architecture"], capture_output=True, text=True).stdout.strip()
    package = target / f"opossum_{__version__}-{REVISION}_{architecture}.deb"
    with tempfile.TemporaryDirectory(prefix="opossum-deb-") as folder:
        tree = Path(folder) / "tree"
        tree.mkdir(mode=0o755)
        try:
            fill(tree, when)
        except PackageError as error:
            print(f"{error}.", file=sys.stderr)
            return 1
        tell(tree, architecture)
        # what is in it is compressed already
        command = ["dpkg-deb", "--root-owner-group", "-Zgzip", "-z1", "--build", str(tree), str(package)]
        subprocess.run(
            command, check=True, env=os.environ | {"SOURCE_DATE_EPOCH": str(when)}, stdout=subprocess.DEVNULL
        )
    print(f"{package}: {package.stat().st_size:,} bytes")
    if shutil.which("lintian") is None:
        print("lintian is not installed, so nothing has looked it through.")
        return 0
    return subprocess.run(["lintian", "--allow-root", "--fail-on", "error", str(package)]).returncode


if __name__ == "__main__":
    sys.exit(main())
