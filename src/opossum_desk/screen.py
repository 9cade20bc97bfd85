"""Why no window can be opened here, in a sentence: system libraries that are missing, a display that does not answer.

Standard library only: it is asked where Qt cannot be loaded, and before anything is installed.
"""

from __future__ import annotations

import ctypes
import os
import shutil

from opossum.words import tr

ALWAYS = {
    "libEGL.so.1": "libegl1",
    "libGL.so.1": "libgl1",
    "libxkbcommon.so.0": "libxkbcommon0",
    "libdbus-1.so.3": "libdbus-1-3",
    "libfontconfig.so.1": "libfontconfig1",
    "libglib-2.0.so.0": "libglib2.0-0",
}
"""Libraries that Qt loads wherever it runs, with the Debian package of each."""
SCREEN = {
    "libxcb-cursor.so.0": "libxcb-cursor0",
    "libxcb-icccm.so.4": "libxcb-icccm4",
    "libxcb-image.so.0": "libxcb-image0",
    "libxcb-keysyms.so.1": "libxcb-keysyms1",
    "libxcb-render-util.so.0": "libxcb-render-util0",
    "libxcb-shape.so.0": "libxcb-shape0",
    "libxcb-xkb.so.1": "libxcb-xkb1",
    "libxkbcommon-x11.so.0": "libxkbcommon-x11-0",
}
"""Libraries that it loads for a window on an X display."""


def missing(wanted: dict[str, str]) -> dict[str, str]:
    """Return those libraries that cannot be loaded, with their Debian packages."""
    absent = {}
    for library, package in wanted.items():
        try:
            ctypes.CDLL(library)
        except OSError:
            absent[library] = package
    return absent


def install_line(absent: dict[str, str]) -> str:
    """Return the command that installs what is missing, or what to install where packages have other names."""
    if shutil.which("apt-get"):
        return tr("install them with:  sudo apt-get install -y {values}", values=" ".join(absent.values()))
    return tr("install the packages that hold {absent}", absent=", ".join(absent))


def why_no_window() -> str:
    """Return one sentence without its full stop on what keeps Qt from opening a window here, and what to do."""
    wayland, display = os.environ.get("WAYLAND_DISPLAY", ""), os.environ.get("DISPLAY", "")
    platform = os.environ.get("QT_QPA_PLATFORM", "")
    absent = missing(ALWAYS | (SCREEN if display or platform.startswith("xcb") else {}))
    if absent:
        return tr("Qt needs system libraries that are missing here; {install_line}", install_line=install_line(absent))
    if platform and not platform.startswith(("xcb", "wayland")):
        return tr("QT_QPA_PLATFORM is `{platform}`, of which Qt can make no window here; unset it", platform=platform)
    asked = [f"{name}={value}" for name, value in (("WAYLAND_DISPLAY", wayland), ("DISPLAY", display)) if value]
    if not asked:
        return tr(
            "there is no screen here (neither DISPLAY nor WAYLAND_DISPLAY is set); `opossum findings` works without one"
        )
    return tr(
        "no screen answers at {asked}; see that it runs and that you may use it (`opossum findings` works without one)",
        asked=" or ".join(asked),
    )
