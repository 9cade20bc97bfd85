"""How a name begins where a take has several peers: the same wherever a row, a strand or a call is named."""

from __future__ import annotations

from opossum.take.take import Take


def peer_prefix(take: Take, peer: int) -> str:
    """Return the beginning of a name that tells the peer, empty where there is but one."""
    return f"{take.peers[peer].name}: " if len(take.peers) > 1 else ""
