"""Scenes of order, phases, queues, circles and zones."""

from __future__ import annotations

from typing import Any

from findings.scenes import fault, quiet
from tape import Bound, Stage


def _pair(stage: Stage, rare: list[int], frames: int, *, eff: int = 1, rebind: bool = False, send: bool = False) -> int:
    """Let a cart and a camera run on every tick, the camera first in some frames."""
    stage.spawn("cart#1", "Cart")
    stage.spawn("camera#1", "Camera")
    cart = stage.bind("tick", "cart#1", "Cart.roll")
    camera = stage.bind("tick", "camera#1", "Camera.follow")
    bound = {"cart": cart}

    def tick(number: int) -> None:
        pair = [bound["cart"], camera]
        if number in rare:
            if rebind and number - 1 not in rare:
                stage("unbind", b=bound["cart"].number)
                bound["cart"] = stage.bind("tick", "cart#1", "Cart.roll")
            pair = [camera, bound["cart"]]
        s = stage.send("tick", via="tick")
        for one in pair:
            if send and one.function == "Cart.roll":
                stage.inside(s, one, lambda c: stage.heard("moved", moved, c=c, o="cart#1"))
            else:
                stage.call(s, one, eff)

    moved = stage.bind("moved", "camera#1", "Camera.on_moved") if send else Bound(0, "", "", "")
    stage.each(tick)
    return frames


@fault("order-changes", "flips", 100, "risk", ev="tick", fn="Cart.roll", o="cart#1", cls="Cart")
def cart_and_camera_change_places(stage: Stage, flips: int = 5, frames: int = 120) -> int:
    return _pair(stage, [100 + 3 * number for number in range(flips)], frames)


@fault("order-changes", "flips", 100, "fault", ev="tick", fn="Cart.roll")
def the_camera_reads_what_the_cart_sends(stage: Stage) -> int:
    return _pair(stage, [100, 103, 106, 109, 112], 160, send=True)


@fault("order-changes", "flips", 100, "fault", ev="tick", fn="Cart.roll")
def two_carts_and_their_cameras_move_a_rig(stage: Stage) -> int:
    """Both change one value of it; of each pair one comes first now, now the other."""
    pairs = []
    for number in (1, 2):
        stage.spawn(f"cart#{number}", "Cart")
        stage.spawn(f"camera#{number}", "Camera")
        pairs.append(
            [stage.bind("tick", f"cart#{number}", "Cart.roll"), stage.bind("tick", f"camera#{number}", "Camera.follow")]
        )

    def tick(number: int) -> None:
        s = stage.send("tick", via="tick")
        for of_pair in pairs:
            for one in of_pair[::-1] if number >= 100 and number % 3 == 1 else of_pair:
                stage.inside(s, one, lambda c: stage("watch", o="rig#1", name="x", v=stage.number("x")))

    stage.each(tick)
    return 160


@fault("order-changes", "flips", 100, "fault", fn="Cart.roll", o="cart#1")
def two_ticks_of_one_phase_move_one_rig(stage: Stage, watched: tuple[str, str] = ("x", "x")) -> int:
    """Each hears a tick of its own; the value that both change is all that they share."""
    stage.spawn("cart#1", "Cart")
    stage.spawn("camera#1", "Camera")
    pair = [stage.bind("tick", "cart#1", "Cart.roll"), stage.bind("tick_late", "camera#1", "Camera.follow")]

    def tick(number: int) -> None:
        named = list(zip(pair, watched, strict=True))
        for one, name in named[::-1] if number >= 100 and number % 3 == 1 else named:
            s = stage.send(one.event, via="tick")
            stage.inside(s, one, lambda c, name=name: stage("watch", o="rig#1", name=name, v=stage.number("x")))

    stage.each(tick)
    return 160


@quiet("order-changes", "flips")
def two_ticks_of_one_phase_move_a_rig_along_and_across(stage: Stage) -> int:
    return two_ticks_of_one_phase_move_one_rig(stage, ("x", "y"))


@quiet("order-changes", "flips")
def the_order_changes_once_by_binding_anew(stage: Stage) -> int:
    return _pair(stage, list(range(100, 160)), 160, rebind=True)


