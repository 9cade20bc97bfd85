"""Qt's enumerations made quickly: the same, to the last attribute, as the standard library makes them."""

import enum
import json
import pickle
import subprocess
import sys
from pathlib import Path

import pytest

from opossum_desk import quick_enums

EVERY_ENUM = Path(__file__).parent / "every_enum_of_qt.py"
MEMBERS = (
    [("one", 1), ("two", 2), ("both", 3), ("again", 1)],
    [("four", 4), ("one", 1), ("none", 0)],
    [("minus", -1), ("two", 2)],
    [("yes", True), ("two", 2)],
    [("name", 1), ("value", 2)],
    [("real", 1)],
    [("_private", 1)],
    [("_sunder_", 1)],
    [("__dunder__", 1)],
    [("_generate_next_value_", 1)],
    [("text", "a"), ("pair", (1, 2))],
    [("same", 1), ("same", 1)],
    [("mro", 1)],
    [("", 1)],
    [(1, 1)],
    ["bare", "words"],
    "bare words",
    {"by": 1, "name": 2},
    [],
)


@pytest.fixture
def quickly():
    quick_enums.begin()
    yield
    quick_enums.end()


def every_enum(how):
    """Return what all enumerations of Qt hold, made in a process of its own."""
    done = subprocess.run([sys.executable, str(EVERY_ENUM), how], stdout=subprocess.PIPE, text=True, check=True)
    return json.loads(done.stdout)


@pytest.mark.skipif(sys.version_info[:2] not in quick_enums.PROVEN, reason="this Python makes them as it does")
def test_every_enumeration_of_qt_is_the_same():
    usual, quick = every_enum("usual"), every_enum("quickly")
    assert usual["kinds made quickly"] == [] and quick["kinds made quickly"] == ["Enum", "Flag", "IntEnum", "IntFlag"]
    assert len(usual["enumerations"]) > 400
    for one, other in zip(usual["enumerations"], quick["enumerations"], strict=True):
        assert one == other


@pytest.mark.parametrize("kind", [enum.Enum, enum.IntEnum, enum.Flag, enum.IntFlag])
@pytest.mark.parametrize("members", MEMBERS, ids=repr)
def test_odd_members_are_put_in_as_usual(quickly, kind, members):
    """Names that mean something to an enumeration, values that are no whole numbers, what is said twice, and nothing."""

    def tried():
        try:
            made = kind("Made", members, boundary=enum.KEEP)
        except Exception as error:
            return type(error), str(error)
        named = {name: (member._value_, type(member._value_)) for name, member in made.__members__.items()}
        return (
            named,
            list(made._value2member_map_),
            [member._name_ for member in made],
            made.__module__,
            sorted(vars(made)),
        )

    quick = tried()
    quick_enums.end()
    assert quick == tried()


def test_members_are_found_joined_and_pickled(quickly, monkeypatch):
    made = enum.IntFlag("Made", [("two", 2), ("one", 1), ("both", 3)], qualname="Made", boundary=enum.KEEP)
    inner = enum.Enum("Inner", [("one", 1)], qualname="Made.Inner", boundary=enum.KEEP)
    assert (inner.__name__, inner.__qualname__, inner.__module__) == ("Inner", "Made.Inner", __name__)
    assert made(1) is made.one and made["two"] is made.two and made.one | made.two is made.both
    assert list(made.both) == [made.two, made.one], "in the order in which they are declared"
    monkeypatch.setattr(sys.modules[__name__], "Made", made, raising=False)
    assert int(made(9)) == 9 and pickle.loads(pickle.dumps(made.two)) is made.two
    with pytest.raises(AttributeError, match="one"):
        made.one = 5


def test_kinds_of_ones_own_are_made_as_usual(quickly):
    class Loud(enum.Enum):
        def said(self):
            return self.name.upper()

    assert Loud("Made", [("one", 1)], boundary=enum.KEEP).one.said() == "ONE"
    assert enum.Enum("Made", [("one", "1")], type=str, boundary=enum.KEEP).one == "1"
    with pytest.raises(ValueError, match="invalid"):
        enum.Flag("Made", [("one", 1)], boundary=enum.STRICT)(8)
    assert Loud not in quick_enums._empty


def test_where_it_ends_and_in_another_python_the_standard_library_makes_them(quickly, monkeypatch):
    assert enum.EnumType._create_ == quick_enums._created
    quick_enums.end()
    assert enum.EnumType._create_ == quick_enums._as_usual
    monkeypatch.setattr(quick_enums, "PROVEN", ())
    quick_enums.begin()
    assert enum.EnumType._create_ == quick_enums._as_usual
