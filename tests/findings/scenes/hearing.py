"""Scenes of what is sent, bound, heard and raised."""

from __future__ import annotations

from findings.scenes import fault, quiet
from tape import Stage


@fault("unheard", "near-name", 100, ev="Vent_Open")
def a_name_in_other_letters(stage: Stage) -> int:
    stage.spawn("fan#1", "Fan")
    stage.bind("vent_open", "fan#1", "Fan.spin")
    stage.at(100, 160, do=lambda: stage.send("Vent_Open", o="panel#1"))
    return 300


@fault("unheard", "near-name", 100, ev="door_clsoed")
def a_name_with_two_letters_swapped(stage: Stage) -> int:
    bell = stage.bind("door_closed", "bell#1", "Bell.on_closed")
    stage.at(50, do=lambda: stage.heard("door_closed", bell, o="door#1"))
    stage.at(100, do=lambda: stage.send("door_clsoed", o="door#1"))
    return 300


@quiet("unheard", "near-name")
def names_of_three_letters_are_near_by_chance(stage: Stage) -> int:
    stage.bind("hop", "frog#1", "Frog.on_hop")
    stage.at(100, do=lambda: stage.send("top", o="frog#1"))
    return 200


@quiet("unheard", "near-name")
def two_edits_apart_is_another_name(stage: Stage) -> int:
    stage.bind("bread_ready", "till#1", "Till.on_bread")
    stage.at(100, do=lambda: stage.send("bread_reads!", o="oven#1"))
    return 200


@quiet("unheard", "near-name")
def numbered_names_are_meant(stage: Stage) -> int:
    stage.bind("shelf_1", "till#1", "Till.on_shelf")
    stage.at(100, do=lambda: stage.send("shelf_2", o="shelf#2"))
    return 200


@quiet("unheard", "near-name")
def heard_on_another_peer(stage: Stage) -> int:
    stage.bind("Vent_Open", "fan#1", "Fan.spin")
    listener = stage.bind("vent_open", "fan#1", "Fan.spin")

    def over_the_net() -> None:
        stage.send("vent_Open", o="panel#1", net="n1")
        stage.heard("vent_open", listener, net="n1", via="net")

    stage.at(100, do=over_the_net)
    return 200


@fault("unheard", "sent-before-bind", 30, ev="first_order", o="till#1", cls="Till")
def bound_two_frames_too_late(stage: Stage, seconds: float = 2 / 60, later: int = 0) -> int:
    stage.at(30 + later, do=lambda: stage.send("first_order", o="rules#1"))

    def open_till() -> None:
        stage.spawn("till#1", "Till")
        stage.bind("first_order", "till#1", "Till.on_order")

    stage.at(30 + later + round(seconds * stage.hz), do=open_till)
    return 15 * stage.hz


@quiet("unheard", "sent-before-bind")
def the_player_pressed_too_early(stage: Stage) -> int:
    stage.at(20, do=lambda: stage.send("press", via="input", key="space", edge="down"))
    stage.at(25, do=lambda: stage.bind("press", "gate#1", "Gate.on_press", via="input"))
    return 60


@quiet("unheard", "sent-before-bind")
def bound_long_after(stage: Stage) -> int:
    return bound_two_frames_too_late(stage, seconds=5.5)


@quiet("unheard", "sent-before-bind")
def sent_when_all_was_set_up_long_ago(stage: Stage) -> int:
    stage.spawn("till#1", "Till")
    stage.at(10 * stage.hz, do=lambda: stage.send("first_order", o="rules#1"))
    stage.at(10 * stage.hz + 3, do=lambda: stage.bind("first_order", "till#1", "Till.on_order"))
    return 13 * stage.hz


@quiet("unheard", "sent-before-bind")
def a_timer_fires_again_for_who_came_late(stage: Stage) -> int:
    a = stage.arm("timer", "clock#1", "minute", sec=0.5)
    bound = []
    stage.at(*range(30, 300, 30), do=lambda: stage.heard("minute", *bound, o="clock#1", via="timer", a=a))
    stage.at(70, do=lambda: bound.append(stage.bind("minute", "lamp#1", "Lamp.on_minute")))
    return 300