@quiet("order-changes", "flips")
def neither_changes_anything(stage: Stage) -> int:
    stage.bind("quarter", "clock#1", "Clock.on_quarter")
    return _pair(stage, list(range(20, 50, 2)), 55, eff=0)


@quiet("order-changes", "flips", phases=("early", "late"))
def each_runs_in_a_phase_of_its_own(stage: Stage) -> int:
    """In some frames the early phase comes twice: the order of phases is the engine's."""
    cart = stage.bind("early_tick", "cart#1", "Cart.roll")
    camera = stage.bind("late_tick", "camera#1", "Camera.follow")

    def tick(number: int) -> None:
        stage.heard("early_tick", cart, via="tick")
        stage("phase", name="late")
        stage.heard("late_tick", camera, via="tick")
        if number % 3 == 0:
            stage("phase", name="early")
            stage.heard("early_tick", cart, via="tick")

    stage.each(tick)
    return 200


@fault("order-broken", "phase-order", 100, stage={"phases": ("input", "move", "draw")})
def it_moves_after_it_drew(stage: Stage) -> int:
    def phases(number: int) -> None:
        names = ("draw", "move") if number in (100, 101) else ("move", "draw")
        for name in names:
            stage("phase", name=name)

    stage.each(phases)
    return 200


@fault("order-broken", "phase-order", 100, stage={"phases": ("input", "move", "draw")})
def what_hangs_on_a_phase_goes_astray_with_it(stage: Stage, strays: int = -1) -> int:
    """What ran in the wrong phase for that is one story with it, told once. `strays`: a frame in which it does so by itself."""
    cart = stage.bind("roll", "cart#1", "Cart.roll")

    def phases(number: int) -> None:
        for place, name in enumerate(("draw", "move") if number in (100, 101) else ("move", "draw")):
            stage("phase", name=name)
            if place == (number == strays):
                stage.heard("roll", cart, o="road#1")

    stage.each(phases)
    return 200


@quiet("order-broken", "phase-order", phases=("input", "move", "draw"))
def it_moves_twice_and_skips_a_picture(stage: Stage) -> int:
    def phases(number: int) -> None:
        for name in ("move", "input", "move", *(("draw",) if number % 2 else ())):
            stage("phase", name=name)

    stage.each(phases)
    return 200


@fault(
    "order-broken", "wrong-phase", 150, "risk", stage={"phases": ("input", "move", "draw")}, fn="Cart.roll", cls="Cart"
)
def a_cart_rolls_while_it_is_drawn(stage: Stage, calls: int = 40, strays: int = 2, eff: int = 1) -> int:
    stage.spawn("cart#1", "Cart")
    cart = stage.bind("tick", "cart#1", "Cart.roll")

    def move(number: int) -> None:
        stage("phase", name="move")
        if 20 <= number < 20 + calls - strays:
            stage.heard("tick", cart, via="tick")
        stage("phase", name="draw")
        if 150 <= number < 150 + strays:
            stage.heard("tick", cart, eff=eff, via="tick")

    stage.each(move)
    return 200


@quiet("order-broken", "wrong-phase", phases=("input", "move", "draw"))
def a_cart_is_asked_while_it_is_drawn(stage: Stage) -> int:
    return a_cart_rolls_while_it_is_drawn(stage, eff=0)


@quiet("order-broken", "wrong-phase", phases=("input", "move", "draw"))
def a_cart_does_not_tell_which_of_its_functions_runs(stage: Stage) -> int:
    stage.spawn("cart#1", "Cart")
    roll, bell = stage.bind("tick", "cart#1", None), stage.bind("bell", "cart#1", None)

    def move(number: int) -> None:
        stage("phase", name="move")
        stage.heard("tick", roll, via="tick")
        stage("phase", name="draw")
        if number % 50 == 9:
            stage.heard("bell", bell)

    stage.each(move)
    return 200


def _post(stage: Stage, puts: list[int], pulls: list[int], frames: int) -> int:
    """Put parcels on a queue in some frames (several where named often) and pull the oldest in others."""
    clerk = stage.bind("parcel", "clerk#1", "Clerk.on_parcel")
    waiting: list[int] = []

    def put() -> None:
        s = stage.send("parcel", o="door#1", via="queue", q="inbox")
        stage("put", q="inbox", s=s)
        waiting.append(s)

    def pull() -> None:
        s = waiting.pop(0)
        stage("pull", q="inbox", s=s)
        stage.call(s, clerk)

    stage.at(*puts, do=put)
    stage.at(*pulls, do=pull)
    return frames


