"""What is counted over a whole take once, whoever looks at it and wherever: frozen, and fit for handing over."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from opossum.stream.tables import Array
from opossum.take.take import Take


class Counts(NamedTuple):
    """`frame_lengths` (frames,): ns of work in each frame; `frozen_rows`: rows of the frames that froze."""

    frame_lengths: Array
    frozen_rows: Array

    def as_values(self) -> dict[str, Any]:
        """Return them for `Counts(**values)` in another process."""
        return self._asdict()


def count(take: Take) -> Counts:
    """Return the counts of a take. Linear in its frames and calls."""
    # loaded where it is counted: in the process that opens a take, while the desk's own loads Qt
    from opossum.findings.freeze.frozen import frozen
    from opossum.findings.scene import Scene

    rows, lengths = frozen(Scene(take))
    return Counts(lengths, np.array(rows, np.int64))
