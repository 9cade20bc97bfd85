"""The bakery's night in miniature, for Panda3D without a window.

    opossum record -- python panda3d_bakery.py [FAULT]

(Binding twice is not possible here: the messenger keeps one bind a pair of event and object.)  Faults: stale (a customer listens on after it
left), slow (the ledger holds one frame up), loop (never ends), name (the clock strikes under a wrong name), early (the opening
is told before anybody listens), cut (the arms are stopped before they fold), error (the ledger fails), twice (a customer's
delay is set again and again).
"""

import sys
import time

from panda3d.core import loadPrcFileData

loadPrcFileData("", "window-type none\naudio-library-name null\nclock-mode limited\nclock-frame-rate 60")

from direct.interval.IntervalGlobal import Func, Sequence, Wait
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
        self.accept("opened", self.on_opened)

    def on_opened(self):
        self.open = True

    def on_paid(self, coins):
        messenger.send("booked", [coins])

    def on_quarter(self, hour):
        if hour == 4 and FAULT == "error":
            raise KeyError("book")
        if hour == 3 and FAULT == "slow":
            time.sleep(0.4)
        while hour == 3 and FAULT == "loop":
            pass


class Arms:
    """Knead: press, then fold."""

    def __init__(self):
        self.folds = 0
        self.kneading = Sequence(Wait(0.05), Func(self.on_fold), Wait(0.05), name="knead")

    def knead(self):
        self.kneading.start()
        if FAULT == "cut":
            taskMgr.doMethodLater(0.02, self.on_stop, "stop")
        if FAULT == "twice":
            for _ in range(5):
                taskMgr.doMethodLater(0.1, self.on_rest, "rest")

    def on_fold(self):
        self.folds += 1

    def on_stop(self, task):
        self.kneading.pause()
        return task.done

    def on_rest(self, task):
        self.rested = self.folds
        return task.done


class Bakery(ShowBase):
    """Three customers, a ledger, a clock."""

    def __init__(self):
        super().__init__()
        self.hour = 0
        if FAULT == "early":
            messenger.send("opened")
        self.ledger = Ledger()
        if FAULT != "early":
            messenger.send("opened")
        self.arms = Arms()
        self.customers = [Customer() for _ in range(3)]
        self.taskMgr.add(self.bake, "bake")
        self.taskMgr.doMethodLater(0.2, self.strike, "strike")

    def bake(self, task):
        self.heat = task.time
        return task.cont

    def strike(self, task):
        self.hour += 1
        messenger.send("qaurter" if FAULT == "name" and self.hour == 3 else "quarter", [self.hour])
        self.arms.knead()
        if self.customers:
            messenger.send("paid", [3])
            self.customers.pop().destroy()
        if self.hour == 6:
            sys.exit(0)
        return task.again


Bakery().run()
