"""The commands, as a user or a script runs them."""

from __future__ import annotations

import gzip
import json
import subprocess
import sys
from pathlib import Path

import pytest

from moonrise_bakery import demo_take_path
from moonrise_bakery.faults import FAULTS
from opossum import __version__
from opossum.findings.catalogue import KINDS, all_thresholds
from tape import Tape


@pytest.fixture
def stream(tmp_path) -> Path:
    """Return a small stream with one fault: a counter bound twice."""
    tape = Tape().frame().frame()
    tape("spawn", o="counter#1", cls="Counter")
    pair = [tape.bind("bread", "counter#1", "Counter.on_bread", at=f"counter.gd:{n}") for n in (3, 9)]
    tape.frame().heard("bread", *pair)
    tape.frame()("idle")
    path = tmp_path / "shop.flow.jsonl"
    path.write_bytes(tape.bytes())
    return path


@pytest.fixture
def healthy(tmp_path) -> Path:
    """Return a stream with nothing wrong."""
    path = tmp_path / "well.flow.jsonl"
    path.write_bytes(Tape().frames(5)("idle").bytes())
    return path


# --- findings ------------------------------------------------------------------------------------


def test_findings_as_a_table_for_people(run, stream):
    """What, where, what to change, and the proof."""
    result = run("findings", stream)

    assert result.status == 0
    assert "1. FAULT  double-fire · bound-twice   frame 2" in result.out
    assert "→ Remove one of the binds of `bread`" in result.out
    assert "Proof: bind bound here (line 6)" in result.out


def test_findings_as_json_for_scripts(run, stream):
    """The keys the catalogue promises."""
    result = run("findings", stream, "--json")
    finding = result.json["findings"][0]

    assert result.json["take"]["name"] == "shop"
    assert (finding["kind"], finding["cause"], finding["severity"]) == ("double-fire", "bound-twice", "fault")
    assert finding["subject"] == {
        "ev": "bread",
        "o": "counter#1",
        "cls": "Counter",
        "fn": "Counter.on_bread",
        "at": "counter.gd:9",
    }
    assert finding["frames"] == [2]
    assert set(finding) >= {"count", "cost_ns", "summary", "advice", "evidence"}


def test_a_healthy_take_says_so(run, healthy):
    """And prints an empty list for scripts."""
    assert "Nothing found" in run("findings", healthy).out
    assert run("findings", healthy, "--json").json["findings"] == []


@pytest.mark.parametrize(("level", "status"), [("fault", 1), ("waste", 1), ("risk", 1)])
def test_fail_on_ends_with_1_for_this_or_worse(run, stream, healthy, level, status):
    """For checks in a build."""
    assert run("findings", stream, "--fail-on", level).status == status
    assert run("findings", healthy, "--fail-on", level).status == 0


def test_what_is_known_does_not_count(run, stream, tmp_path):
    """By its name, or by a baseline; what is new fails all the same."""
    name = run("findings", stream, "--json").json["findings"][0]["id"]
    ignored = run("findings", stream, "--ignore", name, "--fail-on", "risk")
    assert ignored.status == 0 and "Nothing found" in ignored.out and "1 finding" in ignored.out
    assert run("findings", stream, "--ignore", "another", "--fail-on", "risk").status == 1
    baseline = tmp_path / "known.json"
    written = run("findings", stream, "--write-baseline", baseline)
    assert (written.status, written.out) == (0, "")
    assert json.loads(baseline.read_text())["findings"][0]["id"] == name
    told = run("findings", stream, "--baseline", baseline, "--json", "--fail-on", "risk")
    assert (told.status, told.json["uncounted"], told.json["findings"]) == (0, 1, [])
    run("findings", stream, "--ignore", name, "--write-baseline", baseline)
    assert run("findings", stream, "--baseline", baseline, "--fail-on", "risk").status == 1


