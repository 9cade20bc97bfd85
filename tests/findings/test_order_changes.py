"""What stands in an order: calls of one send, and ticks of one frame's turn of a phase, whoever sends them."""

from collections.abc import Callable

from opossum.findings.finding import Finding
from tape import Bound, Tape

FRAMES = 120
RARE = (1, 20, 40, 60, 80)
"""As many as are told of."""
Turn = tuple[str, list[Bound]]


def told(turns: Callable[[bool, Bound, Bound], list[Turn]], rare: tuple[int, ...] = RARE, **sent: str) -> list[Finding]:
    """Return what is told of a cart and a camera that are sent a tick each, turn by turn, by whether a frame is rare."""
    tape = Tape(phases=["fixed", "update", "late"])
    tape("spawn", o="cart#1", cls="Cart")("spawn", o="camera#1", cls="Camera")
    cart, camera = tape.bind("tick", "cart#1", "Cart.roll"), tape.bind("tick", "camera#1", "Camera.follow")
    for number in range(FRAMES):
        tape.frame()
        for phase, listeners in turns(number in rare, cart, camera):
            tape("phase", name=phase)
            for listener in listeners:
                tape.heard("tick", listener, **(sent or {"via": "tick"}))
    return tape.found("order-changes")


def test_ticks_that_are_sent_one_by_one_are_an_order():
    """Of one phase of a frame; five frames each way are enough, one less is not."""
    (finding,) = told(lambda rare, *both: [("update", list(both[::-1] if rare else both))])
    assert finding.subject.fn == "Cart.roll" and finding.frames == list(RARE)
    assert not told(lambda rare, *both: [("update", list(both[::-1] if rare else both))], RARE[1:])


def test_events_that_are_sent_one_by_one_are_none():
    """When each is sent is up to who sends it."""
    assert not told(lambda rare, *both: [("update", list(both[::-1] if rare else both))], via="direct")


def test_phases_are_apart():
    """Whoever runs in another phase has no order with this one, in whatever order the phases come."""

    def turns(rare: bool, cart: Bound, camera: Bound) -> list[Turn]:
        usual: list[Turn] = [("update", [cart]), ("late", [camera])]
        return usual[::-1] if rare else usual

    assert not told(turns)


def test_a_phase_that_comes_twice_is_two_turns():
    """As steps of a fixed length do: the second cart after the first camera is no other order, a second camera before it is."""
    assert not told(lambda rare, *both: [("fixed", list(both)), ("fixed", list(both))])
    (finding,) = told(lambda rare, *both: [("fixed", list(both)), ("fixed", list(both[::-1] if rare else both))])
    assert finding.frames == list(RARE)
