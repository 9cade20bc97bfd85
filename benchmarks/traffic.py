"""Makes streams of any length with realistic traffic: hundreds of listeners, nested causes, rare faults.

The same seed and length make the same stream.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from pathlib import Path

FRAME_NS = 16_666_667
OBJECTS_A_CLASS = 24
CLASSES = ("Oven", "Dough", "Customer", "Lamp", "Mouse", "Shelf", "Cart", "Moth", "Bee", "Drone")


def traffic(records: int, seed: int = 1) -> Iterator[str]:
    """Yield about `records` stream lines."""
    chance = random.Random(seed)
    t = 0
    written = 0
    ids = {"s": 0, "c": 0, "a": 0}
    bound: list[tuple[int, str, str, str]] = []

    def line(kind: str, fields: str) -> str:
        nonlocal t, written
        t += chance.randrange(300, 2500)
        written += 1
        return f'{{"k":"{kind}","t":{t}{fields}}}\n'

    yield line("head", ',"opossum":1,"game":"traffic","peer":"main","hz":60,"phases":["input","timers","update"]')
    names = [(f"{cls.lower()}#{n}", cls) for cls in CLASSES for n in range(OBJECTS_A_CLASS)]
    for name, cls in names:
        yield line("spawn", f',"o":"{name}","cls":"{cls}"')
        for event in ("tick", "beat", f"{cls.lower()}_done"):
            bound.append((len(bound) + 1, event, name, f"{cls}.on_{event}"))
            yield line(
                "bind",
                f',"b":{len(bound)},"ev":"{event}","o":"{name}","fn":"{cls}.on_{event}","at":"{cls.lower()}.gd:{len(bound) % 90}"',
            )
    ticking = [item for item in bound if item[1] == "tick"]
    beating = [item for item in bound if item[1] == "beat"]
    done = {item[2]: item for item in bound if item[1].endswith("_done")}
    timers: list[tuple[int, tuple[int, str, str, str]]] = []
    for item in beating[::3]:
        ids["a"] += 1
        timers.append((ids["a"], item))
        yield line(
            "arm",
            f',"a":{ids["a"]},"what":"timer","o":"{item[2]}","ev":"beat","sec":{chance.choice((0.25, 0.5, 1.0))},"loop":true',
        )

    def call(send: int, item: tuple[int, str, str, str], effect: int, inner: list[str]) -> Iterator[str]:
        ids["c"] += 1
        number = ids["c"]
        yield line("call", f',"c":{number},"s":{send},"b":{item[0]},"o":"{item[2]}","fn":"{item[3]}"')
        yield from inner
        yield line("ret", f',"c":{number},"eff":{effect}')

    frame = 0
    while written < records:
        began = t
        yield line("frame", f',"n":{frame},"dt":0.0167')
        yield line("phase", ',"name":"timers"')
        for number, item in chance.sample(timers, 4):
            ids["s"] += 1
            yield line("send", f',"s":{ids["s"]},"ev":"beat","o":"{item[2]}","via":"timer","a":{number}')
            yield from call(ids["s"], item, 1, [])
        yield line("phase", ',"name":"update"')
        ids["s"] += 1
        tick = ids["s"]
        yield line("send", f',"s":{tick},"ev":"tick","via":"tick"')
        for item in ticking[frame % 8 :: 8]:
            # most ticks work; one class mostly polls; now and then a tick sets off something else
            effect = int(chance.random() < 0.03) if item[2].startswith("shelf") else 1
            ids["c"] += 1
            number = ids["c"]
            yield line("call", f',"c":{number},"s":{tick},"b":{item[0]},"o":"{item[2]}","fn":"{item[3]}"')
            if chance.random() < 0.12:
                ids["s"] += 1
                target = done[item[2]]
                yield line(
                    "send",
                    f',"s":{ids["s"]},"ev":"{target[1]}","o":"{item[2]}","c":{number},"d":{{"n":{chance.randrange(50)}}}',
                )
                yield from call(ids["s"], target, 1, [])
            yield line("ret", f',"c":{number},"eff":{effect}')
        if frame % 500 == 250:
            name = f"moth#{frame}"
            yield line("spawn", f',"o":"{name}","cls":"Moth"')
            b = len(bound) + 1
            bound.append((b, "dusk", name, "Moth.on_dusk"))
            yield line("bind", f',"b":{b},"ev":"dusk","o":"{name}","fn":"Moth.on_dusk"')
            yield line("gone", f',"o":"{name}"')
        if frame % 700 == 699:
            ids["s"] += 1
            send = ids["s"]
            yield line("send", f',"s":{send},"ev":"dusk"')
            for item in bound[len(names) * 3 :][:3]:
                yield from call(send, item, 1, [])
        if frame % 4000 == 3999:
            t += 400_000_000
        yield line("idle", "")
        t = max(t, began + FRAME_NS)
        frame += 1
    yield line("bye", "")


def write_traffic(path: Path, records: int, seed: int = 1) -> None:
    """Write a stream of about `records` records to a file."""
    with path.open("w", encoding="utf-8") as file:
        file.writelines(traffic(records, seed))
