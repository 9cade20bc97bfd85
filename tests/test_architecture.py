"""The house rules that a diagram would let rot."""

from __future__ import annotations

import ast
import importlib
import re
import subprocess
import sys
import tomllib
from functools import cache
from pathlib import Path

import pytest

from opossum.stream.kinds import KINDS

ROOT = Path(__file__).parent.parent
TREES = (ROOT / "recorder" / "src", ROOT / "src")
SOURCES = sorted(path for tree in TREES for path in tree.rglob("*.py"))

BLOCKED = {
    "opossum": ["PySide6", "click", "opossum_desk", "opossum_commands", "opossum_recorder", "moonrise_bakery"],
    "opossum_recorder": ["numpy", "msgspec", "pyarrow", "PySide6", "click", "opossum"],
    "moonrise_bakery": ["numpy", "msgspec", "pyarrow", "PySide6", "click", "opossum", "opossum_desk"],
    "opossum_desk.state": ["PySide6", "click", "opossum_desk.views", "opossum_desk.layout"],
    "opossum_desk.layout": ["PySide6", "click", "opossum_desk.views"],
}


def modules_of(package: str) -> list[str]:
    """Return all modules of a package."""
    tree = next(tree for tree in TREES if (tree / package.partition(".")[0]).is_dir())
    folder = tree / package.replace(".", "/")
    return [
        ".".join(path.relative_to(tree).with_suffix("").parts).removesuffix(".__init__")
        for path in sorted(folder.rglob("*.py"))
        if path.name != "__main__.py"
    ]


@pytest.mark.parametrize("package", BLOCKED)
def test_a_package_works_with_the_forbidden_ones_blocked(package):
    """Every module imports although what it must not know cannot be imported."""
    code = (
        "import sys\n"
        f"blocked = {BLOCKED[package]!r}\n"
        "class Block:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if any(name == other or name.startswith(other + '.') for other in blocked):\n"
        "            raise ImportError(f'{name} is forbidden here')\n"
        "sys.meta_path.insert(0, Block())\n"
        "import importlib\n"
        f"for name in {modules_of(package)!r}: importlib.import_module(name)\n"
    )
    result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)

    assert result.returncode == 0, result.stderr


def test_the_recorder_can_be_copied_into_a_game(tmp_path):
    """Its folder alone is enough, without anything installed."""
    import shutil

    shutil.copytree(ROOT / "recorder" / "src" / "opossum_recorder", tmp_path / "opossum_recorder")
    code = "from opossum_recorder import Recorder\nr = Recorder('x.flow.jsonl', 'g')\nr.send('a')\nr.close()\nprint(r.lost)"
    result = subprocess.run(
        [sys.executable, "-I", "-S", "-c", f"import sys; sys.path.insert(0, '.')\n{code}"],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        timeout=60,
    )

    assert result.stdout == "0\n", result.stderr


@pytest.mark.parametrize("path", SOURCES, ids=lambda path: str(path.relative_to(ROOT)))
def test_modules_and_public_names_say_what_they_are(path):
    """Every module, public class and public function has a docstring."""
    tree = ast.parse(path.read_text())
    assert ast.get_docstring(tree), "the module says nothing of why it exists"
    for node in outer_definitions(tree):
        if not node.name.startswith("_") and not overrides_a_base(node):
            assert ast.get_docstring(node), f"{node.name} (line {node.lineno}) has no docstring"


def outer_definitions(tree: ast.Module) -> list[ast.FunctionDef | ast.ClassDef]:
    """Return the functions and classes of a module and the methods of its public classes, not what is nested in them."""
    found: list[ast.FunctionDef | ast.ClassDef] = []
    for node in tree.body:
        if isinstance(node, ast.FunctionDef | ast.ClassDef):
            found.append(node)
        if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
            found += [inner for inner in node.body if isinstance(inner, ast.FunctionDef)]
    return found


def overrides_a_base(node: ast.FunctionDef | ast.ClassDef) -> bool:
    """Say whether a method restates Qt's or our canvas's, whose text stands there."""
    return node.name.endswith("Event") or bool(re.match(r"[a-z]+[A-Z]", node.name)) or node.name in restated_names()


@cache
def restated_names() -> frozenset[str]:
    """Return the methods of our own bases, which say what theirs are for."""
    bases = ("weaving/weave.py", "views/canvas.py", "weaving/row_canvas.py", "weaving/gathered_weave.py")
    names = set()
    for base in bases:
        tree = ast.parse((ROOT / "src" / "opossum_desk" / base).read_text())
        names |= {node.name for node in outer_definitions(tree) if ast.get_docstring(node)}
    return frozenset(names)


