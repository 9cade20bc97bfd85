"""Streams written record by record, for what neither the bakery nor a scene does."""

from __future__ import annotations

from tape import Tape


def mirrored() -> Tape:
    """Two peers whose shared shelf both change for one networked event."""
    tape = Tape(peer="host")
    tape("head", opossum=1, game="test", peer="guest", p="guest")
    for peer in ("host", "guest"):
        tape("frame", n=0, p=peer)("idle", p=peer)("frame", n=1, p=peer)
    for number in range(3):
        for peer in ("host", "guest"):
            tape("bind", b=number + 1, ev="stocked", o="shelf#1", fn="Shelf.on_stocked", at="shelf.gd:4", p=peer)
            tape("send", s=number + 1, ev="stocked", via="net", net=f"n{number}", d={"n": number}, p=peer)
            tape("call", c=number + 1, s=number + 1, b=number + 1, o="shelf#1", fn="Shelf.on_stocked", p=peer)
            tape.ms(0.5 + number)("ret", c=number + 1, eff=1, p=peer)
            tape("unbind", b=number + 1, p=peer)("idle", p=peer).ms(10)("frame", n=number + 2, p=peer)
    return tape


def entered_again() -> Tape:
    """Two doors that say `enter` again and again before anybody left, one of them to a class of listeners."""
    tape = Tape().frame().frame()
    bells = [tape.bind("door_enter", f"bell#{number}", "Bell.on_enter", at="bell.gd:3") for number in (1, 2)]
    lamp = tape.bind("gate_enter", "lamp#1", "Lamp.on_enter")
    for _ in range(3):
        tape.frame().heard("door_enter", *bells, takes_ms=0.3, o="door#1", via="zone", edge="enter", d={"other": "cat"})
        tape.heard("gate_enter", lamp, o="gate#1", via="zone", edge="enter", d={"other": "dog"})
    tape.frame().send("gate_leave", o="gate#1", via="zone", edge="leave", d={"other": "dog"})
    tape.frame().heard("gate_enter", lamp, o="gate#1", via="zone", edge="enter", d={"other": "dog"})
    return tape


def beyond(values: list[object], sends: list[bool], via: str = "tick") -> Tape:
    """An oven that sends on every frame on which its heat is beyond a level."""
    tape = Tape().frame().frame()
    oven = tape.bind(via, "oven#1", "Oven.on_look", at="oven.gd:8")
    alarm = tape.bind("too_hot", "bell#1", "Bell.on_alarm")
    armed = tape.arm("timer", "oven#1", via) if via == "timer" else None
    for value, sent in zip(values, sends, strict=True):
        tape.frame()("watch", o="oven#1", name="name", v="the big one")("watch", o="oven#1", name="heat", v=value)
        c = tape.open_call(tape.send(via, via=via, o="oven#1", a=armed), oven)
        if sent:
            tape.heard("too_hot", alarm, takes_ms=0.4, o="oven#1", c=c)
        tape("ret", c=c, eff=1)
    return tape


def two_above() -> Tape:
    """Two ovens that send while they are hot, each by a level of its own, and a third whose level nobody watches yet."""
    tape = Tape().frame().frame()
    ovens = [tape.bind("tick", f"oven#{number}", "Oven.on_look", at="oven.gd:8") for number in (1, 2, 3)]
    alarm = tape.bind("too_hot", "bell#1", "Bell.on_alarm")
    for heats in ((100, 20, 1), (210, 60, 1), (220, 70, 1), (230, 80, 9), (150, 40, 9)):
        tick = tape.frame().send("tick", via="tick")
        for number, (oven, heat) in enumerate(zip(ovens, heats, strict=True), start=1):
            if number < 3 or heat == 9:
                tape("watch", o=oven.owner, name="heat", v=heat)
            c = tape.open_call(tick, oven)
            if heat in (210, 220, 230, 60, 70, 80) or (number == 3 and heat == 1):
                tape.heard("too_hot", alarm, o=oven.owner, c=c)
            tape("ret", c=c, eff=1)
    return tape.frame()


