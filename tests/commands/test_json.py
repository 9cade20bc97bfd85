"""What commands print as JSON is what the schema says: no key more, none less."""

import copy
import json

import pytest
from jsonschema import Draft202012Validator

from moonrise_bakery import demo_take_path
from opossum.findings.baseline import write_baseline
from opossum.findings.examine import examine
from opossum_desk.state.marks_file import Mark, write_marks
from tape import Tape

RULES = "every send of bread_ready is heard\nnever more than 1 timer steam at once for each owner\n"


@pytest.fixture
def validator(run):
    """Return what checks by the schema that the command prints."""
    schema = json.loads(run("schema").out)
    Draft202012Validator.check_schema(schema)
    return Draft202012Validator(schema)


@pytest.fixture
def files(tmp_path, night):
    """Return a rule file, a healthy stream and a damaged one of two peers."""
    from opossum.take.archive import save_take

    save_take(night(), tmp_path / "healthy.take")
    (tmp_path / "bakery.rules").write_text(RULES)
    tape = Tape().frame().frame()
    tape.heard("bell", tape.bind("bell", "oven#1", "Oven.on_bell"))
    (tmp_path / "torn.flow.jsonl").write_bytes(tape.bytes() + b"{nothing\n")
    return tmp_path


@pytest.mark.parametrize(
    ("command", "format_"),
    [
        ("findings DEMO", "opossum-findings"),
        ("findings TORN", "opossum-findings"),
        ("info DEMO", "opossum-info"),
        ("info TORN", "opossum-info"),
        ("check-stream DEMO", "opossum-damage"),
        ("check-stream TORN", "opossum-damage"),
        ("check DEMO --rules RULES", "opossum-check"),
        ("compare HEALTHY DEMO", "opossum-compare"),
        ("compare DEMO HEALTHY", "opossum-compare"),
        ("compare TORN TORN", "opossum-compare"),
        ("rehearse DEMO double-fire/bound-twice", "opossum-rehearsal"),
    ],
)
def test_json_is_what_the_schema_says(run, validator, files, command, format_):
    """Of full takes, of one with damage, of two that are alike and two that are not."""
    places = {
        "DEMO": demo_take_path(),
        "TORN": files / "torn.flow.jsonl",
        "HEALTHY": files / "healthy.take",
        "RULES": files / "bakery.rules",
    }
    said = run(*[places.get(word, word) for word in command.split()], "--json")
    told = said.json
    assert (told["format"], told["version"]) == (format_, 1)
    assert [error.message for error in validator.iter_errors(told)] == []


def test_files_are_what_the_schema_says(validator, night, tmp_path):
    """Baselines and marks."""
    write_baseline(tmp_path / "known.json", examine(night("bound-twice")))
    write_marks(tmp_path / "marks.json", [Mark("main", 3, "here"), Mark("main", -1)])
    for name in ("known.json", "marks.json"):
        told = json.loads((tmp_path / name).read_text())
        assert [error.message for error in validator.iter_errors(told)] == []


def test_the_schema_refuses_what_it_does_not_tell_of(run, validator, files):
    """A key more, a key less, and a value of another kind, anywhere in it."""
    told = run("findings", demo_take_path(), "--json").json
    assert validator.is_valid(told)
    for change in (
        lambda it: it.update(more=1),
        lambda it: it.pop("uncounted"),
        lambda it: it.update(version=2),
        lambda it: it["take"].update(records=-1),
        lambda it: it["findings"][0].update(severity="bad"),
        lambda it: it["findings"][0].pop("advice"),
        lambda it: it["findings"][0]["subject"].update(who="me"),
        lambda it: it["findings"][0]["evidence"][0].update(line="seven"),
    ):
        other = copy.deepcopy(told)
        change(other)
        assert not validator.is_valid(other)
