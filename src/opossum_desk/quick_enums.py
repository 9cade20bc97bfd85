"""Making Qt's enumerations quickly, while the desk starts.

PySide6 makes an `enum` class of every enumeration of each Qt class that is touched, hundreds with thousands of members until the
window stands.  It calls ``Enum(name, pairs)``, which looks at each member for all that one written by hand may be.  Members that
are nothing but names and whole numbers are put in here instead, into a copy of an empty class that the standard library itself
has made; what comes of it is the same to the last attribute (`tests/desk/test_quick_enums.py`).
"""

from __future__ import annotations

import enum
import sys
from typing import Any

PROVEN = ((3, 11), (3, 12), (3, 13))
"""The versions of Python whose own enumerations were compared with these; others make them as they do."""

_KINDS: tuple[type[enum.Enum], ...] = (enum.Enum, enum.IntEnum, enum.Flag, enum.IntFlag)
_NOT_COPIED = ("__dict__", "__weakref__", "__module__", "__qualname__")
_as_usual = enum.EnumType._create_  # type: ignore[attr-defined]
_names_taken: dict[type, frozenset[str]] = {}
"""By kind, the names that mean something to its classes: a member of such a name is put in by the standard library."""
_empty: dict[type, dict[str, Any]] = {}
"""By kind, what a class without members holds."""


def begin() -> None:
    """From now on make enumerations quickly, where this version of Python is known."""
    if sys.version_info[:2] in PROVEN:
        enum.EnumType._create_ = _created  # type: ignore[attr-defined]


def end() -> None:
    """From now on make them as the standard library does."""
    enum.EnumType._create_ = _as_usual  # type: ignore[attr-defined]


def _created(
    cls: Any, class_name: str, names: Any, *, module: str | None = None, qualname: str | None = None, **more: Any
) -> Any:
    """Return a new enumeration, as `EnumType._create_` does, in whose place this stands."""
    if module is None:
        module = sys._getframe(2).f_globals.get("__name__")  # who called for it, as the standard library has it
    members = _plain_members(cls, names) if more == {"type": None, "start": 1, "boundary": enum.KEEP} else None
    if members is None or module is None:
        return _as_usual(cls, class_name, names, module=module, qualname=qualname, **more)
    if cls not in _empty:
        held = vars(_as_usual(cls, class_name, (), module=module, **more))
        _empty[cls] = {name: value for name, value in held.items() if name not in _NOT_COPIED}
    own = {name: type(value)() if isinstance(value, list | dict) else value for name, value in _empty[cls].items()}
    own["__module__"] = module
    if qualname is not None:
        own["__qualname__"] = qualname
    made = type.__new__(type(cls), class_name, (cls,), own)
    # `type` has wrapped it; the standard library puts it in afterwards
    type.__setattr__(made, "__new__", own["__new__"])
    _put_members(made, members)
    return made


def _plain_members(cls: Any, names: Any) -> dict[str, int] | None:
    """Return the members by name, where each is nothing but a whole number; else nothing."""
    if cls not in _KINDS or not isinstance(names, list | tuple):
        return None
    if cls not in _names_taken:
        _names_taken[cls] = frozenset(name for base in cls.__mro__ for name in vars(base)) | {"mro", ""}
    try:
        members = dict(names)
    except (TypeError, ValueError):
        return None
    is_plain = (
        len(members) == len(names)
        and _names_taken[cls].isdisjoint(members)
        and all(type(name) is str and name[0] != "_" for name in members)
        and all(type(value) is int for value in members.values())
    )
    return members if is_plain else None


def _put_members(made: Any, members: dict[str, int]) -> None:
    """Put members into an empty class: aliases share one, and flags of several bits are not counted among the members."""
    of_flags = issubclass(made, enum.Flag)
    new, with_value = made._new_member_, made._use_args_
    counted, by_name, by_value = made._member_names_, made._member_map_, made._value2member_map_
    mask = single_bits = 0
    for name, value in members.items():
        is_single = value > 0 and not value & (value - 1)
        mask |= value
        single_bits |= value if is_single else 0
        member = by_value.get(value)
        if member is None:
            member = by_value[value] = new(made, value) if with_value else new(made)
            member.__dict__.update(_value_=value, _name_=name, __objclass__=made, _sort_order_=len(counted))
            if is_single or not of_flags:
                counted.append(name)
        by_name[name] = member
        type.__setattr__(made, name, member)
    if of_flags:
        for name, value in (
            ("_flag_mask_", mask),
            ("_singles_mask_", single_bits),
            ("_all_bits_", 2 ** mask.bit_length() - 1),
        ):
            type.__setattr__(made, name, value)
        in_order = [by_name[name]._value_ for name in counted]
        if in_order != sorted(in_order):
            type.__setattr__(made, "_iter_member_", made._iter_member_by_def_)