def delays() -> Tape:
    """Two delays that are pending together and both land, of two ovens."""
    tape = Tape().frame().frame()
    for number in (1, 2):
        ready = tape.bind("ready", f"oven#{number}", "Oven.on_ready")
        arms = [tape.frame().arm("delay", f"oven#{number}", "ready", at=f"oven.gd:{n}") for n in (7, 9)]
        for a in arms:
            tape.frame().heard("ready", ready, takes_ms=1, via="delay", a=a, o=f"oven#{number}")
            tape("disarm", a=a, how="done")
    return tape


def stood_still() -> Tape:
    """A thread that stands still between two calls, without a watchdog that saw it."""
    tape = Tape(hz=60).frame()
    bell = tape.bind("bell", "till#1", "Till.on_bell", at="till.gd:5")
    for _ in range(8):
        tape.frame().heard("bell", bell, takes_ms=1)
    tape.frame().ms(20)
    tape.heard("bell", bell, takes_ms=2)
    tape.ms(310).heard("bell", bell, takes_ms=3)
    return tape.ms(30).frame().frame()


def cut_off() -> Tape:
    """A stream that ends inside a call, and nobody saw why."""
    tape = Tape(hz=60).frame()
    bell = tape.bind("bell", "till#1", "Till.on_bell", at="till.gd:5")
    for _ in range(8):
        tape.frame().heard("bell", bell, takes_ms=1)
    tape.frame().call(tape.send("bell"), bell, returns=False)
    return tape("log", text="so far")


def turned_outside() -> Tape:
    """A guarded loop that turned outside any call, once with a watchdog that did not tell how long."""
    tape = Tape(hz=60, peer="shop").frame()
    bell = tape.bind("bell", "till#1", "Till.on_bell", at="till.gd:5")
    for _ in range(8):
        tape.frame().heard("bell", bell, takes_ms=1)
    tape.frame()
    tape.ms(150)("spin", at="boot.gd:12", n=3000)
    tape.ms(150)("spin", at="boot.gd:12", n=9000)("stuck", sec=None, stack=[])
    tape.ms(40).frame().heard("bell", bell, takes_ms=1)
    tape.frame().ms(200)("spin", at="boot.gd:30", n=5)
    return tape.frame().frame()


def bursts() -> Tape:
    """Two bursts: of one event that two classes hear, and of another beside it that costs less."""
    tape = Tape(hz=60).frame()
    heard = [
        tape.bind("crumb", f"{name}#1", f"{name.title()}.on_crumb", at=f"{name}.gd:3") for name in ("tray", "sink")
    ]
    drop = tape.bind("drop", "tap#1", "Tap.on_drop", at="tap.gd:2")
    for _ in range(8):
        tape.frame().heard("drop", drop, takes_ms=1)
    for times in (80, 60):
        tape.frame()
        for number in range(times):
            tape.heard("crumb", *heard, takes_ms=1.5, d={"n": number})
            tape.heard("drop", drop, takes_ms=0.5, d={"n": number})
    for _ in range(3):
        tape.frame()
    for number in range(400):
        tape.heard("drop", drop, takes_ms=0.5, d={"n": number})
    return tape.frame().frame()


def stood_still_at_once() -> Tape:
    """A thread that stands still before a frame's first call, worked for half of it another time, with a stack both times."""
    tape = Tape(hz=60).frame()
    bell = tape.bind("bell", "till#1", "Till.on_bell", at="till.gd:5")
    for _ in range(8):
        tape.frame().heard("bell", bell, takes_ms=1)
    tape.frame().ms(300)("stuck", sec=0.3, stack=["load disk.gd:7", "main main.gd:1"])
    tape.ms(100).heard("bell", bell, takes_ms=2)
    tape.frame().frame().heard("bell", bell, takes_ms=2)
    tape.ms(260)("stuck", sec=0.25, stack=["sort shelves.gd:9"]).ms(200)
    tape("idle", cpu=400_000_000)
    tape.frame(idle=False).ms(350)  # a frame without any call, and calls after it
    return tape.frame().heard("bell", bell, takes_ms=2) and tape.frame().frame()


