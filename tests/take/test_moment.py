"""What is so at one moment: values, lives, log lines."""

from opossum.take.moment import alive_at, call_around, frame_at, held_call, last_line, says_until, values_at
from tape import Tape, read


def test_values_are_those_last_set_and_name_the_call_that_set_them():
    """Each object's own; as of the line asked for."""
    tape = Tape().frame()
    oven = tape.bind("steam", "oven#1", "Oven.on_steam")
    tape("watch", o="oven#1", name="heat", v=20)
    send = tape.send("steam")
    call = tape.open_call(send, oven)
    tape("watch", o="oven#1", name="heat", v=90.5)("watch", o="oven#2", name="door", v="open")("ret", c=call)
    middle = len(tape.lines)
    tape.frame()("watch", o="oven#1", name="heat", v=30)
    take = tape.take()

    now = [(v.o, v.name, v.text, take.function_of_call(v.call) if v.call >= 0 else "") for v in values_at(take, middle)]
    assert now == [("oven#1", "heat", "90.5", "Oven.on_steam"), ("oven#2", "door", '"open"', "Oven.on_steam")]
    assert [(v.text, v.call) for v in values_at(take, last_line(take))] == [("30", -1), ('"open"', 0)]
    assert [v.row for v in values_at(take, middle)] == [1, 2] and [v.row for v in values_at(take, last_line(take))] == [
        3,
        2,
    ]
    assert values_at(take, 1) == []
    assert last_line(Tape(head=False).take(bye=False)) == 0


def test_who_lives_is_who_was_spawned_and_is_not_gone():
    """A name that is used again lives again."""
    tape = Tape().frame()
    tape("spawn", o="cat#1", cls="Cat")("spawn", o="oven#1", cls="Oven")
    before = len(tape.lines)
    tape("gone", o="cat#1")
    after = len(tape.lines)
    tape("spawn", o="cat#1", cls="Cat")
    take = tape.take()

    assert alive_at(take, 1) == []
    assert alive_at(take, before) == [("cat#1", "Cat"), ("oven#1", "Oven")]
    assert alive_at(take, after) == [("oven#1", "Oven")]
    assert alive_at(take, last_line(take)) == [("cat#1", "Cat"), ("oven#1", "Oven")]


def test_who_lives_is_told_class_by_class():
    """Whatever the objects are called."""
    tape = Tape().frame()
    for name, cls in (("a", "Oven"), ("z", "Cat"), ("m", "Oven"), ("b", "Cat")):
        tape("spawn", o=name, cls=cls)
    take = tape.take()
    assert alive_at(take, last_line(take)) == [("b", "Cat"), ("z", "Cat"), ("a", "Oven"), ("m", "Oven")]


def test_the_innermost_call_is_the_one_around():
    """Calls that have returned, and those of another thread, are not."""
    tape = Tape().frame()
    bell, cat = tape.bind("bell", "bell#1", "Bell.ring"), tape.bind("ding", "cat#1", "Cat.wake")
    outer = tape.open_call(tape.send("bell"), bell)
    inner = tape.open_call(tape.send("ding", c=outer), cat)
    inside = len(tape("say", text="in both").lines)
    tape("ret", c=inner)
    between = len(tape("say", text="in the outer one").lines)
    tape("ret", c=outer)
    take = tape.take()

    assert call_around(take, 0, -1, inside) == 1
    assert call_around(take, 0, -1, between) == 0
    assert call_around(take, 0, -1, last_line(take)) == -1
    assert call_around(take, 0, take.code("worker"), inside) == -1
    assert held_call(take, "main", inner) == 1 and held_call(take, "main", 99) == -1 == held_call(take, "other", inner)


def test_log_lines_are_the_last_ones_up_to_a_line():
    """At most so many, oldest first; each falls in a frame."""
    tape = Tape().frame()
    for number in range(5):
        tape("say", text=f"line {number}").frame()
    take = tape.take()

    rows = says_until(take, last_line(take) - 3, 3)
    lines = [int(take.tables["say"]["line"][row]) for row in rows]
    assert [take.text(int(take.tables["say"]["text"][row])) for row in rows] == ["line 2", "line 3", "line 4"]
    assert [frame_at(take, 0, line) for line in lines] == [2, 3, 4]


def test_a_call_that_runs_since_an_earlier_frame_sets_no_value():
    """It was suspended: whoever set it meanwhile is not known."""
    tape = Tape().frame()
    walk = tape.bind("walk", "cat#1", "Cat.on_walk")
    call = tape.open_call(tape.send("walk"), walk)
    tape("watch", o="cat#1", name="speed", v=1)
    early = len(tape.lines)
    tape.frame()("watch", o="cat#1", name="speed", v=2)("ret", c=call)
    take = tape.take()
    assert [value.call for value in values_at(take, early)] == [0]
    assert [value.call for value in values_at(take, last_line(take))] == [-1]


def test_a_call_that_has_not_returned_is_around():
    """As it is while a game is held."""
    tape = Tape().frame()
    call = tape.open_call(tape.send("walk"), tape.bind("walk", "cat#1", "Cat.on_walk"))
    tape("watch", o="cat#1", name="speed", v=1)
    take = tape.take(bye=False)
    assert [value.call for value in values_at(take, last_line(take))] == [0]
    assert held_call(take, "main", call) == 0


def test_a_call_is_held_by_the_peer_that_is_named():
    """Where two of them number their calls alike; a peer that is not there holds none."""
    tapes = []
    for peer, calls in (("host", 1), ("guest", 2)):
        tape = Tape(peer=peer).frame()
        bell = tape.bind("bell", "cat#1", "Cat.on_bell")
        for _ in range(calls):
            tape.heard("bell", bell)
        tapes.append(tape.bytes())
    take = read(b"".join(tapes))
    held = {peer: held_call(take, peer, 1) for peer in ("host", "guest", "nobody")}
    assert [take.recording.peers[int(take.tables["call"]["p"][held[peer]])].name for peer in ("host", "guest")] == [
        "host",
        "guest",
    ]
    assert held["nobody"] == -1
