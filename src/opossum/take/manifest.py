"""What a `.take` file says of itself: its members, and the manifest among them, checked before anything else is read."""

from __future__ import annotations

import os
import zipfile

import msgspec

from opossum.stream.contents import PeerSpan
from opossum.stream.damage import Damage
from opossum.stream.kinds import KINDS
from opossum.stream.limits import LINE, MOST_PEERS, MOST_RECORDS, SHIFT, TIME, Limits
from opossum.take.take_error import TakeError, short_reason
from opossum.words import tr

FORMAT = "opossum-take"
FORMAT_VERSION = 1
MANIFEST = "manifest.json"
STRINGS = "strings.arrow"

LARGEST_MANIFEST = 64 << 20
LARGEST_MEMBER = 16 << 30
"""Bounds on what a hostile file can make us hold (10 million records take about 0.4 GB)."""

ENCRYPTED = 1
"""The bit of a ZIP member's flags that says so."""
COUNTED = Limits(0, 2**63 - 1)
"""How often damage was met: what `lost` records tell of is added up."""


class TableEntry(msgspec.Struct):
    """What is said of one table: its rows, and the columns that hold one value throughout."""

    rows: int
    constants: dict[str, int | float] = {}


class Manifest(msgspec.Struct):
    """All that `manifest.json` says."""

    format: str
    version: int
    name: str = "take"
    game: str = ""
    peers: list[PeerSpan] = []
    sources: list[tuple[str, int]] = []
    damage: list[Damage] = []
    tables: dict[str, TableEntry] = {}


def sizes_of_members(archive: zipfile.ZipFile, path: str) -> dict[str, int]:
    """Return each member's bytes by name.

    Raises:
        TakeError: a member is none of a take's, is there twice, or is not stored as a take's are.
    """
    expected = {MANIFEST, STRINGS} | {f"tables/{kind}.arrow" for kind in KINDS}
    whole = os.path.getsize(path)
    sizes: dict[str, int] = {}
    for info in archive.infolist():
        name = info.filename[:80]
        if info.filename not in expected:
            raise TakeError(path, tr("the file holds `{name}`, which no take has; it was not opened", name=name))
        if info.filename in sizes:
            raise TakeError(path, tr("the file holds `{name}` twice; it was not opened", name=name))
        if info.file_size > LARGEST_MEMBER or info.compress_type != zipfile.ZIP_STORED or info.flag_bits & ENCRYPTED:
            raise TakeError(
                path, tr("`{name}` in it is packed, locked or sized as no take's is; it was not opened", name=name)
            )
        if info.file_size > whole:
            raise TakeError(path, tr("`{name}` in it says it is larger than the file; it was not opened", name=name))
        sizes[info.filename] = info.file_size
    if MANIFEST not in sizes or STRINGS not in sizes:
        raise TakeError(
            path, tr("this is a ZIP file but not a take (it has no manifest); give a .take or .flow.jsonl file")
        )
    if sizes[MANIFEST] > LARGEST_MANIFEST:
        raise TakeError(path, tr("its manifest is larger than any take's; it was not opened"))
    return sizes


def read_manifest(archive: zipfile.ZipFile, path: str) -> Manifest:
    """Return what a take says of itself.

    Raises:
        TakeError: it is no take's, or says what cannot be true.
    """
    try:
        manifest = msgspec.json.decode(archive.read(MANIFEST), type=Manifest)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise TakeError(path, tr("its manifest is not a take's ({why})", why=short_reason(error))) from None
    if manifest.format != FORMAT:
        raise TakeError(
            path,
            tr(
                "its manifest says `{format}`, not `{format2}`; it was not opened",
                format=manifest.format[:40],
                format2=FORMAT,
            ),
        )
    if manifest.version > FORMAT_VERSION:
        raise TakeError(
            path,
            tr(
                "it was saved by a newer Opossum (format {version}); update Opossum to open it",
                version=manifest.version,
            ),
        )
    if len(manifest.peers) > MOST_PEERS:
        raise TakeError(
            path,
            tr(
                "it says it has {peers:,} peers, more than {most_peers:,}; it was not opened",
                peers=len(manifest.peers),
                most_peers=MOST_PEERS,
            ),
        )
    if sum(max(0, entry.rows) for entry in manifest.tables.values()) > MOST_RECORDS:
        raise TakeError(
            path, tr("it says it has more than {most_records:,} records; it was not opened", most_records=MOST_RECORDS)
        )
    if not _is_within_limits(manifest):
        raise TakeError(path, tr("its manifest holds numbers that no take has; it was not opened"))
    return manifest


def _is_within_limits(manifest: Manifest) -> bool:
    """Say whether every number of a manifest, tables aside, is one that reading a stream could have made."""
    records = Limits(0, MOST_RECORDS)
    return (
        all(
            TIME.hold(span.first_t)
            and TIME.hold(span.last_t)
            and LINE.hold(span.first_line)
            and LINE.hold(span.last_line)
            and records.hold(span.records)
            and SHIFT.hold(span.shift_ns)
            and Limits(-1, SHIFT.greatest).hold(span.shift_error_ns)
            for span in manifest.peers
        )
        and all(LINE.hold(line) for _, line in manifest.sources)
        and all(COUNTED.hold(item.count) and all(map(LINE.hold, item.lines)) for item in manifest.damage)
    )
