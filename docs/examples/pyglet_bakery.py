"""The bakery's night in miniature, for pyglet 2; without a screen: pyglet.options.headless, as set below.

    opossum record -- python pyglet_bakery.py [FAULT]

Faults: double (a handler is pushed on two levels), stale (a timer of a customer who left goes on), slow (a handler
holds one frame up), loop (a handler never ends), early (the opening is told before anybody listens), error (a handler
fails), circle (oven and counter wake each other for ever), again (a delay is set anew with every puff of steam), poll (the
counter looks on every frame for nothing).
"""

import os
import sys
import time

import pyglet

if not os.environ.get("DISPLAY"):
    pyglet.options.headless = True
    pyglet.options.shadow_window = False

FAULT = sys.argv[1] if len(sys.argv) > 1 else ""


class Oven(pyglet.event.EventDispatcher):
    """Bakes, and says when a bread is done."""

    def __init__(self):
        self.heat = 0
        pyglet.clock.schedule_interval(self.on_steam, 0.1)

    def on_steam(self, dt):
        self.heat += 1
        if self.heat % 2 == 0:
            self.dispatch_event("on_bread_ready", self.heat // 2)
        if FAULT == "again":
            pyglet.clock.schedule_once(self.on_cool, 0.45)

    def on_cool(self, dt):
        self.cooled = self.heat

    def on_wake(self, dt):
        pyglet.clock.schedule_once(bakery.counter.on_wake, 0.004)


Oven.register_event_type("on_bread_ready")
Oven.register_event_type("on_open")


class Counter:
    """Takes the breads."""

    def __init__(self):
        self.breads = 0

    def on_open(self):
        self.open = True

    def on_look(self, dt):
        pass

    def on_wake(self, dt):
        pyglet.clock.schedule_once(bakery.oven.on_wake, 0.004)

    def on_bread_ready(self, loaf):
        self.breads += 1
        if self.breads == 4 and FAULT == "error":
            raise KeyError("basket")
        if self.breads == 3 and FAULT == "slow":
            time.sleep(0.4)
        while self.breads == 3 and FAULT == "loop":
            pass


class Customer:
    """Looks at the clock until it leaves."""

    def __init__(self):
        pyglet.clock.schedule_interval(self.on_look, 0.15)

    def on_look(self, dt):
        pass

    def delete(self):
        if FAULT != "stale":
            pyglet.clock.unschedule(self.on_look)


class Bakery:
    """A night of a second and a half."""

    def __init__(self):
        self.oven, self.counter, self.customer = Oven(), Counter(), Customer()
        if FAULT == "early":
            self.oven.dispatch_event("on_open")
        self.oven.push_handlers(on_bread_ready=self.counter.on_bread_ready, on_open=self.counter.on_open)
        if FAULT != "early":
            self.oven.dispatch_event("on_open")
        if FAULT == "circle":
            pyglet.clock.schedule_once(self.oven.on_wake, 0.2)
        if FAULT == "poll":
            pyglet.clock.schedule(self.counter.on_look)
        if FAULT == "double":
            self.oven.push_handlers(on_bread_ready=self.counter.on_bread_ready)
        pyglet.clock.schedule_once(self.on_midnight, 0.75)
        # a circle is one by its many turns, which take time where the machine is slow
        pyglet.clock.schedule_once(self.on_close, 4.0 if FAULT == "circle" else 1.5)

    def on_midnight(self, dt):
        self.customer.delete()

    def on_close(self, dt):
        pyglet.app.exit()


bakery = Bakery()
pyglet.app.run()
