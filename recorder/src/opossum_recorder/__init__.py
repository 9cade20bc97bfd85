"""Records a Python game's event flow as a stream that Opossum reads.

Standard library only: copy this folder into a game and it works.  It never raises into the game, never
waits for anything but the operating system's own file write, and counts what it had to drop.

    from opossum_recorder import Recorder

    recorder = Recorder("night.flow.jsonl", game="Moonrise Bakery", hz=60)
    with recorder.frame(0, dt=1 / 60):
        send = recorder.send("dough_risen", "dough#1")
        with recorder.call(send, None, "oven#1", "Oven.on_risen"):
            ...
    recorder.close()
"""

from opossum_recorder.recorder import Recorder

__all__ = ["Recorder"]
