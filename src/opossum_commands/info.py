"""`opossum info`: what a take holds."""

from __future__ import annotations

from typing import Any

import click

from opossum.findings.wording import event_named
from opossum.stream.damage import damaged_records
from opossum.words import tr
from opossum_commands.completing import files
from opossum_commands.reading import opened, printed_json
from opossum_commands.terminal import say, say_wrapped

MOST_EVENTS = 8


@click.command()
@click.argument("paths", metavar="TAKE|STREAM…", nargs=-1, required=True, shell_complete=files)
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of sentences.")
def info(paths: tuple[str, ...], as_json: bool) -> None:
    """Say what a take or stream holds: game, peers, frames, and records by kind."""
    import numpy as np

    from opossum.findings.blind_spots import blind_spots, heard_by_nobody
    from opossum.take.checks import check_take

    take = opened(paths)
    frames = take.frames
    counts = {kind: len(table) for kind, table in take.tables.items() if len(table)}
    lengths = frames.work_ns[frames.settled] / 1e6
    damage = check_take(take)
    facts: dict[str, Any] = {
        "format": "opossum-info",
        "version": 1,
        "name": take.name,
        "game": take.game,
        "engine": take.recording.head_text(0, "engine"),
        "peers": [
            {"name": span.name, "frames": take.frames_of_peer(peer), "closed": take.recording.closed(peer)}
            for peer, span in enumerate(take.peers)
        ],
        "seconds": round(take.duration_ns / 1e9, 3),
        "records": take.records,
        "frames": take.game_frames,
        "median_frame_ms": round(float(np.median(lengths)), 3) if len(lengths) else None,
        "longest_frame_ms": round(float(lengths.max()), 3) if len(lengths) else None,
        "listeners": len(take.listeners),
        "bytes_in_memory": take.nbytes,
        "kinds": counts,
        "not_seen": blind_spots(take),
        "heard_by_nobody": dict(heard_by_nobody(take)),
        "damage": sum(item.count for item in damage),
    }
    if as_json:
        printed_json(facts)
        return
    say(f"{take.game}  ({take.name}{', ' + facts['engine'] if facts['engine'] else ''})")
    for peer in facts["peers"]:
        end = tr("closed on purpose") if peer["closed"] else tr("cut off: ends without bye")
        say(tr("  peer {peer}: {peer2:,} frames, {end}", peer=peer["name"], peer2=peer["frames"], end=end))
    say(
        tr(
            "  {facts} s, {records:,} records, {listeners:,} listeners called",
            facts=facts["seconds"],
            records=take.records,
            listeners=len(take.listeners),
        )
    )
    if len(lengths):
        say(
            tr(
                "  frame work: median {facts} ms, longest {facts2} ms",
                facts=facts["median_frame_ms"],
                facts2=facts["longest_frame_ms"],
            )
        )
    say(
        tr(
            "  {nbytes:.0f} bytes a record in memory, {facts:,} damaged",
            nbytes=take.nbytes / max(1, take.records),
            facts=damaged_records(damage),
        )
    )
    say("  " + ", ".join(f"{kind} {count:,}" for kind, count in counts.items()))
    if facts["heard_by_nobody"]:
        events = [f"{event_named(event)} {count:,}×" for event, count in facts["heard_by_nobody"].items()]
        more = tr(" and {events} more", events=len(events) - MOST_EVENTS) if len(events) > MOST_EVENTS else ""
        say(tr("  sent and heard by nobody: {events}{more}", events=", ".join(events[:MOST_EVENTS]), more=more))
    for spot in facts["not_seen"]:
        say_wrapped(tr("  not seen: {spot}", spot=spot), "", "    ")
