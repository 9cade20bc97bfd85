"""Whether two values hold the same, however deep."""

import numpy as np


def equal(mine, theirs) -> bool:
    """Compare two values with all that they hold, array by array."""
    if isinstance(mine, np.ndarray):
        return np.array_equal(mine, theirs)
    if isinstance(mine, list | tuple) and type(mine) is type(theirs):
        return len(mine) == len(theirs) and all(map(equal, mine, theirs))
    if isinstance(mine, dict):
        return mine.keys() == theirs.keys() and all(equal(value, theirs[name]) for name, value in mine.items())
    if hasattr(mine, "__dict__"):
        known = {name: value for name, value in vars(mine).items() if name in vars(theirs)}
        return type(mine) is type(theirs) and all(equal(value, vars(theirs)[name]) for name, value in known.items())
    return mine == theirs
