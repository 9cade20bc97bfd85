"""What each call sprang from, over frames: through sends, timers, delays, clips and queues."""

from __future__ import annotations

import numpy as np

from opossum.stream.tables import Array
from opossum.take.ids import IdIndex
from opossum.take.index import Index
from opossum.take.indexes.arms import ARMS, Arms
from opossum.take.indexes.calls import CALLS, Calls
from opossum.take.indexes.identities import ARM_IDS, PLAY_IDS
from opossum.take.indexes.plays import PLAYS, Plays
from opossum.take.recording import Recording


def build_causes(
    recording: Recording, calls: Calls, arms: Arms, plays: Plays, arm_ids: IdIndex, play_ids: IdIndex
) -> Array:
    """Return int32 (calls,): the call that led to each, -1 where none is told. Linear in calls.

    That is the call it was sent from (also of what lay on a queue meanwhile); else the call that set its timer or delay;
    else the call that started its clip.
    """
    sends = recording.tables["send"]
    cause = np.asarray(calls.parent, np.int32).copy()
    loose = np.flatnonzero((cause < 0) & (calls.send >= 0))
    send = calls.send[loose]
    peers = np.asarray(sends["p"])[send]
    arm = arm_ids.rows(peers, np.asarray(sends["a"])[send])
    by_arm = np.append(np.asarray(arms.cause, np.int32), np.int32(-1))[arm]
    play = play_ids.rows(peers, np.asarray(sends["y"])[send])
    by_play = np.append(np.asarray(plays.cause, np.int32), np.int32(-1))[play]
    found = np.where(by_arm >= 0, by_arm, by_play)
    cause[loose] = np.where(found < loose, found, -1)
    return cause


CAUSES = Index("causes", build_causes, (CALLS, ARMS, PLAYS, ARM_IDS, PLAY_IDS))