@fault("queue-backlog", "grows", 1, q="inbox")
def more_parcels_come_than_are_opened(stage: Stage) -> int:
    return _post(stage, list(range(1, 600, 2)), list(range(5, 600, 5)), 600)


@fault("queue-backlog", "waits", 13, "risk", q="inbox")
def parcels_wait_for_frames(stage: Stage, wait: int = 3) -> int:
    return _post(stage, list(range(10, 300, 10)), list(range(10 + wait, 300 + wait, 10))[:29], 400)


@quiet("queue-backlog", "waits")
def parcels_are_opened_in_the_next_frame(stage: Stage) -> int:
    return parcels_wait_for_frames(stage, wait=1)


@quiet("queue-backlog", "grows")
def a_burst_is_worked_off(stage: Stage) -> int:
    return _post(stage, [100] * 30, sorted([101, 102, 103] * 10), 130 + 3 * stage.hz)


def _volley(stage: Stage, turns: int, *, timer: bool = False, told: bool = True, listeners: int = 2) -> int:
    """Let two answer each other through delays, so many times."""
    bound = [stage.bind(f"ball_{side}", f"player#{side}", "Player.on_ball") for side in range(listeners)]
    state = {"arm": 0, "count": 0}

    def hit(side: int, **via: object) -> None:
        def answer(c: int) -> None:
            state["count"] += 1
            if state["count"] < listeners * turns:
                other = f"ball_{(side + 1) % listeners}"
                state["arm"] = stage.arm("delay", f"player#{side}", other, sec=None, frames=1, loop=False, c=c)

        stage.inside(stage.send(f"ball_{side}", o=f"player#{side}", **via), bound[side], answer)

    def step(number: int) -> None:
        if number == 60:
            hit(0, via="timer" if timer else "input", a=stage.arm("timer", "court#1", "serve") if timer and told else 10**6 if timer else None,
                key=None if timer else "S", edge=None if timer else "down")  # fmt: skip
        elif number > 60 and state["arm"]:
            a, state["arm"] = state["arm"], 0
            hit(state["count"] % listeners, via="delay", a=a)
            stage("disarm", a=a, how="done")

    stage.each(step)
    return 60 + listeners * turns + 30


@fault("event-loop", "cycle", 60, ev="ball_0")
def two_players_never_stop(stage: Stage, turns: int = 60) -> int:
    return _volley(stage, turns)


@fault("event-loop", "cycle", 60, ev="ball_0")
def eight_players_never_stop(stage: Stage) -> int:
    """More than one names in a sentence."""
    return _volley(stage, 60, listeners=8)


@quiet("event-loop", "cycle")
def two_players_stop_in_time(stage: Stage) -> int:
    return _volley(stage, 59)


@quiet("event-loop", "cycle")
def one_delay_sets_itself_again(stage: Stage) -> int:
    return _volley(stage, 90, listeners=1)


@quiet("event-loop", "cycle")
def a_timer_keeps_them_going(stage: Stage) -> int:
    return _volley(stage, 70, timer=True)


@quiet("event-loop", "cycle")
def a_timer_that_nobody_told_of_keeps_them_going(stage: Stage) -> int:
    return _volley(stage, 70, timer=True, told=False)


def _spot(
    stage: Stage,
    visits: list[tuple[int, str, int]],
    after: dict[int, str] | None = None,
    via: str | None = None,
    own_eff: int = 1,
) -> int:
    """Call a zone's listener for visitors (frame, who, eff), and another of its owner's, via something, in some frames."""
    for who in ("cat#1", "dog#1", "guest#1"):
        stage.spawn(who, who.partition("#")[0].capitalize())
    stage.spawn("spot#1", "Spot")
    enter = stage.bind("spot_enter", "spot#1", "Spot.on_enter")
    undo = stage.bind("spot_check", "spot#1", "Spot.on_check") if after else Bound(0, "", "", "")
    for frame, who, eff in visits:
        stage.at(
            frame,
            do=lambda who=who, eff=eff: stage.heard(
                "spot_enter", enter, eff=eff, o="spot#1", via="zone", edge="enter", d={"other": who}
            ),
        )
        stage.at(
            frame + 5,
            do=lambda who=who: stage.send("spot_leave", o="spot#1", via="zone", edge="leave", d={"other": who}),
        )
    for frame in after or {}:
        stage.at(frame, do=lambda: stage.heard("spot_check", undo, eff=own_eff, o="spot#1", via=via))
    return max(frame for frame, _, _ in visits) + 60


