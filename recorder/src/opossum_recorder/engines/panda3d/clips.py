"""Records what plays in a Panda3D game: intervals with the functions in them as marks, and actors' animations.

An interval belongs, for us, to the object whose method starts it.  Ends that nothing announces are seen once a frame;
so is the turn of a loop, each round of which is a play of its own.
"""

from __future__ import annotations

import functools
import os
import re
import sys
from collections.abc import Callable, Iterator
from types import FrameType
from typing import Any

from opossum_recorder.effects import Effects
from opossum_recorder.engines.describing import describe
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.recorder import Recorder

NUMBERED = re.compile(r"-\d+$")
"""The engine's own names of intervals end in a number."""
NEAR_END_S = 0.1
"""An actor's animation that was seen this near its end, and plays no more, came to it."""
MOST_RESTED = 1_000
"""Intervals that rest are remembered at most; of others, resuming is told as if they played at their usual rate."""


class _Play:
    """Something that plays: what it is, its number in the stream, and where it was when last looked at."""

    def __init__(self, thing: Any, owner: str, clip: str, length: float, marks: list[tuple[str, float]]) -> None:
        self.thing, self.owner, self.clip, self.length, self.marks = thing, owner, clip, length, marks
        self.number = 0
        self.loops = False
        self.rate = 1.0
        self.position = 0.0

    def now_at(self) -> float | None:
        """Return the seconds it is in, None where it does not play."""
        return float(self.thing.getT()) if self.thing.isPlaying() else None


class _ActorPlay(_Play):
    def now_at(self) -> float | None:
        """Return the seconds the animation is in, None where it does not play."""
        rate = self.thing.getFrameRate()
        return float(self.thing.getFullFframe() / rate) % self.length if self.thing.isPlaying() and rate else None


