"""What pyproject.toml cannot say: the page an index shows is the README with links that lead to the project."""

import re
import tomllib
from pathlib import Path

from setuptools import setup

HERE = Path(__file__).parent
BASE = tomllib.loads((HERE / "pyproject.toml").read_text(encoding="utf-8"))["project"]["urls"]["Source"]


def with_whole_links(text: str) -> str:
    """Return Markdown in which links and pictures that lead into the tree lead to it from anywhere."""
    return re.sub(r"(\]\()(?!https?:|#)([^)\s]+)\)", rf"\1{BASE}/\2)", text)


setup(
    long_description=with_whole_links((HERE / "README.md").read_text(encoding="utf-8")),
    long_description_content_type="text/markdown",
)