def looked_at_some() -> Tape:
    """Polls of which only some were looked at: by effect, by what the owner showed, and one that sends unlooked at."""
    tape = Tape(hz=60).frame().frame()
    eye = tape.bind("tick", "eye#1", "Eye.on_tick", at="eye.gd:2")
    ear = tape.bind("tick", "ear#1", "Ear.on_tick", at="ear.gd:2")
    cat = tape.bind("seen", "cat#1", "Cat.on_seen")
    for number in range(400):
        tick = tape.frame().send("tick", via="tick")
        c = tape.open_call(tick, eye)
        tape.ms(0.3)
        if number in (100, 300):
            tape.heard("seen", cat, c=c)
        tape("ret", c=c, eff=0 if number % 2 and number != 300 else None)
        c = tape.open_call(tick, ear)
        tape.ms(0.4)("ret", c=c, own=int(number in (31, 231)) if number % 2 else None)
    return tape.frame()


def visitors_of_no_name() -> Tape:
    """A zone that cats are served in, and that others pass who have no name in any record, some of them no name at all."""
    tape = Tape(hz=60).frame().frame()
    mat = tape.bind("mat_enter", "mat#1", "Mat.on_enter", at="mat.gd:4")
    tape("spawn", o="cat#1", cls="Cat")
    visitors = ["cat#1", "ant#{number}", {"name": "crumb"}]
    for number in range(90):
        who = visitors[number % 3]
        other = who.format(number=number) if isinstance(who, str) else who
        data = {"zone": "mat", "other": other}
        tape.frame().heard("mat_enter", mat, eff=int(number % 3 == 0), o="mat#1", via="zone", edge="enter", d=data)
        tape.send("mat_leave", o="mat#1", via="zone", edge="leave", d=data)
    return tape.frame()


def machine_taken_away() -> Tape:
    """Frames in which the thread could have run and was not run, in one of them while it was in a call that took long even so."""
    tape = Tape(hz=60).frame().frame()
    bell = tape.bind("bell", "cat#1", "Cat.on_bell", at="cat.gd:5")
    for number in range(12):
        tape("idle", cpu=1_000_000, ready=400_000_000 if number in (5, 7) else 0) if number else None
        tape.ms(3)("frame", n=number + 2).ms(420 if number in (4, 6) else 2)
    tape("idle", cpu=1_000_000, ready=0).ms(3)("frame", n=14).heard("bell", bell, takes_ms=400)
    return tape("idle", ready=150_000_000).ms(5)("frame", n=15)("idle").ms(16)("frame", n=16)


def bound_by_luck() -> Tape:
    """New objects bound with two functions, every other one after the event was sent."""
    tape = Tape(hz=60).frame().frame()
    host = tape.bind("wave_begins", "host#1", "Host.on_wave")
    for number in range(6):
        name, function = f"guest#{number}", "on_wave" if number % 3 else "on_first_wave"
        tape.frame()("spawn", o=name, cls="Guest")
        guest = None if number % 2 else tape.bind("wave_begins", name, function, at="guest.gd:7")
        tape.heard("wave_begins", *filter(None, (host, guest)), o="rules#1")
        if guest is None:
            guest = tape.frame().bind("wave_begins", name, function, at="guest.gd:9")
        tape.frame()("unbind", b=guest.number)("gone", o=name)
    return tape.frame()


