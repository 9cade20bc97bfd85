"""A game that floods: `python benchmarks/flood.py PORT RECORDS_A_SECOND SECONDS`; prints how many records it sent."""

from __future__ import annotations

import socket
import sys
import threading
import time

CALLS_A_FRAME = 1000
OWNERS = 97


def main(port: int, rate: int, seconds: float) -> None:
    """Send that many records a second, evenly, and end properly."""
    link = socket.create_connection(("127.0.0.1", port))
    threading.Thread(target=lambda: [None for _ in iter(lambda: link.recv(65536), b"")], daemon=True).start()
    link.sendall(b'{"k":"head","t":0,"opossum":1,"game":"flood","peer":"main","hz":60}\n')
    sent = calls = frames = 0
    began = time.perf_counter()
    while (now := time.perf_counter() - began) < seconds:
        lines, t = [], int(now * 1e9)
        while sent < now * rate:
            if calls % CALLS_A_FRAME == 0:
                lines.append(f'{{"k":"idle","t":{t}}}\n{{"k":"frame","t":{t},"n":{frames}}}\n')
                frames, sent = frames + 1, sent + 2
            calls, owner, sent = calls + 1, calls % OWNERS, sent + 3
            lines.append(
                f'{{"k":"send","t":{t},"s":{calls},"ev":"tick","o":"oven#{owner}","via":"tick"}}\n'
                f'{{"k":"call","t":{t},"c":{calls},"s":{calls},"o":"oven#{owner}","fn":"Oven.on_tick"}}\n'
                f'{{"k":"ret","t":{t},"c":{calls},"eff":1}}\n'
            )
        link.sendall("".join(lines).encode())
        time.sleep(0.002)
    link.sendall(f'{{"k":"bye","t":{int(seconds * 1e9)}}}\n'.encode())
    link.shutdown(socket.SHUT_WR)
    time.sleep(1)
    print(sent + 2)


if __name__ == "__main__":
    main(int(sys.argv[1]), int(sys.argv[2]), float(sys.argv[3]))