@quiet("unheard", "sent-before-bind")
def guests_come_and_go(stage: Stage) -> int:
    """A bell that rings now and then, whoever is in."""
    for number, begin in enumerate(range(60, 900, 200)):
        who = f"guest#{number}"
        bound = []

        def come(who: str = who, bound: list = bound) -> None:
            stage.spawn(who, "Guest")
            bound.append(stage.bind("bell", who, "Guest.on_bell"))

        def go(who: str = who, bound: list = bound) -> None:
            stage("unbind", b=bound[0].number)("gone", o=who)

        stage.at(begin, do=come)
        stage.at(begin + 30, do=lambda bound=bound: stage.heard("bell", *bound, o="door#1"))
        stage.at(begin + 90, do=go)
        stage.at(begin + 130, do=lambda: stage.send("bell", o="door#1"))
    return 900


@fault("unheard", "receiver-gone", 200, ev="served")
def addressed_to_one_who_left(stage: Stage) -> int:
    stage.spawn("guest#1", "Guest")
    guest = stage.bind("served", "guest#1", "Guest.on_served")
    stage.at(100, do=lambda: stage.heard("served", guest, o="till#1", to="guest#1"))
    stage.at(150, do=lambda: stage("unbind", b=guest.number)("gone", o="guest#1"))
    stage.at(200, do=lambda: stage.send("served", o="till#1", to="guest#1"))
    return 300


@fault("unheard", "receiver-gone", 200, ev="served")
def the_only_one_who_listened_left(stage: Stage) -> int:
    stage.spawn("guest#1", "Guest")
    guest = stage.bind("served", "guest#1", "Guest.on_served")
    stage.at(100, do=lambda: stage.heard("served", guest, o="till#1"))
    stage.at(150, do=lambda: stage("unbind", b=guest.number)("gone", o="guest#1"))
    stage.at(200, 260, do=lambda: stage.send("served", o="till#1"))
    return 300


@quiet("unheard", "receiver-gone")
def nobody_ever_listened(stage: Stage) -> int:
    stage.at(100, 200, do=lambda: stage.send("confetti", o="till#1"))
    return 300


@fault("unheard", "wrong-object", 100, ev="opened")
def one_oven_nobody_listens_to(stage: Stage) -> int:
    for oven in ("oven#1", "oven#2"):
        stage.spawn(oven, "Oven")
    first = stage.bind("opened", "baker#1", "Baker.on_open", src="oven#1")
    stage.at(60, do=lambda: stage.heard("opened", first, o="oven#1"))
    stage.at(100, 150, do=lambda: stage.send("opened", o="oven#2"))
    return 300


@fault("unheard", "wrong-object", 100, ev="knock")
def addressed_to_one_who_does_not_listen(stage: Stage) -> int:
    for door in ("door#1", "door#2"):
        stage.spawn(door, "Door")
    first = stage.bind("knock", "door#1", "Door.on_knock")
    stage.at(60, do=lambda: stage.heard("knock", first, o="guest#1", to="door#1"))
    stage.at(100, do=lambda: stage.send("knock", o="guest#1", to="door#2"))
    return 300


@quiet("unheard", "wrong-object")
def addressed_to_one_who_may_be_who_listens(stage: Stage) -> int:
    stage.spawn("door#2", "Door")
    someone = stage.bind("knock", None, "Door.on_knock")
    stage.at(60, do=lambda: stage.heard("knock", someone, o="guest#1", to="door#1"))
    stage.at(100, do=lambda: stage.send("knock", o="guest#1", to="door#2"))
    return 300


@quiet("unheard", "wrong-object")
def a_sender_of_another_class(stage: Stage) -> int:
    stage.spawn("oven#1", "Oven")
    stage.spawn("door#1", "Door")
    first = stage.bind("opened", "baker#1", "Baker.on_open", src="oven#1")
    stage.at(60, do=lambda: stage.heard("opened", first, o="oven#1"))
    stage.at(100, do=lambda: stage.send("opened", o="door#1"))
    return 300