@pytest.mark.parametrize(
    ("text", "why"),
    [
        (None, "cannot be read (No such file or directory)"),
        ("[", "is no JSON"),
        ("[" * 9000, "is no JSON"),
        ("[]", "is no baseline"),
        ('{"format": "opossum-baseline", "version": 2}', "of another version than 1"),
        ('{"format": "opossum-baseline", "version": 1, "findings": [5]}', "are not a list of findings"),
    ],
)
def test_a_baseline_that_is_none_is_told(run, stream, tmp_path, text, why):
    """In a sentence that names the file."""
    file = tmp_path / "known.json"
    if text is not None:
        file.write_text(text)
    result = run("findings", stream, "--baseline", file)
    assert result.status == 2 and result.err.startswith(f"opossum: {file}: ") and why in result.err
    nowhere = run("findings", stream, "--write-baseline", tmp_path / "none" / "x.json")
    assert nowhere.status == 2 and "cannot be written (No such file or directory)" in nowhere.err


def test_only_and_set(run, stream):
    """Kinds and thresholds are choices; wrong ones are said with the right ones."""
    assert run("findings", stream, "--only", "freeze", "--json").json["findings"] == []
    wrong = run("findings", stream, "--only", "burnt")
    assert (wrong.status, wrong.out) == (2, "")
    assert wrong.err == f"opossum: there is no kind `burnt`; there are: {', '.join(kind.name for kind in KINDS)}.\n"
    assert run("findings", stream, "--set", "polling_calls=3").status == 0
    assert run("findings", stream, "--set", "speed=3").err.startswith(
        "opossum: there is no threshold `speed`; there are: "
    )


def test_the_help_names_kinds_causes_and_thresholds(run):
    """As the catalogue declares them."""
    told = "".join(run("findings", "--help").out.split())  # long lines are broken at hyphens
    for kind in KINDS:
        assert kind.name in told
        assert all(cause.name in told for cause in kind.causes)
    assert all(f"{name}={threshold.default:g}" in told for name, threshold in all_thresholds().items())


# --- errors --------------------------------------------------------------------------------------


@pytest.mark.parametrize("command", ["findings", "info", "check-stream"])
def test_what_cannot_be_read_is_one_sentence_and_status_2(run, tmp_path, command):
    """No traceback, nothing on standard output."""
    (tmp_path / "empty").write_bytes(b"")
    for name, sentence in (
        ("none", "there is no such file"),
        ("empty", "the file is empty"),
        (".", "this is a folder"),
    ):
        result = run(command, tmp_path / name)
        assert result.status == 2
        assert result.out == ""
        assert result.err.count("\n") == 1
        assert result.err.startswith("opossum: ")
        assert sentence in result.err


@pytest.mark.parametrize(
    "arguments",
    [["findings"], ["findings", "x", "--nonsense"], ["convert", "a"], ["demo", "--seconds", "-3"], ["--nonsense"]],
)
def test_wrong_usage_is_one_line_with_a_hint(run, arguments):
    """The help is named, not printed."""
    result = run(*arguments)

    assert result.status == 2
    assert result.err.count("\n") == 1
    assert "--help`" in result.err


def test_version_and_help(run):
    """Both read well."""
    assert run("--version").out.startswith(f"opossum {__version__} (")
    text = run("--help").out
    for word in ("check-stream", "convert", "demo", "findings", "info", "opossum night.take"):
        assert word in text
    for command in ("findings", "demo", "convert", "check-stream", "info", "desk"):
        assert run(command, "--help").status == 0


# --- convert, check-stream, info -----------------------------------------------------------------


def test_stream_to_take_and_back(run, stream, tmp_path):
    """Findings are the same on each way station."""
    expected = run("findings", stream, "--json").json["findings"]
    take, back, packed = tmp_path / "shop.take", tmp_path / "back.flow.jsonl", tmp_path / "back.flow.jsonl.gz"
    assert run("convert", stream, take).status == 0
    assert run("convert", take, back).status == 0
    assert run("convert", take, packed).status == 0

    assert gzip.decompress(packed.read_bytes()) == back.read_bytes()
    for path in (take, back, packed):
        assert run("findings", path, "--json").json["findings"] == expected


