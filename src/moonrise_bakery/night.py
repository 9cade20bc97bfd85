"""A night's play: who is there, what the player presses, who drops in, and how it is recorded."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator

from moonrise_bakery.faults import FAULTS
from moonrise_bakery.kitchen import Baker, Counter, Mixer, Oven, Pantry, Shelf
from moonrise_bakery.runtime.world import PHASES, Halt, World
from moonrise_bakery.shop import Bell, Customer, Inspector, Ledger, Mat, Till, Tray
from moonrise_bakery.street import Cat, Lamp, Radio, StreetClock, WarmSpot, Window
from moonrise_bakery.waiter import Waiter
from moonrise_bakery.yard import Apprentice, Foreman, Mouse, Sign, Silo, Sink, Tap
from opossum_recorder import Recorder

HZ = 60
DEFAULT_SECONDS = 100.0
DEFAULT_SEED = 7


def record_night(
    path: str | os.PathLike[str] | None,
    faults: Iterable[str] = (),
    *,
    seed: int = DEFAULT_SEED,
    seconds: float = DEFAULT_SECONDS,
    hz: int = HZ,
    real_time: bool = False,
    link: str = "",
    progress: Callable[[float], None] | None = None,
) -> Recorder:
    """Play a night and record it as a stream at `path`, or over a `link`; the same seed gives the same night.

    `progress` is called about once a second of play with the share that is done.  Returns the closed
    recorder (its `lost` and `trouble` say whether all was written).

    Raises:
        ValueError: a fault is not known.
    """
    unknown = sorted(set(faults) - set(FAULTS))
    if unknown:
        raise ValueError(f"the bakery has no fault `{unknown[0]}`; it has: {', '.join(FAULTS)}")

    world = open_world(path, faults, seed=seed, hz=hz, real_time=real_time, link=link)
    try:
        _play(world, seconds, progress)
        world.recorder.close()
    except Halt:
        pass  # the game hung and was killed: no bye
    return world.recorder


def open_world(
    path: str | os.PathLike[str] | None,
    faults: Iterable[str] = (),
    *,
    seed: int = DEFAULT_SEED,
    hz: int = HZ,
    real_time: bool = False,
    link: str = "",
    peer: str = "main",
) -> World:
    """Return an empty world that is recorded as a stream at `path`, or over a `link`."""

    def recorder_for(clock: Callable[[], int]) -> Recorder:
        return Recorder(
            path,
            "Moonrise Bakery",
            engine="bakery loop",
            peer=peer,
            hz=hz,
            phases=PHASES,
            clock=clock,
            watch_after=0.25 if real_time else 0,
            link=link,
            host="",
            seed=seed,
        )

    return World(recorder_for, seed, frozenset(faults), hz, real_time)


def _play(world: World, seconds: float, progress: Callable[[float], None] | None) -> None:
    for number in playing(world, seconds):
        if progress is not None and number % world.hz == 0:
            progress(number / (seconds * world.hz))


def playing(world: World, seconds: float) -> Iterator[int]:
    """Play a night in an empty world, and yield each frame's number after it."""
    ovens = _furnish(world)
    frames = int(seconds * world.hz)
    if "waiting" in world.faults:
        world.each_frame("update", lambda: _wait_for_plug(world, int(0.55 * frames)))
    _plan_presses(world, seconds)
    direct = _direction(world, seconds, frames, ovens)
    world.each_frame("clock", lambda: next(direct))
    for number in range(frames):
        world.run_frame()
        yield number


def _direction(world: World, seconds: float, frames: int, ovens: list[Oven]) -> Iterator[None]:
    """Let things happen from outside: who comes in when. Takes one step a frame."""
    visits = _visits(world, seconds)
    inspection_s = world.random.uniform(0.35, 0.6) * seconds
    inspected = False
    while True:
        if visits and world.time_s >= visits[0]:
            visits.pop(0)
            world.tell_phase("clock")
            Customer(world)
        if not inspected and world.time_s >= inspection_s:
            inspected = True
            world.tell_phase("clock")
            Inspector(world)
        if world.frame_number == 20:
            world.tell_phase("clock")
            world.send("first_oven_lit", ovens[0])
        if world.frame_number == 23 and "sent-before-bind" in world.faults:
            world.tell_phase("clock")
            Sign(world)  # the fault: put up when the oven is lit already
        if world.frame_number == 40:
            world.tell_phase("clock")
            world.send("shop_open")
        if world.frame_number == 150:
            world.tell_phase("clock")
            world.send("power_cut")
        if "wrong-phase" in world.faults and world.frame_number in (int(0.5 * frames), int(0.7 * frames)):
            world.tell_phase("clock")
            world.send("steam", ovens[0])  # the fault: let off at once, not when its timer says so
        if world.frame_number == int(0.78 * frames):
            world.tell_phase("clock")
            world.send("recipe", None, {"cake": "moon cake"})
        yield


def _wait_for_plug(world: World, frame: int) -> None:
    """The fault: ask the oven's smart plug, once, and wait for its answer in the middle of a frame."""
    if world.frame_number == frame:
        world.hang(
            0.8, ["wait_for_plug moonrise_bakery/night.py:104", "World.run_frame moonrise_bakery/runtime/world.py:201"]
        )


def _furnish(world: World) -> list[Oven]:
    ovens = [Oven(world) for _ in range(3)]
    counter = Counter(world)
    Shelf(world, counter)
    Baker(world, ovens)
    Mixer(world)
    Pantry(world)
    Till(world, counter)
    Ledger(world)
    Bell(world)
    Mat(world)
    Tray(world)
    clock = StreetClock(world)
    Radio(world)
    cat = Cat(world)
    WarmSpot(world)
    Lamp(world, clock)
    Window(world, cat)
    Waiter(world)
    for thing in (Tap, Silo, Sink, Mouse):
        thing(world)
    Foreman(world, [Apprentice(world), Apprentice(world)])
    if "sent-before-bind" not in world.faults:
        Sign(world)
    return ovens


def _visits(world: World, seconds: float) -> list[float]:
    moments, time = [], 2.0
    while time < seconds - 2:
        moments.append(time)
        time += world.random.uniform(3.0, 7.0)
    return moments


def _plan_presses(world: World, seconds: float) -> None:
    time = 4.0
    while time < seconds - 1:
        world.press(time, "sell", world.random.uniform(0.08, 0.2))
        time += world.random.uniform(4.0, 8.0)