@fault("unheard", "first-only", 60, "risk", ev="order")
def the_second_cook_never_gets_an_order(stage: Stage) -> int:
    first = stage.bind("order", "cook#1", "Cook.on_order")
    stage.bind("order", "cook#2", "Cook.on_order")
    stage.at(60, 120, do=lambda: stage.heard("order", first, o="till#1", route="first"))
    return 300


@quiet("unheard", "first-only")
def cooks_take_turns(stage: Stage) -> int:
    first = stage.bind("order", "cook#1", "Cook.on_order")
    second = stage.bind("order", "cook#2", "Cook.on_order")
    stage.at(60, do=lambda: stage.heard("order", first, o="till#1", route="first"))
    stage.at(120, do=lambda: stage.heard("order", second, o="till#1", route="first"))
    return 300


@fault("unheard", "empty-name", 100, o="menu#1")
def an_event_without_a_name(stage: Stage, name: str = "") -> int:
    stage.at(100, do=lambda: stage.send(name, o="menu#1"))
    return 200


@fault("unheard", "empty-name", 100, o="menu#1")
def an_event_named_by_white_space(stage: Stage) -> int:
    return an_event_without_a_name(stage, " ")


@quiet("unheard", "empty-name")
def a_name_and_white_space(stage: Stage) -> int:
    bound = stage.bind(" go ", "menu#1", "Menu.on_go")
    stage.at(100, do=lambda: stage.heard(" go ", bound, o="menu#1"))
    return 200


@fault("unheard", "never-sent", 1, "risk", ev="alarm", cls="Gate")
def the_sender_is_missing_from_the_scene(stage: Stage, frames: int = 400) -> int:
    stage.spawn("gate#1", "Gate")
    stage.at(1, do=lambda: stage.bind("alarm", "gate#1", "Gate.on_alarm"))
    opened = stage.bind("opened", "gate#1", "Gate.on_open")
    stage.at(60, do=lambda: stage.heard("opened", opened, o="guard#1"))
    return frames


@fault("unheard", "never-sent", 1, "risk", ev="whistle", o="bell#1")
def the_only_sender_never_came(stage: Stage) -> int:
    stage.at(1, do=lambda: stage.spawn("bell#1", "Bell"))
    stage.at(1, do=lambda: stage.bind("whistle", "bell#1", "Bell.on_whistle", src="guard#9"))
    return 400


@quiet("unheard", "never-sent")
def two_of_its_events_never_came(stage: Stage) -> int:
    stage.bind("alarm", "gate#1", "Gate.on_alarm")
    stage.bind("flood", "gate#1", "Gate.on_flood")
    opened = stage.bind("opened", "gate#1", "Gate.on_open")
    stage.at(60, do=lambda: stage.heard("opened", opened, o="guard#1"))
    return 400


@quiet("unheard", "never-sent")
def the_player_never_pressed_it(stage: Stage) -> int:
    stage.spawn("gate#1", "Gate")
    stage.at(1, do=lambda: stage.bind("alarm", "gate#1", "Gate.on_alarm", via="input"))
    opened = stage.bind("opened", "gate#1", "Gate.on_open")
    stage.at(60, do=lambda: stage.heard("opened", opened, o="guard#1"))
    return 400


@quiet("unheard", "never-sent")
def a_delay_will_send_it_later(stage: Stage) -> int:
    """Nor a clip that has not come to its mark, whose name another peer listens to for ever."""
    stage.bind("alarm", "gate#1", "Gate.on_alarm")
    opened = stage.bind("opened", "gate#1", "Gate.on_open")
    stage.bind("high_note", "singer#1", "Singer.on_note")
    sung = stage.bind("sung", "singer#1", "Singer.on_sung")
    stage.at(60, do=lambda: (stage.heard("opened", opened, o="guard#1"), stage.heard("sung", sung, o="guard#1")))
    stage.at(80, do=lambda: stage.arm("delay", "gate#1", "alarm", sec=60.0, loop=False))
    stage.at(100, do=lambda: stage.play("singer#1", "aria", 30.0, [["high_note", 20.0]]))
    return 400