def test_convert_overwrites_only_when_told(run, stream, tmp_path):
    """And says what it cannot make."""
    target = tmp_path / "shop.take"
    target.write_bytes(b"precious")
    assert run("convert", stream, target).err == f"opossum: {target}: is there already; give --force to replace it.\n"
    assert target.read_bytes() == b"precious"
    assert run("convert", stream, target, "--force").status == 0
    assert "the ending does not say what to make" in run("convert", stream, tmp_path / "x.cake").err
    assert "cannot be written" in run("convert", stream, "/nowhere/x.take").err


def test_check_stream_lists_damage_with_lines(run, stream, healthy):
    """Exit status 1 where there is any."""
    with stream.open("ab") as file:
        file.write(b"rubbish\n")
    result = run("check-stream", stream)
    assert result.status == 1
    assert "1 × line that is not one JSON object; it was left out (line 19)" in result.out
    assert run("check-stream", stream, "--json").json["damage"][0]["lines"] == [19]
    assert run("check-stream", healthy).status == 0
    assert "nothing is damaged" in run("check-stream", healthy).out


def test_info_says_what_a_take_holds(run, stream):
    """For people and scripts."""
    text = run("info", stream).out
    assert "4 frames, closed on purpose" in text
    facts = run("info", stream, "--json").json
    assert facts["kinds"]["bind"] == 2
    assert facts["frames"] == 4


def test_what_comes_before_the_first_frame_is_none(run, tmp_path):
    """A game that binds before its loop begins has as many frames as it tells, in the whole and of each peer."""
    tape = Tape()
    tape.bind("bell", "cat#1", "Cat.on_bell")
    for _ in range(3):
        tape.frame()
    path = tmp_path / "early.flow.jsonl"
    path.write_bytes(tape.bytes())
    facts = run("info", path, "--json").json
    assert (facts["frames"], [peer["frames"] for peer in facts["peers"]]) == (3, [3])


def test_standard_input_is_a_dash(stream):
    """A stream can be piped, and a reader that goes away is no error."""
    command = [sys.executable, "-m", "opossum_commands", "findings", "-", "--json"]
    with stream.open("rb") as file:
        result = subprocess.run(command, stdin=file, capture_output=True, timeout=60)

    assert result.returncode == 0, result.stderr
    assert json.loads(result.stdout)["take"]["name"] == "standard input"


# --- demo ----------------------------------------------------------------------------------------


def test_the_demo_lists_its_faults(run):
    """Names, kinds and stories."""
    text = run("demo", "--list").out
    assert all(name in text for name in FAULTS)


def test_the_demo_plays_a_night_with_chosen_faults(run, tmp_path):
    """Into a stream or a take; the faults chosen are the faults found."""
    for name in ("n.take", "n.flow.jsonl", "n.flow.jsonl.gz"):
        path = tmp_path / name
        assert run("demo", "--with", "queue-kept", "--seconds", 20, "--out", path).status == 0
        assert [item["cause"] for item in run("findings", path, "--json").json["findings"]] == ["queue-kept"]
    healthy = tmp_path / "healthy.take"
    assert run("demo", "--healthy", "--seconds", 20, "--out", healthy).status == 0
    assert run("findings", healthy, "--fail-on", "risk").status == 0


def test_several_faults_may_be_named_at_once(run, tmp_path):
    """With commas, or by giving the option again."""
    path = tmp_path / "n.take"
    assert (
        run("demo", "--with", "queue-kept,waiting", "--with", "two-routes", "--seconds", 20, "--out", path).status == 0
    )
    causes = {item["cause"] for item in run("findings", path, "--json").json["findings"]}
    assert causes == {"queue-kept", "waiting", "two-routes"}


@pytest.mark.parametrize("arguments", [[], ["desk"], ["demo"], [str(demo_take_path())]])
def test_without_a_screen_the_desk_says_so(run, monkeypatch, arguments):
    """In a sentence, instead of an abort."""
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    result = run(*arguments)
    assert result.status == 2
    assert result.err.startswith("opossum: there is no screen here")


def test_the_demo_says_what_it_cannot_do(run, tmp_path):
    """In a sentence each."""
    target = tmp_path / "n.take"
    assert "has no fault `burnt`" in run("demo", "--with", "burnt", "--out", target).err
    assert "contradict each other" in run("demo", "--healthy", "--with", "waiting").err
    target.write_bytes(b"precious")
    assert "is there already" in run("demo", "--out", target).err
    assert "could not be written" in run("demo", "--out", "/nowhere/n.flow.jsonl").err


