"""What a take does not tell, so that finding nothing is no all-clear: in one sentence each, with what to do about it."""

from __future__ import annotations

import numpy as np

from opossum.findings.scene import Scene
from opossum.findings.unheard.hearing import unheard_sends
from opossum.take.grouping import distinct
from opossum.take.take import Take
from opossum.take.whose import listeners_of_one
from opossum.words import counted, tr

PLAIN_ENGINES = ("", "Python")
"""What heads say of a game in which no engine was recognised."""


def blind_spots(take: Take) -> list[str]:
    """Return what is not known of a take and keeps whole kinds of findings from being looked for. Linear in the calls."""
    if not take.records:
        return [tr("Nothing was recorded: see that the game runs under the recorder and reaches its loop.")]
    spots = []
    lost = take.recording.lost
    if lost:
        spots.append(
            tr(
                "{records} {was} lost while it was recorded: the frames they are missing from are not judged, "
                "and what is told of what did not come may be wrong there; free some space, or record less.",
                records=counted(lost, "record"),
                was=tr("was") if lost == 1 else tr("were"),
            )
        )
    engine = take.recording.head_text(0, "engine")
    if not len(take.tables["frame"]):
        spots.append(
            tr(
                "No frames were recorded, so all of it counts as loading, which is not judged: let the game's "
                "loop tell `frame` and `idle`, or name the function of each turn (`opossum record --frame "
                "MODULE:FUNCTION`)."
            )
        )
    if not len(take.calls):
        reason = tr(" and no engine was recognised") if engine in PLAIN_ENGINES else ""
        spots.append(
            tr(
                "No call of a listener was recorded{reason}: who heard what is not known; let the dispatcher "
                "tell its calls, or decorate listeners with `@recorder.listener`.",
                reason=reason,
            )
        )
        return spots
    functions = distinct(take.listeners.function)
    if len(functions) == 1 and not len(take.tables["bind"]):
        spots.append(
            tr(
                "Only one function was ever seen to run ({functions}): the game's own ones are not seen; let its "
                "dispatcher tell them, or decorate them with `@recorder.listener`.",
                functions=take.text(int(functions[0])),
            )
        )
    untold = ~listeners_of_one(take)
    if untold.any():
        calls = int(take.calls_by_listener.sizes()[untold].sum())
        spots.append(
            tr(
                "Whose function ran, or which, is not told for {calls} of {all_calls:,}: what of them belongs together "
                "is not known, so what is bound twice or runs in a wrong phase may not be found; let `call` or its "
                "`bind` tell `o` and `fn`.",
                calls=counted(calls, "call"),
                all_calls=len(take.calls),
            )
        )
    if not len(take.tables["bind"]):
        spots.append(
            tr(
                "Nothing is known to be bound, so what is bound twice, past its owner's life or too late cannot "
                "be found: let whoever binds tell `bind` and `unbind`."
            )
        )
    if not len(take.tables["spawn"]):
        spots.append(
            tr(
                "No lives of objects were recorded, so what outlives its owner cannot be found: let `spawn` and "
                "`gone` be told."
            )
        )
    if not (np.asarray(take.calls.effect) >= 0).any() and not (np.asarray(take.calls.own) >= 0).any():
        spots.append(
            tr(
                "What calls changed is not known, so polling for nothing cannot be told from work: let `ret` "
                "tell `eff`."
            )
        )
    return spots


TRACEBACK = "Traceback (most recent call last):"
LUA_STACK = "stack traceback:"


def error_that_ended(take: Take) -> str:
    """Return what a game raised that died of it, in a line; empty for one that did not.

    In a traceback of Python's, that is the first line behind its last stack: what an error says may go on over more lines.
    Elsewhere, it is the last line of what the game logged, before Lua's stack.
    """
    table, error = take.tables["say"], take.code("error")
    if take.recording.closed(0) or error < 0:
        return ""
    told = np.flatnonzero(np.asarray(table["level"]) == error)
    text = take.text(int(table["text"][told[-1]])).strip() if len(told) else ""
    text = text.partition(LUA_STACK)[0].rstrip() or text
    _, is_traceback, stack = text.rpartition(TRACEBACK)
    lines = stack.strip("\n").splitlines()
    if is_traceback:
        lines = [line for line in lines if line.strip() and not line[0].isspace()][:1] or lines
    return lines[-1] if lines else ""


def heard_by_nobody(take: Take) -> list[tuple[str, int]]:
    """Return (event, sends) of what was sent at once and nobody heard, the most frequent first."""
    rows = Scene(take).once(unheard_sends).sent
    codes, counts = np.unique(np.asarray(take.tables["send"]["ev"])[rows], return_counts=True)
    order = np.argsort(-counts, kind="stable")
    return [(take.text(int(codes[place])), int(counts[place])) for place in order]
