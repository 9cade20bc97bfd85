"""Whose functions were called, as far as records tell it."""

from __future__ import annotations

import re

import numpy as np

from opossum.stream.tables import Array
from opossum.take.take import Take

_MEMBER = re.compile(r"\w(\.|::?|->)\w")
"""A function's name that tells a class: `Cat.on_tick`, `Cat::on_tick`, `Cat:on_tick`."""


def listeners_of_one(take: Take) -> Array:
    """Return a boolean array (listeners,): it is one object's one function, or a function of nobody's.

    Not so where no record tells the function, or tells a class's function without its object: it may be that of several.
    """
    listeners = take.listeners
    told = (listeners.owner >= 0) & (listeners.function >= 0)
    for listener in np.flatnonzero((listeners.owner < 0) & (listeners.function >= 0)).tolist():
        told[listener] = not _MEMBER.search(take.text(int(listeners.function[listener])))
    return told
