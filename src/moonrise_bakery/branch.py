"""A branch across the street: a second peer that hears over the net what happens in the bakery, and shows it."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from moonrise_bakery.night import DEFAULT_SEED, HZ, open_world, playing
from moonrise_bakery.runtime import Event, Thing, World
from moonrise_bakery.yard import Mouse, Tap

SHARED = ("quarter", "shop_open", "bread_ready", "sale")
"""Events that both peers hear, each send of the bakery under a key of its own."""


class Display(Thing):
    """Shows in the branch's window what was baked and sold."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.loaves = self.sales = 0
        self.listen("bread_ready", self.on_bread_ready)
        self.listen("sale", self.on_sale)
        self.listen("quarter", self.on_quarter)
        self.listen("shop_open", self.on_shop_open)

    def on_bread_ready(self, event: Event) -> int:
        """Show one more."""
        self.loaves += 1
        return 1

    def on_sale(self, event: Event) -> int:
        """Show one less."""
        self.sales += 1
        return 1

    def on_quarter(self, event: Event) -> int:
        """Turn the sign."""
        return 1

    def on_shop_open(self, event: Event) -> int:
        """Light the window."""
        return 1


def record_session(
    folder: str | os.PathLike[str], seconds: float, hz: int = HZ, seed: int = DEFAULT_SEED
) -> list[Path]:
    """Play a healthy night with a branch; return the streams of both peers, `host` and `branch`."""
    paths = [Path(folder) / f"{peer}.flow.jsonl" for peer in ("host", "branch")]
    host = open_world(paths[0], seed=seed, hz=hz, peer="host")
    branch = open_world(paths[1], seed=seed + 1, hz=hz, peer="branch")
    arriving: list[tuple[str, object, str]] = []
    host.shared = SHARED
    host.tell_others = lambda event, data, key: arriving.append((event, data, key))
    for thing in (Display, Tap, Mouse):
        thing(branch)
    branch.each_frame("input", _hear(branch, arriving))
    for _ in playing(host, seconds):
        branch.run_frame()
    for world in (host, branch):
        world.recorder.close()
    return paths


def _hear(world: World, arriving: list[tuple[str, object, str]]) -> Callable[[], None]:
    """Return a job that sends on what has come over the net."""

    def hear() -> None:
        while arriving:
            event, data, key = arriving.pop(0)
            world.tell_phase("input")
            world.send(event, None, data, via="net", net=key)

    return hear