class PandaClips:
    """Puts the recorder into the engine's intervals and actors as they are imported."""

    def __init__(self, recorder: Recorder, names: ObjectNames, effects: Effects) -> None:
        self.recorder, self.names, self.effects = recorder, names, effects
        self._plays: dict[int, _Play] = {}
        self._marks: dict[int, tuple[Any, _Play, str]] = {}
        self._rested: dict[int, _Play] = {}
        """Intervals that were stopped and may be resumed, as they played."""

    @property
    def watched(self) -> dict[str, Callable[[], None]]:
        """What to do when a module has been loaded."""
        return {
            "direct.interval.MetaInterval": self._put_on_meta,
            "direct.interval.Interval": self._put_on_plain,
            "direct.interval.LerpInterval": self._put_on_lerp,
            "direct.interval.FunctionInterval": self._put_on_functions,
            "direct.actor.Actor": self._put_on_actors,
        }

    def _put_on_meta(self) -> None:
        from direct.interval.MetaInterval import MetaInterval

        self._watch_interval(MetaInterval)

    def _put_on_plain(self) -> None:
        from direct.interval.Interval import Interval

        self._watch_interval(Interval)

    def _put_on_lerp(self) -> None:
        from direct.interval.LerpInterval import LerpNodePathInterval

        self._watch_interval(LerpNodePathInterval)

    def _put_on_functions(self) -> None:
        from direct.interval.FunctionInterval import FunctionInterval

        run = FunctionInterval.privInstant

        @functools.wraps(run)
        def recorded(own: Any) -> Any:
            known = self._marks.get(id(own))
            if known is None:
                return run(own)
            return self._reach(own, known[1], known[2])

        FunctionInterval.privInstant = recorded

    def _put_on_actors(self) -> None:
        from direct.actor.Actor import Actor

        for name in ("play", "loop"):
            setattr(Actor, name, self._acting(getattr(Actor, name), name == "loop"))

    # --- intervals -----------------------------------------------------------------------------------

    def _watch_interval(self, kind: Any) -> None:
        for name in ("start", "loop", "resume"):
            setattr(kind, name, self._starting(getattr(kind, name), name))
        for name, how in (("pause", "cut"), ("clearToInitial", "cut"), ("finish", "end")):
            setattr(kind, name, self._stopping(getattr(kind, name), how))

    def _starting(self, start: Callable[..., Any], name: str) -> Callable[..., Any]:
        @functools.wraps(start)
        def recorded(own: Any, startT: Any = None, endT: float = -1.0, playRate: float = 1.0) -> Any:
            told = () if startT is None else (startT,)
            if name == "resume":
                rested = self._rested.pop(id(own), None)
                rate, loops = (rested.rate, rested.loops) if rested is not None else (1.0, False)
                self._begin_interval(own, float(own.getT() if startT is None else startT), rate, loops, rested)
                return start(own, *told)
            self._begin_interval(own, float(startT or 0.0), playRate, name == "loop", None)
            return start(own, startT or 0.0, endT, playRate)

        return recorded

    def _stopping(self, stop: Callable[..., Any], how: str) -> Callable[..., Any]:
        @functools.wraps(stop)
        def recorded(own: Any) -> Any:
            play = self._plays.get(id(own))
            position = own.getT() if play is not None else 0.0
            try:
                return stop(own)  # finishing reaches every mark that is left
            finally:
                if play is not None:
                    self._rested[id(own)] = play
                    self._end(play, how, play.length if how == "end" else position)

        return recorded

    def _begin_interval(self, interval: Any, start: float, rate: float, loops: bool, rested: _Play | None) -> None:
        length = float(interval.getDuration())
        if length <= 0:
            return
        caller = sys._getframe(2)
        functions = list(functions_in(interval, 0.0))
        marks = [(mark_name(function), place) for function, place in functions]
        owner = rested.owner if rested is not None else self._who(caller)
        clip = rested.clip if rested is not None else clip_name(interval, caller)
        play = _Play(interval, owner, clip, length, marks)
        for function, _ in functions:
            self._marks[id(function)] = (function, play, mark_name(function))
        self._begin(play, start, rate, loops)

    def _who(self, caller: FrameType) -> str:
        own = caller.f_locals.get("self")
        return self.names.of(own) if own is not None else caller.f_code.co_name.strip("<>")

    def _reach(self, function: Any, play: _Play, mark: str) -> None:
        position = play.now_at()
        if position is not None and play.loops and position < play.position:
            self._turn(play)
        at = play.length if position is None else position
        number = self.recorder.send(mark, play.owner, via="clip", y=play.number, mark=mark, pos=round(at, 6))
        name, place = describe(function.function)
        own = getattr(function.function, "__self__", None)
        owner = self.names.of(own) if own is not None and not isinstance(own, type) else play.owner
        with self.recorder.call(number, None, owner, name, place) as call:
            self.effects.run(call, function.function, *function.extraArgs, **function.kw)

    # --- actors --------------------------------------------------------------------------------------

    def _acting(self, act: Callable[..., Any], loops: bool) -> Callable[..., Any]:
        @functools.wraps(act)
        def recorded(own: Any, animName: str, *args: Any, **kwargs: Any) -> Any:
            result = act(own, animName, *args, **kwargs)
            control = own.getAnimControl(animName)
            length = own.getDuration(animName) if control is not None else None
            if length:
                for play in [play for play in self._plays.values() if isinstance(play, _ActorPlay)]:
                    if play.thing == control or not play.thing.isPlaying():
                        self._look(play, cut=True)
                play = _ActorPlay(control, self.names.of(own), animName, float(length), [])
                self._begin(play, play.now_at() or 0.0, float(control.getPlayRate()), loops)
            return result

        return recorded

    # --- playing -------------------------------------------------------------------------------------

    def _begin(self, play: _Play, start: float, rate: float, loops: bool) -> None:
        earlier = self._plays.get(id(play.thing))
        if earlier is not None:
            self._end(earlier, "cut", earlier.position)
        play.position, play.rate, play.loops = start, rate, loops
        play.number = self._tell_play(play, start)
        self._plays[id(play.thing)] = play
        if len(self._rested) > MOST_RESTED:
            self._rested.clear()

    def _tell_play(self, play: _Play, start: float) -> int:
        more: dict[str, Any] = {} if play.rate == 1.0 else {"rate": play.rate}
        if start > 0:
            more["from"] = start
        return self.recorder.play(play.owner, play.clip, play.length, play.marks, **more)

    def _turn(self, play: _Play) -> None:
        """A loop begins its next round."""
        self.recorder.stop(play.number, "end", play.length)
        play.number, play.position = self._tell_play(play, 0.0), 0.0

    def _end(self, play: _Play, how: str, position: float) -> None:
        if self._plays.get(id(play.thing)) is play:
            del self._plays[id(play.thing)]
            self._marks = {key: known for key, known in self._marks.items() if known[1] is not play}
            self.recorder.stop(play.number, how, round(position, 6))

    def look(self) -> None:
        """See what has ended, and which loops have turned, since the last frame."""
        for play in list(self._plays.values()):
            self._look(play)

    def _look(self, play: _Play, cut: bool = False) -> None:
        position = play.now_at()
        if position is None or cut:
            short = isinstance(play, _ActorPlay) and play.position + NEAR_END_S < play.length
            self._end(play, "cut" if short else "end", play.position if short else play.length)
            return
        if play.loops and position < play.position:
            self._turn(play)
        play.position = position


def functions_in(interval: Any, offset: float) -> Iterator[tuple[Any, float]]:
    """Return the function intervals within an interval and the seconds from its beginning where each is reached."""
    from direct.interval.FunctionInterval import FunctionInterval
    from direct.interval.MetaInterval import MetaInterval, Parallel, ParallelEndTogether, Sequence

    if isinstance(interval, FunctionInterval):
        yield interval, offset
    if not isinstance(interval, MetaInterval):
        return
    at = 0.0
    for part in interval.ivals:
        child = part if not isinstance(part, tuple | list) else part[1]
        if isinstance(interval, ParallelEndTogether):
            at = interval.getDuration() - child.getDuration()
        elif not isinstance(interval, Sequence | Parallel):
            at = interval.getIntervalStartTime(child.getName())
        yield from functions_in(child, offset + at)
        if isinstance(interval, Sequence):
            at += child.getDuration()


def mark_name(function: Any) -> str:
    """Return what a function interval is called as a mark: its function, or what the engine named it."""
    module = str(getattr(function.function, "__module__", "") or "")
    if module.startswith("direct."):
        return NUMBERED.sub("", function.getName())
    return describe(function.function)[0].rpartition(".")[2]


def clip_name(interval: Any, caller: FrameType) -> str:
    """Return an interval's name; one that the engine numbered is named after the place that starts it."""
    name = interval.getName()
    if not NUMBERED.search(name):
        return name
    return f"{NUMBERED.sub('', name)} of {os.path.basename(caller.f_code.co_filename)}:{caller.f_lineno}"
