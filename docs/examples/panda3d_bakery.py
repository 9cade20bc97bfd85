"""The bakery's night in miniature, for Panda3D without a window.

    opossum record -- python panda3d_bakery.py [FAULT]

(Binding twice is not possible here: the messenger keeps one bind a pair of event and object.)  Faults: stale (a customer listens on after it left), slow (the ledger holds one frame up), loop (never ends).
"""

import sys
import time

from panda3d.core import loadPrcFileData

loadPrcFileData("", "window-type none\naudio-library-name null\nclock-mode limited\nclock-frame-rate 60")

from direct.showbase.DirectObject import DirectObject
from direct.showbase.ShowBase import ShowBase

FAULT = sys.argv[1] if len(sys.argv) > 1 else ""


class Customer(DirectObject):
    """Comes, listens to the clock, leaves."""

    def __init__(self):
        self.accept("quarter", self.on_quarter)

    def on_quarter(self, hour):
        self.seen = hour

    def destroy(self):
        if FAULT != "stale":
            self.ignoreAll()


class Ledger(DirectObject):
    """Books what was paid, and the hours."""

    def __init__(self):
        self.accept("paid", self.on_paid)
        self.accept("quarter", self.on_quarter)

    def on_paid(self, coins):
        messenger.send("booked", [coins])

    def on_quarter(self, hour):
        if hour == 3 and FAULT == "slow":
            time.sleep(0.4)
        while hour == 3 and FAULT == "loop":
            pass


class Bakery(ShowBase):
    """Three customers, a ledger, a clock."""

    def __init__(self):
        super().__init__()
        self.hour = 0
        self.ledger = Ledger()
        self.customers = [Customer() for _ in range(3)]
        self.taskMgr.add(self.bake, "bake")
        self.taskMgr.doMethodLater(0.2, self.strike, "strike")

    def bake(self, task):
        self.heat = task.time
        return task.cont

    def strike(self, task):
        self.hour += 1
        messenger.send("quarter", [self.hour])
        if self.customers:
            messenger.send("paid", [3])
            self.customers.pop().destroy()
        if self.hour == 6:
            sys.exit(0)
        return task.again


Bakery().run()
