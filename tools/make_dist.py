"""Make the wheels and source archives of Opossum and of its recorder, the same bytes each time.

Every file in them bears the time of the last change (SOURCE_DATE_EPOCH, https://reproducible-builds.org/specs/source-date-epoch/),
and the recorder's compiled half knows nothing of the folder it was built in.
"""

from __future__ import annotations

import gzip
import os
import shutil
import subprocess
import sys
import tarfile
import tempfile
from pathlib import Path

ROOT = Path(__file__).parent.parent
EARLIEST = 315_532_800
"""1980-01-01: no member of a ZIP archive can be older."""


def last_change() -> int:
    """Return when the tree was last changed, in seconds since 1970: as the environment says, else git, else its files."""
    if given := os.environ.get("SOURCE_DATE_EPOCH"):
        return int(given)
    git = subprocess.run(["git", "log", "-1", "--format=%ct"], cwd=ROOT, capture_output=True, text=True)
    if git.returncode == 0 and git.stdout.strip():
        return int(git.stdout)
    return max(EARLIEST, int((ROOT / "pyproject.toml").stat().st_mtime))


def build(source: Path, target: Path, when: int, *, wheel_only: bool = False) -> None:
    """Build a distribution's wheel, and its source archive, from a clean copy of its tree.

    Raises:
        subprocess.CalledProcessError: it cannot be built.
    """
    with tempfile.TemporaryDirectory(prefix="opossum-dist-") as folder:
        copy = Path(folder) / "source"
        ignored = shutil.ignore_patterns(
            ".*", "build", "dist", "*.egg-info", "__pycache__", "*.so", "mutants", "*.part.flow.jsonl"
        )
        shutil.copytree(source, copy, ignore=ignored)
        environment = os.environ | {
            "SOURCE_DATE_EPOCH": str(when),
            "CFLAGS": f"{os.environ.get('CFLAGS', '')} -g0 -ffile-prefix-map={copy}=.".strip(),
            "PYTHONHASHSEED": "0",
        }
        command = [sys.executable, "-m", "build", "--no-isolation", "--outdir", str(target), str(copy)]
        command += ["--wheel"] if wheel_only else []
        subprocess.run(command, check=True, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
    for archive in target.glob("*.tar.gz"):
        settle(archive, when)


def settle(archive: Path, when: int) -> None:
    """Give every member of a source archive the same time, owner and place, and the archive no time of its own."""
    with tarfile.open(archive) as opened, tempfile.TemporaryDirectory() as folder:
        settled = Path(folder) / archive.name
        with (
            settled.open("wb") as plain,
            gzip.GzipFile("", "wb", 9, plain, mtime=when) as packed,
            tarfile.open(fileobj=packed, mode="w", format=tarfile.PAX_FORMAT) as written,
        ):
            for member in sorted(opened.getmembers(), key=lambda member: member.name):
                content = opened.extractfile(member) if member.isfile() else None
                member.mtime, member.uid, member.gid, member.uname, member.gname = when, 0, 0, "", ""
                member.pax_headers = {}
                written.addfile(member, content)
        shutil.copyfile(settled, archive)


def main() -> int:
    """Build both distributions into the folder that is named, `dist` by default; with `--wheels`, no source archives."""
    named = [argument for argument in sys.argv[1:] if argument != "--wheels"]
    target = Path(named[0] if named else ROOT / "dist").absolute()
    target.mkdir(parents=True, exist_ok=True)
    when = last_change()
    try:
        for source in (ROOT / "recorder", ROOT):
            build(source, target, when, wheel_only="--wheels" in sys.argv)
    except subprocess.CalledProcessError as error:
        print(error.stderr.decode(errors="replace"), file=sys.stderr)
        return 1
    for path in sorted(target.iterdir()):
        print(f"{path.name}  {path.stat().st_size:,} bytes")
    return 0


if __name__ == "__main__":
    sys.exit(main())
