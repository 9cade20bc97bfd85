"""The core: reads event-flow streams, holds takes, finds faults.

`stream` decodes what a game recorded, `take` keeps it in columns with the indexes everything else
needs, `findings` examines a take.  Imports point that way round only, and nothing here imports
interface code: whatever a window shows, a script can compute.

    import opossum

    take = opossum.open_take("night.take")
    take.findings()             # what is wrong, worst first
    take.tables["call"]         # what was recorded, as Arrow tables
"""

from typing import TYPE_CHECKING, Any

from opossum.version import __version__

if TYPE_CHECKING:
    from opossum.scripting import OpenTake, findings_table, open_take

__all__ = ["OpenTake", "__version__", "findings_table", "open_take"]


def __getattr__(name: str) -> Any:
    """Load what scripts use when they first ask for it: the desk and the commands take what they need themselves."""
    if name not in __all__:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    from importlib import import_module

    return getattr(import_module("opossum.scripting"), name)


def __dir__() -> list[str]:
    return sorted({*globals(), *__all__})
