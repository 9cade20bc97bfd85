"""The thresholds of the younger kinds, met from below, at and above in the scenes of the catalogue."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import pytest

from findings.scenes import Build, built, clips, hearing, order, timing
from opossum.findings.settings import Settings
from tape import Stage


class Measure(NamedTuple):
    """A scene measured by one threshold: its cause, the values (below, at, above), whether it speaks at each, and how a
    value is put into the scene."""

    build: Build
    cause: str
    values: tuple[float, float, float]
    speaks: tuple[bool, bool, bool]
    how: Callable[[float], dict[str, Any]] = lambda value: {}
    stage: dict[str, Any] | None = None
    settings: Callable[[float], dict[str, float]] = lambda value: {}


AT_LEAST, MORE = (False, True, True), (False, False, True)


def frames_of(name: str) -> Callable[[float], dict[str, Any]]:
    """Return a way to put a number of frames, as seconds, into a scene."""
    return lambda value: {name: value / 60}


def marks_offset(stage: Stage, ms: float = 0.0) -> int:
    """Let a delay land so many ms before its mark, which lies off the frames."""
    stage.spawn("cook#1", "Cook")
    clips._chop(stage, 100, round(0.5 * stage.hz), place=0.5 + ms / 1000)
    return 300


def late_by_ms(stage: Stage, ms: float = 0.0) -> int:
    """Let a mark come two frames of 144 a second after it was due, so many ms in all."""
    return clips._steps(stage, [("left", 0.5 - ms / 1000, round(0.5 * stage.hz))], end=260)


def cue_by_ms(stage: Stage, ms: float = 0.0) -> int:
    """Let one cue come so many ms after its place."""
    stage.spawn("radio#1", "Radio")
    cues = [["a", 1.0 - ms / 1000], ["b", 2.0]]
    stage.at(stage.hz, do=lambda: stage.play("radio#1", "waltz", 3.0, cues, what="track"))
    for second, name in ((2, "a"), (3, "b")):
        stage.at(
            second * stage.hz, do=lambda name=name: stage.send(name, o="radio#1", via="clip", y=1, mark=name, pos=1.0)
        )
    return 4 * stage.hz


def cues_drifting(stage: Stage, ms_a_minute: float = 0.0) -> int:
    """Let the cues of two minutes run away evenly."""
    stage.spawn("radio#1", "Radio")
    cues = [[f"c{number}", 10.0 * number * (1 - ms_a_minute / 60_000)] for number in range(1, 16)]
    stage.at(stage.hz, do=lambda: stage.play("radio#1", "waltz", 170.0, cues, what="track"))
    for number in range(1, 16):
        name = f"c{number}"
        stage.at(
            stage.hz + 10 * number * stage.hz,
            do=lambda name=name: stage.send(name, o="radio#1", via="clip", y=1, mark=name, pos=1.0),
        )
    return 160 * stage.hz


def growing(stage: Stage, more: int = 20, seconds: int = 10) -> int:
    """Let a queue grow by so many over the last half of a take."""
    frames = seconds * stage.hz
    step = frames // 2 / more
    puts = [frames // 2 + round(step * number) + 1 for number in range(more)]
    return order._post(stage, puts, [], frames + 1)


def flipping(stage: Stage, rare: int, total: int) -> int:
    """Let two change places in some of so many frames, long after they began."""
    return order._pair(stage, [1 + 2 * number for number in range(rare)], total + 1)


def drifting(stage: Stage, off: float) -> int:
    """Let a timer drop so much of a frame in every interval."""
    return timing.a_timer_drops_the_rest_of_a_frame(stage, asked=7 - off)


def alike(stage: Stage, off: int) -> int:
    """Let so many of ten intervals be a frame too long, and the others be right."""
    frames, at = [], 10
    for number in range(10):
        at += 31 if number < off else 30
        frames.append(at)
    return timing._drip(stage, frames, frames=30)


MEASURES: dict[str, Measure] = {
    "unpulled_seconds": Measure(
        hearing.a_parcel_is_left_on_the_queue, "queued-never-pulled", (120, 122, 130), AT_LEAST, frames_of("seconds")
    ),
    "waited_seconds": Measure(
        clips.a_guest_waits_to_the_end, "take-ended", (300, 302, 310), AT_LEAST, frames_of("seconds")
    ),
    "mark_late_frames": Measure(clips.a_mark_comes_late, "late", (2, 3, 4), AT_LEAST, lambda value: {"late": int(value)}),
    "mark_late_ms": Measure(late_by_ms, "late", (19.9, 20.0 - 0.005, 20.1), MORE, lambda value: {"ms": value}, {"hz": 144}),
    "delay_off_ms": Measure(marks_offset, "early", (39.9, 39.99, 40.1), MORE, lambda value: {"ms": value}, {"hz": 100}),
    "delay_off_frames": Measure(
        marks_offset, "early", (2.9, 2.999, 3.1), MORE, lambda value: {"ms": value * 10},
        {"hz": 100}, lambda value: {"delay_off_frames": 3.0, "delay_off_ms": 1.0},
    ),
    "delay_nearest_plays": Measure(
        clips.a_delay_lands_before_the_mark, "early", (2, 3, 4), AT_LEAST, lambda value: {"plays": int(value), "marks": 2}
    ),
    "clip_lengths_share": Measure(
        clips.one_delay_for_a_short_clip_and_a_long_one, "one-delay-many-clips", (1.3, 1.2 / 0.9, 1.34), MORE,
        lambda value: {"longer": value},
    ),
    "drift_intervals": Measure(
        timing.a_timer_counts_one_frame_too_many, "off-by-one", (7, 8, 9), AT_LEAST, lambda value: {"intervals": int(value)}
    ),
    "drift_frames": Measure(drifting, "remainder-dropped", (0.45, 0.4999, 0.55), MORE, lambda value: {"off": value}),
    "drift_alike_share": Measure(alike, "off-by-one", (8, 9, 10), AT_LEAST, lambda value: {"off": int(value)}),
    "long_frame": Measure(
        timing.a_timer_that_counts_frames_where_they_run_long, "starved", (1.49, 1.499, 1.6), MORE,
        lambda value: {"long": value}, {"catches_up": False}, lambda value: {"drift_frames": 0.3, "drift_alike_share": 1.1},
    ),
    "left_armed_seconds": Measure(
        timing.a_delay_stays_set_for_one_who_left, "owner-gone", (298, 300, 302), AT_LEAST, frames_of("seconds")
    ),
    "firings_for_nobody": Measure(
        timing.a_lamp_blinks_for_nobody, "nobody-listens", (19, 20, 21), AT_LEAST, lambda value: {"firings": int(value)}
    ),
    "delay_rearms": Measure(
        timing.a_delay_lands_as_often_as_it_was_set, "stacked", (2, 3, 4), AT_LEAST, lambda value: {"again": int(value)}
    ),
    "flip_frames": Measure(
        flipping, "flips", (4, 5, 6), AT_LEAST, lambda value: {"rare": int(value), "total": 100}
    ),
    "flip_share": Measure(
        flipping, "flips", (3, 4, 5), AT_LEAST, lambda value: {"rare": int(value), "total": 200},
        None, lambda value: {"flip_frames": 1000},
    ),
    "flip_share_of": Measure(
        flipping, "flips", (199, 200, 201), AT_LEAST, lambda value: {"rare": 20, "total": int(value)},
        None, lambda value: {"flip_frames": 1000},
    ),
    "phase_share": Measure(
        order.a_cart_rolls_while_it_is_drawn, "wrong-phase", (6, 5, 4), AT_LEAST,
        lambda value: {"calls": 100, "strays": int(value)}, {"phases": ("input", "move", "draw")},
    ),
    "phase_calls": Measure(
        order.a_cart_rolls_while_it_is_drawn, "wrong-phase", (39, 40, 41), AT_LEAST,
        lambda value: {"calls": int(value), "strays": 1}, {"phases": ("input", "move", "draw")},
    ),
    "race_spawns": Measure(
        hearing.guests_bind_now_before_now_after_the_wave, "by-luck", (3, 4, 5), AT_LEAST,
        lambda value: {"spawns": int(value)},
    ),
    "race_frames": Measure(
        hearing.guests_bind_now_before_now_after_the_wave, "by-luck", (11, 10, 9), AT_LEAST,
        lambda value: {"frames": int(value)},
    ),
    "backlog_growth": Measure(
        growing, "grows", (18, 21, 40), AT_LEAST, lambda value: {"more": int(value), "seconds": 80},
        None, lambda value: {"backlog_more": 5},
    ),
    "backlog_more": Measure(growing, "grows", (19, 20, 21), AT_LEAST, lambda value: {"more": int(value)}),
    "queue_wait_frames": Measure(
        order.parcels_wait_for_frames, "waits", (1, 2, 3), MORE, lambda value: {"wait": int(value)}
    ),
    "loop_turns": Measure(
        order.two_players_never_stop, "cycle", (59, 60, 61), AT_LEAST, lambda value: {"turns": int(value)}
    ),
    "sends_on_share": Measure(
        hearing.a_cook_forgets_to_say_so, "returned", (3, 2, 1), AT_LEAST, lambda value: {"calls": 40, "silent": int(value)}
    ),
    "sends_on_calls": Measure(
        hearing.a_cook_forgets_to_say_so, "returned", (19, 20, 21), AT_LEAST, lambda value: {"calls": int(value)},
        None, lambda value: {"sends_on_share": 0.5},
    ),
    "other_visits": Measure(
        order.a_spot_is_told_of_dogs_too, "others-do-nothing", (19, 20, 21), AT_LEAST, lambda value: {"others": int(value)}
    ),
    "undone_frames": Measure(
        order.what_dogs_do_is_undone, "others-undone", (3, 2, 1), AT_LEAST, lambda value: {"frames": int(value)}
    ),
    "undone_share": Measure(
        order.what_dogs_do_is_undone, "others-undone", (17, 18, 19), AT_LEAST,
        lambda value: {"others": 20, "undone": int(value)},
    ),
    "cue_off_ms": Measure(cue_by_ms, "late", (19.9, 19.99, 20.1), MORE, lambda value: {"ms": value}, {"hz": 100}),
    "cue_off_frames": Measure(
        cue_by_ms, "late", (29.9, 29.99, 30.1), MORE, lambda value: {"ms": value}, {"hz": 100},
        lambda value: {"cue_off_frames": 3.0},
    ),
    "cue_drift_ms": Measure(
        cues_drifting, "drifts", (19.9, 19.99, 20.5), MORE, lambda value: {"ms_a_minute": value}, {"hz": 100}
    ),
    "learnt_firings": Measure(
        timing.closing_time_is_learnt, "jumped", (2, 3, 4), AT_LEAST, lambda value: {"days": int(value)}
    ),
    "clock_steps": Measure(
        timing.a_shutter_closes_late, "late-clock", (1, 2, 3), MORE, lambda value: {"frames": int(value)}
    ),
    "level_crossings": Measure(
        timing.a_silo_is_filled_at_once, "level", (3, 4, 5), AT_LEAST, lambda value: {"times": int(value)}
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", MEASURES)
def test_a_threshold_from_below_at_and_above(name: str) -> None:
    """It speaks from exactly where the catalogue says."""
    measure = MEASURES[name]
    spoken = []
    for value in measure.values:
        stage, frames = built(measure.build, measure.stage, **measure.how(value))
        found = stage.findings(frames, Settings(measure.settings(value)))
        spoken.append(measure.cause in [finding.cause for finding in found])
    assert tuple(spoken) == measure.speaks


def test_a_crossed_level_is_found_among_a_thousand_watched_numbers() -> None:
    """However many others stand before it, and change just before the event too."""

    def others(stage: Stage, frame: int) -> None:
        for number in range(1000):
            stage("watch", o=f"sack#{number}", name="flour", v=(frame * 37 + number * 11) % 101)

    def among_sacks(stage: Stage) -> int:
        others(stage, 0)
        for frame in (109, 209, 309, 409, 479):
            stage.at(frame, do=lambda frame=frame: others(stage, frame))
        return timing.a_silo_is_filled_at_once(stage)

    stage, frames = built(among_sacks, {})
    found = [finding for finding in stage.findings(frames) if finding.cause == "level"]

    assert [(finding.subject.o, finding.frames) for finding in found] == [("silo#1", [480])]


@pytest.mark.parametrize(("players", "more"), [(6, ""), (7, " and 1 more")])
def test_a_sentence_names_six_of_a_circle(players: int, more: str) -> None:
    """It says how many it leaves out."""
    stage = Stage()
    (finding,) = stage.findings(order._volley(stage, 60, listeners=players))
    assert finding.summary.endswith(f" → Player.on_ball of player#5{more}.")
