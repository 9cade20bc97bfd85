"""The one thing that decides between a fault and its twin, where no scene of the catalogue turns on it alone."""

from __future__ import annotations

import msgspec
import pytest

from findings.scenes import clips, hearing, order, timing
from opossum.findings.examine import examine
from opossum.findings.finding import Finding
from opossum.findings.settings import Settings
from tape import Bound, Stage, Tape, only, read


def causes(found: list[Finding]) -> list[str]:
    """Return what was found, by cause."""
    return [finding.cause for finding in found]


# --- delays set while one is pending ---------------------------------------------------------------


def set_again(
    lands: dict[int, object],
    *,
    clears: bool = False,
    sends_on: bool = False,
    times: int = 4,
    settings: Settings | None = None,
) -> list[Finding]:
    """Return what is told of a delay set four times while one is pending, of which those named land, with some data.

    `clears`: each is cleared once the following one is set; `sends_on`: a landing sends something with data.
    """
    tape = Tape()
    arms = []
    for number in range(times):
        arms.append(tape.frame().arm("delay", "bell#1", "ring", sec=1.0))
        if clears and number:
            tape("disarm", a=arms[-2], how="cleared")
    for number, data in lands.items():
        c = tape.number("c")
        tape.frame()(
            "call", c=c, s=tape.send("ring", via="delay", a=arms[number], d=data), o="bell#1", fn="Bell.on_ring"
        )
        if sends_on:
            tape.send("heard", c=c, d={"louder": number})
        tape("ret", c=c, eff=1)("disarm", a=arms[number], how="done")
    return tape.frame().found("delay-restacked", settings=settings)


@pytest.mark.parametrize(
    ("lands", "how", "told"),
    [
        ({0: 1, 1: 2, 2: 3, 3: 1}, {}, ["stacked"]),
        ({0: 1, 1: 2, 2: 3, 3: 4}, {}, []),
        ({0: 1, 1: 2, 2: 3, 3: None}, {"sends_on": True}, ["stacked"]),
        ({0: 1, 1: 2}, {"times": 5}, []),
        ({3: None}, {}, ["restarted"]),
        ({1: None, 3: None}, {}, []),
        ({}, {"clears": True}, ["restarted"]),
        ({}, {}, []),
        ({0: None}, {"times": 1, "settings": Settings({"delay_rearms": 0})}, []),
    ],
    ids=[
        "two with the same data",
        "each with its own",
        "one without any",
        "two of them, each with its own",
        "the last alone",
        "one in between too",
        "none: each made way",
        "none, and none made way",
        "a single one",
    ],
)
def test_which_of_several_delays_land(lands, how, told):
    """What they bring tells them apart only where each brings something of its own."""
    assert causes(set_again(lands, **how)) == told


# --- circles ---------------------------------------------------------------------------------------


def rally(turns_of_frames: list[int], what: str = "delay") -> list[Finding]:
    """Return what is told of two who answer each other, so many turns in each frame, from frame to frame by a delay or timer."""
    tape = Tape()
    players = [tape.bind(f"ball_{side}", f"player#{side}", "Player.on_ball") for side in (0, 1)]
    arm = c = None
    for turns in turns_of_frames:
        tape.frame()
        opened = []
        for number in range(2 * turns):
            side = number % 2
            via = {"via": what, "a": arm} if arm and not number else {"c": c}
            c = tape.open_call(tape.send(f"ball_{side}", o=f"player#{side}", **via), players[side])
            opened.append(c)
        arm = tape.arm(what, "player#1", "ball_0", frames=1, loop=False, c=c)
        for call in opened[::-1]:
            tape("ret", c=call, eff=1)
    return tape.frame().found("event-loop", settings=Settings({"loop_turns": 5}))


@pytest.mark.parametrize(
    ("turns", "found"), [([8, 8], True), ([8, 9], False), ([8], False), ([1] * 5, True), ([1] * 4, False)]
)
def test_a_circle_over_frames_turns_eight_times_in_each_at_most(turns, found):
    """Within one frame, or more often in each, it is a storm and no circle over frames."""
    assert causes(rally(turns)) == ["cycle"] * found


