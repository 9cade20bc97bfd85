"""Look for the system libraries that Qt needs; install what is missing when root, else say the one line that does.

Standard library only: it runs before anything is installed.  `--screen` also asks for what a window on a real
screen needs, `--tests` for that and for the programs that tests run: game engines, shells, the desktop's validators;
without those, some tests are skipped.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "src"))

from opossum_desk.screen import ALWAYS, SCREEN, missing

TESTED_WITH = {
    "love": "love",
    "godot3-server": "godot3-server",
    "zsh": "zsh",
    "fish": "fish",
    "desktop-file-validate": "desktop-file-utils",
    "appstreamcli": "appstream",
    "update-mime-database": "shared-mime-info",
    "mandoc": "mandoc",
}
"""Programs on which, or by which, things are tested; without one its tests are skipped."""
FONTS = "fonts-dejavu-core"


def has_fonts() -> bool:
    """Say whether there is any font to write with."""
    folders = ("/usr/share/fonts", "/usr/local/share/fonts", os.path.expanduser("~/.local/share/fonts"))
    return any(
        name.endswith((".ttf", ".otf", ".ttc"))
        for folder in folders
        for _, _, names in os.walk(folder)
        for name in names
    )


def install(packages: list[str]) -> bool:
    """Install Debian packages if we may; say whether they are there now."""
    if os.geteuid() != 0 or not shutil.which("apt-get"):
        return False
    print(f"Installing Debian packages: {' '.join(packages)}")
    environment = os.environ | {"DEBIAN_FRONTEND": "noninteractive"}
    subprocess.run(["apt-get", "update", "-qq"], check=False, env=environment)
    command = ["apt-get", "install", "-y", "-qq", "--no-install-recommends", *packages]
    return subprocess.run(command, stdout=subprocess.DEVNULL, env=environment).returncode == 0


def main() -> int:
    """Check, and mend if we may."""
    wanted = ALWAYS | (SCREEN if "--screen" in sys.argv else {})
    packages = [*missing(wanted).values()] + ([] if has_fonts() else [FONTS])
    tested = [package for program, package in TESTED_WITH.items() if shutil.which(program) is None]
    tested += missing(SCREEN).values()
    if "--tests" in sys.argv and tested and not install(tested):
        print(f"Some tests are skipped; to run them:  sudo apt-get install -y {' '.join(tested)}")
    if not packages:
        return 0
    if install(packages):
        return 0
    print(
        "Opossum needs system libraries that are missing here. Install them with:\n\n"
        f"    sudo apt-get install -y {' '.join(packages)}\n",
        file=sys.stderr,
    )
    return 1


if __name__ == "__main__":
    sys.exit(main())
