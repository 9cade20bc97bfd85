"""A take as a folder of tables: Parquet for data frames and databases, CSV for everything else."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from opossum.export.tables import plain_tables
from opossum.export.whole_folder import whole_folder
from opossum.take.take import Take

if TYPE_CHECKING:
    import pyarrow as pa


def write_parquet(take: Take, path: str | os.PathLike[str]) -> int:
    """Write a folder with a Parquet file a table; return how many.

    Raises:
        OSError: it cannot be written; what was there before is untouched.
    """
    from pyarrow import parquet

    return _write(take, path, ".parquet", lambda table, file: parquet.write_table(table, file, compression="zstd"))


def write_csv(take: Take, path: str | os.PathLike[str]) -> int:
    """Write a folder with a CSV file a table, in UTF-8 with a line of names; return how many.

    Raises:
        OSError: it cannot be written; what was there before is untouched.
    """
    from pyarrow import csv

    return _write(take, path, ".csv", lambda table, file: csv.write_csv(table, file))


def _write(take: Take, path: str | os.PathLike[str], suffix: str, write: Callable[[pa.Table, Path], None]) -> int:
    tables = plain_tables(take)
    with whole_folder(path) as folder:
        for name, table in tables.items():
            write(table, folder / f"{name}{suffix}")
    return len(tables)