def test_timers_that_fire_once_go_on_in_a_circle_too():
    """Only one that loops keeps it going by itself."""
    assert causes(rally([1] * 6, "timer")) == ["cycle"]


# --- clips and marks -------------------------------------------------------------------------------


def kneading(*clips_with_it: str) -> Stage:
    """Return a cook who waits for a mark that these clips have and one does not."""
    stage = Stage()
    stage.spawn("cook#1", "Cook")
    for number, clip in enumerate(clips_with_it):
        clips._mow(stage, 100 + 100 * number, clip, marked=True, waits=True)
    clips._mow(stage, 400, "knead_left", marked=False, waits=True)
    return stage


@pytest.mark.parametrize(
    ("others", "said"), [(["knead"], "`knead` has it"), (["knead", "fold"], "`knead` and `fold` have it")]
)
def test_the_clips_that_have_the_mark_are_named(others, said):
    """One has it, several have it."""
    finding = only(kneading(*others).findings(600), "wait-without")
    assert said in finding.summary or said.replace(" it", "") in finding.summary


def test_an_owner_without_a_name_is_told_as_code():
    """So that the sentence has no hole."""
    stream = kneading("knead").run(600).bytes().replace(b'"cook#1"', b'""')
    assert "while code waited for it" in only(examine(read(stream)), "wait-without").summary


@pytest.mark.parametrize("ends", [True, False], ids=["the take ends before", "it meets it"])
@pytest.mark.parametrize(("gap", "found"), [(1, []), (2, ["wait-without"])])
def test_a_clip_takes_over_in_the_frame_after(ends, gap, found):
    """One that begins later did not; nor does one that may yet meet what waits."""
    stage = Stage()
    frames = clips.another_clip_meets_the_wait_too_late(stage, gap=gap)
    assert causes(stage.findings(frames - 90 if ends else frames)) == found


def as_two_peers(stage: Stage) -> list[Finding]:
    """Return what is found where a game's records come from two peers alike."""
    lines = stage.bytes().splitlines()
    guest = [line.replace(b'"peer":"main"', b'"peer":"guest"') for line in lines]
    return examine(read(b"\n".join([*lines, *guest]) + b"\n"))


def test_the_nearest_mark_is_meant_by_what_one_peer_shows():
    """Twice on each of two peers is not three times."""
    stage = Stage()
    frames = clips.a_delay_lands_before_the_mark(stage, plays=2, marks=2)
    assert "early" not in causes(as_two_peers(stage.run(frames)))


def test_the_nearest_mark_is_meant_where_it_is_one_and_the_same():
    """Twice near one and once near another is not three times."""
    stage = Stage()
    clips.a_delay_lands_before_the_mark(stage, plays=2, marks=2)
    clips._chop(stage, 100 + 6 * stage.hz, 60, marks=2)
    assert not {"early", "late"} & set(causes(stage.findings(150 + 9 * stage.hz)))


@pytest.mark.parametrize("cues", [2, 3])
def test_two_cues_are_too_few_to_say_that_a_track_drifts(cues):
    """However little it would take."""
    stage = Stage(hz=100)
    stage.spawn("radio#1", "Radio")
    places = [[f"c{number}", 10.0 * number * 0.99] for number in range(1, cues + 1)]
    stage.at(100, do=lambda: stage.play("radio#1", "waltz", 50.0, places, what="track"))
    for number in range(1, cues + 1):
        sent = {"o": "radio#1", "via": "clip", "y": 1, "mark": f"c{number}"}
        stage.at(100 + 1000 * number, do=lambda sent=sent: stage.send(sent["mark"], **sent))
    found = stage.findings(100 + 1000 * (cues + 1), Settings({"cue_drift_ms": 0.5}))
    assert set(causes(found)) == {"late" if cues == 2 else "drifts"}