@quiet("unheard", "never-sent")
def its_only_sender_was_always_there(stage: Stage) -> int:
    """It never spawned and sent nothing yet, but it set a timer."""
    stage.at(1, do=lambda: stage.spawn("bell#1", "Bell"))
    stage.at(1, do=lambda: stage.bind("whistle", "bell#1", "Bell.on_whistle", src="guard#9"))
    stage.at(2, do=lambda: stage.arm("delay", "guard#9", "whistle", sec=60.0, loop=False))
    return 400


@quiet("unheard", "never-sent")
def bound_for_a_short_time(stage: Stage) -> int:
    return the_sender_is_missing_from_the_scene(stage, frames=250)


@fault("unheard", "queued-never-pulled", 100, ev="parcel", q="inbox")
def a_parcel_is_left_on_the_queue(stage: Stage, seconds: float = 3.0) -> int:
    clerk = stage.bind("parcel", "clerk#1", "Clerk.on_parcel")

    def put(pulled: bool) -> None:
        s = stage.send("parcel", o="door#1", via="queue", q="inbox")
        stage("put", q="inbox", s=s)
        if pulled:
            stage("pull", q="inbox", s=s)
            stage.call(s, clerk)

    stage.at(50, do=lambda: put(True))
    stage.at(100, do=lambda: put(False))
    return 100 + round(seconds * stage.hz)


@quiet("unheard", "queued-never-pulled")
def the_take_ends_before_it_is_pulled(stage: Stage) -> int:
    return a_parcel_is_left_on_the_queue(stage, seconds=1.5)


@fault("raised", "raised", 100, ev="order", cls="Cook", fn="Cook.on_order")
def a_cook_stumbles(stage: Stage) -> int:
    stage.spawn("cook#1", "Cook")
    cook = stage.bind("order", "cook#1", "Cook.on_order")
    stage.at(60, do=lambda: stage.heard("order", cook, o="till#1"))
    stage.at(100, 140, do=lambda: _stumble(stage, cook))
    return 200


def _stumble(stage: Stage, cook, route: str | None = None) -> int:
    s = stage.send("order", o="till#1", route=route)
    c = stage.open_call(s, cook)
    stage("ret", c=c, err="KeyError: 'bun'")
    return s


@fault("raised", "rest-not-called", 100, ev="order", cls="Cook", fn="Cook.on_order")
def the_others_are_not_called(stage: Stage, route: str | None = None) -> int:
    stage.spawn("cook#1", "Cook")
    cook = stage.bind("order", "cook#1", "Cook.on_order")
    ledger = stage.bind("order", "ledger#1", "Ledger.on_order")
    stage.at(60, do=lambda: stage.heard("order", cook, ledger, o="till#1"))
    stage.at(100, do=lambda: _stumble(stage, cook, route))
    return 200


@fault("raised", "raised", 100, ev="order", cls="Cook", fn="Cook.on_order")
def who_is_asked_alone_leaves_nobody_out(stage: Stage) -> int:
    return the_others_are_not_called(stage, route="first")


@fault("raised", "raised", 100, ev="order", cls="Cook", fn="Cook.on_order")
def who_is_meant_alone_leaves_nobody_out(stage: Stage) -> int:
    return the_others_are_not_called(stage, route="one")


@fault("raised", "raised", 100, ev="order", cls="Cook", fn="Cook.on_order")
def who_was_called_before_is_not_left_out(stage: Stage) -> int:
    """Calls do not tell their binds: listeners are known by owner and function."""
    stage.spawn("cook#1", "Cook")
    for owner, function in (("ledger#1", "Ledger.on_order"), ("cook#1", "Cook.on_order")):
        stage.bind("order", owner, function)

    def order(error: str | None = None) -> None:
        s = stage.send("order", o="till#1")
        for owner, function in (("ledger#1", "Ledger.on_order"), ("cook#1", "Cook.on_order")):
            c = stage.number("c")
            stage("call", c=c, s=s, o=owner, fn=function)
            stage("ret", c=c, eff=1, err=error if owner == "cook#1" else None)

    stage.at(60, do=order)
    stage.at(100, do=lambda: order("KeyError: 'bun'"))
    return 200


