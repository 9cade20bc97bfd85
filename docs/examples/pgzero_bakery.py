"""The bakery's night in miniature, for Pygame Zero; without a screen set SDL_VIDEODRIVER=dummy.

    opossum record pgzrun pgzero_bakery.py [FAULT]

Faults: poll (a shelf looks on every frame), loop (it looks by a delay that sets itself again), cut (the tray is moved anew
before it has arrived).
"""

import sys

import pgzrun

WIDTH = HEIGHT = 64
FAULT = sys.argv[1] if len(sys.argv) > 1 else ""
turn = 0


class Oven:
    """Bakes, and moves its tray."""

    def __init__(self):
        self.breads = self.x = 0

    def steam(self):
        self.breads += 1

    def tray_up(self):
        self.breads += 10


class Shelf:
    """Looks for breads."""

    def __init__(self):
        self.loaves = []

    def look(self):
        for loaf in self.loaves:
            loaf.eaten = True
        if FAULT == "loop":
            clock.schedule(self.look, 0.005)

    def look_each_turn(self, dt):
        self.look()


oven, shelf = Oven(), Shelf()
clock.schedule_interval(oven.steam, 0.2)
clock.schedule(oven.tray_up, 0.3)
if FAULT == "poll":
    clock.each_tick(shelf.look_each_turn)
if FAULT == "loop":
    shelf.look()


def update(dt):
    global turn
    turn += 1
    if turn == 10:
        animate(oven, duration=0.3, on_finished=oven.tray_up, x=10)
    if turn == 12 and FAULT == "cut":
        animate(oven, duration=0.1, x=0)
    if turn == 60:
        clock.unschedule(oven.steam)
    if turn == 100:
        sys.exit()


def on_key_down(key):
    oven.breads = 0


def draw():
    screen.clear()


pgzrun.go()
