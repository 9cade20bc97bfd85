"""Loading Qt and NumPy with no more of them than a running desk needs.

Whenever PySide6 is imported, it compiles from their source the modules that word signatures, messages about wrong arguments and
type stubs: much of what a bare window needs to open.  Here each of them waits until something of it is asked for.
"""

from __future__ import annotations

import builtins
import sys
import threading
from importlib import import_module
from importlib.util import find_spec
from types import ModuleType
from typing import Any

NUMPY_MANUAL = ("numpy._core._add_newdocs", "numpy._core._add_newdocs_scalars")
"""What writes the manual of its compiled functions into NumPy. A version that has it elsewhere loads it as it would."""

NUMPY_TYPING = "numpy._typing"
"""What NumPy words signatures with; NumPy itself takes one name of it, for annotations that nobody reads."""

WAITING = frozenset(
    f"shibokensupport/signature/{name}.py"
    for name in ("errorhandler", "layout", "mapping", "parser", "lib/enum_sig", "lib/pyi_generator", "lib/tool")
)
"""The files that wait.  One that a version of PySide6 does not have, or compiles in another way, is loaded as it would be."""
READ_UNASKED = "update_mapping"
"""What PySide6's own C++ takes out of a module without asking the module for it."""

_compile = builtins.compile
_loading = threading.RLock()
_waiting: dict[str, Any] = {}
"""The sources of the files of which nothing was asked yet."""


def load_numpy() -> None:
    """Load NumPy without its manual and what it words signatures with, which nobody reads in a running desk."""
    for name in NUMPY_MANUAL:
        sys.modules.setdefault(name, ModuleType(name))
    wording = _typing_of_numpy()
    if sys.modules.setdefault(NUMPY_TYPING, wording) is wording:
        import numpy  # noqa: F401 - as all that follows would

        if sys.modules.get(NUMPY_TYPING) is wording:
            del sys.modules[NUMPY_TYPING]


def _typing_of_numpy() -> ModuleType:
    """Return what stands in for the package while NumPy is loaded; a version that takes more of it is given its own."""
    wording = ModuleType(NUMPY_TYPING)
    package = find_spec("numpy")

    def taken(name: str) -> Any:
        if name.startswith("__"):
            raise AttributeError(name)
        sys.modules.pop(NUMPY_TYPING, None)
        return getattr(import_module(NUMPY_TYPING), name)

    wording.__dict__.update(NDArray=list, __getattr__=taken)
    wording.__path__ = [f"{place}/_typing" for place in (package and package.submodule_search_locations) or ()]
    return wording


def load_qt() -> None:
    """Load Qt's widgets, and put Python's own import back.

    PySide6's reads the source of every module that is loaded after it, for features that nothing here asks for.
    """
    own = builtins.__import__
    builtins.compile = _compiled_or_waiting
    try:
        import PySide6.QtWidgets  # noqa: F401
    finally:
        builtins.compile = _compile
        builtins.__import__ = own


def _compiled_or_waiting(source: Any, filename: Any, *more: Any, **named: Any) -> Any:
    if filename not in WAITING:
        return _compile(source, filename, *more, **named)
    _waiting[filename] = source
    return _compile(f"import {__name__} as l; l.wait_to_be_asked({filename!r}, globals())", filename, *more, **named)


def wait_to_be_asked(filename: str, names: dict[str, Any]) -> None:
    """Have a module load what its file holds into its `names` as soon as one of them is asked for."""

    def asked(name: str) -> Any:
        if not name.startswith("__"):
            with _loading:
                source = _waiting.pop(filename, None)
                if source is not None:
                    del names[READ_UNASKED]  # the file's own takes its place, where it has one
                    exec(_compile(source, filename, "exec"), names)  # PySide6 runs it itself where nothing waits
        try:
            return names[name]
        except KeyError:
            raise AttributeError(f"module {names['__name__']!r} has no attribute {name!r}") from None

    names["__getattr__"] = asked
    names[READ_UNASKED] = lambda *arguments: asked(READ_UNASKED)(*arguments)