@pytest.mark.parametrize(("seconds", "missed"), [(0.95, False), (1.05, True)])
def test_a_cue_may_yet_come_where_the_take_ends_soon_after_its_place(seconds, missed):
    """Its track plays on; a second later it is missed."""
    stage = Stage()
    timing._song(stage, [0, 0, None, None, None])
    found = stage.findings(round((1 + 3 + seconds) * stage.hz))
    assert ("missed" in causes(found)) is missed


# --- orders ----------------------------------------------------------------------------------------


def test_the_phases_that_came_are_those_of_the_first_frame_that_is_wrong():
    """However many are."""
    for wrong in ([3], [3, 5]):
        tape = Tape(phases=["input", "move", "late"])
        for number in range(8):
            tape.frame()
            for phase in (
                ("move", "input", "late") if number == 3 else ("late", "move") if number in wrong else ("input",)
            ):
                tape("phase", name=phase)
        (finding,) = [finding for finding in tape.found() if finding.cause == "phase-order"]
        assert finding.frames == wrong
        assert ": move, input, late instead of input, move, late." in finding.summary


def test_a_pair_that_shares_nothing_hides_none_that_does():
    """Both pairs change their order in the same frames."""
    stage = Stage()
    owners = {name: stage.spawn(f"{name}#1", name.capitalize()) for name in ("cart", "camera", "dog", "lead")}
    ticks = [
        (stage.bind(f"tick_{name}", owner, f"{name.capitalize()}.step"), "z" if name in ("dog", "lead") else name)
        for name, owner in owners.items()
    ]

    def tick(number: int) -> None:
        first, second = ticks[:2], ticks[2:]
        turned = number >= 100 and number % 3 == 1
        for one, name in [*first[::-1], *second[::-1]] if turned else ticks:
            s = stage.send(one.event, via="tick")
            stage.inside(s, one, lambda c, name=name: stage("watch", o="rig#1", name=name, v=stage.number("x")))

    stage.each(tick)
    (finding,) = [finding for finding in stage.findings(160) if finding.kind == "order-changes"]
    assert finding.subject.fn == "Dog.step"


# --- queues, sends and what shows at start-up ---------------------------------------------------------


def test_a_queue_that_grows_shows_from_its_first_send_on():
    """And what was pulled a frame late is proof."""
    stage = Stage()
    frames = order._post(stage, list(range(2, 600, 2)), list(range(5, 600, 60)), 600)
    finding = only(stage.findings(frames), "grows")
    assert finding.frames[:2] == [2, 4]
    tape = Tape()
    for number in range(300):
        tape.frame()("put", q="inbox", s=tape.send("parcel", via="queue", q="inbox"))
        if number in (1, 2):
            tape("pull", q="inbox", s=number)
    (finding,) = [finding for finding in tape.found() if finding.cause == "grows"]
    assert [item.note for item in finding.evidence].count("pulled late") == 2
    assert finding.frames[:2] == [0, 3]


def test_a_queue_of_one_of_several_peers_is_told_with_whose_it_is():
    """As everything else."""
    tape = Tape()("head", opossum=1, game="test", peer="guest", p="guest")("frame", n=0, p="guest")("bye", p="guest")
    s = tape.frame().frame().send("job", via="queue", q="bench")
    tape("put", q="bench", s=s)
    for _ in range(2):
        tape.frame()("pull", q="bench", s=s)
    assert only(tape.found(), "queue-kept").subject.peer == "main"


def test_what_a_function_sends_on_is_told_without_what_another_does():
    """Though both mostly send something on, and each once did not."""
    stage = Stage()
    frames = hearing.a_cook_forgets_to_say_so(stage)
    baker, guest = stage.bind("bake", "baker#1", "Baker.on_bake"), stage.bind("baked", "guest#1", "Guest.on_baked")
    for number in range(19):
        do = lambda: stage.inside(stage.send("bake"), baker, lambda c: stage.heard("baked", guest, c=c))  # noqa: E731
        stage.at(20 + 5 * number, do=do)
    stage.at(302, do=lambda: stage.heard("bake", baker, eff=0))
    found = {finding.subject.fn: finding.summary for finding in stage.findings(frames) if finding.cause == "returned"}
    assert "Baker.on_bake sends `baked` in 19 of 20 calls" in found["Baker.on_bake"]
    assert "Cook.on_order sends `cooked` in 19 of 20 calls" in found["Cook.on_order"]