def queued_and_left() -> Tape:
    """A queue that grows though what was pulled from it was pulled at once, and a timer of nobody that nobody hears."""
    tape = Tape(hz=60).frame().frame()
    clerk = tape.bind("letter", "clerk#1", "Clerk.on_letter")
    timer = tape.arm("timer", "", "chime", sec=0.05, at="tower.gd:3")
    for number in range(300):
        tape.frame()
        if number % 3 == 0:
            s = tape.send("letter", via="queue", o="post#1")
            tape("put", q="letters", s=s)
            if number % 6 == 0 and number < 30:
                tape("pull", q="letters", s=s).call(s, clerk)
            tape.send("chime", via="timer", a=timer)
    return tape.frame()


def round_and_round() -> Tape:
    """Two listeners that call each other over frames, begun by a key that a third heard."""
    tape = Tape(hz=60).frame().frame()
    door = tape.bind("key", "door#1", "Door.on_key")
    ball = [
        tape.bind(event, f"{event}#1", f"{event.title()}.on_{event}", at=f"{event}.gd:4") for event in ("ping", "pong")
    ]
    cause = tape.open_call(tape.send("key", via="input", key="E", edge="down"), door)
    sent = tape.send("ping", c=cause)
    tape("ret", c=cause, eff=1)
    for number in range(130):
        call = tape.open_call(sent, ball[number % 2])
        sent = tape.send(("pong", "ping")[number % 2], c=call)
        tape("ret", c=call, eff=1)
        if number % 2 == 0:
            tape.frame()
    return tape.frame()


def of_one_function(carts: int) -> Tape:
    """Carts that roll in one order in most frames, and the other way round in some."""
    tape = Tape(hz=60, phases=["update"])
    rolls = [tape.bind("tick", f"cart#{number + 1}", "Cart.roll", at="cart.gd:6") for number in range(carts)]
    for number in range(120):
        tape.frame()("phase", name="update")
        tape.heard("tick", *(rolls[::-1] if number % 20 == 3 else rolls), via="tick")
    return tape.frame()


def pulled_unseen() -> Tape:
    """Two queues, from one of which something is pulled that nobody is called for, from the other nothing."""
    tape = Tape(hz=60).frame().frame()
    for number in range(200):
        tape.frame()
        if number < 5:
            for queue in ("letters", "parcels"):
                s = tape.send("letter", via="queue", o="post#1")
                tape("put", q=queue, s=s)
                if queue == "letters" and number == 1:
                    tape("pull", q=queue, s=s)
    return tape.frame()


def ahead() -> Tape:
    """A timer that is asked for every six frames and fires in each."""
    tape = Tape(hz=60).frame().frame()
    drop = tape.bind("drop", "pail#1", "Pail.on_drop")
    timer = tape.arm("timer", "tap#1", "drop", sec=None, frames=6, at="tap.gd:4")
    for _ in range(12):
        tape.frame(length_ms=16.6).heard("drop", drop, via="timer", a=timer, o="tap#1")
    tape("disarm", a=timer, how="cleared")
    return tape.frame()


TAPES = {
    "mirrored": mirrored,
    "entered again": entered_again,
    "above": lambda: beyond([100, 180, 220, 230, 240, 150, 120], [False, False, True, True, True, False, False]),
    "below": lambda: beyond([9.5, 3, 2.5, 2, 4, 1, 1], [False, True, True, True, False, True, True], "timer"),
    "by name": lambda: beyond(["low", "high", "high", "high"], [False, True, True, True]),
    "two above": two_above,
    "two delays": delays,
    "stood still": stood_still,
    "cut off": cut_off,
    "turned outside": turned_outside,
    "bursts": bursts,
    "stood still at once": stood_still_at_once,
    "looked at some": looked_at_some,
    "visitors of no name": visitors_of_no_name,
    "machine taken away": machine_taken_away,
    "bound by luck": bound_by_luck,
    "queued and left": queued_and_left,
    "round and round": round_and_round,
    "two of one function": lambda: of_one_function(2),
    "three of one function": lambda: of_one_function(3),
    "pulled unseen": pulled_unseen,
    "ahead": ahead,
}
"""By what they show."""
