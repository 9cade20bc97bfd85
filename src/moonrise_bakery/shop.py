"""The shop: customers at the till, the ledger, the bell, and the inspector."""

from __future__ import annotations

from moonrise_bakery.kitchen import Counter
from moonrise_bakery.runtime import Event, Thing, World
from moonrise_bakery.runtime.parts import Listener

TILL_PLACE = 5.0
WALKING_SPEED = 1.6


class Customer(Thing):
    """Walks to the till, is served, pays, walks out."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.place = 0.0
        self.direction = 1
        self.waiting = 0
        self.walking = self.listen("tick", self.on_tick)
        self.listen("served", self.on_served)
        self.listen("pay", self.on_pay, self)
        self.listen("quarter", self.on_quarter)
        self.listen("receipt", self.on_receipt)
        if "bound-by-luck" in world.faults:
            self.listen("settle", self.on_settle, self)
            self.after_frames(world.random.randint(4, 12), "settle")
        else:
            self.on_settle(None)
        world.zones.watch(self)

    def on_tick(self, event: Event) -> int:
        """Walk on."""
        self.place += self.direction * WALKING_SPEED / self.world.hz
        if self.direction > 0 and self.place >= TILL_PLACE:
            self.unlisten(self.walking)
            self.waiting = self.world.recorder.wait(self.name, "served")
            self.send("customer_waits", {"who": self.name})
            if "wait-and-gone" in self.world.faults and self.world.random.random() < 0.3:
                self.leave()  # the fault: in a hurry, and off without a word
        elif self.direction < 0 and self.place <= 0:
            stays_bound = ("quarter",) if "called-after-gone" in self.world.faults else ()
            self.leave(forget=stays_bound)
        return 1

    def on_served(self, event: Event) -> int:
        """Take the bread if it is mine, and get the money out."""
        if event.data["who"] != self.name:
            return 0
        self.world.recorder.met(self.waiting, event.number)
        self.after(0.9, "pay", {"who": self.name})
        return 1

    def on_pay(self, event: Event) -> int:
        """Pay and turn to the door."""
        self.send("paid", {"who": self.name, "coins": 3})
        self.direction = -1
        self.walking = self.listen("tick", self.on_tick)
        return 2

    def on_quarter(self, event: Event) -> int:
        """Look at the time."""
        return 1

    def on_settle(self, event: Event | None) -> int:
        """Have an ear for the bell from now on."""
        self.listen("welcome", self.on_welcome)
        return 1

    def on_welcome(self, event: Event) -> int:
        """Nod, if it is meant for me."""
        return int(event.data["other"] == self.name)

    def on_receipt(self, event: Event) -> int:
        """Take it."""
        return 1


class Till(Thing):
    """Serves whoever waits, in turn; sells on the player's key press."""

    def __init__(self, world: World, counter: Counter) -> None:
        super().__init__(world)
        self.counter = counter
        self.sold = 0
        self.line: list[str] = []
        self.listen("customer_waits", self.on_customer_waits)
        self.listen("serve", self.on_serve, self)
        self.listen("paid", self.on_paid)
        if "receiver-gone" in world.faults:
            self.listen("late_receipt", self.on_late_receipt, self)
        edge = "held" if "held-input" in world.faults else "down"
        self.listen(f"key_sell_{edge}", self.on_sell)
        world.zones.add(
            self, "till", TILL_PLACE - 1.0, TILL_PLACE + 1.0, Customer, tells_stay="stay-loop" in world.faults
        )

    def on_customer_waits(self, event: Event) -> int:
        """Note who waits and serve after a while."""
        self.line.append(event.data["who"])
        self.after(1.2, "serve", {"who": event.data["who"]})
        return 1

    def on_serve(self, event: Event) -> int:
        """Serve the one whose turn it is."""
        who = event.data["who"]
        self.line.remove(who)
        if who in self.world.things:
            self.send("served", {"who": who})
        return 1

    def on_paid(self, event: Event) -> int:
        """Ring up the sale."""
        if "two-routes" in self.world.faults:
            self.send("coin", event.data)
        self.send("sale", event.data)
        self.send("thank_yuo" if "near-name" in self.world.faults else "thank_you")
        if "receiver-gone" in self.world.faults:
            self.after(5.0, "late_receipt", event.data)
        else:
            self.send("receipt", to=event.data["who"])
        return 1

    def on_late_receipt(self, event: Event) -> int:
        """The fault: the printer takes its time, and the customer has left."""
        self.send("receipt", to=event.data["who"])
        return 1

    def on_sell(self, event: Event) -> int:
        """Sell a loaf over the counter."""
        self.sold += 1
        return 1