@pytest.mark.parametrize("frames", [1, 2, 3])
def test_what_shows_at_start_up_alone_shows_in_the_first_frame(frames):
    """Also where there is no other."""
    tape = Tape().ms(5)
    tape.send("ready", o="oven#1")
    tape.ms(5).bind("ready", "bell#1", "Bell.on_ready")
    finding = only(tape.frames(frames).found(), "sent-before-bind")
    assert finding.frames == [0]


def test_kinds_are_looked_for_that_are_named():
    """Wherever they stand in the catalogue."""
    tape = Tape().frame().frame()
    bound = [tape.bind("bread", "counter#1", "Counter.on_bread") for _ in range(2)]
    take = tape.frame().heard("bread", *bound) and tape.take()
    assert causes(examine(take, only=("double-fire",))) == ["bound-twice"]
    assert examine(take, only=("freeze",)) == []


# --- records that were lost ------------------------------------------------------------------------


def without(stage: Stage, frames: int, kind: str, frame: int, told: bool) -> list[str]:
    """Return what is found where the first record of a kind in a frame is missing, whether or not that is told."""
    stage.run(frames)
    begun = next(place for place, line in enumerate(stage.lines) if '"k":"frame"' in line and f'"n":{frame}}}' in line)
    place = next(place for place in range(begun, len(stage.lines)) if f'"k":"{kind}"' in stage.lines[place])
    time = msgspec.json.decode(stage.lines[place])["t"]
    stage.lines[place : place + 1] = [f'{{"k":"lost","t":{time},"n":1}}'] * told
    return causes(examine(stage.take()))


def _cat_comes_and_goes(stage: Stage) -> int:
    bell = stage.bind("mat_enter", "mat#1", "Mat.on_enter")
    zone = {"o": "mat#1", "via": "zone", "d": {"other": "cat#1"}}
    for frame in (20, 40):
        stage.at(frame, do=lambda: stage.heard("mat_enter", bell, edge="enter", **zone))
    stage.at(30, do=lambda: stage.send("mat_leave", edge="leave", **zone))
    return 60


def _owl_is_called(stage: Stage) -> int:
    """Nobody says that it listens."""
    stage.spawn("owl#1", "Owl")
    bell = stage.bind("bell", "cat#1", "Cat.on_bell")
    stage.at(10, 20, do=lambda: stage.heard("bell", bell, to="cat#1"))
    stage.at(30, do=lambda: stage.heard("bell", Bound(0, "bell", "owl#1", "Owl.on_bell"), to="owl#1"))
    return 60


def _silo_is_filled(stage: Stage) -> int:
    for begin in range(80, 680, 100):
        for place, value in enumerate((0, 30, 60, 90, 40)):
            stage.at(begin + 10 * place, do=lambda value=value: stage("watch", o="silo#1", name="flour", v=value))
        stage.at(begin + 30, do=lambda: stage.send("full", o="silo#1"))
    return 700


@pytest.mark.parametrize("told", [False, True])
@pytest.mark.parametrize(
    ("build", "kind", "frame", "cause"),
    [
        (_cat_comes_and_goes, "send", 30, "no-latch"),
        (lambda stage: order._post(stage, [20, 30], [22, 32], 300), "pull", 32, "queued-never-pulled"),
        (_silo_is_filled, "send", 610, "level"),
        (_owl_is_called, "call", 30, "wrong-object"),
    ],
    ids=["a leave", "a pull", "an event at its level", "a call"],
)
def test_what_was_lost_is_not_said_to_be_missing(build, kind, frame, cause, told):
    """Where the stream tells that some of it is; else nobody can know."""
    stage = Stage()
    assert without(stage, build(stage), kind, frame, told).count(cause) == (not told)
