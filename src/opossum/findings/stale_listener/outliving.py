"""What the causes share: which binds outlive whom, and how what outlives is told."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from opossum.findings.finding import Evidence, Subject
from opossum.findings.scene import Scene
from opossum.stream.strings import UNNAMED
from opossum.stream.tables import Array
from opossum.take.grouping import distinct, parted
from opossum.take.indexes.objects import NEVER
from opossum.words import tr


def frames_of_lines(scene: Scene, lines: Array) -> Array:
    """Return the frame rows of lines, one for each bind (binds,); lines that never come get -2."""
    peers = np.asarray(scene.take.tables["bind"]["p"])
    known = lines != NEVER
    frames = np.full(len(lines), -2, np.int64)
    frames[known] = scene.take.frames.rows_of_lines(peers[known], lines[known])
    return frames


def outlives(scene: Scene, gone_line: Array) -> Array:
    """Return a boolean array (binds,): still bound when that `gone` came, and not unbound in its frame."""
    unbind_line = scene.take.binds.unbind_line
    gone_frame, unbind_frame = frames_of_lines(scene, gone_line), frames_of_lines(scene, unbind_line)
    return (gone_line != NEVER) & (unbind_line > gone_line) & (unbind_frame != gone_frame)


def ends_with_take(scene: Scene, gone_line: Array) -> Array:
    """Return a boolean array (binds,): that `gone` fell in its peer's last frame, so the unbind may be missing."""
    take = scene.take
    last = np.asarray(take.frames.peer_starts[1:], np.int64) - 1
    return frames_of_lines(scene, gone_line) == last[np.asarray(take.tables["bind"]["p"], np.int64)]


def by_class(scene: Scene, binds: Array) -> Iterable[Array]:
    """Yield binds (rows) split by (peer, owner's class, function, event)."""
    table = scene.take.tables["bind"]
    if len(binds):
        classes = scene.class_of_object[np.asarray(table["o"])[binds]]
        for part in parted(np.asarray(table["p"])[binds], classes, table["fn"][binds], table["ev"][binds]):
            yield binds[part]


def names_of(scene: Scene, binds: Array, field: str) -> list[str]:
    """Return the names of the binds' owners (`o`) or only senders (`src`), each once."""
    names = np.asarray(scene.take.tables["bind"][field])[binds]
    return [scene.take.text(code) or UNNAMED for code in distinct(names).tolist()]


def subject_of_binds(scene: Scene, binds: Array) -> Subject:
    """Return the subject shared by binds of one class and function: the owner too, if it is but one."""
    take, table = scene.take, scene.take.tables["bind"]
    row = int(binds[0])
    owners = distinct(np.asarray(table["o"])[binds])
    return Subject(
        ev=take.text(int(table["ev"][row])),
        o=take.text(int(owners[0])) if len(owners) == 1 else "",
        cls=take.class_of(int(owners[0])),
        fn=take.text(int(table["fn"][row])),
        peer=scene.peer_name(int(table["p"][row])),
        at=take.text(int(table["at"][row])),
    )


def gone_evidence(scene: Scene, gone_lines: Array, note: str, most: int = 3) -> list[Evidence]:
    """Return the first `gone` records that stand in these lines."""
    lines = np.asarray(scene.take.tables["gone"]["line"], np.int64)
    wanted = distinct(gone_lines[gone_lines != NEVER])[:most]
    rows = np.minimum(np.searchsorted(lines, wanted), max(0, len(lines) - 1))
    return scene.evidence("gone", rows[lines[rows] == wanted].tolist() if len(lines) else [], note)


def pile_up(scene: Scene, objects: int) -> str:
    """Say how fast leftovers pile up, where there are several."""
    if objects < 2:
        return ""
    return tr("; {objects:.1f} more pile up a minute", objects=objects * 60e9 / scene.played_ns)