def test_a_night_that_ends_in_an_endless_loop_is_written(run, tmp_path):
    """What its calls would still have told is not missed."""
    told = run("demo", "--with", "endless-loop", "--seconds", 40, "--out", tmp_path / "loop.take")
    assert told.status == 0 and told.err == ""
    assert "endless-loop" in run("findings", tmp_path / "loop.take").out


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (["fidings", "x.take"], "there is no command `fidings`; did you mean `findings`?"),
        (["recrod", "game.py"], "there is no command `recrod`; did you mean `record`?"),
        (["demmo"], "there is no command `demmo`; did you mean `demo`?"),
        (["moonlight"], "`moonlight` is no command, and there is no such file."),
        (["night.take"], "night.take: there is no such file; check the name."),
        (["./findings"], "./findings: there is no such file; check the name."),
    ],
)
def test_a_mistyped_command_is_told_with_the_nearest_one(tmp_path, words, told):
    """And a file that is not there as a file; no window opens for either."""
    command = [sys.executable, "-m", "opossum_commands", *words]
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, timeout=30)
    assert done.returncode == 2 and done.stdout == ""
    assert f"opossum: {told}" in done.stderr and len(done.stderr.splitlines()) == 1


@pytest.mark.parametrize("arguments", [["findings"], ["findings", "--json"], ["info"]])
def test_output_that_cannot_be_written_is_told(arguments):
    """In a sentence, with status 2; whoever closes the pipe has seen enough."""
    command = [sys.executable, "-m", "opossum_commands", "--quiet", *arguments, str(demo_take_path())]
    with open("/dev/full", "w") as full:
        done = subprocess.run(command, stdout=full, stderr=subprocess.PIPE, text=True, timeout=60)
    assert done.returncode == 2
    assert done.stderr == "opossum: No space left on device; not all could be written or read.\n"
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    process.stdout.read(1)
    process.stdout.close()
    assert process.stderr.read() == "" and process.wait(60) == 0
    process.stderr.close()


def test_no_end_is_counted_as_damage(run, tmp_path):
    """That a stream was cut off, or tells of no frames, stands in a line of its own."""
    path = tmp_path / "cut.flow.jsonl"
    path.write_text(
        '{"k":"head","t":0,"opossum":1,"game":"cut","peer":"main"}\n{"k":"say","t":1,"text":"on"}\nno record\n'
    )
    out = run("info", str(path)).out
    assert "cut off: ends without bye" in out and " 1 damaged" in out
    first = run("findings", str(path)).out.partition("\nNot seen")[0]
    assert first.replace("\n", " ").endswith(
        "2 records, 1 damaged (see opossum check-stream), cut off: ends without bye"
    )
    assert run("check-stream", str(path)).out.count(" × ") == 3


def test_of_several_peers_those_are_named_that_were_cut_off(run, tmp_path):
    """Of the others nothing is missing."""
    path = tmp_path / "two.flow.jsonl"
    path.write_text(
        '{"k":"head","t":0,"opossum":1,"game":"two","peer":"host"}\n'
        '{"k":"head","t":0,"opossum":1,"game":"two","peer":"guest","p":"guest"}\n{"k":"bye","t":9}\n'
    )
    assert "3 records, cut off: ends without bye (guest)" in run("findings", str(path)).out.replace("\n", " ")


def test_info_names_an_event_that_has_no_name(run, tmp_path):
    """As sentences do, and not by empty quotes."""
    path = tmp_path / "nameless.flow.jsonl"
    path.write_text(
        '{"k":"head","t":0,"opossum":1,"game":"g"}\n{"k":"frame","t":1,"n":0}\n{"k":"send","t":2,"s":1,"ev":""}\n'
        '{"k":"idle","t":3}\n{"k":"bye","t":4}\n'
    )
    told = run("info", path).out
    assert "sent and heard by nobody: an unnamed event 1×" in told