def test_nothing_names_other_places():
    """No path of a machine it was made on, no private notes."""
    wrong = re.compile(r"/(?:work|tmp)/[a-z]|[.][.]/shared")
    for path in [
        *SOURCES,
        *(ROOT / "tests").rglob("*.py"),
        *(ROOT / "docs").glob("*.md"),
        ROOT / "README.md",
        ROOT / "Makefile",
    ]:
        if path != Path(__file__):
            assert not wrong.search(path.read_text()), path


def test_every_field_of_the_stream_is_documented():
    """docs/stream.md names each kind and field that the reader knows."""
    text = (ROOT / "docs" / "stream.md").read_text()
    for kind in KINDS.values():
        assert f"`{kind.name}`" in text
        for field in kind.fields:
            assert f"`{field.name}`" in text, f"{kind.name}.{field.name}"


def test_every_cause_and_threshold_is_documented():
    """docs/findings.md names each, with the default that it has."""
    from opossum.findings.catalogue import KINDS as FOUND
    from opossum.findings.catalogue import all_thresholds

    text = (ROOT / "docs" / "findings.md").read_text()
    for kind in FOUND:
        _, _, section = text.partition(f"\n## {kind.name} ")
        section = section.partition("\n## ")[0]
        for cause in kind.causes:
            said = f"### `{cause.name}` · {cause.severity.value}\n\n{cause.about}\n*Quiet:* {cause.quiet}\n"
            assert cause.about and cause.quiet and said in section, (
                f"{kind.name}/{cause.name}: run tools/write_findings.py"
            )
    told = re.findall(r"^\| `([a-z_]+)` \| ([^|]+) \| ([^|]+) \|$", text, re.MULTILINE)
    assert told == [(one.name, f"{one.default:g} {one.unit}", one.reason) for one in all_thresholds().values()]


def test_every_key_is_documented():
    """docs/keys.md is the table that F1 shows."""
    from opossum_desk.explaining import key_table

    text = (ROOT / "docs" / "keys.md").read_text()
    assert [tuple(line.strip("| ").split(" | ")) for line in text.splitlines()[6:]] == key_table()


def test_dependencies_each_have_their_reason():
    """docs/dependencies.md says in a line why each package is there."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    text = (ROOT / "docs" / "dependencies.md").read_text()
    optional = project["optional-dependencies"]
    for requirement in project["dependencies"] + optional["dev"] + optional["mutants"]:
        name = re.split(r"[<>=!~]", requirement)[0]
        assert f"**{name}**" in text, name


def test_what_was_said_of_mutants_is_said_of_code_that_stands():
    """Of each that was read, the lines that it changes are still there."""
    read = tomllib.loads((ROOT / "tools" / "mutants" / "read.toml").read_text())["read"]
    assert read
    for one in read:
        names = one["function"].split(".")
        paths = (ROOT / "src" / Path(*names[:end]).with_suffix(".py") for end in range(len(names), 1, -1))
        source = " ".join(next(path for path in paths if path.is_file()).read_text().split())
        assert " ".join(one["was"]) in source, one


def test_packages_import_without_a_screen():
    """Nothing opens a window on import."""
    for name in ("opossum", "opossum_desk", "opossum_commands", "opossum_recorder", "moonrise_bakery"):
        importlib.import_module(name)


def test_the_readme_counts_right():
    """It says how many kinds and causes there are."""
    from opossum.findings.catalogue import KINDS as FOUND

    counted = f"{len(FOUND)} kinds of faults with {sum(len(kind.causes) for kind in FOUND)} causes"
    assert counted in (ROOT / "README.md").read_text()


def test_every_cause_is_a_module_and_answers_a_symptom_of_the_start_page():
    """So it is found by who looks for it in the code, and by who looks for it in a game."""
    from opossum.findings.catalogue import KINDS as FOUND
    from opossum.findings.catalogue import answers
    from opossum.findings.symptoms import SYMPTOMS

    asked = {pair for symptom in SYMPTOMS for pair in answers(symptom)}
    modules = {}
    for kind in FOUND:
        for cause in kind.causes:
            assert (kind.name, cause.name) in asked, f"{kind.name}/{cause.name}"
            modules.setdefault(cause.find.__code__.co_filename, []).append(f"{kind.name}/{cause.name}")
    shared = {path: names for path, names in modules.items() if len(names) > 1}
    # what a frozen frame is told by is judged in one place, in the order of its causes
    assert all(all(name.startswith("freeze/") for name in names) for names in shared.values()), shared
