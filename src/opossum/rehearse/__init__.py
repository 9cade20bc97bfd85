"""Rehearsal: what a take would have been with a fix in the game, reckoned again from what was recorded.

A fix is planned (`fixes`), what hangs on it is followed (`consequences`), and the take is told anew (`retelling`).
"""
