"""Makes streams in which everything that lies on a strand comes at once: values, queues, log lines, delays, clips, waits.

The same length makes the same stream.
"""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from pathlib import Path

FRAME_NS = 16_666_667
COOKS, RECIPES, WATCHED = 40, 8, 4
DELAY_FRAMES, CLIP_FRAMES, WAIT_FRAMES = 18, 30, 40


def write_dense_strands(path: Path, frames: int) -> None:
    """Write a game of so many frames."""
    chance = random.Random(1)
    with path.open("w", encoding="utf-8") as file:
        now, ids = 0, dict.fromkeys("abcswy", 0)
        later: dict[int, list[Callable[[], None]]] = {}

        def tell(kind: str, **fields: object) -> None:
            nonlocal now
            now += 1000
            file.write(json.dumps({"k": kind, "t": now, **fields}) + "\n")

        def number(kind: str) -> int:
            ids[kind] += 1
            return ids[kind]

        def heard(event: str, cook: int, **how: object) -> None:
            s, c = number("s"), number("c")
            tell("send", s=s, ev=event, **how)
            tell("call", c=c, s=s, o=f"cook#{cook}", fn=f"Cook.on_{event}")
            tell("ret", c=c, eff=1)

        def land(a: int, event: str, cook: int) -> None:
            heard(event, cook, via="delay", a=a)
            tell("disarm", a=a, how="done")

        def meet(w: int, event: str) -> None:
            s = number("s")
            tell("send", s=s, ev=event)
            tell("met", w=w, s=s)

        tell("head", opossum=1, game="dense", peer="main", hz=60)
        for cook in range(COOKS):
            tell("spawn", o=f"cook#{cook}", cls="Cook")
        for frame in range(frames):
            now = frame * FRAME_NS
            tell("frame", n=frame)
            cook, recipe = frame % COOKS, frame % RECIPES
            for do in later.pop(frame, ()):
                do()
            for which in range(WATCHED):
                tell("watch", o=f"cook#{which}", name="heat", v=round(chance.random() * 100, 2))
            tell("watch", o="cook#5", name="mood", v=chance.choice(("calm", "busy", "angry")))
            heard(f"order_{recipe}", cook)
            if frame % 2 == 0:
                a, event = number("a"), f"rise_{recipe}"
                tell("arm", a=a, what="delay", o=f"cook#{cook}", ev=event, sec=DELAY_FRAMES / 60)
                later.setdefault(frame + DELAY_FRAMES, []).append(
                    lambda a=a, event=event, cook=cook: land(a, event, cook)
                )
            if frame % 4 == 0:
                y = number("y")
                tell("play", y=y, o=f"cook#{cook}", clip=f"stir_{recipe}", len=0.5, marks=[["dip", 0.1], ["lift", 0.4]])
                for after, mark in ((7, "dip"), (25, "lift")):
                    later.setdefault(frame + after, []).append(
                        lambda y=y, mark=mark, cook=cook: heard(mark, cook, via="clip", y=y, mark=mark)
                    )
                later.setdefault(frame + CLIP_FRAMES, []).append(lambda y=y: tell("stop", y=y, how="end"))
            if frame % 5 == 0:
                w, event = number("w"), f"served_{recipe}"
                tell("wait", w=w, o=f"cook#{cook}", ev=event)
                later.setdefault(frame + WAIT_FRAMES, []).append(lambda w=w, event=event: meet(w, event))
            if frame % 3 == 0:
                tell("say", text=f"line {frame}")
                tell("put", q="bench", s=ids["s"])
            tell("idle")
        tell("bye")