@quiet("raised", "rest-not-called")
def nothing_is_raised(stage: Stage) -> int:
    cook = stage.bind("order", "cook#1", "Cook.on_order")
    ledger = stage.bind("order", "ledger#1", "Ledger.on_order")
    stage.at(60, do=lambda: stage.heard("order", cook, ledger, o="till#1"))
    stage.at(100, do=lambda: stage.heard("order", cook, o="till#1"))
    return 200


@quiet("raised", "raised")
def an_error_that_was_logged_only(stage: Stage) -> int:
    cook = stage.bind("order", "cook#1", "Cook.on_order")
    stage.at(60, do=lambda: stage.heard("order", cook, o="till#1"))
    stage.at(60, do=lambda: stage("say", text="KeyError: 'bun'", level="error"))
    return 200


@fault("race-at-start", "by-luck", 161, "risk", ev="wave_begins", cls="Guest")
def guests_bind_now_before_now_after_the_wave(stage: Stage, spawns: int = 4, frames: int = 1, **sent: str) -> int:
    """Every other guest is bound a few frames after it came, and misses the wave's beginning."""
    host = stage.bind("wave_begins", "host#1", "Host.on_wave")
    bound: list = []
    for number in range(spawns):
        begin, late = 100 + 60 * number, number % 2 == 1
        stage.at(begin, do=lambda number=number: stage.spawn(f"guest#{number}", "Guest"))
        stage.at(
            begin + (frames + 1 if late else 0),
            do=lambda number=number: bound.append(stage.bind("wave_begins", f"guest#{number}", "Guest.on_wave")),
        )
        stage.at(begin + frames, do=lambda: stage.heard("wave_begins", host, *bound, o="rules#1", **sent))
    return 120 + 60 * spawns


@quiet("race-at-start", "by-luck")
def guests_wait_for_a_timer(stage: Stage) -> int:
    """What comes again by itself is missed by nobody."""
    return guests_bind_now_before_now_after_the_wave(stage, via="timer")


@quiet("race-at-start", "by-luck")
def guests_wait_for_a_key_that_is_held(stage: Stage) -> int:
    return guests_bind_now_before_now_after_the_wave(stage, via="input", edge="held", key="w")


@quiet("race-at-start", "by-luck")
def guests_wait_for_who_stays_in_a_zone(stage: Stage) -> int:
    return guests_bind_now_before_now_after_the_wave(stage, via="zone", edge="stay")


@quiet("race-at-start", "by-luck")
def guests_are_always_bound_in_time(stage: Stage) -> int:
    host = stage.bind("wave_begins", "host#1", "Host.on_wave")
    bound: list = []
    for number in range(6):
        begin = 100 + 60 * number
        stage.at(begin, do=lambda number=number: stage.spawn(f"guest#{number}", "Guest"))
        stage.at(
            begin, do=lambda number=number: bound.append(stage.bind("wave_begins", f"guest#{number}", "Guest.on_wave"))
        )
        stage.at(begin + 1, do=lambda: stage.heard("wave_begins", host, *bound, o="rules#1"))
    return 500


@fault("dead-end", "returned", 300, "risk", ev="order", fn="Cook.on_order")
def a_cook_forgets_to_say_so(stage: Stage, calls: int = 20, silent: int = 1) -> int:
    cook = stage.bind("order", "cook#1", "Cook.on_order")
    waiter = stage.bind("cooked", "waiter#1", "Waiter.on_cooked")

    def cook_it(c: int) -> None:
        stage.heard("cooked", waiter, c=c)

    for number in range(calls - silent):
        stage.at(50 + 5 * number, do=lambda: stage.inside(stage.send("order"), cook, cook_it))
    for number in range(silent):
        stage.at(300 + number, do=lambda: stage.heard("order", cook, eff=0))
    return 400


@quiet("dead-end", "returned")
def a_cook_who_did_something_else(stage: Stage) -> int:
    frames = a_cook_forgets_to_say_so(stage, silent=0)
    stage.at(300, do=lambda: stage.heard("order", stage_cook(stage), eff=2))
    return frames


def stage_cook(stage: Stage):
    """Return the cook that was bound first."""
    from tape import Bound

    return Bound(1, "order", "cook#1", "Cook.on_order")
