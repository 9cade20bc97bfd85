"""Writing sentences: names as they stand in one, and rules added to a file."""

from __future__ import annotations

import os
import re

from opossum.rules.files import LARGEST_FILE, RuleFileError
from opossum.rules.parsing import reserved_words
from opossum.whole_file import whole_file

_PLAIN = re.compile(r"[^\W\d][\w.#/-]*")


def written(name: str) -> str:
    """Return a name as it stands in a sentence: in back-ticks where it is odd or a word of the language."""
    odd = not _PLAIN.fullmatch(name) or name in reserved_words()
    return f"`{name.replace('`', '')}`" if odd else name


def add_rule(path: str | os.PathLike[str], sentence: str) -> None:
    """Write a sentence at the end of a rule file, which is made if need be; the rest stays as it is.

    Raises:
        RuleFileError: what is there is no rule file, or would be too large.
        OSError: it cannot be written.
    """
    try:
        with open(path, encoding="utf-8") as file:
            before = file.read(LARGEST_FILE + 1)
    except FileNotFoundError:
        before = "# What must hold, one sentence a line.\n"
    except UnicodeDecodeError:
        raise RuleFileError(f"{path}: is no text in UTF-8; save it as such") from None
    if len(before) + len(sentence) > LARGEST_FILE:
        raise RuleFileError(f"{path}: too large; a rule file may have {LARGEST_FILE:,} bytes")
    if before and not before.endswith("\n"):
        before += "\n"
    with whole_file(path) as whole:
        whole.write(f"{before}{' '.join(sentence.split())}\n".encode())
