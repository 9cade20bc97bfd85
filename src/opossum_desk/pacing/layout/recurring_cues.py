"""The cues of tracks, gathered whole."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np

from opossum.findings.cue_off.cues import cues
from opossum.findings.frame_times import frame_times
from opossum.findings.scene import Scene
from opossum.take.grouping import parted
from opossum.words import counted, tr
from opossum_desk.pacing.layout.firings import Firings
from opossum_desk.pacing.layout.recurring import FEWEST_FIRINGS, Recurring
from opossum_desk.state.peer_prefix import peer_prefix


def tracks(scene: Scene) -> Iterator[Recurring]:
    """Yield tracks: how far beside its place each cue came."""
    take, known = scene.take, scene.once(cues)
    if not len(known.rows):
        return
    marks, table = take.marks, take.tables["play"]
    plays = marks.play[known.rows]
    peers = np.asarray(table["p"])[plays]
    for part in parted(peers, np.asarray(table["clip"])[plays]):
        if len(part) < FEWEST_FIRINGS:
            continue
        rows, play = known.rows[part], int(plays[part[0]])
        sends = marks.send[rows]
        firings = Firings(np.asarray(take.tables["send"]["t"], np.int64)[sends], known.off_ns[part], sends)
        peer, owner, clip = int(peers[part[0]]), int(table["o"][play]), take.text(int(table["clip"][play]))
        yield Recurring(
            sort="cue",
            name=f"{peer_prefix(take, peer)}{take.text(owner) or 'track'}  {clip}",
            rhythm=tr("{cues} of its track", cues=counted(len(part), "cue")),
            via="clip",
            rows_of="send",
            unit_ns=scene.once(frame_times).usual_ns[peer],
            count=len(part),
            reckon=partial(_as_is, firings),
            owner=take.text(owner),
            cls=take.class_of(owner),
            clip=clip,
            peer=take.peers[peer].name,
        )


def _as_is(firings: Firings) -> Firings:
    return firings
