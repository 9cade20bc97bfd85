"""Plays the games of `tests/strangers/games.toml` for 20 s each and writes `docs/strangers.md`: what was seen and found.

`make strangers`, or `python tools/play_strangers.py NAME …` for some of them (prints, and writes nothing).
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "strangers"))

from playing_strangers import Screen, Stranger, UnavailableError, missing, play, seen_of, strangers, unjudged

from opossum.findings.blind_spots import blind_spots
from opossum.findings.examine import examine
from opossum.take.take import Take

PAGE = Path(__file__).parent.parent / "docs" / "strangers.md"
HEAD = """# Games that nobody here wrote

Public games and samples, played for 20 s each by `make strangers` with the keys that `tests/strangers/games.toml` names,
on a screen of their own; nothing in them was edited. What is found above a note was read in the game's source: what was
judged to be true stands in the list, and anything else fails the run, as a machine that is too busy to play may: then nothing
is written. This page is what the last run that did not fail wrote.

| game | engine | frames | classes | functions | timers, delays | found above a note |
|---|---|---|---|---|---|---|
"""


def row(stranger: Stranger, take: Take) -> str:
    """Return a game's line of the table."""
    classes, functions, timers = seen_of(take)
    found = [f"{finding.kind}/{finding.cause}" for finding in examine(take) if finding.severity.value != "note"]
    cells = (
        stranger.name,
        take.recording.head_text(0, "engine"),
        f"{take.game_frames:,}",
        f"{len(classes)}",
        f"{len(functions)}",
        f"{len(timers)}",
        ", ".join(sorted(set(found))) or "nothing",
    )
    return f"| {' | '.join(cells)} |\n"


def judged_true() -> str:
    """Return what of what was found was read in the games' sources and judged to be true."""
    lines = [
        f"- **{stranger.name}**, {judged.kind}/{judged.cause}: {judged.why}.\n"
        for stranger in strangers()
        for judged in stranger.findings
    ]
    return "\n## Read in the source, and true\n\n" + "".join(lines)


def main(names: list[str]) -> int:
    """Play them; return how many showed something that they should not, or lacked something that they should show."""
    failed, rows = 0, []
    with tempfile.TemporaryDirectory() as folder, Screen():
        for stranger in strangers():
            if names and stranger.name not in names:
                continue
            try:
                take = play(stranger, Path(folder) / f"{stranger.name}.take")
            except UnavailableError as why:
                print(f"{stranger.name}: not played: {why}")
                failed += 1
                continue
            print(row(stranger, take), end="", flush=True)
            if names:
                for what, seen in zip(("classes", "functions", "timers"), seen_of(take), strict=True):
                    print(f"  {what}: {', '.join(sorted(seen))}")
                for spot in blind_spots(take):
                    print(f"  not seen: {spot}")
                for finding in examine(take):
                    print(f"  {finding.severity.value}: {finding.kind}/{finding.cause}: {finding.summary}")
            rows.append(row(stranger, take))
            for lack in missing(stranger, take):
                print(f"  NOT SEEN: {lack}")
                failed += 1
            for finding in unjudged(stranger, take):
                print(f"  NOT JUDGED: {finding.kind}/{finding.cause}: {finding.summary}")
                failed += 1
    if not names and rows and not failed:
        PAGE.write_text(HEAD + "".join(rows) + judged_true())
    return failed


if __name__ == "__main__":
    try:
        sys.exit(min(main(sys.argv[1:]), 100))
    except UnavailableError as why:
        sys.exit(str(why))
