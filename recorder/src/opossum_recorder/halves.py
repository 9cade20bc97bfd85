"""Which inner half the recorder has: the one in C where it was built for this interpreter, else the one in Python.

OPOSSUM_PURE in the environment asks for the one in Python.
"""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from opossum_recorder.inner import Call, Inner, Sample
else:
    try:
        if os.environ.get("OPOSSUM_PURE"):
            raise ImportError
        from opossum_recorder._inner import Call, Inner, Sample
    except ImportError:
        from opossum_recorder.inner import Call, Inner, Sample

__all__ = ["Call", "Inner", "Sample"]