class Ledger(Thing):
    """Books the income."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.income = 0
        self.quarters = 0
        self.listen("sale", self.on_income)
        if "two-routes" in world.faults:
            self.listen("coin", self.on_income)
        self.listen("quarter", self.on_quarter)

    def on_income(self, event: Event) -> int:
        """Add a payment."""
        self.income += event.data["coins"]
        self.world.recorder.watch(self.name, "income", self.income)
        return 1

    def on_quarter(self, event: Event) -> int:
        """Write the quarter's line (and, the fault, all the books at once)."""
        self.quarters += 1
        if self.quarters == 5 and "slow-call" in self.world.faults:
            stack = ["Ledger.write_page moonrise_bakery/shop.py:126", "Ledger.on_quarter moonrise_bakery/shop.py:124"]
            self.world.hang(1.3, stack)
        return 1


class Bell(Thing):
    """Rings when the door opens, and when an inspector whistles."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.listen("door_enter", self.on_door_enter)
        self.listen("bell_fades", self.on_fade, self)
        self.listen("thank_you", self.on_thank_you)
        if "zone-undone" in world.faults:
            self.listen("hush", self.on_hush, self)
        if {"zone-undone", "zone-unfiltered"} & world.faults:
            world.zones.unfiltered.add("door")
        self.listen("inspector_comes", self.on_inspector_comes)
        self.listen("inspector_leaves", self.on_inspector_leaves)
        self._whistle: Listener | None = None
        world.zones.add(self, "door", 0.2, 0.6, Customer)

    def on_door_enter(self, event: Event) -> int:
        """Ring, and fade after six frames."""
        if not event.data["other"].startswith("customer"):
            if "zone-undone" not in self.world.faults:
                return 0
            self.after_frames(1, "hush", event.data)  # the fault: it rang for a mouse, and must be silent again
            return 1
        self.send("welcome", event.data)
        self.after_frames(6, "bell_fades", event.data)
        return 1

    def on_hush(self, event: Event) -> int:
        """The fault: take it back."""
        return 1

    def on_thank_you(self, event: Event) -> int:
        """Tinkle."""
        return 1

    def on_fade(self, event: Event) -> int:
        """Be silent again."""
        return 1

    def on_inspector_comes(self, event: Event) -> int:
        """Listen for that inspector's whistle."""
        self._whistle = self.listen("whistle", self.on_whistle, event.sender)
        self.world.recorder.say("an inspector drops in", "warning", self.name)
        return 1

    def on_inspector_leaves(self, event: Event) -> int:
        """Stop listening for it."""
        if self._whistle is not None and "sender-gone" not in self.world.faults:
            self.unlisten(self._whistle)
            self._whistle = None
        return 1

    def on_whistle(self, event: Event) -> int:
        """Ring back."""
        return 1


class Inspector(Thing):
    """Drops in, looks at the ovens, whistles, leaves."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.listen("look_around", self.on_look_around, self)
        self.listen("go_home", self.on_go_home, self)
        self.listen("note", self.on_note, self)
        self.every(0.7, "note")
        self.after(1.0, "look_around")
        self.after(5.0, "go_home")
        self.send("inspector_comes")

    def on_look_around(self, event: Event) -> int:
        """Inspect and whistle."""
        self.send("inspection")
        self.send("whistle")
        return 1

    def on_go_home(self, event: Event) -> int:
        """Leave."""
        self.send("inspector_leaves")
        self.leave(keep=("note",) if "timer-left" in self.world.faults else ())
        return 1

    def on_note(self, event: Event) -> int:
        """Write a note."""
        return 1


class Mat(Thing):
    """The mat at the till; the fault makes it ask every frame whether its customer was served."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.seen = 0
        self.listen("till_enter", self.on_enter)
        self.listen("welcome", self.on_welcome)
        if "stay-loop" in world.faults:
            self.listen("till_stay", self.on_stay)

    def on_enter(self, event: Event) -> int:
        """Be stepped on."""
        self.seen += 1
        return 1

    def on_welcome(self, event: Event) -> int:
        """Be warm."""
        return 1

    def on_stay(self, event: Event) -> int:
        """Look whether the one on the mat holds bread yet."""
        self.world.pace.spend(90)
        return 0


class Tray(Thing):
    """A tray of crumbs; the fault drops it."""

    def __init__(self, world: World) -> None:
        super().__init__(world)
        self.crumbs = 0
        self.listen("crumb_fell", self.on_crumb)
        self.listen("tray_tilts", self.on_tilt, self)
        self.after(31.0, "tray_tilts")

    def on_tilt(self, event: Event) -> int:
        """Lose a crumb (or, the fault, hundreds)."""
        for crumb in range(600 if "many-calls" in self.world.faults else 1):
            self.send("crumb_fell", {"crumb": crumb})
        return 1

    def on_crumb(self, event: Event) -> int:
        """Count a crumb."""
        if "many-calls" in self.world.faults:
            self.world.pace.spend(450)
        self.crumbs += 1
        return 1
