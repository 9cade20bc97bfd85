"""The bakery's night in miniature, for pygame-ce; without a screen set SDL_VIDEODRIVER=dummy.

    opossum record -- python pygame_bakery.py [FAULT]

Faults: slow (a handler holds one frame up), loop (a handler never ends), left (an event is posted that nobody takes),
seldom (events are taken in every tenth frame only), error (an oven fails), poll (ovens look on every frame for nothing).
"""

import sys
import time

import pygame

FAULT = sys.argv[1] if len(sys.argv) > 1 else ""
QUARTER = pygame.USEREVENT + 1
BREAD = pygame.USEREVENT + 2
CRUMB = pygame.USEREVENT + 3


class Oven(pygame.sprite.Sprite):
    """Bakes, and says when a bread is done."""

    def __init__(self):
        super().__init__()
        self.heat = 0

    def update(self):
        if FAULT == "poll":
            return
        self.heat += 1
        if self.heat == 20 and FAULT == "error":
            raise KeyError("basket")
        if self.heat % 20 == 0:
            pygame.event.post(pygame.event.Event(BREAD, loaf=self.heat // 20))
            if FAULT == "left":
                pygame.event.post(pygame.event.Event(CRUMB))


class Bakery:
    """Two ovens and a counter."""

    def __init__(self):
        pygame.init()
        pygame.display.set_mode((64, 64))
        self.clock = pygame.time.Clock()
        self.ovens = pygame.sprite.Group(Oven(), Oven())
        self.quarters = 0
        pygame.time.set_timer(QUARTER, 100)

    def handle(self):
        taken = (QUARTER, BREAD) if FAULT == "left" else None
        for event in pygame.event.get(taken):
            if event.type == QUARTER:
                self.quarters += 1
                if self.quarters == 4 and FAULT == "slow":
                    time.sleep(0.4)
                while self.quarters == 4 and FAULT == "loop":
                    pass
            elif event.type == BREAD and event.loaf == 2 and len(self.ovens) == 2:
                self.ovens.sprites()[0].kill()

    def run(self):
        frame = 0
        # so many quarters, and on a slow machine at least so many frames
        while self.quarters < (40 if FAULT in ("left", "poll") else 12) or frame < 70:
            frame += 1
            if FAULT != "seldom" or frame % 10 == 0:
                self.handle()
            self.ovens.update()
            pygame.display.flip()
            self.clock.tick(60)
        pygame.time.set_timer(QUARTER, 0)


Bakery().run()