@fault("zone-unfiltered", "others-do-nothing", 65, "waste", ev="spot_enter", fn="Spot.on_enter", cls="Spot")
def a_spot_is_told_of_dogs_too(stage: Stage, others: int = 20, eff: int = 0) -> int:
    visits = [(60 + 10 * number, "cat#1", 1) for number in range(5)]
    visits += [(65 + 10 * number, "dog#1", eff) for number in range(others)]
    return _spot(stage, visits)


@quiet("zone-unfiltered", "others-do-nothing")
def a_spot_that_serves_both(stage: Stage) -> int:
    visits = [(60 + 10 * number, "cat#1", 1) for number in range(5)]
    return _spot(stage, visits + [(65 + 10 * number, "dog#1", int(number == 7)) for number in range(25)])


@fault("zone-unfiltered", "others-undone", 65, "risk", ev="spot_enter", fn="Spot.on_enter")
def what_dogs_do_is_undone(
    stage: Stage, others: int = 20, undone: int | None = None, frames: int = 2, **after_it: Any
) -> int:
    visits = [(60 + 20 * number, "cat#1", 1) for number in range(10)]
    visits += [(65 + 20 * number, "dog#1", 1) for number in range(others)]
    after = {65 + 20 * number + frames: "dog#1" for number in range(others if undone is None else undone)}
    return _spot(stage, visits, after, **after_it)


@quiet("zone-unfiltered", "others-undone")
def a_spot_that_works_by_tick_undoes_nothing(stage: Stage) -> int:
    return what_dogs_do_is_undone(stage, via="tick")


@quiet("zone-unfiltered", "others-undone")
def a_spot_that_looks_undoes_nothing(stage: Stage) -> int:
    return what_dogs_do_is_undone(stage, own_eff=0)


@quiet("zone-unfiltered", "others-undone")
def what_dogs_do_lasts_for_a_while(stage: Stage) -> int:
    return what_dogs_do_is_undone(stage, frames=4)


def _pad(stage: Stage, visitors: list[Any]) -> int:
    """Let a pad be entered by one after the other; it does something for the fourth alone."""
    enter = stage.bind("pad_enter", "pad#1", "Pad.on_enter")
    for number, other in enumerate(visitors):
        stage.at(
            60 + 5 * number,
            do=lambda number=number, other=other: stage.heard(
                "pad_enter",
                enter,
                eff=int(number == 3),
                o="pad#1",
                via="zone",
                edge="enter",
                d={"other": other},
            ),
        )
    return 300


@quiet("zone-unfiltered", "others-do-nothing")
def one_ant_among_many_does_something(stage: Stage) -> int:
    """Visitors of one class that were never spawned are of one class all the same."""
    return _pad(stage, [f"ant#{number}" for number in range(40)])


@quiet("zone-unfiltered", "others-do-nothing")
def one_crate_among_many_does_something(stage: Stage) -> int:
    """So are those that are told apart by what stands at the end of their names."""
    return _pad(stage, ["crate", "crate7", "crate_12", "crate (3)", *(f"crate{number}" for number in range(40))])


@quiet("zone-unfiltered", "others-do-nothing")
def one_number_among_many_does_something(stage: Stage) -> int:
    """Of numbers no class is known: they are not one class each."""
    return _pad(stage, [*range(20), *({"id": number} for number in range(20))])


@fault("zone-unfiltered", "others-do-nothing", 60, "waste", ev="pad_enter", fn="Pad.on_enter")
def a_wolf_among_many_ants(stage: Stage) -> int:
    """Classes that only names tell are classes."""
    return _pad(stage, [f"wolf{number}" if number == 3 else f"ant{number}" for number in range(40)])
